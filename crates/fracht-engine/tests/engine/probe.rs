//! Health checks: asked from outside at a server of this machine, or inside the container, which the stand-in answers.

use std::io::{Read as _, Write as _};
use std::net::{IpAddr, Ipv4Addr, TcpListener};
use std::thread;
use std::time::Duration;

use fracht_engine::api::Engine;
use fracht_engine::desired::{Asked, HealthAsked};
use fracht_engine::probe::{Answer, Prober};
use fracht_engine::stand_in::StandIn;

use super::{desired, start};

fn health(probe: Asked) -> HealthAsked {
    let timeout = Duration::from_millis(300);
    HealthAsked { probe, every: timeout, timeout, boot: timeout }
}

/// A server that answers each connection in one way: its port.
fn server(answer: &'static [u8], hangs: bool) -> u16 {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    thread::spawn(move || {
        for mut stream in listener.incoming().map_while(Result::ok) {
            let mut request = [0; 1024];
            let _ = stream.read(&mut request);
            let _ = stream.write_all(answer);
            if hangs {
                thread::sleep(Duration::from_secs(3));
            }
        }
    });
    port
}

/// The answer to a check at this machine.
fn asked(probe: Asked) -> Answer {
    let engine = Engine::new(Box::new(StandIn::default()));
    let here = Some(IpAddr::V4(Ipv4Addr::LOCALHOST));
    Prober::default().ask(&engine, ("any", here), &health(probe)).unwrap()
}

#[test]
fn http_passes_from_200_to_399() {
    let http = |port| Asked::Http { path: "/healthz".into(), port };
    for (answer, passes) in [
        (&b"HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n"[..], true),
        (b"HTTP/1.0 204 No Content\r\n\r\n", true),
        (b"HTTP/1.1 302 Found\r\nLocation: /login\r\n\r\n", true),
        (b"HTTP/1.1 399 Odd\r\n\r\n", true),
        (b"HTTP/1.1 404 Not Found\r\n\r\n", false),
        (b"HTTP/1.1 503 Service Unavailable\r\n\r\n", false),
        (b"SSH-2.0-tide\r\n", false),
        (b"", false),
    ] {
        let said = asked(http(server(answer, false)));
        assert_eq!(said == Answer::Passed, passes, "{}: {said:?}", String::from_utf8_lossy(answer));
    }
    assert_eq!(
        asked(http(server(b"HTTP/1.1 503 Service Unavailable\r\n\r\n", false))),
        Answer::Failed("GET /healthz answered 503".into())
    );
    let port = server(b"", true);
    assert_eq!(
        asked(http(port)),
        Answer::Failed(format!("GET /healthz at port {port} had no answer in 0.3 s"))
    );
}

#[test]
fn tcp_passes_if_it_is_accepted() {
    assert_eq!(asked(Asked::Tcp { port: server(b"", false) }), Answer::Passed);
    // A port that was free a moment ago.
    let free = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    assert_eq!(asked(Asked::Tcp { port: free }), Answer::Failed(format!("nothing listens at port {free}")));
}

#[test]
fn grpc_is_not_http() {
    let said = asked(Asked::Grpc { port: server(b"HTTP/1.1 400 Bad Request\r\n\r\n", false) });
    assert!(matches!(said, Answer::Failed(_)), "{said:?}");
    // Settings, headers and data of an answer of a server that serves (RFC 9113).
    let serving =
        b"\0\0\0\x04\0\0\0\0\0\0\0\x01\x01\x04\0\0\0\x01\x88\0\0\x07\0\0\0\0\0\x01\0\0\0\0\x02\x08\x01";
    assert_eq!(asked(Asked::Grpc { port: server(serving, true) }), Answer::Passed);
}

#[test]
fn without_an_address_a_tool_of_the_image_asks() {
    let stack = "[service.a]\nimage = \"a:1.0\"\nport.x = 80\nhealth = { tcp = \"x\", boot = \"2s\" }\n";
    let engine = StandIn::default();
    start(&engine, &desired(stack, "").unwrap()).unwrap();
    let api = Engine::new(Box::new(engine.clone()));
    let ask = |probe| Prober::default().ask(&api, ("s.m.a.0", None), &health(probe)).unwrap();
    assert_eq!(ask(Asked::Tcp { port: 80 }), Answer::Passed);
    assert_eq!(ask(Asked::Http { path: "/it's".into(), port: 80 }), Answer::Passed);
    let run = |code: &str| ask(Asked::Run { command: vec!["exit".into(), code.into()] });
    assert_eq!(run("0"), Answer::Passed);
    assert_eq!(run("3"), Answer::Failed("`exit 3` ended with exit code 3: exit 3".into()));
    assert!(matches!(ask(Asked::Grpc { port: 80 }), Answer::Unasked(_)));
    engine.scene(|scene| scene.sick = ["s.m.a.0".to_owned()].into());
    assert_eq!(ask(Asked::Tcp { port: 80 }), Answer::Failed("a connection to port 80 failed".into()));
    engine.set_status("s.m.a.0", "exited");
    assert!(matches!(run("0"), Answer::Failed(_)));
}
