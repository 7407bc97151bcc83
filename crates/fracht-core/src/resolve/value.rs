//! What a reference stands for: the value of each kind.

use std::sync::Arc;

use super::symbols::{BuildSymbol, PortNames};
use super::text::{CONFIG, Here, Resolved};
use crate::diag::reading::{BAD_VALUE, SECRET_IN_CONFIG, UNKNOWN_NAME};
use crate::grammar::name::NameKind;
use crate::grammar::reference::{RefKind, References, Written};
use crate::grammar::word::Word as _;
use crate::model::{Address, Part, PodField};

impl Here<'_> {
    /// What a reference stands for.
    pub(super) fn resolve_exactly(&self, written: Written<'_>) -> Resolved {
        match written.kind {
            RefKind::Service => self.service(written),
            RefKind::Outside => self.outside(written),
            RefKind::Port => self.port_number(written),
            RefKind::Replica => self.replica(written, None),
            RefKind::Config => self.config(written),
            RefKind::Secret => self.secret(written),
            RefKind::Pod => self.pod(written),
            RefKind::Stack | RefKind::Target => self.fact(written),
            RefKind::Input => self.input(written),
            RefKind::Build => self.build(written),
            RefKind::Task | RefKind::Volume | RefKind::Network | RefKind::Pattern => {
                Err(self.unknown_kind(written.kind.word()))
            }
        }
    }

    fn service(&self, written: Written<'_>) -> Resolved {
        let Some((id, symbol)) = self.symbols.workload(written.name).filter(|(_, s)| !s.is_task) else {
            return self.not_found(written);
        };
        let Some(part) = written.part else {
            return Ok(Part::Known { text: written.name.into(), address: Some(Address::Service(id, None)) });
        };
        let Some((index, number)) = symbol.ports.get(part).copied() else {
            return self.no_port(written, &symbol.ports);
        };
        let text = [written.name, ":", &number.to_string()].concat().into();
        Ok(Part::Known { text, address: Some(Address::Service(id, Some(index))) })
    }

    fn outside(&self, written: Written<'_>) -> Resolved {
        let Some((id, symbol)) = self.symbols.outside(written.name) else {
            return self.not_found(written);
        };
        let Some(part) = written.part else {
            let address = Some(Address::Outside(id, None));
            return Ok(Part::Known { text: Arc::clone(&symbol.host), address });
        };
        let Some((index, number)) = symbol.ports.get(part).copied() else {
            return self.no_port(written, &symbol.ports);
        };
        let address = Some(Address::Outside(id, Some(index.index())));
        Ok(Part::Known { text: format!("{}:{number}", symbol.host).into(), address })
    }

    /// The result for a port that is not found: a problem, unless some ports could not be read.
    pub(super) fn no_port(&self, written: Written<'_>, ports: &PortNames) -> Resolved {
        let kinds = [RefKind::Service, RefKind::Outside];
        if written.part.is_some() && kinds.iter().any(|kind| self.symbols.is_incomplete(*kind, written.name))
        {
            return Ok(Part::Unresolved);
        }
        Err(self.unknown_part(written, "port", || ports.keys()))
    }

    fn port_number(&self, written: Written<'_>) -> Resolved {
        let service = self.symbols.workload(written.name).filter(|(_, s)| !s.is_task);
        let outside = || self.symbols.outside(written.name).map(|(_, symbol)| &symbol.ports);
        let Some(ports) = service.map(|(_, symbol)| &symbol.ports).or_else(outside) else {
            return self.not_found(written);
        };
        let found = written.part.and_then(|part| ports.get(part));
        let Some((_, number)) = found else {
            return self.no_port(written, ports);
        };
        Ok(Part::Known { text: number.to_string().into(), address: None })
    }

    fn config(&self, written: Written<'_>) -> Resolved {
        let Some((id, keys)) = self.symbols.config(written.name) else {
            return self.not_found(written);
        };
        if self.references != References::All {
            let message = format!("config values cannot be used in {}", self.place);
            let label = "known only to the cluster";
            return self.refuse(&BAD_VALUE, message, (label, "write the value, or set both from one input"));
        }
        match written.part.and_then(|part| keys.get(part)) {
            Some(key) => Ok(Part::Config(id, Arc::clone(key))),
            None if self.symbols.is_incomplete(RefKind::Config, written.name) => Ok(Part::Unresolved),
            None => Err(self.unknown_part(written, "key", || keys)),
        }
    }

    fn secret(&self, written: Written<'_>) -> Resolved {
        let Some((id, keys)) = self.symbols.secret(written.name) else {
            return self.not_found(written);
        };
        if self.references == References::Known {
            let message = format!("secrets cannot be used in {}", self.place);
            let help = if self.place.to_string() == CONFIG {
                "set the whole text as a variable of the service, or make it a file of a secret"
            } else {
                "remove it: use it in `env` or `args`, or mount the secret"
            };
            return self.refuse(&SECRET_IN_CONFIG, message, ("would be in plain text there", help));
        }
        match written.part.and_then(|part| keys.get(part)) {
            Some(key) => Ok(Part::Secret(id, Arc::clone(key))),
            None if self.symbols.is_incomplete(RefKind::Secret, written.name) => Ok(Part::Unresolved),
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
                let help = "write it as in `{pod.label/app.kubernetes.io/name}`";
                return self.refuse(&BAD_VALUE, message, ("not the name of a label", help));
            }
            ("label", Some(key)) => PodField::Label(key.into()),
            (name, _) => {
                let names = ["name", "namespace", "ip", "node", "label/KEY"];
                return Err(self.unknown((Some("pod"), "field"), name, 4, || names));
            }
        };
        if self.references != References::All {
            let message = format!("`{{pod.…}}` cannot be used in {}", self.place);
            let help = "remove it: use it in `env` or `args` of the service";
            return self.refuse(&BAD_VALUE, message, ("known only at run time", help));
        }
        Ok(Part::Pod(field))
    }

    fn input(&self, written: Written<'_>) -> Resolved {
        match self.symbols.inputs.get(written.name) {
            Some(Some(value)) => Ok(Part::Known { text: Arc::clone(value), address: None }),
            Some(None) => Ok(Part::Unresolved),
            None => self.not_found(written),
        }
    }

    fn build(&self, written: Written<'_>) -> Resolved {
        match self.symbols.build(written.name) {
            Some((_, BuildSymbol::Known(image))) => {
                Ok(Part::Known { text: Arc::clone(image.text()), address: None })
            }
            Some((_, BuildSymbol::Unread)) => Ok(Part::Unresolved),
            Some((_, BuildSymbol::Later)) => {
                let message = format!("`{{build.{}}}` cannot be used in {}", written.name, self.place);
                self.refuse(&BAD_VALUE, message, ("the image of a build", "write the value itself"))
            }
            None => self.not_found(written),
        }
    }

    fn fact(&self, written: Written<'_>) -> Resolved {
        let facts = &self.symbols.facts;
        let known = |text: &Arc<str>| Ok(Part::Known { text: Arc::clone(text), address: None });
        let optional = |text: &Option<Arc<str>>| match text {
            Some(text) => known(text),
            None => {
                let key = written.name;
                let message = format!("target `{}` has no `{key}`", facts.target);
                let help = format!("add `{key} = \"…\"` to `[target.{}]`", facts.target);
                self.refuse(&UNKNOWN_NAME, message, ("not set for this target", &help))
            }
        };
        match (written.kind, written.name, written.part) {
            (RefKind::Stack, "name", None) => known(&facts.stack),
            (RefKind::Target, "name", None) => known(&facts.target),
            (RefKind::Target, "namespace", None) => known(&facts.namespace),
            (RefKind::Target, "domain", None) => optional(&facts.domain),
            (RefKind::Target, "registry", None) => optional(&facts.registry),
            (kind, name, _) => {
                let names: &[&str] = if kind == RefKind::Stack {
                    &["name"]
                } else {
                    &["name", "namespace", "domain", "registry"]
                };
                let kind = kind.word();
                Err(self.unknown((Some(kind), "field"), name, kind.len() + 1, || names.iter().copied()))
            }
        }
    }
}
