//! Made-up stacks that hold together: names resolve, waits go backwards, who talks shares a network.

use std::fmt::Write as _;

use proptest::prelude::*;

/// A made-up service or task.
#[derive(Clone, Debug)]
pub(crate) struct Part {
    pub(crate) is_task: bool,
    pub(crate) ports: Vec<Opened>,
    pub(crate) replicas: u8,
    /// Others before it that it waits for, by a number that is cut to those there are.
    pub(crate) waits: Vec<usize>,
    /// Others before it whose address it uses.
    pub(crate) uses: Vec<usize>,
    pub(crate) volume: bool,
    pub(crate) config: Option<bool>,
    pub(crate) secret: u8,
    pub(crate) user: bool,
    pub(crate) text: String,
}

/// A made-up port.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Opened {
    pub(crate) reach: u8,
    pub(crate) udp: bool,
    pub(crate) renamed: bool,
}

/// The name of a part, by its number.
pub(crate) fn name(index: usize) -> String {
    format!("part-{index}")
}

/// Any text that a setting can hold, with what makes trouble in YAML and in compositions.
pub(crate) fn any_text() -> impl Strategy<Value = String> {
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
    (0_u8..5, prop::bool::weighted(0.2), prop::bool::weighted(0.3)).prop_map(|(reach, udp, renamed)| Opened {
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
    )
        .prop_map(|((is_task, ports, replicas), (waits, uses), (volume, config, secret, user, text))| {
            Part {
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
        })
}

/// Some parts.
pub(crate) fn parts() -> impl Strategy<Value = Vec<Part>> {
    prop::collection::vec(part(), 1..8)
}

impl Part {
    /// Whether others can wait for it to be ready.
    pub(crate) fn shows_readiness(&self) -> bool {
        self.ports.iter().any(|port| !port.udp)
    }
}

/// A text as a TOML string.
pub(crate) fn quoted(text: &str) -> String {
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

/// A text in which nothing is a reference, as a TOML string.
pub(crate) fn quoted_plain(text: &str) -> String {
    quoted(&text.replace('{', "{{").replace('}', "}}"))
}

/// The stack file of some parts.
pub(crate) fn stack_file(parts: &[Part]) -> String {
    let mut out = String::from(
        "[stack]\nname = \"made-up\"\n[secret.made]\nkey.password = { env = \"MADE_UP\" }\n\
         [secret.there]\npresent = \"in-cluster\"\nkeys = [\"token\"]\n",
    );
    for (index, part) in parts.iter().enumerate() {
        let kind = if part.is_task { "task" } else { "service" };
        writeln!(out, "[{kind}.{}]\nimage = \"registry.example/part:{index}.0\"", name(index)).unwrap();
        if part.user {
            out.push_str("user = \"10001:10002\"\n");
        }
        if !part.is_task {
            writeln!(out, "replicas = {}", part.replicas).unwrap();
        }
        for (port, opened) in part.ports.iter().enumerate() {
            let reach = ["stack", "stack", "stack", "node", "balancer"][usize::from(opened.reach)];
            let protocol = if opened.udp { "udp" } else { "tcp" };
            let inner = if opened.renamed { format!(", as = {}", 80 + port) } else { String::new() };
            let number = 8000 + port;
            writeln!(
                out,
                "port.p{port} = {{ number = {number}, reach = \"{reach}\", protocol = \"{protocol}\"{inner} }}"
            )
            .unwrap();
        }
        if let Some(port) = part.ports.iter().position(|port| !port.udp) {
            writeln!(out, "health = {{ tcp = \"p{port}\" }}").unwrap();
        }
        let others = |links: &[usize]| -> Vec<usize> {
            let mut others: Vec<usize> =
                links.iter().filter(|_| index > 0).map(|link| link % index.max(1)).collect();
            others.sort_unstable();
            others.dedup();
            others
        };
        for other in others(&part.waits) {
            let until = match &parts[other] {
                other if other.is_task => "done",
                other if other.shows_readiness() => "ready",
                _ => "started",
            };
            writeln!(out, "after.{} = \"{until}\"", name(other)).unwrap();
        }
        for other in others(&part.uses).into_iter().filter(|other| !parts[*other].ports.is_empty()) {
            writeln!(out, "env.USES_{other} = \"x://{{service.{}/p0}}/y\"", name(other)).unwrap();
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
        let table = format!("[{kind}.{}.mount]\n", name(index));
        if part.volume && part.config.is_none() && part.secret < 2 {
            writeln!(out, "{table}\"/data\" = \"volume.v{index}\"\n[volume.v{index}]\nsize = \"1Gi\"")
                .unwrap();
        }
    }
    out
}
