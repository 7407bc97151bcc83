//! Random valid stacks: names resolve, waits have no cycles, and a service shares a network with those it uses.

mod settings;

use std::fmt::Write as _;

use proptest::prelude::*;

use self::settings::{more, others};

/// A random service or task.
#[derive(Clone, Debug)]
pub struct Part {
    is_task: bool,
    ports: Vec<Opened>,
    replicas: u8,
    /// The earlier parts that it waits for, by a number that is taken modulo the number of parts.
    waits: Vec<usize>,
    /// The earlier parts whose address it uses.
    uses: Vec<usize>,
    volume: bool,
    config: Option<bool>,
    secret: u8,
    user: bool,
    /// The text of one of its variables.
    pub text: String,
    /// Its networks, one bit each.
    networks: u8,
    /// What else it has, one bit each.
    pub more: u32,
    /// What it has of others: waits for a version, a shared address, addresses of replicas, one bit each.
    shared: u8,
}

/// The networks of a random stack, and whether they are closed.
const NETWORKS: [(&str, bool); 3] = [("quay", false), ("deep", true), ("hold", true)];

/// A random port.
#[derive(Clone, Copy, Debug)]
pub struct Opened {
    reach: u8,
    udp: bool,
    renamed: bool,
}

/// The name of a part, by its number.
pub fn name(index: usize) -> String {
    format!("part-{index}")
}

/// Any text that a setting can have, including text that is difficult in YAML and in expansions.
pub fn any_text() -> impl Strategy<Value = String> {
    prop_oneof![
        "[ -~]{0,24}",
        "\\PC{0,12}",
        "[ \\t\\n\\r#:\\-?!&*|>%@`'\"\\[\\],]{0,8}",
        prop::sample::select(vec![
            "on",
            "off",
            "yes",
            "No",
            "y",
            "N",
            "~",
            "null",
            "Null",
            "",
            "=",
            "<<",
            "0o17",
            "017",
            "0x1F",
            "0b10",
            "1_000",
            "1e3",
            "1.",
            ".5",
            "+.inf",
            "-.INF",
            ".nan",
            "12:30:45",
            "190:20:30.15",
            "2001-12-14",
            "2001-12-14t21:59:43.10-05:00",
            "true",
            "TRUE",
            "False",
            "- a",
            "a: b",
            "a #b",
            "$(X)",
            "$$(X)",
            "$",
            "cost$",
            "\u{85}",
            "\u{2028}",
            "\u{feff}x",
            "a\n\nb\n",
            " lead",
            "trail ",
            "\ttab",
            "---",
            "...",
            "%TAG",
            "!!str x",
            "&a",
            "*a",
            "|",
            ">",
            "'",
            "\"",
            "\\",
            "{}",
            "[]",
            "a\rb",
        ])
        .prop_map(str::to_owned),
    ]
}

fn opened() -> impl Strategy<Value = Opened> {
    (0_u8..6, prop::bool::weighted(0.2), prop::bool::weighted(0.3)).prop_map(|(reach, udp, renamed)| Opened {
        reach,
        udp,
        renamed,
    })
}

fn part() -> impl Strategy<Value = Part> {
    let links = || prop::collection::vec(0_usize..64, 0..3);
    (
        (prop::bool::weighted(0.25), prop::collection::vec(opened(), 0..4), 0_u8..4),
        (links(), links()),
        (prop::bool::weighted(0.3), prop::option::of(any::<bool>()), 0_u8..4, any::<bool>(), any_text()),
        (prop_oneof![Just(0_u8), 1_u8..8], any::<u32>(), any::<u8>()),
    )
        .prop_map(
            |(
                (is_task, ports, replicas),
                (waits, uses),
                (volume, config, secret, user, text),
                (networks, more, shared),
            )| {
                Part {
                    networks,
                    more,
                    shared,
                    ports: if is_task { Vec::new() } else { ports },
                    is_task,
                    replicas,
                    waits,
                    uses,
                    volume,
                    config,
                    secret,
                    user,
                    text,
                }
            },
        )
}

/// Some parts.
pub fn parts() -> impl Strategy<Value = Vec<Part>> {
    prop::collection::vec(part(), 1..8)
}

impl Part {
    /// Whether others can wait for it to be ready.
    pub fn shows_readiness(&self) -> bool {
        self.ports.iter().any(|port| !port.udp) && self.runs()
    }

    /// The access of its volume.
    fn access(&self) -> &'static str {
        ["one-node", "one-pod", "many-nodes", "many-readers"][(self.more >> 24 & 3) as usize]
    }

    /// Whether only one pod can mount its volume.
    fn is_alone(&self) -> bool {
        self.volume && (self.is_task || !self.has(1)) && matches!(self.access(), "one-node" | "one-pod")
    }

    /// Whether any replica of it runs.
    fn runs(&self) -> bool {
        self.replicas > 0 || self.is_alone()
    }

    /// Whether it has one of the more things.
    fn has(&self, thing: u32) -> bool {
        self.more >> thing & 1 == 1
    }

    /// Whether it is a task with a schedule.
    pub fn is_scheduled(&self) -> bool {
        self.is_task && self.has(0)
    }

    /// Whether it shares a network with another.
    fn shares(&self, other: &Self) -> bool {
        self.networks & other.networks != 0 || self.networks == 0 && other.networks == 0
    }

    /// Whether it has one of the things that it has of others.
    fn has_of_others(&self, thing: u8) -> bool {
        self.shared >> thing & 1 == 1
    }

    /// Whether it can answer at the address of another: it has its ports, and is in its networks.
    fn can_be_behind(&self, other: &Self) -> bool {
        let is_udp = |port: &Opened| port.udp && port.reach != 5;
        let ports = || other.ports.iter().zip(&self.ports);
        !self.is_task
            && !other.is_task
            && !other.ports.is_empty()
            && other.ports.len() <= self.ports.len()
            && ports().all(|(one, other)| is_udp(one) == is_udp(other))
            && (!other.has(9) || self.has(9))
            && other.networks & !self.networks == 0
            && (other.networks == 0) == (self.networks == 0)
    }

    /// Whether all its networks are closed.
    fn is_closed(&self) -> bool {
        let open = |(index, (_, closed)): (usize, &(&str, bool))| self.networks >> index & 1 == 1 && !closed;
        self.networks != 0 && !NETWORKS.iter().enumerate().any(open)
    }
}

/// A text as a TOML string.
pub fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            c if c.is_control() => write!(out, "\\u{:04X}", u32::from(c)).unwrap(),
            c => out.push(c),
        }
    }
    out + "\""
}

/// A text without references as a TOML string.
pub fn quoted_plain(text: &str) -> String {
    quoted(&text.replace('{', "{{").replace('}', "}}"))
}

/// The stack file of some parts.
pub fn stack_file(parts: &[Part]) -> String {
    let mut out = String::from(
        "[stack]\nname = \"made-up\"\n[secret.made]\nkey.password = { env = \"MADE_UP\" }\n\
         [secret.there]\npresent = \"in-cluster\"\nkeys = [\"token\"]\n\
         [outside.feed]\nhost = \"feed.example\"\nport.in = 443\n\
         [outside.gauge]\naddress = \"192.0.2.7\"\nport.read = 5055\n\
         [outside.near]\nservice = \"near-by\"\nnamespace = \"away\"\nport.read = 5055\n\
         [config.all]\nkey.LEVEL = \"info\"\nkey.\"feed.every\" = \"$5 {outside.gauge} $(LEVEL) é$é\"\nkey.TEXT = \"of all\"\n\
         [config.plain]\nkey.LEVEL = \"plain\"\nkey.REGION = \"north $$\"\n\
         [config.here]\npresent = \"shared-settings\"\nkeys = [\"REGION\"]\n\
         [pattern.quiet]\nenv.QUIET = \"1\"\ncpu = \"5m..\"\n\
         [target.cluster]\ndomain = \"made.example\"\n",
    );
    out.push_str(&others(parts));
    for (name, closed) in NETWORKS {
        let admits = "[\"near\", { stack = \"far\", service = \"one\", namespace = \"away\" }]";
        writeln!(out, "[network.{name}]\nclosed = {closed}\nadmits = {admits}").unwrap();
    }
    for (index, part) in parts.iter().enumerate() {
        let kind = if part.is_task { "task" } else { "service" };
        writeln!(out, "[{kind}.{}]\nimage = \"registry.example/part:{index}.0\"", name(index)).unwrap();
        if part.user {
            out.push_str("user = \"10001:10002\"\n");
        }
        let each = part.volume && part.has(1) && !part.is_task;
        let alone = part.is_alone();
        if !part.is_task {
            match part.replicas {
                _ if alone => {}
                3 => out.push_str("replicas = { min = 2, max = 5, cpu = \"60%\" }\ncpu = \"100m..\"\n"),
                count => writeln!(out, "replicas = {count}").unwrap(),
            }
        }
        more(part, &mut out);
        for (port, opened) in part.ports.iter().enumerate() {
            let reach = ["stack", "stack", "stack", "node", "balancer", "web"][usize::from(opened.reach)];
            let udp = opened.udp && reach != "web";
            let web = if reach == "web" { format!(", path = \"/{index}/{port}\"") } else { String::new() };
            let protocol = if udp { "udp" } else { "tcp" };
            let inner = if opened.renamed { format!(", as = {}", 80 + port) } else { String::new() };
            // Some ports have numbers that policies allow.
            let number = if part.has(20) && opened.renamed { [53, 443, 6443][port % 3] } else { 8000 + port };
            let at = if reach == "node" && part.has(21) {
                format!(", at = {}", 30000 + index * 8 + port)
            } else {
                String::new()
            };
            writeln!(
                out,
                "port.p{port} = {{ number = {number}, reach = \"{reach}\", protocol = \"{protocol}\"{inner}{web}{at} }}"
            )
            .unwrap();
        }
        if let Some(port) = part.ports.iter().position(|port| !port.udp) {
            let every = ["", ", every = \"500ms\", boot = \"31s\"", ", boot = \"5m\", fails = 1"]
                [(part.more >> 26) as usize % 3];
            match part.more >> 22 & 3 {
                0 => writeln!(
                    out,
                    "health = {{ run = [\"sh\", \"-c\", {}]{every} }}",
                    quoted(&format!("test $$ = $(TEXT) $(date) {}", part.text.replace('\0', "")))
                ),
                1 => writeln!(out, "health = {{ http = \"/up\", port = \"p{port}\"{every} }}"),
                2 => writeln!(out, "health = {{ grpc = \"p{port}\"{every} }}"),
                _ => writeln!(out, "health = {{ tcp = \"p{port}\"{every} }}"),
            }
            .unwrap();
        }
        let others = |links: &[usize]| -> Vec<usize> {
            let mut others: Vec<usize> =
                links.iter().filter(|_| index > 0).map(|link| link % index.max(1)).collect();
            others.sort_unstable();
            others.dedup();
            others.retain(|other| part.shares(&parts[*other]));
            others
        };
        for other in others(&part.waits).into_iter().filter(|other| !parts[*other].is_scheduled()) {
            let until = match &parts[other] {
                other if other.is_task => "done",
                other if other.shows_readiness() && part.has_of_others(0) => "current",
                other if other.shows_readiness() => "ready",
                _ => "started",
            };
            writeln!(out, "after.{} = \"{until}\"", name(other)).unwrap();
        }
        for other in others(&part.uses).into_iter().filter(|other| !parts[*other].ports.is_empty()) {
            writeln!(out, "env.USES_{other} = \"x://{{service.{}/p0}}/y\"", name(other)).unwrap();
        }
        if !part.is_closed() && part.has(2) {
            out.push_str(
                "env.FEED = \"{outside.feed/in} {outside.gauge} {port.gauge/read} {outside.near/read}\"\n",
            );
        }
        if part.has_of_others(1) {
            out.push_str("fetch = \"always\"\nrenew = \"$(TEXT) 1\"\n");
        }
        let behind = (0..index).find(|other| part.has_of_others(2) && part.can_be_behind(&parts[*other]));
        if let Some(other) = behind {
            writeln!(out, "behind = \"{}\"", name(other)).unwrap();
        }
        // Replicas of services of which each has a volume have addresses.
        let has_addresses = |other: &&usize| {
            let other = &parts[**other];
            other.volume && other.has(1) && !other.is_task && part.shares(other)
        };
        let members: Vec<usize> = (0..index).collect();
        if let Some(other) = members.iter().find(has_addresses).filter(|_| part.has_of_others(3)) {
            let (other, name) = (&parts[*other], name(*other));
            let all = if other.replicas == 3 { "0" } else { "all" };
            writeln!(out, "env.MEMBERS = '{{replica.{name}.{all}}} {{replica.{name}.any}}'").unwrap();
        }
        writeln!(out, "env.TEXT = {}", quoted_plain(&part.text)).unwrap();
        writeln!(out, "args = [{}]", quoted_plain(&part.text)).unwrap();
        match part.secret {
            1 => out.push_str("env.SECRET_URL = \"x://me:{secret.made/password}@{pod.ip}/\"\n"),
            2 => {
                out.push_str(
                    "env.LOGIN = \"{secret.there/token}\"\nmount.\"/run/login\" = \"secret.made\"\n",
                );
            }
            3 => out.push_str("mount.\"/run/login/token\" = \"secret.there/token\"\n"),
            _ => {}
        }
        if part.volume {
            writeln!(out, "mount.\"/data\" = \"volume.v{index}\"").unwrap();
        }
        // A task can share the data of an earlier one.
        let shares = |other: &&usize| {
            let other = &parts[**other];
            other.volume && (other.is_task || !other.has(1)) && other.access() != "one-pod"
        };
        if let (true, Some(other)) =
            (part.is_task && part.has(19), (0..index).collect::<Vec<_>>().iter().find(shares))
        {
            writeln!(out, "mount.\"/other\" = \"volume.v{other}\"").unwrap();
        }
        match part.config {
            Some(true) => writeln!(
                out,
                "mount.\"/etc/made\" = \"config.c{index}\"\n[config.c{index}]\nkey.text = {}",
                quoted_plain(&part.text)
            )
            .unwrap(),
            Some(false) => writeln!(
                out,
                "mount.\"/etc/made.txt\" = \"config.c{index}/text\"\nenv.KEY = \"{{config.c{index}/text}}\"\n\
                 [config.c{index}]\nkey.text = {}",
                quoted_plain(&part.text)
            )
            .unwrap(),
            None => {}
        }
        if part.volume {
            let folder = if part.has(3) && !each { "node-folder = \"/data/made\"\n" } else { "" };
            let access = part.access();
            writeln!(
                out,
                "[volume.v{index}]\nsize = \"1Gi\"\neach = {each}\naccess = \"{access}\"\n{folder}"
            )
            .unwrap();
        }
    }
    out
}
