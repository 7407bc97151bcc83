//! The sections of a text: each is a header with the lines below it.

/// The byte at which the line of a byte starts.
fn line_start(text: &str, at: usize) -> usize {
    text.get(..at).and_then(|before| before.rfind('\n')).map_or(0, |end| end + 1)
}

/// The header of the line of a byte, without its comment; `None` if it has none.
pub(super) fn header_at(text: &str, at: usize) -> Option<&str> {
    let line = text.get(line_start(text, at)..)?.lines().next()?.trim_start();
    let closed = line.rfind(']').map_or(line, |end| line.get(..=end).unwrap_or(line));
    line.starts_with('[').then(|| closed.split(" #").next().unwrap_or(closed).trim())
}

/// Whether a byte is in the line of a header.
pub(super) fn is_header_at(text: &str, at: usize) -> bool {
    header_at(text, at).is_some()
}

/// The byte at which the section of a byte ends: the next header, or the end of the text.
pub(super) fn end(text: &str, at: usize) -> usize {
    let mut from = line_start(text, at);
    for (index, line) in text.get(from..).unwrap_or_default().split_inclusive('\n').enumerate() {
        if index > 0 && line.trim_start().starts_with('[') {
            return from;
        }
        from += line.len();
    }
    text.len()
}

/// The first byte of the line of the header of each section that has one of some bytes.
pub(super) fn starts(text: &str, bytes: impl Iterator<Item = usize>) -> Vec<usize> {
    let mut bytes: Vec<usize> = bytes.collect();
    bytes.sort_unstable();
    let mut bytes = bytes.into_iter().peekable();
    let (mut starts, mut header, mut at) = (Vec::new(), None, 0);
    for line in text.split_inclusive('\n') {
        if line.trim_start().starts_with('[') {
            header = Some(at);
        }
        at += line.len();
        while bytes.next_if(|byte| *byte < at).is_some() {
            starts.extend(header);
        }
    }
    starts.dedup();
    starts
}
