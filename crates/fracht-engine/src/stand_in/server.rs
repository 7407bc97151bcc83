//! The stand-in at a Unix socket, for programs that speak to an engine.

use std::io::{self, BufReader, Read as _, Write as _};
use std::os::unix::net::{UnixListener, UnixStream};
use std::path::{Path, PathBuf};
use std::thread;

use super::StandIn;
use super::answers::Answering;
use crate::transport::{read_head, received};

/// A server, which ends when it is dropped.
pub struct Server {
    path: PathBuf,
}

impl Server {
    /// Serves the stand-in at the socket `path`, which must not exist yet.
    ///
    /// # Errors
    /// The error of the operating system.
    pub fn start(engine: &StandIn, path: &Path) -> io::Result<Self> {
        let listener = UnixListener::bind(path)?;
        let engine = engine.clone();
        thread::spawn(move || {
            for stream in listener.incoming().map_while(Result::ok) {
                let engine = engine.clone();
                // A client that is gone is no matter of others.
                thread::spawn(move || _ = serve(&engine, stream));
            }
        });
        Ok(Self { path: path.to_owned() })
    }

    /// The path of the socket.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

fn serve(engine: &StandIn, stream: UnixStream) -> io::Result<()> {
    let mut to = stream.try_clone()?;
    let mut from = BufReader::new(stream);
    let Some(head) = read_head(&mut from, false)? else { return Ok(()) };
    let mut body = Vec::new();
    received(&mut from, head.ends).read_to_end(&mut body)?;
    let Answering { status, body } = engine.answer(&head.method, &head.path, &body)?;
    let length = body.len();
    to.write_all(
        format!("HTTP/1.1 {status} Answer\r\nContent-Length: {length}\r\nConnection: close\r\n\r\n")
            .as_bytes(),
    )?;
    to.write_all(&body)
}
