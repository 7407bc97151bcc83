//! The gRPC health checking protocol (`grpc.health.v1.Health/Check`) over HTTP/2 without TLS, by prior knowledge (RFC
//! 9113, section 3.3): one call of the server as a whole, which passes if it answers `SERVING`.
//!
//! The call has one request and one answer, so that of HTTP/2 only the frames are needed, and of HPACK (RFC 7541) only
//! literals.

use std::io::{self, Read, Write};
use std::net::SocketAddr;

use super::Answer;

const PREFACE: &[u8] = b"PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n";

/// The types of frames (RFC 9113, section 6).
const DATA: u8 = 0;
const HEADERS: u8 = 1;
const RST_STREAM: u8 = 3;
const SETTINGS: u8 = 4;
const PING: u8 = 6;
const GO_AWAY: u8 = 7;

const END_STREAM: u8 = 1;
const ACK: u8 = 1;
const END_HEADERS: u8 = 4;

/// The longest frame that a server may send unless it is told otherwise.
const MOST_OF_FRAME: usize = 16 << 10;

/// Calls the check on a connection.
pub(super) fn check(mut stream: impl Read + Write, place: SocketAddr) -> io::Result<Answer> {
    stream.write_all(&request(place))?;
    let mut answer = Vec::new();
    loop {
        let mut head = [0; 9];
        stream.read_exact(&mut head)?;
        let [a, b, c, kind, flags, ..] = head;
        let length = usize::from(a) << 16 | usize::from(b) << 8 | usize::from(c);
        if length > MOST_OF_FRAME {
            return Ok(Answer::Failed("its answer is not HTTP/2".to_owned()));
        }
        let mut payload = vec![0; length];
        stream.read_exact(&mut payload)?;
        match kind {
            DATA => answer.extend_from_slice(&payload),
            SETTINGS if flags & ACK == 0 => stream.write_all(&frame(SETTINGS, ACK, 0, &[]))?,
            PING if flags & ACK == 0 => stream.write_all(&frame(PING, ACK, 0, &payload))?,
            RST_STREAM | GO_AWAY => return Ok(Answer::Failed("it refused the call".to_owned())),
            _ => {}
        }
        if matches!(kind, DATA | HEADERS) && flags & END_STREAM != 0 {
            return Ok(meaning(&answer));
        }
        if let Some(message) = message(&answer) {
            return Ok(meaning_of_message(message));
        }
    }
}

fn request(place: SocketAddr) -> Vec<u8> {
    let mut block = Vec::new();
    for (name, value) in [
        (":method", "POST"),
        (":scheme", "http"),
        (":path", "/grpc.health.v1.Health/Check"),
        (":authority", &place.to_string()),
        ("content-type", "application/grpc"),
        ("te", "trailers"),
    ] {
        // A literal without indexing, with a new name (RFC 7541, section 6.2.2). All are shorter than 127 bytes.
        block.push(0);
        for text in [name, value] {
            block.push(u8::try_from(text.len()).unwrap_or(126));
            block.extend_from_slice(text.as_bytes());
        }
    }
    // An empty request: not compressed, and no bytes.
    let message = frame(DATA, END_STREAM, 1, &[0; 5]);
    [PREFACE, &frame(SETTINGS, 0, 0, &[]), &frame(HEADERS, END_HEADERS, 1, &block), &message].concat()
}

fn frame(kind: u8, flags: u8, stream: u32, payload: &[u8]) -> Vec<u8> {
    let length = u32::try_from(payload.len()).unwrap_or_default().to_be_bytes();
    let head = [&length[1..], &[kind, flags], &stream.to_be_bytes()].concat();
    [&*head, payload].concat()
}

/// The first message in the data of an answer, once it is whole.
fn message(data: &[u8]) -> Option<&[u8]> {
    let [_, a, b, c, d, rest @ ..] = data else { return None };
    let length = u32::from_be_bytes([*a, *b, *c, *d]);
    rest.get(..usize::try_from(length).ok()?)
}

fn meaning(data: &[u8]) -> Answer {
    match message(data) {
        Some(message) => meaning_of_message(message),
        None => Answer::Failed("it does not answer the gRPC health check".to_owned()),
    }
}

/// `HealthCheckResponse`: field 1 is the status.
fn meaning_of_message(message: &[u8]) -> Answer {
    match message {
        [8, 1] => Answer::Passed,
        [8, 2] => Answer::Failed("it answered NOT_SERVING".to_owned()),
        _ => Answer::Failed("it answered that its status is not known".to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A server that has written its answer already.
    struct Served<'a>(&'a [u8], Vec<u8>);

    impl Read for Served<'_> {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            self.0.read(buffer)
        }
    }

    impl Write for Served<'_> {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            self.1.write(bytes)
        }

        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    fn asked(frames: &[Vec<u8>]) -> io::Result<Answer> {
        let bytes = frames.concat();
        let mut served = Served(&bytes, Vec::new());
        let answer = check(&mut served, ([127, 0, 0, 1], 50051).into());
        assert!(served.1.starts_with(PREFACE) && served.1.windows(12).any(|part| part == b"Health/Check"));
        answer
    }

    #[test]
    fn only_serving_passes() {
        let settings = frame(SETTINGS, 0, 0, &[0, 3, 0, 0, 0, 100]);
        let headers = frame(HEADERS, END_HEADERS, 1, &[0x88]);
        let data = |status: u8| frame(DATA, 0, 1, &[0, 0, 0, 0, 2, 8, status]);
        let trailers = frame(HEADERS, END_HEADERS | END_STREAM, 1, &[0x88]);
        let serving = [settings.clone(), headers.clone(), data(1), trailers.clone()];
        assert_eq!(asked(&serving).unwrap(), Answer::Passed);
        assert!(matches!(
            asked(&[settings.clone(), headers, data(2), trailers.clone()]),
            Ok(Answer::Failed(_))
        ));
        assert!(matches!(asked(&[settings.clone(), trailers]), Ok(Answer::Failed(_))));
        assert!(matches!(asked(&[frame(GO_AWAY, 0, 0, &[0; 8])]), Ok(Answer::Failed(_))));
        assert!(matches!(
            asked(&[b"HTTP/1.1 400 Bad Request\r\n\r\n".to_vec()]),
            Ok(Answer::Failed(_)) | Err(_)
        ));
        assert!(asked(&[settings]).is_err());
    }
}
