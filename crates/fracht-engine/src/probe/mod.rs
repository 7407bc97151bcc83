//! Health checks on a machine.
//!
//! As in a cluster, a check of HTTP, TCP or gRPC is asked from outside, at the address of the container: its image needs
//! no tool. Where that address cannot be reached, since the engine runs in a machine of its own or without rights to the
//! network, a tool of the image is used. A check that is a program runs in the container.

mod grpc;
mod inside;

use std::io::{self, BufReader, Write as _};
use std::net::{IpAddr, SocketAddr, TcpStream};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use crate::api::{Engine, EngineError};
use crate::desired::{Asked, HealthAsked};
use crate::transport::read_head;

/// The answer to a health check.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Answer {
    /// It passed.
    Passed,
    /// It failed, for this reason.
    Failed(String),
    /// It could not be asked, for this reason.
    Unasked(String),
}

/// Asks health checks.
#[derive(Debug)]
pub struct Prober {
    /// Whether addresses of containers can be reached, as far as is known.
    is_reaching: AtomicBool,
}

impl Default for Prober {
    fn default() -> Self {
        Self { is_reaching: AtomicBool::new(true) }
    }
}

impl Prober {
    /// Asks a check of a container at its address.
    ///
    /// # Errors
    /// [`EngineError`] if the engine is gone.
    pub fn ask(
        &self,
        engine: &Engine,
        (container, address): (&str, Option<IpAddr>),
        health: &HealthAsked,
    ) -> Result<Answer, EngineError> {
        if let Asked::Run { command } = &health.probe {
            return inside::run(engine, container, command.clone(), health.timeout);
        }
        if let Some(address) = address.filter(|_| self.is_reaching.load(Ordering::Relaxed)) {
            match outside(address, health) {
                Ok(answer) => return Ok(answer),
                Err(Unreached::Refused) => {
                    return Ok(Answer::Failed(format!("nothing listens at port {}", port(&health.probe))));
                }
                Err(Unreached::Silent) => {}
            }
        }
        let answer = inside::ask(engine, container, health)?;
        if matches!(answer, Answer::Passed) {
            // The address does not lead there, so that it is not tried again.
            self.is_reaching.store(false, Ordering::Relaxed);
        }
        Ok(answer)
    }
}

/// Why an address gave no answer.
enum Unreached {
    /// Nothing listens there.
    Refused,
    /// Nothing came back.
    Silent,
}

fn port(asked: &Asked) -> u16 {
    match asked {
        Asked::Http { port, .. } | Asked::Tcp { port } | Asked::Grpc { port } => *port,
        Asked::Run { .. } => 0,
    }
}

fn outside(address: IpAddr, health: &HealthAsked) -> Result<Answer, Unreached> {
    let place = SocketAddr::new(address, port(&health.probe));
    let stream = TcpStream::connect_timeout(&place, health.timeout).map_err(|error| match error.kind() {
        io::ErrorKind::ConnectionRefused | io::ErrorKind::ConnectionReset => Unreached::Refused,
        _ => Unreached::Silent,
    })?;
    let limited = stream
        .set_read_timeout(Some(health.timeout))
        .and_then(|()| stream.set_write_timeout(Some(health.timeout)));
    let asked = limited.and_then(|()| match &health.probe {
        Asked::Http { path, .. } => http(stream, place, path),
        Asked::Grpc { .. } => grpc::check(stream, place),
        Asked::Tcp { .. } | Asked::Run { .. } => Ok(Answer::Passed),
    });
    Ok(asked.unwrap_or_else(|error| Answer::Failed(no_answer(&health.probe, &error, health.timeout))))
}

fn no_answer(asked: &Asked, error: &io::Error, timeout: Duration) -> String {
    let what = asked.words();
    match error.kind() {
        io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut => {
            format!("{what} had no answer in {}", in_words(timeout))
        }
        io::ErrorKind::UnexpectedEof | io::ErrorKind::ConnectionReset | io::ErrorKind::BrokenPipe => {
            format!("{what}: the connection was closed")
        }
        _ => format!("{what}: {error}"),
    }
}

/// A time in words: `3.2 s`, `2 min 5 s`.
pub fn in_words(time: Duration) -> String {
    let tenths = (time.as_millis() + 50) / 100;
    match tenths {
        ..600 => format!("{}.{} s", tenths / 10, tenths % 10),
        _ => format!("{} min {} s", tenths / 600, tenths % 600 / 10),
    }
}

/// An HTTP GET request, which passes with a status from 200 to 399.
fn http(mut stream: TcpStream, place: SocketAddr, path: &str) -> io::Result<Answer> {
    let request = format!(
        "GET {path} HTTP/1.1\r\nHost: {place}\r\nUser-Agent: fracht\r\nAccept: */*\r\nConnection: close\r\n\r\n"
    );
    stream.write_all(request.as_bytes())?;
    let head = read_head(&mut BufReader::new(stream), true)?.ok_or(io::ErrorKind::UnexpectedEof)?;
    Ok(match head.status {
        200..=399 => Answer::Passed,
        status => Answer::Failed(format!("GET {path} answered {status}")),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_in_words() {
        for (milliseconds, words) in
            [(0, "0.0 s"), (3249, "3.2 s"), (59_949, "59.9 s"), (125_000, "2 min 5 s")]
        {
            assert_eq!(in_words(Duration::from_millis(milliseconds)), words);
        }
    }
}
