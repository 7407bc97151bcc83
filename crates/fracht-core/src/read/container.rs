//! Reads the keys that every container has: those of services, tasks and sidecars.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use rustc_hash::FxBuildHasher;

use super::fields::Fields;
use super::health::{self, PodPorts};
use super::{Reader, mount};
use crate::diag::Diagnostic;
use crate::diag::reading::{BAD_VALUE, DEFINED_TWICE, ENV_NAME, MISSING_KEY};
use crate::diag::unknown::nearest;
use crate::grammar::image::{self, Image};
use crate::grammar::name::NameKind;
use crate::grammar::reference::{RefKind, Reference};
use crate::grammar::word::Word;
use crate::language::container::{
    ARGS, BEFORE_STOP, BEFORE_STOP_TABLE, BUILD, CONFINE, CPU, ENV, FROM, IMAGE, IMAGE_OR_BUILD, MEMORY,
    PREFIX, PROGRAM, RUN, SPELL, USE, USE_TABLE, USER, WAIT, WORKDIR,
};
use crate::language::health::HEALTH;
use crate::language::mount::MOUNT;
use crate::model::{BeforeStop, Confine, Container, Content, Mount, Use, UseSource, Variable};
use crate::origin::Sourced;
use crate::tree::Entry;

/// Reads a container. `owner` is such as `service.api`. `ports` is `None` for a task: it has no ports, and a health
/// check that a pattern gives it has no effect.
pub(super) fn read(
    reader: &mut Reader<'_>,
    owner: &str,
    fields: &Fields<'_>,
    ports: Option<PodPorts<'_>>,
) -> Container {
    let container = Container {
        image: image(reader, owner, fields),
        program: fields.texts(reader, &PROGRAM),
        args: fields.texts(reader, &ARGS),
        workdir: fields.get(reader, &WORKDIR),
        user: fields.get(reader, &USER),
        confine: fields.or_default(reader, &CONFINE),
        uses: uses(reader, fields),
        env: env(reader, fields),
        mounts: mounts(reader, fields),
        health: fields
            .entry(&HEALTH)
            .zip(ports)
            .map(|(entry, ports)| health::read(reader, owner, entry, ports)),
        before_stop: before_stop(reader, owner, fields),
        cpu: fields.get(reader, &CPU),
        memory: fields.get(reader, &MEMORY),
    };
    if let (Confine::Strict, Some(user)) = (container.confine.value, &container.user)
        && user.value.uid == 0
    {
        reader.tainted = true;
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
    let unread = || Sourced::defaulted(Image::default());
    if let Some(entry) = fields.entry(&BUILD) {
        if let Some(image) = fields.entry(&IMAGE) {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("`{owner}` sets both `image` and `build`"))
                    .at(image.key_span, "`build` is also set")
                    .also(entry.key_span, "conflicts with `image`")
                    .help("keep one of them"),
            );
        }
        return built(reader, fields).unwrap_or_else(unread);
    }
    if fields.lacks(&IMAGE) {
        // A misspelled name in a target looks like a new service without an image.
        let name = owner.split_once('.').map_or(owner, |(_, name)| name);
        let is_reported = !reader.sink.is_full(&MISSING_KEY) && !fields.misspells(IMAGE_OR_BUILD);
        let names = || reader.symbols.workload_names().filter(|other| *other != name);
        match is_reported.then(|| nearest(name, names()).map(str::to_owned)).flatten() {
            Some(near) => {
                reader.tainted = true;
                reader.sink.push(
                    Diagnostic::new(&MISSING_KEY, format!("`image` is missing in `{owner}`"))
                        .at(fields.span, "required here")
                        .help(format!("did you mean `{near}`?"))
                        .help(format!("or add an image, for example `image = {}`", IMAGE.key.example)),
                );
            }
            None => fields.missing(reader, owner, IMAGE_OR_BUILD),
        }
    }
    reader.parsed(fields, &IMAGE, image::parse_shared).unwrap_or_else(unread)
}

/// The image of a build.
fn built(reader: &mut Reader<'_>, fields: &Fields<'_>) -> Option<Sourced<Image>> {
    let build = fields.get(reader, &BUILD)?;
    let Some(image) = reader.builds.get(&build.value) else {
        reader.unknown(RefKind::Build, &build.value, build.span()?);
        return None;
    };
    let image = image.clone();
    if image.is_none() {
        reader.tainted = true; // its tag could not be read, and is reported
    }
    Some(Sourced { value: image?, origin: build.origin })
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
            reader.tainted = true;
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
            reader.tainted = true;
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
            let command = command.into_iter().map(|word| word.value).collect();
            Some(Sourced { value: BeforeStop::Run(command), origin: entry.node.origin() })
        }
        (None, Some(_)) => Some(inner.get(reader, &WAIT)?.map(BeforeStop::Wait)),
        (Some(_), Some(wait)) => {
            reader.tainted = true;
            reader.sink.push(
                Diagnostic::new(&BAD_VALUE, format!("`before-stop` of `{owner}` sets both `run` and `wait`"))
                    .at(wait.key_span, "`run` is also set")
                    .help("keep one of them"),
            );
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
        reader.tainted = true;
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
    for key in keys {
        let name = used.variable(key);
        if let Some(first) = known.insert(name.clone(), key) {
            reader.tainted = true;
            let message = format!("the keys `{first}` and `{key}` of `{from}` are both spelled `{name}`");
            reader.sink.push(
                Diagnostic::new(&ENV_NAME, message).at(used.span, "one of the two would be lost").help(
                    format!("rename one of the keys, or set one by hand: `env.NAME = \"{{{from}/{key}}}\"`"),
                ),
            );
            continue;
        }
        // A cluster accepts more, but programs and shells only letters, digits and `_`.
        let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
        if plain && NameKind::Variable.check(&name).is_ok() {
            continue;
        }
        reader.tainted = true;
        reader.sink.push(
            Diagnostic::new(&ENV_NAME, format!("key `{key}` of `{from}` is not a valid variable name"))
                .at(used.span, "all its keys become variables")
                .help(format!("convert the names: `{{ from = \"{from}\", spell = \"upper\" }}`")),
        );
    }
}

/// The keys of a config that are settings, not files.
pub(super) fn settings(config: &crate::model::Config) -> Vec<Arc<str>> {
    let setting = |key: &&crate::model::ConfigKey| !matches!(key.content, Content::File { .. });
    config.keys.iter().filter(setting).map(|key| Arc::clone(&key.name)).collect()
}
