//! One mistake, one message: every key of the language with every type of value.

use std::collections::BTreeSet;
use std::path::Path;

use fracht_core::check::Project;
use fracht_core::diag::{Finding, Severity};
use fracht_core::files::MemoryFiles;
use fracht_core::language::{AnyField, TABLES, TableShape};
use rayon::prelude::*;

/// A stack that has every table of the language: the heading in the reference, the header in the file, the lines.
const STACK: &[(&str, &str, &[&str])] = &[
    ("stack", "[stack]", &["name = \"s\"", "title = \"t\""]),
    ("input.NAME", "[input.i]", &["default = \"1\""]),
    ("build.NAME", "[build.b]", &["source = \"app\"", "tag = \"1\""]),
    ("pattern.NAME", "[pattern.p]", &["role = \"front\""]),
    (
        "service.NAME",
        "[service.a]",
        &["image = \"a:{input.i}\"", "like = \"pattern.p\"", "network = [\"n\"]"],
    ),
    ("service.NAME.port.NAME", "[service.a.port.http]", &["number = 80"]),
    ("service.NAME.health", "[service.a.health]", &["tcp = \"http\""]),
    ("service.NAME.rollout", "[service.a.rollout]", &["surge = 1"]),
    ("service.NAME.beside.NAME", "[service.a.beside.x]", &["image = \"x:1.0\""]),
    ("mount", "[service.a.mount.\"/c\"]", &["from = \"config.c\""]),
    ("use", "[[service.a.use]]", &["from = \"secret.k\""]),
    ("before-stop", "[service.a.before-stop]", &["wait = \"1s\""]),
    ("spread", "[service.a.spread]", &["over = \"node\""]),
    ("rights", "[[service.a.rights]]", &["on = \"pods\"", "may = [\"get\"]"]),
    (
        "",
        "[service.g]",
        &[
            "build = \"b\"",
            "cpu = 1",
            "network = [\"n\"]",
            "mount.\"/v\" = \"volume.v\"",
            "env.O = \"{outside.o} {config.c/K}\"",
        ],
    ),
    ("service.NAME.replicas", "[service.g.replicas]", &["max = 2"]),
    ("task.NAME", "[task.t]", &["image = \"t:1.0\"", "network = [\"n\"]", "schedule = \"0 3 * * *\""]),
    ("volume.NAME", "[volume.v]", &["size = \"1Gi\"", "access = \"many-nodes\""]),
    ("config.NAME", "[config.c]", &["key.K = \"1\""]),
    ("config.NAME.key.NAME", "[config.c.key.F]", &["file = \"file.txt\""]),
    ("secret.NAME", "[secret.k]", &[]),
    ("secret.NAME.key.NAME", "[secret.k.key.S]", &["env = \"S\""]),
    ("network.NAME", "[network.n]", &["closed = false"]),
    ("outside.NAME", "[outside.o]", &["host = \"o.example\""]),
    ("target.NAME", "[target.prod]", &["domain = \"d.example\"", "registry = \"r.example\""]),
    ("target.NAME.web", "[target.prod.web]", &["class = \"c\""]),
    ("target.NAME.gate", "[target.prod.gate]", &["within = \"1m\""]),
    ("patch", "[[patch]]", &["on = \"Service/a\""]),
    ("patch.ops", "[[patch.ops]]", &["op = \"remove\"", "path = \"/x\""]),
];

/// A value of each type, empty ones, and lists of each.
const VALUES: [&str; 14] = [
    "true",
    "7",
    "-1",
    "1.5",
    "\"x\"",
    "\"\"",
    "\"a b/{x}\"",
    "[]",
    "[7]",
    "[\"x\"]",
    "{}",
    "{ x = 1 }",
    "[{ x = true }]",
    "2026-11-24",
];

/// The messages that a stack gives, each with its rule and whether it prevents all objects.
fn messages(stack: &str) -> Vec<(bool, String)> {
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", stack)
        .with("/s/file.txt", "1")
        .with("/s/app/Containerfile", "FROM x");
    let mut project = Project::open(&files, Path::new("/s/fracht.toml"), Path::new("fracht.toml")).unwrap();
    let target = project.targets().names().last().unwrap().to_owned();
    let verdict = project.check(&target).unwrap();
    let message = |finding: &Finding| {
        let diagnostic = &finding.diagnostic;
        assert_eq!(crate::style::faults(diagnostic), [""; 0], "{diagnostic:#?}\n{stack}");
        (diagnostic.rule.always_error, format!("{}: {}", diagnostic.rule.name, diagnostic.message))
    };
    verdict.report.findings().iter().map(message).collect()
}

fn base() -> String {
    let section = |(_, header, lines): &(&str, &str, &[&str])| [&[*header], *lines].concat().join("\n");
    STACK.iter().map(section).collect::<Vec<_>>().join("\n") + "\n"
}

/// The path of a header.
fn path(header: &str) -> &str {
    header.trim_matches(['[', ']'])
}

/// The stack with a key of a table set to a value in place of what it says of that key, and of those that exclude it.
fn with(heading: &str, table: &TableShape, field: &dyn AnyField, value: &str) -> String {
    let name = field.key().name;
    let is_one = |name: &str| table.one_of.iter().any(|field| field.key().name == name);
    let replaced = |key: &str| key == name || is_one(name) && is_one(key);
    let set = format!("{name} = {value}\n");
    let own = STACK.iter().find(|(known, ..)| *known == heading).map_or("", |(_, header, _)| path(header));
    let mut stack = if own.is_empty() { set.clone() } else { String::new() };
    for (known, header, lines) in STACK {
        let below = if own.is_empty() {
            Some(path(header))
        } else {
            path(header).strip_prefix(own).and_then(|rest| rest.strip_prefix('.'))
        };
        if below.and_then(|below| below.split('.').next()).is_some_and(replaced) {
            continue;
        }
        stack += &format!("{header}\n");
        let kept = |line: &&&str| *known != heading || !line.split([' ', '.']).next().is_some_and(replaced);
        stack.extend(lines.iter().filter(kept).map(|line| format!("{line}\n")));
        if *known == heading {
            stack += &set;
        }
    }
    stack
}

/// The stack with a target that overrides a key of a table; `None` for tables that no target overrides.
fn overridden(heading: &str, field: &dyn AnyField, value: &str) -> Option<String> {
    let (_, header, _) = STACK.iter().find(|(known, ..)| *known == heading)?;
    let is_own = heading.starts_with("target") || header.starts_with("[[");
    (!is_own).then(|| format!("{}[target.prod.{}]\n{} = {value}\n", base(), path(header), field.key().name))
}

/// Whether a value may contain more than one mistake: a table in it lacks keys and has an unknown one.
fn may_hold_several(field: &'static dyn AnyField, value: &str) -> bool {
    let shape = field.shape();
    let tables = shape.table().or_else(|| shape.below("1")?.table()).is_some() || shape.is_named();
    tables && value.contains('{')
}

#[test]
fn every_key_with_every_type_of_value_gives_at_most_one_message() {
    let known = messages(&base());
    let fields =
        TABLES.iter().flat_map(|(heading, table)| table.fields().map(move |field| (*heading, *table, field)));
    let stacks: Vec<(String, String)> = fields
        .flat_map(|(heading, table, field)| {
            VALUES.into_iter().filter(move |value| !may_hold_several(field, value)).flat_map(move |value| {
                let case = format!("{heading}: {} = {value}", field.key().name);
                let stacks = [Some(with(heading, table, field, value)), overridden(heading, field, value)];
                stacks.into_iter().flatten().map(move |stack| (case.clone(), stack))
            })
        })
        .collect();
    let wrong = |(case, stack): &(String, String)| {
        let mut found = messages(stack);
        found.retain(|message| !known.contains(message));
        // Several rules may find problems in a valid value.
        let several = found.len() > 1 && found.iter().any(|(always_error, _)| *always_error);
        several.then(|| format!("{case}: {found:#?}"))
    };
    let (tried, wrong) = (stacks.len(), stacks.par_iter().filter_map(wrong).collect::<Vec<String>>());
    assert!(tried > 3_000 && wrong.is_empty(), "{} of {tried}: {}", wrong.len(), wrong.join("\n"));
}

/// A stack whose tables refer to each other, over two targets: each header with its lines.
const CONNECTED: &[(&str, &[&str])] = &[
    ("stack", &["name = \"s\""]),
    ("input.i", &["default = \"1\""]),
    ("build.b", &["source = \"app\"", "tag = \"1\""]),
    ("pattern.p", &["build = \"b\"", "network = [\"n\"]"]),
    ("service.a", &["like = \"pattern.p\"", "replicas = 2", "pull = [\"secret.r\"]"]),
    ("service.a.port", &["http = 80", "rpc.number = 81"]),
    ("service.a.health", &["tcp = \"http\""]),
    ("service.a.mount", &["\"/e\" = \"volume.e\"", "\"/c\" = \"config.c\""]),
    ("service.a.beside.x", &["image = \"x:{input.i}\"", "port.side = 90"]),
    ("service.c", &["like = \"pattern.p\"", "pull = [\"secret.r\"]", "use = [\"config.c\"]"]),
    ("service.c.after", &["a = \"ready\"", "t = \"done\""]),
    (
        "service.c.env",
        &[
            "A = \"{service.a/http} {service.a/side} {port.a/rpc}\"",
            "B = \"{outside.o} {outside.o/x} {port.o/x}\"",
            "C = \"{config.c/K} {config.c/F} {secret.k/S} {target.domain} {target.registry}\"",
        ],
    ),
    ("task.t", &["image = \"t:1.0\"", "network = [\"n\"]", "after = { a = \"ready\" }"]),
    ("volume.e", &["size = \"1Gi\"", "each = true"]),
    ("config.c.key", &["K = \"1\"", "F = { file = \"file.txt\" }"]),
    ("secret.k.key.S", &["env = \"S\""]),
    ("secret.r.key.\".dockerconfigjson\"", &["file = \"file.txt\""]),
    ("network.n", &["closed = false"]),
    ("outside.o", &["host = \"o.example\""]),
    ("outside.o.port", &["x = 80"]),
    ("target.base", &["domain = \"d.example\"", "registry = \"r.example\""]),
    ("target.base.build.b", &["tag = \"2\""]),
    ("target.base.pattern.p", &["user = 5"]),
    ("target.base.service.a.port", &["http.reach = \"node\""]),
    ("target.base.service.a.beside.x", &["user = 6"]),
    ("target.base.task.t", &["user = 7"]),
    ("target.base.volume.e", &["class = \"fast\""]),
    ("target.base.config.c.key", &["L = \"2\""]),
    ("target.base.secret.k.key", &["T = { env = \"T\" }"]),
    ("target.base.network.n", &["closed = true"]),
    ("target.base.outside.o.port", &["y = 81"]),
    ("target.prod", &["like = \"target.base\""]),
];

/// The stack with `value` at a path, in place of everything at and below it.
fn replaced(path: &str, value: &str) -> String {
    let (parent, key) = path.rsplit_once('.').unwrap_or(("", path));
    let set = format!("{key} = {value}\n");
    let mut stack = if parent.is_empty() && !key.is_empty() { set.clone() } else { String::new() };
    if !parent.is_empty() && CONNECTED.iter().all(|(header, _)| *header != parent) {
        stack += &format!("[{parent}]\n{set}");
    }
    for (header, lines) in CONNECTED {
        let below = header.strip_prefix(path).filter(|_| !path.is_empty());
        if below.is_some_and(|below| below.is_empty() || below.starts_with('.')) {
            continue;
        }
        let is_parent = *header == parent;
        let replaced = |line: &&&str| is_parent && line.split([' ', '.']).next() == Some(key);
        stack += &format!("[{header}]\n");
        stack.extend(lines.iter().filter(|line| !replaced(line)).map(|line| format!("{line}\n")));
        stack += if is_parent { &set } else { "" };
    }
    stack
}

#[test]
fn every_table_with_every_wrong_type_gives_one_message() {
    let errors = |stack: &str| {
        let found = messages(stack);
        found.into_iter().filter(|(always_error, _)| *always_error).map(|(_, message)| message)
    };
    assert_eq!(errors(&replaced("", "")).collect::<Vec<_>>(), [""; 0]);
    let prefixes = |header: &'static str| {
        header.match_indices('.').filter_map(move |(end, _)| header.get(..end)).chain([header])
    };
    let paths: BTreeSet<&str> = CONNECTED.iter().flat_map(|(header, _)| prefixes(header)).collect();
    let mut wrong = Vec::new();
    for path in paths.into_iter().filter(|path| !path.ends_with('"')) {
        for value in ["true", "-1", "1.5", "\"\"", "[7]", "[\"x\"]", "2026-11-24"] {
            let found: Vec<_> = errors(&replaced(path, value)).collect();
            if found.len() != 1 {
                wrong.push(format!("{path} = {value}: {found:#?}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}: {}", wrong.len(), wrong.join("\n"));
}

/// A stack with one service, with some lines in it.
const SERVICE: [&str; 2] = [
    "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    "\n[service.b]\nimage = \"b:1.0\"\nport.web = 80\nenv.A = \"{service.b}\"\n",
];

/// Lines with one syntax error each.
const SYNTAX_ERRORS: &[&str] = &[
    "args = [\"x\",\n  \"y\"",
    "args = [\"x\",\nuser = 5",
    "args = [[\"x\"]",
    "args = [",
    "args = [\"x\" \"y\"]",
    "args = [\"x\",, \"y\"]",
    "args = [\"x\"; \"y\"]",
    "args = [\"x]",
    "args = [x, y]",
    "args = [\"x\"]]",
    "args = \"x",
    "args = x y",
    "env = { A = \"1\" B = \"2\" }",
    "env = { A = \"1\",, B = \"2\" }",
    "env = { A = \"1\"",
    "env = { A \"1\" }",
    "env = { = 1 }",
    "port.web = { number = 80",
    "role",
    "role =",
    "role = = \"x\"",
    "role == \"x\"",
    "role = \"\"\"x",
    "role = 'x",
    "role = \u{201c}x\u{201d}",
    "role = \"x\" \"y\"",
    "role = \"x\", user = 5",
    "role = true false",
    "role: \"x\"",
    "= \"x\"",
    "port.web = 08",
    "port.web = 1__0",
    "port.web = 0X10",
    "port.web = +-1",
    "args = [\"\\q\"]",
    "args = [\"\\u12\"]",
    "stop-within = 30s",
    "r\u{f4}le = \"x\"",
    "[service.c",
    "[[patch",
    "[]",
    "{",
    "}",
    "]",
    "-",
    ": x",
];

#[test]
fn one_syntax_error_has_one_message_in_plain_words() {
    for line in SYNTAX_ERRORS {
        let found = messages(&SERVICE.join(line));
        assert!(found.len() == 1 && !found[0].1.contains("invalid TOML"), "{line}: {found:#?}");
    }
}

/// A value that cannot be read is reported once, and references to it are not reported.
#[test]
fn every_broken_line_of_a_large_stack_gives_one_message() {
    let text = include_str!("../../../fracht-testkit/stacks/everything.toml");
    let files = |text: &str| {
        [
            "conf/banner.txt",
            "conf/settings.env",
            "conf/app.ini",
            "app/recipe.txt",
            "app/ignored.txt",
            "secrets/pin",
        ]
        .iter()
        .fold(MemoryFiles::default(), |files, name| files.with(format!("/s/{name}"), "A=1\n"))
        .with(
            "/s/more/feed.toml",
            "[service.feeder]\nimage = \"f:1.0\"\nnetwork = [\"open\"]\nenv.F = \"{outside.feed/in}\"\n",
        )
        .with("/s/extra/w.yaml", "kind: W\n")
        .with("/s/conf/tides.env", "TIDE_URL=u\nTIDE_LEVEL=l\nTIDE_TOKEN=t\n")
        .with("/s/fracht.toml", text)
    };
    let errors = |text: &str| -> Vec<(&'static str, String)> {
        let (files, path) = (files(text), Path::new("/s/fracht.toml"));
        let mut project = Project::open(&files, path, path).unwrap();
        let verdict = project.check("prod").unwrap();
        let findings = verdict.report.findings().iter().filter(|finding| finding.severity == Severity::Error);
        findings.map(|finding| (finding.diagnostic.rule.name, finding.diagnostic.message.clone())).collect()
    };
    assert_eq!(errors(text), []);
    let mut seen = 0;
    let mut wrong = Vec::new();
    for (number, line) in text.lines().enumerate() {
        let Some((key, _)) = line.split_once(" = ").filter(|(key, _)| !key.starts_with(['#', ' '])) else {
            continue;
        };
        // Without these, the stack has another target.
        if ["like", "on", "ops"].contains(&key) && number > 225 {
            continue;
        }
        let broken: Vec<String> = text
            .lines()
            .enumerate()
            .map(|(at, line)| if at == number { format!("{key} = 2026-11-24") } else { line.to_owned() })
            .collect();
        let found = errors(&broken.join("\n"));
        seen += 1;
        if found.len() != 1 {
            wrong.push(format!("{}: {key}: {found:?}", number + 1));
        }
    }
    assert!(seen > 150 && wrong.is_empty(), "{seen} {wrong:#?}");
}
