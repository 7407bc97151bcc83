//! Reads the keys that every container has: those of services, tasks and sidecars.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use rustc_hash::FxBuildHasher;

use super::fields::Fields;
use super::health::{self, PodPorts};
use super::{Reader, mount};
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, DEFINED_TWICE, ENV_NAME};
use crate::grammar::image::{self, Image};
use crate::grammar::name::NameKind;
use crate::grammar::reference::{RefKind, Reference};
use crate::grammar::word::Word;
use crate::language::container::{
    ARGS, BEFORE_STOP, BEFORE_STOP_TABLE, BUILD, CONFINE, CPU, ENV, FETCH, FROM, IMAGE, IMAGE_OR_BUILD,
    MEMORY, PREFIX, PROGRAM, RUN, SPELL, USE, USE_TABLE, USER, WAIT, WORKDIR,
};
use crate::language::health::HEALTH;
use crate::language::mount::MOUNT;
use crate::model::{BeforeStop, Confine, Container, Mount, Spell, Unread, Use, UseSource, Variable};
use crate::origin::Sourced;
use crate::resolve::BuildSymbol;
use crate::tree::Entry;

/// Reads a container. `owner` is such as `service.api`. `ports` is `None` for a task: it has no ports, and a health
/// check that a pattern gives it has no effect.
pub(super) fn read(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    ports: Option<PodPorts<'_>>,
    unread: &mut Unread,
) -> Container {
    let container = Container {
        build: fields.get(reader, &BUILD).and_then(|build| Some(reader.symbols.build(&build.value)?.0)),
        image: reader.noting(unread, &IMAGE, |reader| image(reader, owner, fields)),
        fetch: fields.get(reader, &FETCH),
        program: fields.texts(reader, &PROGRAM),
        args: fields.texts(reader, &ARGS),
        workdir: fields.get(reader, &WORKDIR),
        user: reader.noting(unread, &USER, |reader| fields.get(reader, &USER)),
        confine: reader.noting(unread, &CONFINE, |reader| fields.or_default(reader, &CONFINE)),
        uses: reader.noting(unread, &USE, |reader| uses(reader, fields)),
        env: reader.noting(unread, &ENV, |reader| env(reader, fields)),
        mounts: reader.noting(unread, &MOUNT, |reader| mounts(reader, fields)),
        health: reader.noting(unread, &HEALTH, |reader| {
            let health = fields.entry(&HEALTH).zip(ports);
            health.map(|(entry, ports)| health::read(reader, owner, entry, ports))
        }),
        before_stop: before_stop(reader, owner, fields),
        cpu: reader.noting(unread, &CPU, |reader| fields.get(reader, &CPU)),
        memory: reader.noting(unread, &MEMORY, |reader| fields.get(reader, &MEMORY)),
    };
    if let (Confine::Strict, Some(user)) = (container.confine.value, &container.user)
        && user.value.uid == 0
    {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(
                &BAD_VALUE,
                format!("`{owner}` runs as root, which `confine = \"strict\"` forbids"),
            )
            .at(user.span(), "user 0 is root")
            .also(container.confine.span(), "forbids root")
            .help("use another user, for example `user = 10001`")
            .help("or write `confine = \"normal\"`"),
        );
    }
    container
}

fn image(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Sourced<Image> {
    if fields.entry(&BUILD).is_some() {
        if fields.entry(&IMAGE).is_some() {
            fields.both(reader, owner, &IMAGE, &BUILD);
        }
        return built(reader, fields).unwrap_or_else(|| reader.stand_in(Image::default()));
    }
    if fields.lacks(&IMAGE) {
        fields.missing(reader, owner, IMAGE_OR_BUILD);
    }
    let image = reader.parsed(fields, &IMAGE, image::parse_shared);
    let image = image.map(|image| image.map(|image| reader.pinned(image)));
    image.unwrap_or_else(|| reader.stand_in(Image::default()))
}

/// The image of a build.
fn built(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Option<Sourced<Image>> {
    let build = fields.get(reader, &BUILD)?;
    let Some((_, symbol)) = reader.symbols.build(&build.value) else {
        reader.unknown(RefKind::Build, &build.value, build.span()?);
        return None;
    };
    let BuildSymbol::Known(image) = symbol.clone() else {
        reader.taint(); // its tag could not be read, and is reported
        return None;
    };
    Some(Sourced { value: image, origin: build.origin })
}

fn env(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Box<[Variable]> {
    let entries = fields.named(reader, &ENV);
    let mut env = Vec::with_capacity(entries.len());
    env.extend(entries.filter_map(|(name, entry)| {
        let value = reader.text(&entry.node, &ENV.takes, &"a variable")?;
        Some(Variable { name: Arc::clone(name), name_span: entry.key_span, value })
    }));
    env.into()
}

fn mounts(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Box<[Mount]> {
    let entries = fields.named(reader, &MOUNT);
    let mut mounts: Vec<Mount> = Vec::with_capacity(entries.len());
    let mut places: HashMap<Cow<'_, str>, usize, FxBuildHasher> = HashMap::default();
    for (path, entry) in entries {
        let Some(mount) = mount::read(reader, path, entry) else { continue };
        if path.split('/').find(|step| !step.is_empty()) == Some("proc") {
            reader.taint();
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("nothing can be mounted at `{path}`"))
                    .at(mount.path_span, "the processes, which no runtime lets be covered")
                    .help("mount it somewhere else, for example at `/etc/NAME`"),
            );
            continue;
        }
        let place = place(path);
        let first = places.get(&place).and_then(|index| mounts.get(*index));
        if let Some(first) = first {
            reader.taint();
            reader.sink.push(
                Diagnostic::new(&DEFINED_TWICE, format!("two things are mounted at `{}`", first.path))
                    .at(mount.path_span, "the same place")
                    .also(first.path_span, "first mounted here")
                    .help("keep one of the two, or change its path"),
            );
            continue;
        }
        places.insert(place, mounts.len());
        mounts.push(mount);
    }
    mounts.into()
}

/// The path in its shortest form: without double slashes and without one at the end.
fn place(path: &str) -> Cow<'_, str> {
    let path = path.trim_matches('/');
    if path.contains("//") {
        Cow::Owned(path.split('/').filter(|step| !step.is_empty()).collect::<Vec<_>>().join("/"))
    } else {
        Cow::Borrowed(path)
    }
}

fn before_stop(reader: &mut Reader<'_>, owner: &str, fields: &Fields<'_>) -> Option<Sourced<BeforeStop>> {
    let entry = fields.entry(&BEFORE_STOP)?;
    let inner = fields.table(reader, &BEFORE_STOP)?;
    match (inner.entry(&RUN), inner.entry(&WAIT)) {
        (Some(run), None) => {
            let command = inner.list(reader, &RUN)?;
            if run.node.items().is_empty() {
                reader.empty(&format!("`before-stop` of `{owner}`"), &run.node, &RUN);
            }
            Some(Sourced { value: BeforeStop::Run(command), origin: entry.node.origin() })
        }
        (None, Some(_)) => Some(inner.get(reader, &WAIT)?.map(BeforeStop::Wait)),
        (Some(_), Some(_)) => {
            inner.both(reader, &format!("`before-stop` of `{owner}`"), &RUN, &WAIT);
            None
        }
        (None, None) => {
            inner.missing(reader, &format!("`before-stop` of `{owner}`"), BEFORE_STOP_TABLE.one_of);
            None
        }
    }
}

fn uses(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Box<[Use]> {
    fields.tables(reader, &USE).iter().filter_map(|entry| one_use(reader, entry)).collect()
}

fn one_use(reader: &mut Reader<'_>, entry: &Entry) -> Option<Use> {
    let fields = Fields::of(entry, &USE_TABLE, reader);
    fields.require(reader, "a use table", &FROM);
    let from = fields.get(reader, &FROM)?;
    let span = from.span().unwrap_or(entry.key_span);
    let Reference { kind, name, part } = from.value;
    if let Some(part) = part {
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&BAD_VALUE, "`use` takes a whole config or secret, not one key")
                .at(span, "names one key")
                .fix(span, format!("\"{}.{name}\"", kind.word()), format!("write `{}.{name}`", kind.word()))
                .help(format!(
                    "or for one key, set a variable: `env.NAME = \"{{{}.{name}/{part}}}\"`",
                    kind.word()
                )),
        );
        return None;
    }
    let found = if kind == RefKind::Config {
        reader.symbols.config(&name).map(|(id, _)| {
            let settings = reader.settings.get(id.index()).cloned().unwrap_or_default();
            (UseSource::Config(id), settings)
        })
    } else {
        let secret = reader.symbols.secret(&name);
        secret.map(|(id, keys)| (UseSource::Secret(id), keys.iter().map(Arc::clone).collect()))
    };
    let Some((source, keys)) = found else {
        reader.unknown(kind, &name, span);
        return None;
    };
    let prefix = fields.get(reader, &PREFIX).map(|prefix| prefix.value).unwrap_or_default();
    let used = Use { source, prefix, spell: fields.or_default(reader, &SPELL).value, span };
    if !fields.has_invalid(reader, &[&PREFIX, &SPELL]) {
        check_names(reader, &used, &keys, &format!("{}.{name}", kind.word()));
    }
    Some(used)
}

/// Reports keys that do not become valid names of variables.
fn check_names(reader: &mut Reader<'_>, used: &Use, keys: &[Arc<str>], from: &str) {
    let mut known: BTreeMap<String, &str> = BTreeMap::new();
    let mut help = None;
    for key in keys {
        let name = used.variable(key);
        if let Some(first) = known.insert(name.clone(), key) {
            reader.taint();
            let message = format!("the keys `{first}` and `{key}` of `{from}` are both spelled `{name}`");
            reader.sink.push(
                Diagnostic::new(&ENV_NAME, message).at(used.span, "one of the two would be lost").help(
                    format!("rename one of the keys, or set one by hand: `env.NAME = \"{{{from}/{key}}}\"`"),
                ),
            );
            continue;
        }
        // A name that is none of a key has been reported.
        if is_variable(&name) || NameKind::Key.check(key).is_err() {
            continue;
        }
        reader.taint();
        reader.sink.push(
            Diagnostic::new(&ENV_NAME, format!("key `{key}` of `{from}` is not a valid variable name"))
                .at(used.span, "all its keys become variables")
                .help(help.get_or_insert_with(|| converted(used, keys, from)).clone())
                .help(format!("or if `{key}` is a file, move it to a table of its own and mount that")),
        );
    }
}

/// Whether a name is one of a variable. A cluster accepts more, but programs and shells only letters, digits and `_`.
fn is_variable(name: &str) -> bool {
    name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_') && NameKind::Variable.check(name).is_ok()
}

/// How to convert the names of keys, so that they are those of variables.
fn converted(used: &Use, keys: &[Arc<str>], from: &str) -> String {
    let prefix = if used.prefix.is_empty() { Arc::from("APP_") } else { Arc::clone(&used.prefix) };
    let with = |prefix: &Arc<str>, spell| Use { prefix: Arc::clone(prefix), spell, ..used.clone() };
    let ways = [with(&used.prefix, Spell::Upper), with(&prefix, Spell::Same), with(&prefix, Spell::Upper)];
    let fits = |way: &&Use| {
        let names: BTreeSet<String> = keys.iter().map(|key| way.variable(key)).collect();
        names.len() == keys.len() && names.iter().all(|name| is_variable(name))
    };
    let Some(way) = ways.iter().find(fits) else {
        return format!("rename the key, or set each variable by hand: `env.NAME = \"{{{from}/KEY}}\"`");
    };
    let prefix = if way.prefix.is_empty() { String::new() } else { format!(", prefix = \"{}\"", way.prefix) };
    let spell = if way.spell == Spell::Upper { ", spell = \"upper\"" } else { "" };
    format!("convert the names: `{{ from = \"{from}\"{prefix}{spell} }}`")
}

/// The keys of a config that are settings, not files.
pub(super) fn settings(config: &crate::model::Config) -> Vec<Arc<str>> {
    config.keys.iter().filter(|key| key.is_setting()).map(|key| Arc::clone(&key.name)).collect()
}
