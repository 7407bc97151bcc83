//! The engine's own socket: HTTP/1.1 over a Unix socket, a connection for each request.

use std::io::{self, BufReader, Read, Write};
use std::net::Shutdown;
use std::os::unix::net::UnixStream;
use std::path::PathBuf;
use std::time::Duration;

use super::http::{Head, read_head, received};
use super::{Answer, Attached, Body, Request, Transport};

/// The longest time until the engine takes what is sent.
const WRITE_LIMIT: Duration = Duration::from_secs(60);

/// An engine at a socket.
#[derive(Clone, Debug)]
pub struct Socket {
    path: PathBuf,
}

impl Socket {
    /// The engine at the socket `path`. It is not asked yet.
    pub fn at(path: impl Into<PathBuf>) -> Self {
        Self { path: path.into() }
    }

    /// Sends a request and reads the head of its answer.
    fn exchange(&self, request: Request<'_>, is_kept: bool) -> io::Result<(Head, BufReader<UnixStream>)> {
        let mut stream = UnixStream::connect(&self.path)?;
        stream.set_write_timeout(Some(WRITE_LIMIT))?;
        stream.set_read_timeout(request.limit)?;
        let Request { method, path, body, login, .. } = request;
        let connection = if is_kept { "Upgrade\r\nUpgrade: tcp" } else { "close" };
        let mut head = format!("{method} {path} HTTP/1.1\r\nHost: engine\r\nConnection: {connection}\r\n");
        if let Some(login) = login {
            head.push_str(&format!("X-Registry-Auth: {login}\r\n"));
        }
        let sent = match body {
            Body::Nothing => {
                head.push_str("Content-Length: 0\r\n\r\n");
                stream.write_all(head.as_bytes())
            }
            Body::Json(bytes) => {
                head.push_str("Content-Type: application/json\r\n");
                head.push_str(&format!("Content-Length: {}\r\n\r\n", bytes.len()));
                stream.write_all(head.as_bytes()).and_then(|()| stream.write_all(&bytes))
            }
            Body::Archive(from) => {
                head.push_str("Content-Type: application/x-tar\r\nTransfer-Encoding: chunked\r\n\r\n");
                stream.write_all(head.as_bytes())?;
                send_chunks(from, &mut stream)?
            }
        };
        let mut reader = BufReader::new(stream);
        // An engine that refuses a body answers before it has read all.
        match (read_head(&mut reader, true), sent) {
            (Ok(Some(head)), _) => Ok((head, reader)),
            (_, Err(error)) | (Err(error), _) => Err(error),
            (Ok(None), Ok(())) => Err(io::ErrorKind::UnexpectedEof.into()),
        }
    }
}

/// Sends a body in chunks. Errors of what is read come first, those of the connection as the inner result.
fn send_chunks(from: &mut dyn Read, to: &mut UnixStream) -> io::Result<io::Result<()>> {
    let mut buffer = vec![0; 64 << 10];
    loop {
        let read = from.read(&mut buffer)?;
        let chunk = buffer.get(..read).unwrap_or_default();
        let mut send = || {
            to.write_all(format!("{read:x}\r\n").as_bytes())?;
            to.write_all(chunk)?;
            to.write_all(b"\r\n")
        };
        match send() {
            Ok(()) if read > 0 => {}
            sent => return Ok(sent),
        }
    }
}

impl Transport for Socket {
    fn send(&self, request: Request<'_>) -> io::Result<Answer> {
        let is_head = request.method == "HEAD";
        let (head, reader) = self.exchange(request, false)?;
        let body: Box<dyn Read + Send> =
            if is_head { Box::new(io::empty()) } else { Box::new(received(reader, head.ends)) };
        Ok(Answer { status: head.status, body })
    }

    fn attach(&self, request: Request<'_>) -> io::Result<Attached> {
        let (head, reader) = self.exchange(request, true)?;
        let to = Writer(reader.get_ref().try_clone()?);
        let from: Box<dyn Read + Send> = match head.status {
            // From now on the connection is that of the program.
            101 | 200 => Box::new(reader),
            _ => Box::new(received(reader, head.ends)),
        };
        Ok(Attached { status: head.status, from, to: Box::new(to) })
    }

    fn place(&self) -> String {
        self.path.display().to_string()
    }
}

/// One direction of a connection, which ends when it is dropped.
struct Writer(UnixStream);

impl Write for Writer {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

impl Drop for Writer {
    fn drop(&mut self) {
        // The other side may be gone already.
        let _ = self.0.shutdown(Shutdown::Write);
    }
}
