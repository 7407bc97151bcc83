//! Rules on the values of settings: addresses, placeholders, sizes.

use std::collections::BTreeMap;

use super::Rule;
use crate::diag::{Diagnostic, Severity, Sink};
use crate::model::{Content, Model, Text};
use crate::source::Span;

/// Every setting of a model.
pub(super) fn all(model: &Model) -> impl Iterator<Item = Setting<'_>> {
    let of_workloads = model.workloads.iter().flat_map(|workload| {
        workload.texts().map(move |(variable, text)| Setting {
            owner: SettingOwner::Workload(workload),
            name: variable.map_or("", |variable| &variable.name),
            text,
        })
    });
    let of_configs = model.configs.iter().flat_map(|config| {
        config.keys.iter().filter_map(move |key| match &key.content {
            Content::Text(text) => {
                Some(Setting { owner: SettingOwner::Config(&config.name), name: &key.name, text })
            }
            Content::File { .. } | Content::Present => None,
        })
    });
    of_workloads.chain(of_configs)
}

/// A setting of a service, a task or a config.
pub(super) struct Setting<'m> {
    owner: SettingOwner<'m>,
    /// The name of the variable or key; empty for an argument.
    pub(super) name: &'m str,
    /// The value.
    pub(super) text: &'m Text,
}

enum SettingOwner<'m> {
    Workload(&'m crate::model::Workload),
    Config(&'m str),
}

impl Setting<'_> {
    /// `LOG_LEVEL of service.api`.
    pub(super) fn words(&self) -> String {
        let owner = match self.owner {
            SettingOwner::Workload(workload) => workload.reference(),
            SettingOwner::Config(name) => format!("config.{name}"),
        };
        if self.name.is_empty() {
            format!("an argument of `{owner}`")
        } else {
            format!("`{}` of `{owner}`", self.name)
        }
    }

    /// The place of the value.
    pub(super) fn span(&self) -> Option<Span> {
        self.text.origin.span()
    }
}

pub(super) static LOCALHOST_ADDRESS: Rule = Rule {
    name: "localhost-address",
    severity: Severity::Warning,
    summary: "A setting points to localhost",
    why: "Inside a container, localhost is the container itself: nothing else is there.",
    fails: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1\"\nport.sql = 5432\n\
            [service.a]\nimage = \"a:1\"\nenv.DB_HOST = \"localhost:5432\"\n",
    passes: "[stack]\nname = \"s\"\n[service.db]\nimage = \"db:1\"\nport.sql = 5432\n\
             [service.a]\nimage = \"a:1\"\nenv.DB_HOST = \"{service.db/sql}\"\n",
    ..Rule::BASE
};

/// The names of the local machine, each with a sign that is in it and in few other texts.
const LOCAL: [(&str, char); 3] = [("localhost", 'h'), ("127.0.0.1", '7'), ("[::1]", '[')];

/// The host name of the local machine in a text, with the port after it.
fn local_host(text: &str) -> Option<(&'static str, Option<u16>)> {
    LOCAL.into_iter().filter(|(_, sign)| text.contains(*sign)).find_map(|(name, _)| {
        let at = text.contains(name).then(|| text.find(name)).flatten()?;
        let word = |c: char| c.is_ascii_alphanumeric() || c == '.' || c == '-' || c == '_';
        let (before, after) = (text.get(..at)?, text.get(at + name.len()..)?);
        if before.ends_with(word) || after.starts_with(word) {
            return None;
        }
        let digits: String =
            after.strip_prefix(':').unwrap_or_default().chars().take_while(char::is_ascii_digit).collect();
        Some((name, digits.parse().ok()))
    })
}

pub(super) fn localhost_address(model: &Model, sink: &mut Sink) {
    // The first port with each number, if there is anything to say about it.
    let mut owners = None;
    for setting in all(model) {
        let Some((host, port)) = local_host(&setting.text.plain_text()) else { continue };
        let owners = owners.get_or_insert_with(|| {
            let ports =
                model.workloads.iter().flat_map(|one| one.ports().iter().map(move |port| (one, port)));
            let mut owners = BTreeMap::new();
            for (workload, port) in ports {
                owners.entry(port.number.value).or_insert((workload, port));
            }
            owners
        });
        let owner = port.and_then(|port| owners.get(&port).copied());
        let problem =
            Diagnostic::new(&LOCALHOST_ADDRESS, format!("{} points to `localhost`", setting.words()))
                .at(setting.span(), format!("in a container, {host} is the container itself"));
        sink.push(match owner {
            Some((workload, port)) => problem.help(format!(
                "port {} belongs to `service.{}`: write `{{service.{}/{}}}` instead",
                port.number.value, workload.name, workload.name, port.name
            )),
            None => problem.help("to reach another service, write `{service.NAME/PORT}`"),
        });
    }
}

pub(super) static PLACEHOLDER_LEFT: Rule = Rule {
    name: "placeholder-left",
    severity: Severity::Warning,
    summary: "A setting is empty or still has a placeholder",
    why: "The program would use the placeholder as a real value.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nenv.REGION = \"changeme\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nenv.REGION = \"north\"\n",
    ..Rule::BASE
};

/// Whether a text is a placeholder such as `CHANGE_ME`.
fn is_placeholder(text: &str) -> bool {
    // The first letters of all placeholders; most texts begin with another one.
    let first = text.chars().find(char::is_ascii_alphanumeric).map(|first| first.to_ascii_lowercase());
    if !text.trim_start().starts_with('<') && !first.is_some_and(|first| "ctfxry".contains(first)) {
        return false;
    }
    let plain: String =
        text.trim().to_lowercase().chars().filter(|c| c.is_ascii_alphanumeric() || *c == ' ').collect();
    let whole = [
        "changeme",
        "change me",
        "changeit",
        "todo",
        "fixme",
        "tbd",
        "xxx",
        "xxxx",
        "replaceme",
        "replace me",
        "fill me in",
        "fillmein",
    ];
    let bracketed = text.trim().starts_with('<')
        && text.trim().ends_with('>')
        && text.len() < 60
        && !text.contains("/>")
        && !text.contains("</");
    whole.contains(&plain.as_str())
        || bracketed
        || plain.starts_with("your ")
        || text.to_lowercase().starts_with("your-") && text.to_lowercase().ends_with("-here")
}

pub(super) fn placeholder_left(model: &Model, sink: &mut Sink) {
    for setting in all(model).filter(|setting| setting.text.is_plain()) {
        let text = setting.text.plain_text();
        let (message, label) = if text.is_empty() && !setting.name.is_empty() {
            (format!("{} is empty", setting.words()), "empty value")
        } else if is_placeholder(&text) {
            (format!("{} still has a placeholder value", setting.words()), "a placeholder")
        } else {
            continue;
        };
        sink.push(
            Diagnostic::new(&PLACEHOLDER_LEFT, message)
                .at(setting.span(), label)
                .help("set a value, refer to one (`{config.NAME/KEY}`), or remove the line"),
        );
    }
}

pub(super) static CONFIG_TOO_LARGE: Rule = Rule {
    name: "config-too-large",
    summary: "A config is larger than 1 MiB",
    why: "Kubernetes does not store a larger ConfigMap.",
    fails: "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"large.bin\" }\n\
            [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
    passes: "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"present.txt\" }\n\
             [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
    ..Rule::BASE
};

pub(super) fn config_too_large(model: &Model, sink: &mut Sink) {
    for config in &model.configs {
        let size: usize = config.keys.iter().map(|key| key.content.size()).sum();
        let largest = config.keys.iter().max_by_key(|key| key.content.size());
        let Some(largest) = largest.filter(|_| size > MOST_OF_SECRET) else { continue };
        let message = format!("`config.{}` is too large: {size} bytes", config.name);
        sink.push(
            Diagnostic::new(&CONFIG_TOO_LARGE, message)
                .at(config.span, "at most 1048576 bytes")
                .also(largest.span, format!("{} bytes of them", largest.content.size()))
                .help("put large files into the image or on a volume, or split the config"),
        );
    }
}

pub(super) static SECRET_TOO_LARGE: Rule = Rule {
    name: "secret-too-large",
    summary: "A secret is larger than 1 MiB",
    why: "A cluster keeps no larger Secret.",
    fails: "[stack]\nname = \"s\"\n[secret.c]\nkey.a = { file = \"large.bin\" }\n\
            [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"secret.c\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.c]\nkey.a = { file = \"present.txt\" }\n\
             [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"secret.c\"\n",
    always_error: true,
    ..Rule::BASE
};

/// The most bytes of all values of a config or of a secret (`MaxSecretSize`, core/v1).
pub const MOST_OF_SECRET: usize = 1 << 20;

pub(super) fn secret_too_large(model: &Model, sink: &mut Sink) {
    for secret in &model.secrets {
        let size: u64 = secret.keys.iter().filter_map(|key| key.size).sum();
        let largest = secret.keys.iter().max_by_key(|key| key.size);
        let Some(largest) = largest.filter(|_| size > MOST_OF_SECRET as u64) else { continue };
        let message = format!("`secret.{}` has {size} bytes, more than a cluster keeps", secret.name);
        sink.push(
            Diagnostic::new(&SECRET_TOO_LARGE, message)
                .at(largest.span, "at most 1048576 bytes in a secret")
                .help("split the secret, or bring large files with a volume"),
        );
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn localhost_is_found_as_a_host_only() {
        assert_eq!(local_host("http://localhost:8080/x"), Some(("localhost", Some(8080))));
        assert_eq!(local_host("127.0.0.1"), Some(("127.0.0.1", None)));
        assert_eq!(local_host("tcp://[::1]:1"), Some(("[::1]", Some(1))));
        for text in ["localhosting.example", "my-localhost", "0.0.0.0:80", "1127.0.0.1", ""] {
            assert_eq!(local_host(text), None, "{text}");
        }
    }

    #[test]
    fn placeholders_differ_from_values() {
        for text in ["changeme", "Change-Me!", "TODO", "<your region>", "your-token-here", "xxx"] {
            assert!(is_placeholder(text), "{text}");
        }
        for text in ["", "north", "<a href=x></a>", "todolist", "xx", "yours"] {
            assert!(!is_placeholder(text), "{text}");
        }
    }
}
