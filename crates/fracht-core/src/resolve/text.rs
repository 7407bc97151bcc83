//! Text with references in braces to text with what they mean.

use std::sync::Arc;

use super::Symbols;
use crate::diag::suggest::{UNKNOWN_NAME, Unknown};
use crate::diag::{Diagnostic, Sink};
use crate::grammar::name::NameKind;
use crate::grammar::reference::{self, Piece, Written, single_braces};
use crate::model::{Address, Part, PodField, Text};
use crate::origin::Origin;
use crate::source::{Sources, Span};

/// What a text may refer to, apart from names and numbers of the stack.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Allow {
    /// Everything: variables and arguments.
    All,
    /// Nothing that is kept elsewhere or known at run time only: the text of a config.
    Names,
}

/// Resolves `written`, the value of a text at `origin`. What can't be resolved is reported and left out.
pub(crate) fn text(
    written: &Arc<str>,
    origin: Origin,
    allow: Allow,
    symbols: &Symbols,
    sources: &Sources,
    sink: &mut Sink,
) -> Text {
    let Some(span) = origin.span().filter(|_| written.contains(['{', '}'])) else {
        return Text { parts: vec![Part::Plain(Arc::clone(written))], origin };
    };
    let exact = plain_offset(written, span, sources);
    let place = |range: std::ops::Range<usize>| match exact {
        Some(offset) => span.part(offset + range.start, offset + range.end),
        None => span,
    };
    let mut parts = Vec::new();
    for piece in reference::pieces(written) {
        match piece {
            Piece::Plain(plain) => parts.push(Part::Plain(single_braces(plain).into())),
            Piece::Stray(at) => {
                let brace = written.get(at..=at).unwrap_or("{");
                let here = place(at..at + 1);
                let problem = Diagnostic::new("bad-value", format!("This `{brace}` has no partner."))
                    .at(here, "a single brace begins or ends a reference")
                    .help(format!("A plain brace is written twice: {brace}{brace}."));
                sink.push(if exact.is_some() {
                    problem.fix(here, brace.repeat(2), "double it")
                } else {
                    problem
                });
            }
            Piece::Braces(inner, range) => {
                let counts_only = sink.is_full(UNKNOWN_NAME);
                let here = Here { span: place(range), exact: exact.is_some(), symbols, allow, counts_only };
                match reference::parse(inner) {
                    Ok(written) => match here.resolve(written) {
                        Ok(part) => parts.push(part),
                        Err(problem) => {
                            parts.push(Part::Unresolved);
                            sink.push(*problem);
                        }
                    },
                    Err(reason) => {
                        parts.push(Part::Unresolved);
                        sink.push(
                            Diagnostic::new("bad-value", "What stands in these braces is not a reference.")
                                .at(here.span, "not a reference")
                                .help(format!("Here {reason}; plain braces are written twice: {{{{ }}}}.")),
                        );
                    }
                }
            }
        }
    }
    Text { parts, origin }
}

/// Where in the source the value begins, if the source holds it letter by letter.
fn plain_offset(value: &str, span: Span, sources: &Sources) -> Option<usize> {
    let raw = sources.text(span);
    if raw == value {
        return Some(0); // a value of a file of lines, without quotes
    }
    [3, 1].into_iter().find(|quotes| {
        let inside = raw.len().checked_sub(*quotes).and_then(|end| raw.get(*quotes..end));
        inside == Some(value)
    })
}

/// Where a reference stands.
struct Here<'a> {
    span: Span,
    exact: bool,
    symbols: &'a Symbols,
    allow: Allow,
    /// Whether so many unknown names have been told that one more is only counted.
    counts_only: bool,
}

type Resolved = Result<Part, Box<Diagnostic>>;

impl Here<'_> {
    fn resolve(&self, written: Written<'_>) -> Resolved {
        match written.kind {
            "service" => self.service(written),
            "outside" => self.outside(written),
            "port" => self.port_number(written),
            "config" => self.config(written),
            "secret" => self.secret(written),
            "pod" => self.pod(written),
            "stack" | "target" => self.fact(written),
            "input" => self.input(written),
            kind => {
                let kinds =
                    ["service", "outside", "port", "config", "secret", "input", "pod", "stack", "target"];
                Err(self.unknown("kind of reference", kind, (0, kind.len()), || kinds))
            }
        }
    }

    /// A problem with a name that stands `from` to `to` bytes into the reference.
    fn unknown<'n, I>(
        &self,
        what: &str,
        name: &str,
        (from, to): (usize, usize),
        names: impl FnOnce() -> I,
    ) -> Box<Diagnostic>
    where
        I: IntoIterator<Item = &'n str, IntoIter: Clone>,
    {
        let span = if self.exact { self.span.part(from, to) } else { self.span };
        Box::new(if self.counts_only {
            Diagnostic::new(UNKNOWN_NAME, "").at(span, "")
        } else {
            Unknown { what, name, span, exact: self.exact }.among(names())
        })
    }

    fn unknown_name(&self, written: Written<'_>) -> Box<Diagnostic> {
        let kind = if written.kind == "port" { "service" } else { written.kind };
        let from = written.kind.len() + 1;
        self.unknown(kind, written.name, (from, from + written.name.len()), || self.symbols.names(kind))
    }

    fn unknown_part<'n, I>(
        &self,
        written: Written<'_>,
        what: &str,
        parts: impl FnOnce() -> I,
    ) -> Box<Diagnostic>
    where
        I: IntoIterator<Item = &'n Arc<str>, IntoIter: Clone>,
    {
        let Written { kind, name, part } = written;
        // A number is asked of a service, or of something outside.
        let owner = match kind {
            "port" if self.symbols.outside(name).is_some() => "outside",
            "port" => "service",
            kind => kind,
        };
        let what = format!("{what} of {owner}.{name}");
        let Some(part) = part else {
            let message = format!("`{kind}.{name}` does not say which {what}.");
            let first = parts().into_iter().next().map_or("NAME", |first| &**first);
            return Box::new(
                Diagnostic::new("bad-value", message)
                    .at(self.span, "a part is missing")
                    .help(format!("Write {{{kind}.{name}/{first}}}, for example.")),
            );
        };
        let from = kind.len() + name.len() + 2;
        self.unknown(&what, part, (from, from + part.len()), || parts().into_iter().map(|name| &**name))
    }

    fn refuse(&self, rule: &'static str, message: String, help: &str) -> Resolved {
        let problem = Diagnostic::new(rule, message).at(self.span, "can't be used here");
        Err(Box::new(problem.help(help)))
    }

    fn service(&self, written: Written<'_>) -> Resolved {
        let Some((id, symbol)) = self.symbols.workload(written.name).filter(|(_, s)| !s.is_task) else {
            return Err(self.unknown_name(written));
        };
        let Some(part) = written.part else {
            return Ok(Part::Known { text: written.name.into(), address: Some(Address::Service(id, None)) });
        };
        let Some((index, number)) = symbol.ports.get(part).copied() else {
            return Err(self.unknown_part(written, "port", || symbol.ports.keys()));
        };
        let text = format!("{}:{number}", written.name).into();
        Ok(Part::Known { text, address: Some(Address::Service(id, Some(index))) })
    }

    fn outside(&self, written: Written<'_>) -> Resolved {
        let Some((id, symbol)) = self.symbols.outside(written.name) else {
            return Err(self.unknown_name(written));
        };
        let address = Some(Address::Outside(id));
        let Some(part) = written.part else {
            return Ok(Part::Known { text: Arc::clone(&symbol.host), address });
        };
        let Some((_, number)) = symbol.ports.get(part).copied() else {
            return Err(self.unknown_part(written, "port", || symbol.ports.keys()));
        };
        Ok(Part::Known { text: format!("{}:{number}", symbol.host).into(), address })
    }

    fn port_number(&self, written: Written<'_>) -> Resolved {
        let service = self.symbols.workload(written.name).filter(|(_, s)| !s.is_task);
        let outside = || self.symbols.outside(written.name).map(|(_, symbol)| &symbol.ports);
        let Some(ports) = service.map(|(_, symbol)| &symbol.ports).or_else(outside) else {
            return Err(self.unknown_name(written));
        };
        let found = written.part.and_then(|part| ports.get(part));
        let Some((_, number)) = found else {
            return Err(self.unknown_part(written, "port", || ports.keys()));
        };
        Ok(Part::Known { text: number.to_string().into(), address: None })
    }

    fn config(&self, written: Written<'_>) -> Resolved {
        let Some((id, keys)) = self.symbols.config(written.name) else {
            return Err(self.unknown_name(written));
        };
        if self.allow == Allow::Names {
            let message = "A config can't take a value of a config.".to_owned();
            return self.refuse("bad-value", message, "Write the value, or set both from one place.");
        }
        match written.part.and_then(|part| keys.get(part)) {
            Some(key) => Ok(Part::Config(id, Arc::clone(key))),
            None if self.symbols.is_incomplete("config", written.name) => Ok(Part::Unresolved),
            None => Err(self.unknown_part(written, "key", || keys)),
        }
    }

    fn secret(&self, written: Written<'_>) -> Resolved {
        let Some((id, keys)) = self.symbols.secret(written.name) else {
            return Err(self.unknown_name(written));
        };
        if self.allow == Allow::Names {
            let message =
                format!("The secret {}.{} would stand in clear in a config.", "secret", written.name);
            return self.refuse(
                "secret-in-config",
                message,
                "Set the whole text as a variable of the service, or keep the text as a secret.",
            );
        }
        match written.part.and_then(|part| keys.get(part)) {
            Some(key) => Ok(Part::Secret(id, Arc::clone(key))),
            None if self.symbols.is_incomplete("secret", written.name) => Ok(Part::Unresolved),
            None => Err(self.unknown_part(written, "key", || keys)),
        }
    }

    fn pod(&self, written: Written<'_>) -> Resolved {
        let field = match (written.name, written.part) {
            ("name", None) => PodField::Name,
            ("namespace", None) => PodField::Namespace,
            ("ip", None) => PodField::Ip,
            ("node", None) => PodField::Node,
            ("label", Some(key)) if NameKind::Qualified.check(key).is_err() => {
                let message = format!("`{key}` is not the name of a label");
                return self.refuse(
                    "bad-value",
                    message,
                    "write it as in `{pod.label/app.kubernetes.io/name}`",
                );
            }
            ("label", Some(key)) => PodField::Label(key.into()),
            (name, _) => {
                let names = ["name", "namespace", "ip", "node", "label/KEY"];
                return Err(self.unknown("field of the pod", name, (4, 4 + name.len()), || names));
            }
        };
        if self.allow == Allow::Names {
            let message = "What a pod is called is not known when a config is made.".to_owned();
            return self.refuse("bad-value", message, "Set it as a variable of the service.");
        }
        Ok(Part::Pod(field))
    }

    fn input(&self, written: Written<'_>) -> Resolved {
        match self.symbols.inputs.get(written.name) {
            Some(Some(value)) => Ok(Part::Known { text: Arc::clone(value), address: None }),
            Some(None) => Ok(Part::Unresolved),
            None => Err(self.unknown_name(written)),
        }
    }

    fn fact(&self, written: Written<'_>) -> Resolved {
        let facts = &self.symbols.facts;
        let known = |text: &Arc<str>| Ok(Part::Known { text: Arc::clone(text), address: None });
        let optional = |text: &Option<Arc<str>>| match text {
            Some(text) => known(text),
            None => {
                let key = written.name;
                let message = format!("The target {} has no {key}.", facts.target);
                self.refuse("unknown-name", message, &format!("Add `{key} = \"…\"` to the target."))
            }
        };
        match (written.kind, written.name, written.part) {
            ("stack", "name", None) => known(&facts.stack),
            ("target", "name", None) => known(&facts.target),
            ("target", "namespace", None) => known(&facts.namespace),
            ("target", "domain", None) => optional(&facts.domain),
            ("target", "registry", None) => optional(&facts.registry),
            (kind, name, _) => {
                let names: &[&str] =
                    if kind == "stack" { &["name"] } else { &["name", "namespace", "domain", "registry"] };
                let from = kind.len() + 1;
                let what = format!("field of {kind}");
                Err(self.unknown(&what, name, (from, from + name.len()), || names.iter().copied()))
            }
        }
    }
}
