//! The output of a container: frames, each with its stream and its length, and lines made of them.

use std::io::{self, Read};

/// A stream of a program.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Output {
    /// Standard output.
    Out,
    /// Standard error.
    Err,
}

/// Frames: a head of 8 bytes (stream, three zeros, length in network byte order), then the bytes.
pub struct Frames<R> {
    from: R,
    is_over: bool,
}

/// The longest frame that is read at once.
const MOST_OF_FRAME: u32 = 16 << 20;

impl<R: Read> Frames<R> {
    /// The frames of a body.
    pub fn new(from: R) -> Self {
        Self { from, is_over: false }
    }

    fn next_frame(&mut self) -> io::Result<Option<(Output, Vec<u8>)>> {
        let mut head = [0; 8];
        let first = loop {
            match self.from.read(&mut head) {
                Ok(0) => return Ok(None),
                Ok(read) => break read,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
            }
        };
        self.from.read_exact(head.get_mut(first..).unwrap_or_default())?;
        let [stream, 0, 0, 0, a, b, c, d] = head else {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "not frames of output"));
        };
        let length = u32::from_be_bytes([a, b, c, d]);
        if length > MOST_OF_FRAME {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "a frame of output is too long"));
        }
        let mut bytes = vec![0; length as usize];
        self.from.read_exact(&mut bytes)?;
        Ok(Some((if stream == 2 { Output::Err } else { Output::Out }, bytes)))
    }
}

impl<R: Read> Iterator for Frames<R> {
    type Item = io::Result<(Output, Vec<u8>)>;

    fn next(&mut self) -> Option<Self::Item> {
        if self.is_over {
            return None;
        }
        let frame = self.next_frame().transpose();
        self.is_over = !matches!(frame, Some(Ok(_)));
        frame
    }
}

/// A line of the output of a container.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Line {
    /// The stream.
    pub output: Output,
    /// When it was written (RFC 3339), as the engine tells it; empty if it does not.
    pub time: String,
    /// The text without its line break.
    pub text: String,
}

/// Makes lines of frames: one may be in several frames, and a frame may have several.
#[derive(Debug, Default)]
pub(crate) struct Lines {
    /// The lines that have not ended, one for each stream.
    open: [Vec<u8>; 2],
}

/// The longest line. A longer one is cut into several.
const MOST_OF_LINE: usize = 1 << 20;

impl Lines {
    /// Adds a frame, and returns the lines that it ends. With `timed` lines, each frame that starts a line has a time,
    /// and those that continue one have another, which is left out.
    pub(crate) fn add(&mut self, (output, bytes): (Output, Vec<u8>), timed: bool) -> Vec<Line> {
        let [out, err] = &mut self.open;
        let open = if output == Output::Out { out } else { err };
        let is_continued = timed && !open.is_empty();
        let skipped =
            if is_continued { bytes.iter().position(|byte| *byte == b' ').map_or(0, |at| at + 1) } else { 0 };
        open.extend_from_slice(bytes.get(skipped..).unwrap_or_default());
        let mut lines = Vec::new();
        while let Some(end) = open.iter().position(|byte| *byte == b'\n') {
            let rest = open.split_off(end + 1);
            let line = std::mem::replace(open, rest);
            lines.push(line_of(output, &line, timed));
        }
        if open.len() > MOST_OF_LINE {
            lines.push(line_of(output, &std::mem::take(open), timed));
        }
        lines
    }

    /// The lines that were never ended.
    pub(crate) fn end(self, timed: bool) -> Vec<Line> {
        let rest = self.open.into_iter().zip([Output::Out, Output::Err]);
        let rest = rest.filter(|(bytes, _)| !bytes.is_empty());
        rest.map(|(bytes, output)| line_of(output, &bytes, timed)).collect()
    }
}

fn line_of(output: Output, bytes: &[u8], timed: bool) -> Line {
    let text = String::from_utf8_lossy(bytes);
    let text = text.trim_end_matches(['\n', '\r']);
    let (time, text) = match text.split_once(' ') {
        Some((time, text)) if timed => (time, text),
        _ if timed => (text, ""),
        _ => ("", text),
    };
    Line { output, time: time.to_owned(), text: text.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frame(stream: u8, text: &str) -> Vec<u8> {
        let length = u32::try_from(text.len()).unwrap().to_be_bytes();
        [&[stream, 0, 0, 0][..], &length, text.as_bytes()].concat()
    }

    fn lines(frames: &[(u8, &str)], timed: bool) -> Vec<String> {
        let bytes: Vec<u8> = frames.iter().flat_map(|(stream, text)| frame(*stream, text)).collect();
        let mut lines = Lines::default();
        let mut all = Vec::new();
        for frame in Frames::new(&bytes[..]) {
            all.extend(lines.add(frame.unwrap(), timed));
        }
        all.extend(lines.end(timed));
        all.into_iter().map(|line| format!("{:?} {}|{}", line.output, line.time, line.text)).collect()
    }

    #[test]
    fn lines_are_put_together_from_frames() {
        assert_eq!(
            lines(&[(1, "a\nb"), (2, "x\n"), (1, "c\n"), (1, "end")], false),
            ["Out |a", "Err |x", "Out |bc", "Out |end"]
        );
        assert_eq!(
            lines(&[(1, "T1 long "), (1, "T2 line\n"), (2, "T3 \n")], true),
            ["Out T1|long line", "Err T3|"]
        );
    }

    #[test]
    fn broken_frames_are_errors() {
        for bytes in [&frame(1, "abc")[..9], b"plain text output", &frame(1, "abc")[..4]] {
            assert!(Frames::new(bytes).any(|frame| frame.is_err()), "{bytes:?}");
        }
    }
}
