//! The terminal that results are printed to.

use std::env;

use super::style::WIDTH;

/// How many columns results may have: those of the terminal, or 100 if standard output is none.
pub(crate) fn width() -> usize {
    match rustix::termios::tcgetwinsize(rustix::stdio::stdout()) {
        Ok(size) if size.ws_col > 0 => usize::from(size.ws_col),
        _ => WIDTH,
    }
}

/// The columns and lines of the terminal that messages are printed to; `None` if they are not printed to one.
pub(crate) fn size_of_messages() -> Option<(usize, usize)> {
    let size = rustix::termios::tcgetwinsize(rustix::stdio::stderr()).ok()?;
    (size.ws_col > 0 && size.ws_row > 0).then(|| (usize::from(size.ws_col), usize::from(size.ws_row)))
}

/// Whether the terminal has characters beyond ASCII: unless its locale says otherwise (POSIX, Environment Variables).
pub(crate) fn is_unicode() -> bool {
    let set = ["LC_ALL", "LC_CTYPE", "LANG"].into_iter().filter_map(|name| env::var(name).ok());
    let locale = set.into_iter().find(|value| !value.is_empty());
    locale.is_none_or(|locale| {
        let locale = locale.to_ascii_lowercase();
        locale.contains("utf-8") || locale.contains("utf8")
    })
}
