//! The colours, by what they mean.

use anstyle::{AnsiColor, Style};

pub(crate) const ERROR: Style = AnsiColor::Red.on_default().bold();
pub(crate) const WARNING: Style = AnsiColor::Yellow.on_default().bold();
pub(crate) const HELP: Style = AnsiColor::Cyan.on_default().bold();
pub(crate) const NOTE: Style = AnsiColor::Green.on_default().bold();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default().bold();
pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const HEAD: Style = Style::new().bold();
pub(crate) const QUIET: Style = Style::new().dimmed();
pub(crate) const OPEN: Style = AnsiColor::Yellow.on_default();
