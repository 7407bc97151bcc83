//! What every container has: those of services, tasks and helpers.

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use super::fields::Fields;
use super::health::{self, PodPorts};
use super::{Reader, mount};
use crate::diag::Diagnostic;
use crate::diag::suggest::Unknown;
use crate::grammar::image::{self, Image};
use crate::grammar::name::NameKind;
use crate::grammar::{duration, quantity, reference, user};
use crate::model::{BeforeStop, Confine, Container, Content, Mount, Spell, Text, Use, UseSource, Variable};
use crate::origin::At;
use crate::resolve::Allow;
use crate::tree::{Entry, Node, Value};

/// Reads a container. `owner` is such as `service.api`; `ports` is `None` for a task: it
/// has no ports, and no use for a check of health that a pattern has.
pub(super) fn read(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    ports: Option<PodPorts<'_>>,
) -> Container {
    let confine = fields.word(reader, "confine", &Confine::WORDS);
    let container = Container {
        image: image(reader, owner, fields),
        program: fields.texts(reader, "program"),
        args: fields.texts(reader, "args"),
        workdir: fields.plain(reader, "workdir"),
        user: fields.small(reader, "user", user::parse),
        confine: confine.unwrap_or(At::defaulted(Confine::Normal, "the default of a container")),
        uses: uses(reader, fields),
        env: env(reader, fields),
        mounts: mounts(reader, fields),
        health: fields
            .entry("health")
            .zip(ports)
            .map(|(entry, ports)| health::read(reader, owner, entry, ports)),
        before_stop: before_stop(reader, owner, fields),
        cpu: fields.small(reader, "cpu", quantity::cpu_bounds),
        memory: fields.small(reader, "memory", quantity::byte_bounds),
    };
    if let (Confine::Strict, Some(user)) = (container.confine.value, &container.user)
        && user.value.uid == 0
    {
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", format!("{owner} is confined strictly, and runs as root."))
                .at(user.span(), "the user 0 is root")
                .also(container.confine.span(), "refuses root")
                .help("Name another user, such as user = 10001, or write confine = \"normal\"."),
        );
    }
    container
}

fn image(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> At<Image> {
    let none = || At::defaulted(Image::default(), "nothing else");
    let build = fields.plain(reader, "build");
    if build.is_none() && fields.node("build").is_some() {
        return none(); // told by the check of shapes
    }
    if let Some(build) = build {
        if let Some(entry) = fields.entry("image") {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("{owner} has an image and a build."))
                    .at(entry.key_span, "`build` is given as well")
                    .help("Keep one of the two."),
            );
        }
        let image = reader.builds.get(&build.value).cloned();
        if let (None, Some(span)) = (&image, build.span()) {
            let unknown = Unknown { what: "build", name: &build.value, span, exact: false };
            reader.tainted = true;
            unknown.report(|| reader.builds.keys().map(|name| &**name), reader.sink);
        }
        return image.map_or_else(none, |value| At { value, origin: build.origin });
    }
    if fields.lacks("image") {
        // A target that lays something over a name that there is not looks like this.
        let names = reader.symbols.names("workload");
        let name = owner.split_once('.').map_or(owner, |(_, name)| name);
        let others: Vec<&str> = names.into_iter().filter(|other| *other != name).collect();
        let near = crate::diag::suggest::nearest(name, others).map(str::to_owned);
        reader.tainted = true;
        let mut problem = Diagnostic::new("missing-key", format!("{owner} has no `image`."))
            .at(fields.span, "`image` is missing")
            .help("Add it, for example: image = \"registry.example/tidedesk/gateway:2.1\"");
        if let Some(near) = near {
            problem = problem.help(format!("Or did you mean `{near}`?"));
        }
        reader.sink.push(problem);
    }
    let node = fields.node("image");
    node.and_then(|node| reader.image(node, &format!("The image of {owner}"))).unwrap_or_else(none)
}

impl Reader<'_> {
    /// An image reference that may have references in it; what it comes to must be one.
    pub(super) fn image(&mut self, node: &Node, what: &str) -> Option<At<Image>> {
        let text = self.text(node, Allow::Names).filter(Text::is_resolved)?;
        let plain = text.plain();
        match image::parse(&plain) {
            Ok(value) => return Some(At { value, origin: text.origin }),
            // Without references the check of shapes has said so.
            Err(_) if text.is_plain() => {}
            Err(reason) => {
                self.tainted = true;
                self.sink.push(
                    Diagnostic::new("bad-value", format!("{what} comes to `{plain}`, which is none."))
                        .at(text.origin.span(), "with its references resolved")
                        .help(format!("Here {reason}.")),
                );
            }
        }
        None
    }
}

fn env(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<Variable> {
    fields
        .map(reader, "env")
        .filter_map(|(name, entry)| {
            let value = reader.text(&entry.node, Allow::All)?;
            Some(Variable { name: Arc::clone(name), name_span: entry.key_span, value })
        })
        .collect()
}

fn mounts(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<Mount> {
    let mut mounts: Vec<Mount> = Vec::new();
    let mut places: HashMap<String, usize> = HashMap::new();
    for (path, entry) in fields.map(reader, "mount") {
        let Some(mount) = mount::read(reader, path, entry) else { continue };
        if path.split('/').find(|step| !step.is_empty()) == Some("proc") {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new("bad-value", format!("nothing can be mounted at `{path}`"))
                    .at(mount.path_span, "the processes, which no runtime lets be covered")
                    .help("mount it somewhere else, for example at `/etc/NAME`"),
            );
            continue;
        }
        let first = places.get(&place(path)).and_then(|index| mounts.get(*index));
        if let Some(first) = first {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new("defined-twice", format!("two things are mounted at `{}`", first.path))
                    .at(mount.path_span, "the same place")
                    .also(first.path_span, "first mounted here")
                    .help("keep one of the two, or change its path"),
            );
            continue;
        }
        places.insert(place(path), mounts.len());
        mounts.push(mount);
    }
    mounts
}

/// The place that a path leads to: slashes may be doubled, and stand at the end.
fn place(path: &str) -> String {
    path.split('/').filter(|step| !step.is_empty()).collect::<Vec<_>>().join("/")
}

fn before_stop(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Option<At<BeforeStop>> {
    let entry = fields.entry("before-stop")?;
    let inner = Fields::of(entry, reader);
    let run = inner.plains(reader, "run").filter(|run| !run.is_empty());
    let wait = inner.small(reader, "wait", duration::some);
    match (run, wait) {
        (Some(run), None) => {
            let command = run.into_iter().map(|word| word.value).collect();
            Some(At { value: BeforeStop::Run(command), origin: entry.node.origin() })
        }
        (None, Some(wait)) => Some(wait.map(BeforeStop::Wait)),
        (Some(_), Some(wait)) => {
            reader.sink.push(
                Diagnostic::new("bad-value", format!("{owner} does two things before it stops."))
                    .at(wait.span(), "`run` is given as well")
                    .help("Keep one of `run` and `wait`."),
            );
            None
        }
        (None, None) => {
            if inner.lacks("wait") {
                reader.missing(&format!("before-stop of {owner}"), inner.span, "run", "[\"drain\"]");
            }
            None
        }
    }
}

fn uses(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Vec<Use> {
    let Some(Value::List(items)) = fields.node("use").map(|node| &node.value) else {
        if let Some(node) = fields.node("use") {
            reader.lose(node.span);
        }
        return Vec::new();
    };
    items.iter().filter_map(|item| one_use(reader, item)).collect()
}

fn one_use(reader: &mut Reader<'_>, item: &Node) -> Option<Use> {
    let (from, prefix, spell) = if let Value::Table(_) = item.value {
        let entry = Entry { key_span: item.span, node: item.clone() };
        let fields = Fields::of(&entry, reader);
        let Some(from) = fields.plain(reader, "from") else {
            if fields.lacks("from") {
                reader.missing("This use", item.span, "from", "\"config.app\"");
            }
            return None;
        };
        let prefix = fields.plain(reader, "prefix").map(|prefix| prefix.value).unwrap_or_default();
        let spell = fields.word(reader, "spell", &Spell::WORDS).map_or(Spell::Same, |spell| spell.value);
        (from, prefix, spell)
    } else {
        let Some(text) = item.text() else {
            reader.lose(item.span);
            return None;
        };
        (At { value: Arc::clone(text), origin: item.origin() }, "".into(), Spell::Same)
    };
    let span = from.span().unwrap_or(item.span);
    let written = reference::parse(&from.value).ok().filter(|written| written.part.is_none());
    let Some(written) = written else {
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("bad-value", "A config or a secret is used as a whole here.")
                .at(span, "not the name of one")
                .help("For one key write a variable: env.NAME = \"{config.NAME/KEY}\"."),
        );
        return None;
    };
    let (source, keys) = match written.kind {
        "config" => match reader.symbols.config(written.name) {
            Some((id, _)) => {
                let settings = reader.settings.get(id.index()).cloned().unwrap_or_default();
                (Some(UseSource::Config(id)), settings)
            }
            None => (None, Vec::new()),
        },
        "secret" => match reader.symbols.secret(written.name) {
            Some((id, keys)) => (Some(UseSource::Secret(id)), keys.iter().map(Arc::clone).collect()),
            None => (None, Vec::new()),
        },
        _ => {
            reader.lose(span);
            return None;
        }
    };
    let Some(source) = source else {
        let unknown = Unknown { what: written.kind, name: written.name, span, exact: false };
        unknown.report(|| reader.symbols.names(written.kind), reader.sink);
        reader.tainted = true;
        return None;
    };
    let used = Use { source, prefix, spell, span };
    check_names(reader, &used, &keys, &from.value);
    Some(used)
}

/// Every key must come to the name of a variable.
fn check_names(reader: &mut Reader<'_>, used: &Use, keys: &[Arc<str>], from: &str) {
    let mut known: BTreeMap<String, &str> = BTreeMap::new();
    for key in keys {
        let name = used.variable(key);
        if let Some(first) = known.insert(name.clone(), key) {
            reader.tainted = true;
            let message = format!("the keys `{first}` and `{key}` of `{from}` are both spelled `{name}`");
            reader.sink.push(
                Diagnostic::new("env-name", message).at(used.span, "one of the two would be lost").help(
                    format!("rename one of the keys, or set one by hand: `env.NAME = \"{{{from}/{key}}}\"`"),
                ),
            );
            continue;
        }
        // Programs and shells know letters, digits and `_` only, whatever a cluster lets pass.
        let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        if plain && NameKind::Variable.check(&name).is_ok() {
            continue;
        }
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new("env-name", format!("The key {key} of {from} can't be the variable `{name}`."))
                .at(used.span, "all its keys become variables")
                .help(format!(
                    "Spell them as variables: {{ from = \"{from}\", spell = \"upper\" }}, or give them a prefix."
                )),
        );
    }
}

/// The keys of a config that are settings: its files are none.
pub(super) fn settings(config: &crate::model::Config) -> Vec<Arc<str>> {
    let setting = |key: &&crate::model::ConfigKey| !matches!(key.content, Content::File { .. });
    config.keys.iter().filter(setting).map(|key| Arc::clone(&key.name)).collect()
}
