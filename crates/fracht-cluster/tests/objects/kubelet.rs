//! A simulated node: the variables and arguments of a process, and the files that it can read. By the documentation of
//! `$(NAME)` in variables, of volumes of configs and secrets, and of security contexts.

use std::collections::BTreeMap;

use indoc::formatdoc;
use proptest::prelude::*;
use serde_json::Value;

use crate::cluster::{Cluster, items};
use crate::{files, objects};
use fracht_testkit::random_stack::quoted_plain;

/// The variables of a process, by name. Unknown values are in angle brackets: `<secret s-db password>`.
pub(crate) type Variables = BTreeMap<String, String>;

/// `$(NAME)` replaced, byte by byte as the kubelet's source reads it.
pub(crate) fn expanded(text: &str, variables: &Variables) -> String {
    let bytes = text.as_bytes();
    let mut out: Vec<u8> = Vec::new();
    let mut at = 0;
    while at < bytes.len() {
        if bytes[at] != b'$' || at + 1 == bytes.len() {
            out.push(bytes[at]);
            at += 1;
            continue;
        }
        match (bytes[at + 1], text[at..].find(')')) {
            (b'$', _) => {
                out.push(b'$');
                at += 2;
            }
            (b'(', Some(end)) => {
                let name = &text[at + 2..at + end];
                out.extend(variables.get(name).cloned().unwrap_or_else(|| format!("$({name})")).bytes());
                at += end + 1;
            }
            (byte, _) => {
                out.push(b'$');
                out.extend(char::from(byte).to_string().bytes());
                at += 2;
            }
        }
    }
    String::from_utf8_lossy(&out).into_owned()
}

impl Cluster<'_> {
    /// The value of a key of a ConfigMap; a description for a Secret, and for a ConfigMap that is not generated.
    fn value(&self, kind: &str, name: &str, key: &str) -> String {
        let object = self.of_kind(kind).find(|(_, object)| object["metadata"]["name"] == name);
        let found = object.filter(|_| kind == "ConfigMap").map(|(_, object)| {
            object["data"][key].as_str().unwrap_or_else(|| panic!("{name} has no text {key}")).to_owned()
        });
        found.unwrap_or_else(|| {
            format!("<{} {name} {key}>", if kind == "Secret" { "secret" } else { "config" })
        })
    }

    /// The variables of a container's process.
    pub(crate) fn variables_of(&self, container: &Value) -> Variables {
        let mut variables = Variables::new();
        for source in items(&container["envFrom"]) {
            let prefix = source["prefix"].as_str().unwrap_or_default();
            for (kind, field) in [("ConfigMap", "configMapRef"), ("Secret", "secretRef")] {
                let Some(name) = source[field]["name"].as_str() else { continue };
                for key in self.keys(kind, name) {
                    variables.insert(format!("{prefix}{key}"), self.value(kind, name, &key));
                }
            }
        }
        for variable in items(&container["env"]) {
            let from = &variable["valueFrom"];
            let reference = |kind, field: &str| {
                let from = from.get(field)?;
                Some(self.value(kind, from["name"].as_str().unwrap(), from["key"].as_str().unwrap()))
            };
            let value = match variable["value"].as_str() {
                Some(text) => expanded(text, &variables),
                None => reference("ConfigMap", "configMapKeyRef")
                    .or_else(|| reference("Secret", "secretKeyRef"))
                    .unwrap_or_else(|| format!("<pod {}>", from["fieldRef"]["fieldPath"].as_str().unwrap())),
            };
            variables.insert(variable["name"].as_str().unwrap().to_owned(), value);
        }
        variables
    }
}

/// A process: its user, its groups, and whether it may read files of others.
#[derive(Debug)]
pub(crate) struct Process {
    uid: Option<u64>,
    groups: Vec<u64>,
    strict: bool,
}

impl Process {
    pub(crate) fn of(pod: &Value, container: &Value) -> Self {
        let (own, of_pod) = (&container["securityContext"], &pod["securityContext"]);
        let number = |field: &str| own[field].as_u64().or(of_pod[field].as_u64());
        let uid = number("runAsUser");
        // Without a group, a user that the image does not know has the group of root.
        let groups = [number("runAsGroup"), of_pod["fsGroup"].as_u64()];
        let strict = items(&own["capabilities"]["drop"]).any(|capability| capability == "ALL");
        Self { uid, groups: groups.into_iter().flatten().collect(), strict }
    }

    /// Whether it can read a file of a config or secret, which root owns; `None` if it depends on the image.
    pub(crate) fn can_read(&self, mode: u64, fs_group: Option<u64>) -> Option<bool> {
        // The group of the pod then owns the files and may read them.
        let mode = if fs_group.is_some() { mode | 0o440 } else { mode };
        let group = fs_group.unwrap_or(0);
        if mode & 0o004 != 0 || self.groups.contains(&group) && mode & 0o040 != 0 {
            return Some(true);
        }
        match self.uid {
            Some(0) => Some(mode & 0o400 != 0 || !self.strict),
            Some(_) => Some(false),
            None if self.strict => Some(false),
            None => None,
        }
    }
}

#[test]
fn texts_expand_as_kubernetes_documents() {
    let variables = Variables::from([("NAME".to_owned(), "<v>".to_owned())]);
    for (text, out) in [
        ("$(NAME)", "<v>"),
        ("$$(NAME)", "$(NAME)"),
        ("$(OTHER)", "$(OTHER)"),
        ("$", "$"),
        ("$$", "$"),
        ("$x $1 ${y}", "$x $1 ${y}"),
        ("$(open", "$(open"),
        ("5 $€", "5 $â\u{fffd}\u{fffd}"),
    ] {
        assert_eq!(expanded(text, &variables), out, "{text}");
    }
}

/// Checks that a text reaches the process unchanged: in a variable, between secrets in another one, in an argument
/// and in the command of a health check.
fn comes_back(text: &str) {
    let plain = quoted_plain(text);
    let inner = plain.trim_matches('"');
    let stack = formatdoc!(
        r#"
            [stack]
            name = "s"
            [secret.p]
            key.k = {{ env = "K" }}
            [service.a]
            image = "a:1.0"
            port.x = 1
            env.NAME = "v"
            env.TEXT = {plain}
            env.BOTH = "{{secret.p/k}}{inner}{{secret.p/k}}{inner}"
            args = [{plain}]
            health = {{ run = ["x", {}] }}
            [rules]
            placeholder-left = "off"
            secret-in-clear = "off"
            "#,
        fracht_testkit::random_stack::quoted(text)
    );
    let all = objects(&files(&stack), "cluster");
    let cluster = Cluster { objects: &all };
    let pods = cluster.pods();
    let container = pods[0].running().next().unwrap();
    let variables = cluster.variables_of(container);
    assert_eq!(variables["TEXT"], text);
    assert_eq!(variables["BOTH"], format!("<secret s-p k>{text}<secret s-p k>{text}"));
    assert_eq!(expanded(container["args"][0].as_str().unwrap(), &variables), text);
    let word = container["readinessProbe"]["exec"]["command"][1].as_str().unwrap();
    assert_eq!(expanded(word, &variables), text, "in a check");
    // The command of a shell is unchanged.
    assert!(text.contains("$$") || text.contains("$(NAME)") || !text.is_ascii() || word == text, "{word}");
}

#[test]
fn every_dollar_sign_round_trips() {
    for text in [
        "5 $€",
        "$é",
        "$$é",
        "$",
        "$$",
        "$$$",
        "a$",
        "$(NAME)",
        "$$(NAME)",
        "$(",
        "$)",
        "$x",
        "${HOME}",
        "$\u{1}",
        "$\n",
        "$(a$(NAME))",
        "€$",
        "$😀",
        "$$$€$",
        "test $(cat /x) = $HOME",
        "$(OTHER",
    ] {
        comes_back(text);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn every_text_with_dollar_signs_round_trips(text in "[$(){aé]{0,9}(\\$\\(NAME\\))?[$(){aé]{0,4}") {
        comes_back(&text);
    }
}
