//! The font: how wide texts are, and their outlines.
//!
//! Inter, by The Inter Project Authors, SIL Open Font License 1.1 (`fonts/OFL.txt`), cut to U+0020 to U+017F and some
//! punctuation, without kerning: so a text is as wide as the sum of its characters.

use std::fmt::Write as _;
use std::sync::LazyLock;

use ttf_parser::{Face, GlyphId, OutlineBuilder};
use unicode_width::UnicodeWidthChar as _;

static REGULAR: LazyLock<Option<Face<'static>>> =
    LazyLock::new(|| Face::parse(include_bytes!("../fonts/inter-400.ttf"), 0).ok());
static BOLD: LazyLock<Option<Face<'static>>> =
    LazyLock::new(|| Face::parse(include_bytes!("../fonts/inter-600.ttf"), 0).ok());

/// The size and weight of a text.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Style {
    /// The size of an em, in pixels.
    pub size: f64,
    /// Whether it is bold.
    pub bold: bool,
}

impl Style {
    fn face(self) -> Option<&'static Face<'static>> {
        if self.bold { BOLD.as_ref() } else { REGULAR.as_ref() }
    }

    /// The width of a text, in pixels. A character that the font lacks is one em wide if it is a wide one, else 0.6.
    pub fn width(self, text: &str) -> f64 {
        let face = self.face();
        let ems = |c: char| {
            let known = face.and_then(|face| {
                let glyph = face.glyph_index(c)?;
                Some(f64::from(face.glyph_hor_advance(glyph)?) / f64::from(face.units_per_em()))
            });
            known.unwrap_or(match c.width() {
                Some(2) => 1.0,
                Some(0) | None => 0.0,
                Some(_) => 0.6,
            })
        };
        text.chars().map(ems).sum::<f64>() * self.size
    }

    /// The text, cut in its middle to at most some pixels.
    pub fn cut(self, text: &str, most: f64) -> String {
        if self.width(text) <= most {
            return text.to_owned();
        }
        let all: Vec<char> = text.chars().collect();
        // The end tells more than the start: tags and numbers stand there.
        for keep in (2..all.len()).rev() {
            let start = keep / 2;
            let end = all.len() - (keep - start);
            let shown: String = all.iter().take(start).chain(&['…']).chain(all.iter().skip(end)).collect();
            if self.width(&shown) <= most {
                return shown;
            }
        }
        "…".to_owned()
    }

    /// Whether the font has all characters of a text.
    pub fn has(self, text: &str) -> bool {
        text.chars().all(|c| self.face().is_some_and(|face| face.glyph_index(c).is_some()))
    }

    /// The outlines of a text that starts at a point of its base line, as the data of an SVG path. `?` stands for a
    /// character that the font lacks.
    pub(crate) fn outlines(self, text: &str, x: f64, y: f64) -> String {
        let Some(face) = self.face() else { return String::new() };
        let scale = self.size / f64::from(face.units_per_em());
        let mut pen = Pen { out: String::new(), x, y, scale };
        for c in text.chars() {
            let glyph = face.glyph_index(c).or_else(|| face.glyph_index('?')).unwrap_or(GlyphId(0));
            face.outline_glyph(glyph, &mut pen);
            pen.x += self.width(c.encode_utf8(&mut [0; 4]));
        }
        pen.out
    }
}

struct Pen {
    out: String,
    x: f64,
    y: f64,
    scale: f64,
}

impl Pen {
    fn point(&mut self, x: f32, y: f32) {
        // Writing to a string cannot fail.
        let _ = write!(
            self.out,
            "{:.2} {:.2} ",
            self.x + f64::from(x) * self.scale,
            self.y - f64::from(y) * self.scale
        );
    }
}

impl OutlineBuilder for Pen {
    fn move_to(&mut self, x: f32, y: f32) {
        self.out.push('M');
        self.point(x, y);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        self.out.push('L');
        self.point(x, y);
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        self.out.push('Q');
        self.point(x1, y1);
        self.point(x, y);
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        self.out.push('C');
        self.point(x1, y1);
        self.point(x2, y2);
        self.point(x, y);
    }

    fn close(&mut self) {
        self.out.push('Z');
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SMALL: Style = Style { size: 12.0, bold: false };

    #[test]
    fn texts_are_cut_in_their_middle_and_fit() {
        let text = "registry.example/harbour/a-rather-long-name:1.4.0";
        for most in [16.0, 40.0, 100.0, 1000.0] {
            let shown = SMALL.cut(text, most);
            assert!(SMALL.width(&shown) <= most, "{shown}");
            assert!(most < 50.0 || shown.ends_with("1.4.0") && shown.starts_with("reg"), "{shown}");
        }
        assert!(SMALL.width("iiii") < SMALL.width("WWWW"));
        assert!(SMALL.width("データ") > 35.0 && !SMALL.has("データ") && SMALL.has("×2–12 … Žižkov"));
    }

    #[test]
    fn every_character_of_the_font_has_outlines() {
        let letters = "abcxyzABCXYZ0123456789×–…·/:.-_äöüßéñłž";
        for c in letters.chars() {
            for bold in [false, true] {
                let style = Style { size: 14.0, bold };
                let path = style.outlines(&c.to_string(), 10.0, 20.0);
                assert!(path.starts_with('M') && path.ends_with('Z'), "{c}");
            }
        }
    }
}
