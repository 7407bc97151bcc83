//! The engine's socket, with a server that answers in every way.

use std::io::{Read as _, Write as _};
use std::os::unix::net::UnixListener;
use std::thread;
use std::time::Duration;

use fracht_engine::api::{Engine, EngineError, LogOptions, NetworkSpec};
use fracht_engine::transport::{Body, Request, Socket, Transport as _};
use tempfile::TempDir;

/// Serves one answer for each connection; the folder holds the socket.
fn served(answer: &'static [u8]) -> (TempDir, Socket) {
    let dir = TempDir::new().unwrap();
    let path = dir.path().join("engine.sock");
    let listener = UnixListener::bind(&path).unwrap();
    thread::spawn(move || {
        for mut stream in listener.incoming().map_while(Result::ok) {
            let mut request = [0; 4096];
            let _ = stream.read(&mut request);
            let _ = stream.write_all(answer);
        }
    });
    (dir, Socket::at(path))
}

#[test]
fn answers_of_all_kinds_are_understood() {
    let table: [(&[u8], &str); 7] = [
        (b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\n[]", "0 networks"),
        (b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n1\r\n[\r\n1\r\n]\r\n0\r\n\r\n", "0 networks"),
        (
            b"HTTP/1.1 500 Error\r\n\r\n{\"cause\":\"x\",\"message\":\"it broke\",\"response\":500}",
            "the engine did not list networks: it broke",
        ),
        (b"HTTP/1.1 502 Bad Gateway\r\n\r\nsorry", "the engine did not list networks: sorry"),
        (b"HTTP/1.1 503 X\r\nContent-Length: 0\r\n\r\n", "the engine did not list networks: status 503"),
        (
            b"HTTP/1.1 200 OK\r\nContent-Length: 20\r\n\r\n[",
            "the engine did not list networks: it ended the connection",
        ),
        (b"", "the engine did not list networks: it ended the connection"),
    ];
    for (answer, words) in table {
        let (_dir, socket) = served(answer);
        let said = match Engine::new(Box::new(socket)).networks(&[]) {
            Ok(networks) => format!("{} networks", networks.len()),
            Err(error) => error.to_string(),
        };
        assert_eq!(said, words, "{}", String::from_utf8_lossy(answer));
    }
    let (_dir, socket) = served(b"HTTP/1.1 200 OK\r\nContent-Length: 4\r\n\r\n{\"a\"");
    let odd = Engine::new(Box::new(socket)).networks(&[]).unwrap_err();
    assert!(matches!(odd, EngineError::Odd { .. }), "{odd}");
}

#[test]
fn an_engine_that_is_not_there_is_told_with_its_place() {
    let engine = Engine::new(Box::new(Socket::at("/nowhere/engine.sock")));
    let lost = engine.ping().unwrap_err();
    assert_eq!(lost.to_string(), "cannot reach a container engine at `/nowhere/engine.sock`: no such socket");
    let dir = TempDir::new().unwrap();
    let path = dir.path().join("left.sock");
    drop(UnixListener::bind(&path).unwrap());
    let lost = Engine::new(Box::new(Socket::at(&path))).ping().unwrap_err();
    assert!(lost.to_string().ends_with("nothing answers there"), "{lost}");
}

#[test]
fn a_silent_engine_does_not_keep_us() {
    let dir = TempDir::new().unwrap();
    let path = dir.path().join("engine.sock");
    let listener = UnixListener::bind(&path).unwrap();
    let kept = thread::spawn(move || {
        listener.incoming().next().map(|stream| (stream, thread::sleep(Duration::from_secs(2))))
    });
    let limit = Some(Duration::from_millis(100));
    let request = Request { method: "GET", path: "/_ping".into(), body: Body::Nothing, login: None, limit };
    assert!(Socket::at(path).send(request).is_err());
    drop(kept);
}

#[test]
fn a_refusal_before_the_end_of_an_upload_is_told() {
    let (_dir, socket) = served(b"HTTP/1.1 400 Bad\r\nContent-Length: 11\r\n\r\nnot a tar..");
    let mut large = std::io::repeat(7).take(64 << 20);
    let refused = Engine::new(Box::new(socket)).put("x", &mut large).unwrap_err();
    assert_eq!(refused.to_string(), "the engine did not put files into container x: not a tar..");
}

#[test]
fn refusals_can_be_told_apart() {
    let refusal = |answer: &'static [u8]| {
        let (_dir, socket) = served(answer);
        let error = Engine::new(Box::new(socket)).create_network(&NetworkSpec::default()).unwrap_err();
        (error.is_missing(), error.is_port_taken(), error.is_lost())
    };
    assert_eq!(refusal(b"HTTP/1.1 404 X\r\n\r\n{\"message\":\"no such\"}"), (true, false, false));
    assert_eq!(
        refusal(
            b"HTTP/1.1 500 X\r\n\r\n{\"message\":\"listen tcp4 127.0.0.1:80: bind: address already in use\"}"
        ),
        (false, true, false)
    );
    assert_eq!(refusal(b""), (false, false, true));
    let (_dir, socket) = served(b"HTTP/1.1 404 X\r\n\r\n{\"message\":\"no such container\"}");
    let engine = Engine::new(Box::new(socket));
    assert_eq!(engine.inspect("x"), Ok(None));
    assert_eq!(engine.remove("x"), Ok(()));
    assert!(engine.logs("x", LogOptions::default()).is_err());
}
