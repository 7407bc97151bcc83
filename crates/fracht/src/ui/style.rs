//! Styles by their meaning, and the one place where text is prepared for a terminal.
//!
//! In a text, a style is a mark: a character that no text contains (a noncharacter, Unicode section 23.7). At output,
//! marks become escape sequences, and all other control characters are escaped. So no name or value can act on a
//! terminal, wherever it is in a text.

use std::fmt;

use anstyle::AnsiColor;
use fracht_core::escape::is_unsafe;

/// A style. In a format string, `{STYLE}` starts it and `{STYLE:#}` ends it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Style(u8);

/// The widest line, in columns.
pub(crate) const WIDTH: usize = 100;

pub(crate) const ERROR: Style = Style(1);
pub(crate) const WARNING: Style = Style(2);
pub(crate) const HELP: Style = Style(3);
pub(crate) const NOTE: Style = Style(4);
pub(crate) const GOOD: Style = Style(4);
pub(crate) const BOLD: Style = Style(5);
pub(crate) const HEAD: Style = Style(5);
pub(crate) const QUIET: Style = Style(6);
pub(crate) const OPEN: Style = Style(7);

/// The styles by which names are told apart.
pub(crate) const NAMES: [Style; 6] = [Style(8), Style(9), Style(10), Style(11), Style(12), Style(13)];

/// The mark that ends a style. The marks that start one are the next characters.
const END: char = '\u{fdd0}';

impl fmt::Display for Style {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            0 => Ok(()),
            _ if f.alternate() => write!(f, "{END}"),
            number => {
                write!(f, "{}", char::from_u32(u32::from(END) + u32::from(number)).unwrap_or(END))
            }
        }
    }
}

/// The style that a mark starts.
fn started_by(mark: char) -> Option<anstyle::Style> {
    let color = |color: AnsiColor| color.on_default();
    Some(match u32::from(mark).checked_sub(u32::from(END))? {
        1 => color(AnsiColor::Red).bold(),
        2 => color(AnsiColor::Yellow).bold(),
        3 => color(AnsiColor::Cyan).bold(),
        4 => color(AnsiColor::Green).bold(),
        5 => anstyle::Style::new().bold(),
        6 => anstyle::Style::new().dimmed(),
        7 => color(AnsiColor::Yellow),
        8 => color(AnsiColor::Cyan),
        9 => color(AnsiColor::Magenta),
        10 => color(AnsiColor::Green),
        11 => color(AnsiColor::Blue),
        12 => color(AnsiColor::BrightYellow),
        13 => color(AnsiColor::BrightRed),
        _ => return None,
    })
}

/// The text for a terminal: marks become escape sequences, other control characters are written as `\u001B`.
pub(crate) fn for_terminal(text: &str) -> String {
    written(text, true)
}

/// The same without colors.
pub(crate) fn plain(text: &str) -> String {
    written(text, false)
}

fn written(text: &str, color: bool) -> String {
    let mut out = String::with_capacity(text.len() + 64);
    for c in text.chars() {
        if c == END {
            if color {
                out.push_str(&anstyle::Reset.to_string());
            }
        } else if let Some(style) = started_by(c) {
            if color {
                out.push_str(&style.to_string());
            }
        } else if is_unsafe(c) && !matches!(c, '\n' | '\t') {
            out.push_str(&format!("\\u{:04X}", u32::from(c)));
        } else {
            out.push(c);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_become_colors_and_control_characters_are_escaped() {
        let text = for_terminal(&format!("{BOLD}a{BOLD:#}\n\u{1b}[2J\u{9b}b\u{202e}\r"));
        assert_eq!(text, "\u{1b}[1ma\u{1b}[0m\n\\u001B[2J\\u009Bb\\u202E\\u000D");
        assert_eq!(plain(&format!("{BOLD}a{BOLD:#}\u{1b}[1m")), "a\\u001B[1m");
    }
}
