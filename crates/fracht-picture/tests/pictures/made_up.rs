//! Made-up stacks for pictures: any networks, uses in circles, shared volumes, long names.

use std::fmt::Write as _;

use proptest::prelude::*;

/// A service or a task.
#[derive(Clone, Debug)]
pub(crate) struct Part {
    is_task: bool,
    name: String,
    image: String,
    networks: u8,
    ports: Vec<u8>,
    replicas: u8,
    uses: Vec<(usize, usize)>,
    waits: Vec<usize>,
    volumes: Vec<u8>,
    sidecars: u8,
    more: u8,
}

/// The names of networks.
const NETWORKS: [&str; 7] =
    ["quay", "deep", "hold", "mast", "keel", "a-network-with-quite-a-long-name", "bow"];

fn part() -> impl Strategy<Value = Part> {
    (
        (prop::bool::weighted(0.2), "[a-z]{1,3}", prop_oneof![3 => "[a-z]{2,8}", 1 => "[a-z/]{40,60}x"]),
        (any::<u8>(), prop::collection::vec(0_u8..7, 0..4), 0_u8..5),
        (
            prop::collection::vec((0_usize..60, 0_usize..3), 0..3),
            prop::collection::vec(0_usize..60, 0..2),
            prop::collection::vec(0_u8..5, 0..2),
        ),
        (0_u8..3, any::<u8>()),
    )
        .prop_map(
            |((is_task, name, image), (networks, ports, replicas), (uses, waits, volumes), rest)| Part {
                is_task,
                name,
                image: image.replace("//", "/").trim_matches('/').to_owned(),
                networks,
                ports: if is_task { Vec::new() } else { ports },
                replicas,
                uses,
                waits,
                volumes,
                sidecars: rest.0,
                more: rest.1,
            },
        )
}

/// A made-up stack: how many networks it has, and its parts.
pub(crate) fn stack() -> impl Strategy<Value = (usize, Vec<Part>)> {
    let parts = prop_oneof![
        4 => prop::collection::vec(part(), 3..14),
        1 => prop::collection::vec(part(), 14..=60),
    ];
    (0_usize..=NETWORKS.len(), parts)
}

fn name(parts: &[Part], index: usize) -> String {
    format!("{}-{index}", parts[index].name)
}

/// The tables of a stack file, which can stand in any order.
pub(crate) fn tables(count: usize, parts: &[Part]) -> Vec<String> {
    let mut tables = vec![
        "[stack]\nname = \"made-up\"\ntitle = \"Made-up & <odd> \\\"things\\\" of データ\"\n".to_owned(),
        "[target.prod]\ndomain = \"made-up.example\"\nnamespace = \"made-up\"\n".to_owned(),
        "[target.desk]\non = \"machine\"\n".to_owned(),
        "[config.plain]\nkey.A = \"1\"\n".to_owned(),
        "[secret.keys]\nkey.b = { env = \"MADE_UP\" }\n".to_owned(),
        "[outside.feed]\nhost = \"feed.example\"\nport.in = 443\nport.more = 444\n".to_owned(),
    ];
    for (index, name) in NETWORKS.iter().enumerate().take(count) {
        tables.push(format!("[network.{name}]\nclosed = {}\n", index % 2 == 1));
    }
    for volume in 0..5 {
        tables.push(format!("[volume.v{volume}]\nsize = \"{volume}1Gi\"\naccess = \"many-nodes\"\n"));
    }
    for (index, part) in parts.iter().enumerate() {
        let kind = if part.is_task { "task" } else { "service" };
        let mut table = format!(
            "[{kind}.{}]\nimage = \"registry.example/{}:1.{index}\"\n",
            name(parts, index),
            part.image
        );
        let own = NETWORKS.iter().take(count).enumerate();
        let own = own.filter(|(bit, _)| part.networks >> (bit % 4 * 2) & 3 == u8::from(*bit > 3) + 1);
        let own: Vec<String> = own.map(|(_, name)| format!("\"{name}\"")).collect();
        writeln!(table, "network = [{}]", own.join(", ")).unwrap();
        for (port, kind) in part.ports.iter().enumerate() {
            let reach = ["stack", "stack", "stack", "node", "balancer", "web", "stack"][usize::from(*kind)];
            let udp = if *kind == 6 { ", protocol = \"udp\"" } else { "" };
            let path = if *kind == 5 { format!(", path = \"/{index}/{port}\"") } else { String::new() };
            writeln!(table, "port.p{port} = {{ number = {}, reach = \"{reach}\"{udp}{path} }}", 8000 + port)
                .unwrap();
        }
        match part.replicas {
            _ if part.is_task => {}
            4 => table.push_str("replicas = { min = 2, max = 12, cpu = \"60%\" }\ncpu = \"1\"\n"),
            count => writeln!(table, "replicas = {}", count.max(1)).unwrap(),
        }
        if part.is_task && part.more & 1 == 1 {
            table.push_str("schedule = \"15 3 * * *\"\n");
        }
        for (number, (other, port)) in part.uses.iter().enumerate() {
            let other = other % parts.len();
            let ports = parts[other].ports.len();
            if ports > 0 && other != index {
                writeln!(table, "env.U{number} = \"{{service.{}/p{}}}\"", name(parts, other), port % ports)
                    .unwrap();
            }
        }
        let waits: std::collections::BTreeSet<usize> =
            part.waits.iter().map(|other| other % parts.len()).collect();
        for other in waits.into_iter().filter(|other| *other != index) {
            writeln!(table, "after.{} = \"started\"", name(parts, other)).unwrap();
        }
        for (at, volume) in part.volumes.iter().enumerate() {
            writeln!(table, "mount.\"/v{at}\" = \"volume.v{volume}\"").unwrap();
        }
        if part.more & 2 == 2 {
            table.push_str("use = [\"config.plain\"]\nenv.K = \"{secret.keys/b}\"\n");
        }
        if part.more >> 2 & 3 == 3 {
            table.push_str("env.FEED = \"{outside.feed/in}\"\n");
        }
        for sidecar in 0..part.sidecars {
            writeln!(table, "beside.s{sidecar}.image = \"registry.example/beside:{sidecar}\"").unwrap();
        }
        tables.push(table);
    }
    tables
}
