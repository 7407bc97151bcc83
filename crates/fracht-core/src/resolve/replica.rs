//! Resolves references to replicas: `replica.NAME.0`, `replica.NAME.all` and `replica.NAME.any`, maybe with a port.

use super::symbols::ReplicaCount;
use super::text::{Here, Resolved};
use crate::diag::reading::BAD_VALUE;
use crate::grammar::reference::Written;
use crate::model::replica::{self, Which};
use crate::model::{Address, Part};

/// The most replicas that a list names, so that a short text does not become a very long one.
const MOST_LISTED: u32 = 1000;

/// The separator of a list.
const COMMA: &str = ",";

impl Here<'_> {
    /// Resolves a reference to replicas; `separator` is that of a list, if it names one.
    pub(super) fn replica(&self, written: Written<'_>, separator: Option<&str>) -> Resolved {
        let Some((name, which)) = written.name.rsplit_once('.') else {
            let name = written.name;
            let help = format!("for example `{{replica.{name}.0}}`, or of all: `{{replica.{name}.all}}`");
            let message = format!("`replica.{name}` does not say which replica");
            return self.refuse(&BAD_VALUE, message, ("`.0`, `.all` or `.any` is missing", &help));
        };
        let service = Written { name, ..written };
        let Some((id, symbol)) = self.symbols.workload(name).filter(|(_, symbol)| !symbol.is_task) else {
            return self.not_found(service);
        };
        let Some(which) = Which::parse(which) else {
            let message = format!("`{which}` is not a replica of `service.{name}`");
            let help = "write a number from 0, `all` for a list, or `any` for the name that leads to all";
            return self.refuse(&BAD_VALUE, message, ("not a number, `all` or `any`", help));
        };
        if separator.is_some() && which != Which::All {
            let help = "remove `join`, or refer to `.all`";
            return self.refuse(&BAD_VALUE, "only `.all` can be joined".into(), ("one address", help));
        }
        if !symbol.has_stable_names {
            let message = format!("the replicas of `service.{name}` have no names of their own");
            let help = format!("add `stable-names = true` to `[service.{name}]`");
            return self.refuse(&BAD_VALUE, message, ("a replica gets a new name at each start", &help));
        }
        let port = match written.part {
            None => None,
            Some(part) => match symbol.ports.get(part).copied() {
                None => return self.no_port(service, &symbol.ports),
                // A replica is reached directly: at the number on which it listens.
                Some((index, _)) => {
                    Some((index, symbol.listens.get(index.index()).copied().unwrap_or_default()))
                }
            },
        };
        let Some(count) = symbol.replicas else { return Ok(Part::Unresolved) };
        let pods = self.symbols.pods_name(name);
        let host = |index| replica::host(name, index, &pods);
        let hosts = match (which, count) {
            (Which::Any, _) => vec![pods],
            (Which::One(index), ReplicaCount::Fixed(least) | ReplicaCount::Growing(least)) => {
                if index >= least {
                    return self.out_of_range(name, index, count);
                }
                vec![host(index)]
            }
            (Which::All, ReplicaCount::Fixed(count)) if count > MOST_LISTED => {
                let message = format!("`service.{name}` has {count} replicas, too many to list");
                let help = format!("refer to those that run: `{{replica.{name}.any}}`");
                return self.refuse(&BAD_VALUE, message, ("at most 1000 are listed", &help));
            }
            (Which::All, ReplicaCount::Fixed(count)) => (0..count).map(host).collect(),
            (Which::All, ReplicaCount::Growing(_)) => {
                let message = format!("the replicas of `service.{name}` change with the load");
                let help =
                    format!("refer to those that run, `{{replica.{name}.any}}`, or set a fixed number");
                return self.refuse(&BAD_VALUE, message, ("a list that would not follow them", &help));
            }
        };
        let address = |host: String| match port {
            Some((_, number)) => format!("{host}:{number}"),
            None => host,
        };
        let texts: Vec<String> = hosts.into_iter().map(address).collect();
        Ok(Part::Known {
            text: texts.join(separator.unwrap_or(COMMA)).into(),
            address: Some(Address::Service(id, port.map(|(index, _)| index))),
        })
    }

    fn out_of_range(&self, name: &str, index: u32, count: ReplicaCount) -> Resolved {
        let there = match count {
            ReplicaCount::Fixed(0) => "it has none".to_owned(),
            ReplicaCount::Fixed(1) => "it has one, 0".to_owned(),
            ReplicaCount::Fixed(count) => format!("it has {count}, 0 to {}", count.saturating_sub(1)),
            ReplicaCount::Growing(least) => format!("only 0 to {} are always there", least.saturating_sub(1)),
        };
        let message = format!("`service.{name}` has no replica {index}");
        let help = format!("refer to another one, or raise the replicas of `service.{name}`");
        self.refuse(&BAD_VALUE, message, (&there, &help))
    }
}
