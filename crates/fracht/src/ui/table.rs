//! Tables: a head and aligned columns, without lines.

use fracht_core::escape::{escaped, is_unsafe};
use unicode_width::UnicodeWidthStr as _;

use super::style::{HEAD, Style};

/// A cell: its text and its style.
#[derive(Clone, Debug, Default)]
pub(crate) struct Cell {
    text: String,
    style: Style,
}

impl Cell {
    /// A cell with a style.
    pub(crate) fn styled(text: impl Into<String>, style: Style) -> Self {
        Self { text: one_line(text.into()), style }
    }
}

impl<T: Into<String>> From<T> for Cell {
    fn from(text: T) -> Self {
        Self { text: one_line(text.into()), style: Style::default() }
    }
}

/// The text as one line, whatever it contains.
fn one_line(text: String) -> String {
    if text.contains(is_unsafe) { escaped(&text).into_owned() } else { text }
}

/// A table of `N` columns.
pub(crate) struct Table<const N: usize> {
    rows: Vec<[Cell; N]>,
}

impl<const N: usize> Table<N> {
    /// A table with a head.
    pub(crate) fn new(head: [&str; N]) -> Self {
        Self { rows: vec![head.map(|text| Cell::styled(text, HEAD))] }
    }

    pub(crate) fn row(&mut self, cells: [Cell; N]) {
        self.rows.push(cells);
    }

    /// The lines, with two spaces between columns and none at the end.
    pub(crate) fn show(&self) -> String {
        let mut widths = [0; N];
        for row in &self.rows {
            for (width, cell) in widths.iter_mut().zip(row) {
                *width = (*width).max(cell.text.width());
            }
        }
        let mut out = String::new();
        for row in &self.rows {
            let mut gap = 0;
            for (width, cell) in widths.iter().zip(row) {
                if !cell.text.is_empty() {
                    let style = cell.style;
                    out.extend(std::iter::repeat_n(' ', gap));
                    out.push_str(&format!("{style}{}{style:#}", cell.text));
                    gap = 0;
                }
                gap += width + 2 - cell.text.width();
            }
            out.push('\n');
        }
        out
    }
}
