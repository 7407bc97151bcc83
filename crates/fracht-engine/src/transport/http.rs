//! Messages of HTTP/1.1 (RFC 9112) as they are on a connection: heads, and bodies of the three kinds.

use std::io::{self, BufRead, Read};

/// The most bytes of a head.
const MOST_OF_HEAD: usize = 64 << 10;

/// The most lines of a head.
const MOST_HEADERS: usize = 64;

/// The head of a request or an answer.
#[derive(Debug, Default)]
pub(crate) struct Head {
    /// The status of an answer.
    pub(crate) status: u16,
    /// The method of a request.
    pub(crate) method: String,
    /// The path of a request.
    pub(crate) path: String,
    /// How the body ends.
    pub(crate) ends: Ends,
}

/// How a body ends.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Ends {
    /// With the connection.
    #[default]
    Closed,
    /// After so many bytes.
    After(u64),
    /// With an empty chunk.
    Chunked,
}

fn broken(what: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, format!("not HTTP/1.1: {what}"))
}

/// Reads a head; `None` if the connection has ended before it.
pub(crate) fn read_head(from: &mut impl BufRead, is_answer: bool) -> io::Result<Option<Head>> {
    let mut bytes = Vec::new();
    while !bytes.ends_with(b"\r\n\r\n") && !bytes.ends_with(b"\n\n") {
        let before = bytes.len();
        from.take((MOST_OF_HEAD - before) as u64).read_until(b'\n', &mut bytes)?;
        match bytes.len() {
            0 => return Ok(None),
            len if len == before => return Err(io::ErrorKind::UnexpectedEof.into()),
            MOST_OF_HEAD => return Err(broken("the head is too long")),
            _ => {}
        }
    }
    let mut headers = [httparse::EMPTY_HEADER; MOST_HEADERS];
    let mut head = Head::default();
    let malformed = |error: httparse::Error| broken(&error.to_string());
    let headers: &[httparse::Header<'_>] = if is_answer {
        let mut answer = httparse::Response::new(&mut headers);
        answer.parse(&bytes).map_err(malformed)?;
        head.status = answer.code.unwrap_or_default();
        answer.headers
    } else {
        let mut request = httparse::Request::new(&mut headers);
        request.parse(&bytes).map_err(malformed)?;
        request.method.unwrap_or_default().clone_into(&mut head.method);
        request.path.unwrap_or_default().clone_into(&mut head.path);
        // A request without a length has no body.
        head.ends = Ends::After(0);
        request.headers
    };
    for header in headers {
        let value = || std::str::from_utf8(header.value).unwrap_or_default().trim();
        if header.name.eq_ignore_ascii_case("transfer-encoding") && value().eq_ignore_ascii_case("chunked") {
            head.ends = Ends::Chunked;
        } else if header.name.eq_ignore_ascii_case("content-length") && head.ends != Ends::Chunked {
            let length = value().parse().map_err(|_| broken("a length is not a number"))?;
            head.ends = Ends::After(length);
        }
    }
    if matches!(head.status, 100..=199 | 204 | 304) {
        head.ends = Ends::After(0);
    }
    Ok(Some(head))
}

/// A body as it is received.
pub(crate) struct Received<R> {
    from: R,
    ends: Ends,
    /// What is left of the chunk.
    left: u64,
    done: bool,
}

/// The body that follows a head.
pub(crate) fn received<R: BufRead>(from: R, ends: Ends) -> Received<R> {
    let left = if let Ends::After(length) = ends { length } else { 0 };
    Received { from, ends, left, done: ends == Ends::After(0) }
}

impl<R: BufRead> Received<R> {
    /// Reads the line before a chunk.
    fn next_chunk(&mut self) -> io::Result<()> {
        let mut line = String::new();
        (&mut self.from).take(256).read_line(&mut line)?;
        if line.trim().is_empty() && line.ends_with('\n') {
            // The end of the chunk before.
            line.clear();
            (&mut self.from).take(256).read_line(&mut line)?;
        }
        let size = line.split(';').next().unwrap_or_default().trim();
        if size.is_empty() {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        self.left = u64::from_str_radix(size, 16).map_err(|_| broken("a chunk has no size"))?;
        self.done = self.left == 0;
        Ok(())
    }
}

impl<R: BufRead> Read for Received<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.done || buffer.is_empty() {
            return Ok(0);
        }
        if self.ends == Ends::Closed {
            return self.from.read(buffer);
        }
        if self.left == 0 {
            self.next_chunk()?;
            if self.done {
                return Ok(0);
            }
        }
        let most = usize::try_from(self.left).unwrap_or(usize::MAX).min(buffer.len());
        let read = self.from.read(buffer.get_mut(..most).unwrap_or_default())?;
        if read == 0 {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        self.left -= read as u64;
        self.done = self.left == 0 && self.ends != Ends::Chunked;
        Ok(read)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn body(answer: &str) -> io::Result<String> {
        let mut from = answer.as_bytes();
        let head = read_head(&mut from, true)?.ok_or(io::ErrorKind::UnexpectedEof)?;
        let mut text = String::new();
        received(from, head.ends).read_to_string(&mut text)?;
        Ok(format!("{} {text}", head.status))
    }

    #[test]
    fn bodies_of_all_kinds_are_read_to_their_end() {
        for (answer, text) in [
            ("HTTP/1.1 200 OK\r\nContent-Length: 3\r\n\r\nabcd", "200 abc"),
            ("HTTP/1.1 200 OK\r\n\r\nabcd", "200 abcd"),
            (
                "HTTP/1.1 200 OK\r\ntransfer-encoding: Chunked\r\n\r\n2\r\nab\r\n1;x=y\r\nc\r\n0\r\n\r\n",
                "200 abc",
            ),
            ("HTTP/1.1 204 No Content\r\n\r\nleft", "204 "),
        ] {
            assert_eq!(body(answer).unwrap(), text, "{answer}");
        }
    }

    #[test]
    fn an_answer_that_ends_too_early_is_an_error() {
        for answer in [
            "HTTP/1.1 200 OK\r\nContent-Length: 3\r\n\r\nab",
            "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nab",
            "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n2\r\nab\r\n",
            "HTTP/1.1 200 OK\r\nContent-",
            "",
            "engine says hello\r\n\r\n",
            "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\nxy\r\n",
        ] {
            assert!(body(answer).is_err(), "{answer}");
        }
    }
}
