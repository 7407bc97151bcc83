//! Writes a picture as PNG: its SVG with outlines in place of texts, rasterised.

use png::{ColorType, Compression, Encoder, EncodingError};
use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{Options, Tree};

use crate::diagram::Diagram;
use crate::layout::Layout;
use crate::svg::{Texts, written};
use crate::theme::Theme;

/// The most pixels of an image: more need too much memory.
const MOST: f64 = 16e6;
/// How many pixels of the image there are for one of the picture, in each direction, if that is not too many.
const SCALE: f64 = 2.0;

/// A picture as pixels.
#[derive(Clone, Debug)]
pub struct Png {
    /// The bytes of the file.
    pub bytes: Vec<u8>,
    /// The characters that the font lacks, for each of which `?` is drawn.
    pub missing: Vec<char>,
    /// Whether it has so few pixels that small texts are hard to read, since the picture is large.
    pub is_reduced: bool,
}

/// The picture of a diagram as PNG.
///
/// # Errors
/// Why it cannot be drawn.
pub fn png(diagram: &Diagram, layout: &Layout, theme: Theme) -> Result<Png, String> {
    let svg = written(diagram, layout, theme, Texts::Outlines);
    let tree = Tree::from_str(&svg, &Options::default()).map_err(|error| error.to_string())?;
    let area = layout.width * layout.height;
    let scale = SCALE.min((MOST / area.max(1.0)).sqrt());
    let size = |length: f64| (length * scale).ceil() as u32;
    let mut image = Pixmap::new(size(layout.width), size(layout.height)).ok_or("the picture is too large")?;
    resvg::render(&tree, Transform::from_scale(scale as f32, scale as f32), &mut image.as_mut());
    let bytes = encoded(&image).map_err(|error| error.to_string())?;
    Ok(Png { bytes, missing: missing(layout), is_reduced: scale < 1.0 })
}

/// With more pixels, a file that is half as large again takes half the time.
const LARGE: u32 = 8_000_000;

/// The file of an image, which has no transparent pixels: the page covers all of it.
fn encoded(image: &Pixmap) -> Result<Vec<u8>, EncodingError> {
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, image.width(), image.height());
    encoder.set_color(ColorType::Rgb);
    let is_large = image.width().saturating_mul(image.height()) > LARGE;
    encoder.set_compression(if is_large { Compression::Fast } else { Compression::Balanced });
    let pixels = image.pixels().iter().flat_map(|pixel| [pixel.red(), pixel.green(), pixel.blue()]);
    encoder.write_header()?.write_image_data(&pixels.collect::<Vec<u8>>())?;
    Ok(bytes)
}

/// The characters of a layout that the font lacks, each once.
fn missing(layout: &Layout) -> Vec<char> {
    let inside = layout.cards.iter().flat_map(|card| &card.labels);
    let tabs = layout.areas.iter().map(|area| &area.label);
    let labels = layout.labels.iter().chain(tabs).chain(inside);
    let lacks = |label: &crate::layout::Label| {
        label.text.chars().filter(|c| !label.style.has(c.encode_utf8(&mut [0; 4]))).collect::<Vec<_>>()
    };
    let all: std::collections::BTreeSet<char> = labels.flat_map(lacks).collect();
    all.into_iter().collect()
}
