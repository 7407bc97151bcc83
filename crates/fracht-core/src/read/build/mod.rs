//! Reads `[build.NAME]`: an image that is built from a folder, maybe upon the image of another build.

mod takes;

pub(super) use self::takes::named_builds;

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use super::Reader;
use super::fields::Fields;
use crate::diag::Diagnostic;
use crate::diag::reading::FILE_UNREADABLE;
use crate::files::confine;
use crate::files::context::{BuildContext, NO_RECIPE, Part, Unreadable, no_recipe};
use crate::grammar::image::{self, Image};
use crate::language::build::{ARGS, BUILD_TABLE, IGNORE, LARGEST, RECIPE, SOURCE, TAG};
use crate::language::stack::BUILD;
use crate::model::{Build, BuildId, Id, List, Text};
use crate::origin::Sourced;
use crate::tree::{Entry, Node};

/// The tag that is replaced by a digest of the content.
const CONTENT: &str = "content";

/// Reads every build, those first from which others take, so that `{build.NAME}` is known to these.
pub(super) fn read_all(reader: &mut Reader<'_>, root: &Node) -> List<Build> {
    let tables: Vec<(&Arc<str>, &Entry)> =
        BUILD.node(root).and_then(Node::table).into_iter().flatten().collect();
    let takes = takes::Takes::of(&tables);
    for name in takes.report_cycles(reader, &tables) {
        reader.symbols.to_mut().set_build(&name, None);
    }
    let mut builds: BTreeMap<usize, Build> = BTreeMap::new();
    let mut digests: BTreeMap<usize, String> = BTreeMap::new();
    for index in takes.order() {
        let Some((name, entry)) = tables.get(index) else { continue };
        let from = takes.from(index);
        let bases: Vec<&str> = from.iter().filter_map(|base| digests.get(base)).map(String::as_str).collect();
        let others = Others {
            takes: from.iter().map(|base| Id::new(*base)).collect(),
            // Without one of them, no digest can be told, which has been reported.
            bases: (bases.len() == from.len()).then_some(bases),
            is_taken: takes.is_taken(index),
        };
        let before = (reader.tainted, reader.has_unread);
        let (build, digest) = read(reader, name, entry, others);
        // In a build that the target does not use, an input may lack its value. Mistakes have messages of their own.
        if reader.used_builds.as_ref().is_some_and(|used| !used.has(name)) {
            (reader.tainted, reader.has_unread) = before;
        }
        if !takes.is_in_cycle(index) {
            reader.symbols.to_mut().set_build(name, build.image.clone());
        }
        builds.insert(index, build);
        digests.extend(digest.map(|digest| (index, digest)));
    }
    builds.into_values().collect()
}

/// What a build has to do with the other ones.
struct Others<'a> {
    /// The builds that it takes from.
    takes: Box<[BuildId]>,
    /// Their digests; `None` if one of them could not be read.
    bases: Option<Vec<&'a str>>,
    /// Whether others take from it, whose digests then contain its own.
    is_taken: bool,
}

/// Reads a build; also the digest of its content, if it is its tag or others take from it.
fn read(
    reader: &mut Reader<'_>,
    name: &Arc<str>,
    entry: &Entry,
    others: Others<'_>,
) -> (Build, Option<String>) {
    let fields = Fields::of(entry, &BUILD_TABLE, reader);
    let owner = format!("build.{name}");
    fields.require(reader, &owner, &SOURCE);
    let source = fields.get(reader, &SOURCE);
    let recipe = fields.get(reader, &RECIPE).unwrap_or_else(|| Sourced::defaulted(RECIPE.key.default.into()));
    let has_recipe = &*recipe.value != NO_RECIPE;
    let mut args = Vec::new();
    for (argument, entry) in fields.named(reader, &ARGS) {
        let text = reader.text(&entry.node, &ARGS.takes, &format_args!("an argument of `{owner}`"));
        args.extend(text.map(|text| (Arc::clone(argument), text)));
    }
    let written = fields.text(reader, &TAG);
    let folder = source.as_ref().and_then(|source| reader.path(source));
    let fixed = written.as_ref().map(Text::plain).filter(|tag| tag != CONTENT);
    let is_invalid = fields.has_invalid(reader, &[&RECIPE, &IGNORE, &LARGEST]);
    let needs_digest = fixed.is_none() && !fields.has_invalid(reader, &[&TAG]) || others.is_taken;
    let is_read = args.iter().all(|(_, text)| text.is_resolved()) && !fields.has_invalid(reader, &[&ARGS]);
    let mut digest = None;
    if let (Some(folder), Some(source), false) = (&folder, &source, is_invalid) {
        let place = Place { owner: &owner, fields: &fields, source, recipe: &recipe };
        if needs_digest {
            if let Some(bases) = others.bases.filter(|_| is_read) {
                digest = place.digest(reader, folder, &args, &bases);
            }
        } else if has_recipe {
            place.check_recipe(reader, folder);
        }
    }
    let tag = match fixed {
        None if fields.has_invalid(reader, &[&TAG]) => None,
        None => digest.as_ref().map(|digest| format!("content-{digest}")),
        fixed => fixed,
    };
    let registry = reader.symbols.facts.registry.clone();
    let repository = registry.map_or_else(|| name.to_string(), |registry| format!("{registry}/{name}"));
    let build = Build {
        name: Arc::clone(name),
        span: fields.span,
        recipe: has_recipe.then_some(recipe),
        source: folder.unwrap_or_default(),
        folder: source.as_ref().map_or_else(|| "".into(), |source| Arc::clone(&source.value)),
        ignore: fields.get(reader, &IGNORE).map(|ignore| ignore.value),
        largest: fields.or_default(reader, &LARGEST).value.size,
        args,
        takes: others.takes,
        image: tag.and_then(|tag| image(reader, &format!("{repository}:{tag}"))),
        // A build without a folder is probably a misspelt name of another one.
        tag: written.filter(|_| source.is_some()),
        has_registry: reader.symbols.facts.registry.is_some(),
    };
    (build, digest)
}

/// The image of a build; `None` if its registry could not be read, which has been reported.
fn image(reader: &mut Reader<'_>, text: &str) -> Option<Image> {
    let image = image::parse(text).ok();
    if image.is_none() {
        reader.taint();
    }
    image
}

/// Where the files of a build are named, for messages.
struct Place<'a> {
    owner: &'a str,
    fields: &'a Fields<'a>,
    source: &'a Sourced<Arc<str>>,
    recipe: &'a Sourced<Arc<str>>,
}

impl Place<'_> {
    /// The digest of the content. What cannot be read is reported.
    fn digest(
        &self,
        reader: &mut Reader<'_>,
        folder: &Path,
        args: &[(Arc<str>, Text)],
        bases: &[&str],
    ) -> Option<String> {
        let ignore = self.fields.get(reader, &IGNORE);
        let mut args: Vec<(&str, String)> = args.iter().map(|(name, text)| (&**name, text.plain())).collect();
        args.sort();
        let context = BuildContext {
            files: reader.files,
            folder,
            largest: self.fields.or_default(reader, &LARGEST).value.size,
            recipe: Some(&*self.recipe.value).filter(|recipe| *recipe != NO_RECIPE),
            ignore: ignore.as_ref().map(|ignore| &*ignore.value),
        };
        let found = context.digest(&args, bases);
        found
            .map_err(|Unreadable { part, reason, help }| {
                let place = match part {
                    Part::Source => self.source.span(),
                    Part::Recipe => self.recipe.span().or(self.source.span()),
                    Part::Ignore => ignore.as_ref().map_or(self.source.span(), Sourced::span),
                };
                reader.sink.push(
                    Diagnostic::new(&FILE_UNREADABLE, format!("cannot read the content of `{}`", self.owner))
                        .at(place, reason)
                        .help(help),
                );
            })
            .ok()
    }

    /// Reports a recipe that does not exist.
    fn check_recipe(&self, reader: &mut Reader<'_>, folder: &Path) {
        if confine(reader.files, folder, folder, &self.recipe.value).is_ok() {
            return;
        }
        let Unreadable { reason, help, .. } = no_recipe(&self.recipe.value);
        reader.sink.push(
            Diagnostic::new(&FILE_UNREADABLE, format!("`{}` has no recipe", self.owner))
                .at(self.recipe.span().or(self.source.span()), reason)
                .help(help),
        );
    }
}
