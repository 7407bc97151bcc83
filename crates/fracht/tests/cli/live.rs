//! `fracht ports --live`, with real sockets.

use std::net::{Ipv4Addr, TcpListener, UdpSocket};

use crate::sandbox::Sandbox;

/// A stack on a machine with one port for each number, in this protocol.
fn stack(ports: &[(u16, &str)]) -> String {
    let mut text = String::from("[stack]\nname = \"s\"\n[target.laptop]\non = \"machine\"\n[target.prod]\n");
    for (index, (number, protocol)) in ports.iter().enumerate() {
        text += &format!(
            "[service.s{index}]\nimage = \"a:1.0\"\n\
             port.web = {{ number = 80, reach = \"node\", protocol = \"{protocol}\" }}\n\
             target.laptop.service.s{index}.port.web.at = {number}\n"
        );
    }
    // The numbers of a cluster have another range.
    let (services, targets): (Vec<&str>, Vec<&str>) =
        text.lines().partition(|line| !line.starts_with("target."));
    let services = services.join("\n").replace("[target.prod]", "");
    let targets: Vec<String> = targets.iter().map(|line| line.replace("target.laptop.", "")).collect();
    services
        .replace("[target.laptop]\n", &format!("[target.prod]\n[target.laptop]\n{}\n", targets.join("\n")))
}

/// A number at which nothing listens now, on any address.
fn free() -> u16 {
    let socket = TcpListener::bind(("0.0.0.0", 0)).unwrap();
    socket.local_addr().unwrap().port()
}

#[test]
fn a_port_in_use_is_told_with_both_owners_and_a_free_number() {
    let socket = TcpListener::bind("0.0.0.0:0").unwrap();
    let number = socket.local_addr().unwrap().port();
    let sandbox = Sandbox::with(&stack(&[(number, "tcp")]));
    let run = sandbox.run(&["ports", "--live"]);
    let own = std::process::id();
    assert_eq!(run.code, 1, "{run:?}");
    assert!(run.err.contains(&format!("both use TCP port {number} on this machine")), "{}", run.err);
    assert!(run.err.contains(&format!("process {own} listens at 0.0.0.0:{number}")), "{}", run.err);
    assert!(run.err.contains(&format!("fracht.toml:{}", 5)), "{}", run.err);
    assert!(run.err.contains("`service.s0/web` and "), "{}", run.err);
    assert!(run.out.contains("web (in use)"), "{}", run.out);
    let answer = sandbox.json(&["ports", "--live", "-t", "laptop"]);
    let clash = &answer["live"]["clashes"][0];
    assert_eq!((&clash["number"], &clash["port"]), (&number.into(), &"service.s0/web".into()));
    let free = u16::try_from(clash["free"].as_u64().unwrap()).unwrap();
    assert!(TcpListener::bind((Ipv4Addr::LOCALHOST, free)).is_ok());
    let listeners = answer["live"]["listeners"].as_array().unwrap();
    let this = listeners.iter().find(|one| one["number"] == number && one["protocol"] == "tcp").unwrap();
    assert_eq!(this["process"], own);
    drop(socket);
    let run = sandbox.run(&["ports", "--live"]);
    assert_eq!(run.code, 0, "{run:?}");
    assert!(run.out.contains("none of the stack's numbers is in use"), "{}", run.out);
}

/// Which sockets keep a port from being opened, by address and protocol.
#[test]
fn sockets_of_all_kinds_are_seen() {
    let has_ipv6 = TcpListener::bind("[::1]:0").is_ok();
    if !has_ipv6 {
        println!("skipped: sockets of IPv6: this machine has none");
    }
    for (address, protocol, in_use) in [
        ("0.0.0.0", "tcp", true),
        ("127.0.0.1", "tcp", true),
        ("127.0.0.1", "udp", true),
        ("0.0.0.0", "udp", true),
        ("[::]", "tcp", true),
        ("[::1]", "tcp", true),
        ("[::]", "udp", true),
        // Another address of this machine, at which clients of `localhost` do not arrive.
        ("127.0.0.2", "tcp", false),
    ] {
        if address.starts_with('[') && !has_ipv6 {
            continue;
        }
        let (number, _tcp, _udp) = if protocol == "udp" {
            let socket = UdpSocket::bind(format!("{address}:0")).unwrap();
            (socket.local_addr().unwrap().port(), None, Some(socket))
        } else {
            let socket = TcpListener::bind(format!("{address}:0")).unwrap();
            (socket.local_addr().unwrap().port(), Some(socket), None)
        };
        let other = if protocol == "udp" { "tcp" } else { "udp" };
        let run = Sandbox::with(&stack(&[(number, protocol)])).run(&["ports", "--live"]);
        assert_eq!(run.code, i32::from(in_use), "{address} {protocol} {run:?}");
        // The same number of the other protocol is another port.
        let run = Sandbox::with(&stack(&[(number, other)])).run(&["ports", "--live"]);
        assert!(!run.err.contains(&format!("process {}", std::process::id())), "{address} {other} {run:?}");
    }
}

/// The choice is kept, holds for every command, and stays when the other program is gone.
#[test]
fn a_clash_is_settled_once() {
    let socket = TcpListener::bind("127.0.0.1:0").unwrap();
    let number = socket.local_addr().unwrap().port();
    let sandbox = Sandbox::with(&stack(&[(number, "tcp"), (free(), "udp")]));
    let run = sandbox.run(&["ports", "--live", "--assign"]);
    assert_eq!(run.code, 0, "{run:?}");
    let lock = sandbox.read("fracht.lock");
    let line = lock.lines().last().unwrap();
    assert!(
        line.starts_with("s0.web = { at = ") && line.ends_with(&format!(", instead-of = {number} }}")),
        "{lock}"
    );
    drop(socket);
    for arguments in [&["ports", "--live", "--assign"][..], &["ports", "--assign", "-t", "laptop"]] {
        let run = sandbox.run(arguments);
        assert_eq!((run.code, sandbox.read("fracht.lock")), (0, lock.clone()), "{run:?}");
        assert!(run.err.contains("nothing to change"), "{}", run.err);
    }
    let answer = sandbox.json(&["ports", "-t", "laptop"]);
    let kept = answer["ports"][0]["at"][0].as_u64().unwrap();
    assert!(line.contains(&format!("at = {kept},")) && kept != u64::from(number), "{lock}");
    let trace = sandbox.run(&["trace", "-t", "laptop", "service.s0.port.web.at"]).out;
    assert!(trace.contains(&format!("Kept in the lock: s0/web at {kept}  fracht.lock:5")), "{trace}");
    assert!(sandbox.run(&["reach", "-t", "laptop"]).out.contains(&format!("localhost:{kept}")));
    assert_eq!(sandbox.run(&["check"]).code, 0);
}

#[test]
fn a_cluster_is_not_this_machine() {
    let sandbox = Sandbox::with(&stack(&[(8080, "tcp")]));
    let run = sandbox.run(&["ports", "--live", "-t", "prod"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(
        run.err.contains("target `prod` is a cluster, and `--live` looks at this machine"),
        "{}",
        run.err
    );
}
