//! Rules on what leads to ports: the hosts and paths of the shared web entry, and annotations.

use std::collections::BTreeMap;

use super::Rule;
use crate::diag::{Diagnostic, Sink};
use crate::model::{EntryKind, Model, Port, Reach, TargetKind, Text};

pub(super) static ENTRY_PATH: Rule = Rule {
    name: "entry-path",
    summary: "The web entry does not accept a path",
    why: "The cluster refuses the entry, or no request ever has that path.",
    fails: "[stack]\nname = \"s\"\n[target.prod]\ndomain = \"h.example\"\n\
            [service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"web\", path = \"/a//b\" }\n",
    passes: "[stack]\nname = \"s\"\n[target.prod]\ndomain = \"h.example\"\n\
             [service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"web\", path = \"/a/b\" }\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn entry_path(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    for workload in &model.workloads {
        for port in workload.ports().iter().filter(|port| port.reach.value == Reach::Web) {
            let path = &port.path.value;
            if !path.starts_with('/') {
                continue; // told where it was read
            }
            let Some((reason, help)) = refused(path, model.target.web.by.value) else { continue };
            let message = format!(
                "the entry of `{}/{}` does not take the path `{path}`",
                workload.reference(),
                port.name
            );
            sink.push(Diagnostic::new(&ENTRY_PATH, message).at(port.path.span(), reason).help(help));
        }
    }
}

/// Why a web entry does not accept a path, and what to do (validation of Ingress, networking.k8s.io/v1, and of
/// `HTTPRoute` path matches, gateway.networking.k8s.io/v1).
fn refused(path: &str, by: EntryKind) -> Option<(String, &'static str)> {
    /// The characters of a path besides letters and digits (RFC 3986, section 3.3).
    const OF_A_PATH: &str = "-./_~!$&'()*+,;=:@%";
    let encode = "write it as it stands in an address, for example `/b%C3%BC` for `/bü`";
    let inner = ["//", "/./", "/../", "%2f", "%2F"].into_iter().find(|part| path.contains(part));
    let end = ["/.", "/.."].into_iter().find(|end| path.ends_with(end));
    if let Some(part) = inner.or(end) {
        return Some((format!("`{part}` in a path"), "write the path that it comes to"));
    }
    if let Some(c) = path.chars().find(|c| c.is_control() || c.is_whitespace() || ['?', '#'].contains(c)) {
        return Some((format!("`{}` in a path", c.escape_default()), encode));
    }
    if by == EntryKind::Ingress {
        return None;
    }
    if path.len() > 1024 {
        return Some((format!("{} bytes, at most 1024", path.len()), "shorten it"));
    }
    if let Some(c) = path.chars().find(|c| !c.is_ascii_alphanumeric() && !OF_A_PATH.contains(*c)) {
        return Some((format!("`{c}` in a path"), encode));
    }
    let whole = |after: &str| after.bytes().take(2).filter(u8::is_ascii_hexdigit).count() == 2;
    if !path.split('%').skip(1).all(whole) {
        return Some(("`%` without two hex digits".into(), "write `%25` for a `%`"));
    }
    None
}

pub(super) static NOTE_CLASH: Rule = Rule {
    name: "note-clash",
    summary: "Two ports set one annotation of their object to different values",
    why: "The ports of a service that are open in the same way share an object, which has each annotation once.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
            port.one = { number = 80, reach = \"balancer\", note.\"x.example/y\" = \"1\" }\n\
            port.two = { number = 81, reach = \"balancer\", note.\"x.example/y\" = \"2\" }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
             port.one = { number = 80, reach = \"balancer\", note.\"x.example/y\" = \"1\" }\n\
             port.two = { number = 81, reach = \"balancer\" }\n",
    always_error: true,
    ..Rule::BASE
};

pub(super) fn note_clash(model: &Model, sink: &mut Sink) {
    if model.target.on.value != TargetKind::Cluster {
        return;
    }
    // A gateway has a route for each port.
    let has_own = |reach| reach == Reach::Web && model.target.web.by.value == EntryKind::Gateway;
    for workload in &model.workloads {
        let mut known: BTreeMap<(Reach, &str), (&Port, &Text)> = BTreeMap::new();
        for port in workload.ports().iter().filter(|port| !has_own(port.reach.value)) {
            for (name, text) in &port.notes {
                let (first, value) = *known.entry((port.reach.value, name)).or_insert((port, text));
                if value.plain_text() == text.plain_text() {
                    continue;
                }
                let message = format!(
                    "`{}` and `{}` of `{}` set the note `{name}` to different values",
                    first.name,
                    port.name,
                    workload.reference()
                );
                sink.push(
                    Diagnostic::new(&NOTE_CLASH, message)
                        .at(text.origin.span(), "set again here, for the same object")
                        .also(value.origin.span(), "first set here")
                        .help("remove one of them"),
                );
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_checked_by_kind_of_entry() {
        for path in ["/", "/a", "/a/", "/a.b/..c", "/v1/~x:y@z", "/a%20b"] {
            for by in [EntryKind::Ingress, EntryKind::Gateway] {
                assert_eq!(refused(path, by), None, "{path}");
            }
        }
        for path in [
            "//", "/a//b", "/a/./b", "/a/../b", "/a/.", "/a/..", "/a%2fb", "/a%2Fb", "/a b", "/a?b", "/a#b",
            "/a\u{1}",
        ] {
            for by in [EntryKind::Ingress, EntryKind::Gateway] {
                assert!(refused(path, by).is_some(), "{path}");
            }
        }
        for path in ["/bü", "/a|b", "/a%2", "/a%zz", "/{x}"] {
            assert_eq!(refused(path, EntryKind::Ingress), None, "{path}");
            assert!(refused(path, EntryKind::Gateway).is_some(), "{path}");
        }
        assert!(refused(&format!("/{}", "a".repeat(1024)), EntryKind::Gateway).is_some());
    }
}
