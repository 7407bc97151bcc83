//! Builds images on the engine, in the order in which they take from each other.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Read};

use fracht_core::files::Files;
use fracht_core::files::context::{ContextFile, Unreadable};
use fracht_core::model::{Build, BuildId, Model};
use fracht_core::plan::images::ImagePlan;

use crate::api::{Engine, EngineError, LocalImage, Progress};
use crate::transport::encoded;

/// The label of a built image with the digest of its content.
pub const CONTENT: &str = "fracht.content";

/// How many of the last lines of a build that failed are kept.
const LAST: usize = 30;

/// Why images cannot be built.
#[derive(Clone, Debug)]
pub enum BuildError {
    /// The files of a build cannot be read.
    Unreadable(BuildId, Unreadable),
    /// Another tool makes the image, which is not on this machine.
    NotMade(BuildId),
    /// A step of the recipe failed.
    Failed {
        /// The build.
        build: BuildId,
        /// Why.
        reason: String,
        /// The last lines of its output.
        said: Vec<String>,
    },
    /// The engine fails.
    Engine(EngineError),
}

impl From<EngineError> for BuildError {
    fn from(error: EngineError) -> Self {
        Self::Engine(error)
    }
}

/// What happens to a build.
pub enum BuildStep<'s> {
    /// The image is there, with this content.
    There,
    /// It begins.
    Begins,
    /// It is for another platform than this machine's, which the engine has to emulate.
    Elsewhere(&'s str),
    /// A line of its output.
    Says(&'s str),
    /// It is done.
    Done,
}

/// Builds some images, and those that they take from. What is there with the same content is skipped. Returns how many
/// were built.
///
/// # Errors
/// [`BuildError`]. What was built before stays.
pub fn build(
    (model, files): (&Model, &dyn Files),
    engine: &Engine,
    wanted: &BTreeSet<BuildId>,
    tell: &mut dyn FnMut(&Build, BuildStep<'_>),
) -> Result<usize, BuildError> {
    let order = ImagePlan::of(model).builds;
    if wanted.is_empty() {
        return Ok(0);
    }
    let own = engine.architecture()?;
    let own = format!("linux/{}", architecture(&own));
    let needed = with_bases(model, wanted);
    let mut digests: BTreeMap<BuildId, String> = BTreeMap::new();
    let mut built = 0;
    for id in order.into_iter().filter(|id| needed.contains(id)) {
        let build = &model.builds[id];
        let Some(image) = &build.image else { continue };
        let reference = image.text();
        let there = engine.image(reference)?;
        if build.recipe.is_none() {
            if there.is_none() {
                return Err(BuildError::NotMade(id));
            }
            continue;
        }
        let bases: Vec<&str> =
            build.takes.iter().filter_map(|base| digests.get(base)).map(String::as_str).collect();
        let args = arguments(build);
        let context = build.context(files);
        let digest =
            context.digest(&args, &bases).map_err(|unreadable| BuildError::Unreadable(id, unreadable))?;
        let platform = platform(model, id, &own);
        let is_there = there.as_ref().is_some_and(|image| {
            let is_of_platform = platform.as_ref().is_none_or(|wanted| *wanted == platform_of(image));
            is_of_platform && content_of(image) == Some(&*digest)
        });
        digests.insert(id, digest.clone());
        if is_there {
            tell(build, BuildStep::There);
            continue;
        }
        tell(build, BuildStep::Begins);
        if let Some(platform) = platform.as_ref().filter(|platform| **platform != own) {
            tell(build, BuildStep::Elsewhere(platform));
        }
        let list = context.list().map_err(|unreadable| BuildError::Unreadable(id, unreadable))?;
        let mut failed = None;
        let mut read = |file: &ContextFile| {
            context.read(file).map_err(|unreadable| {
                let error = io::Error::other(unreadable.reason.to_string());
                failed = Some(unreadable);
                error
            })
        };
        let mut archive = Archive::new(&list, &mut read);
        let mut said: Vec<String> = Vec::new();
        let mut seen = |progress: &Progress| {
            for line in progress.stream.lines().chain(progress.error.lines()) {
                said.push(line.to_owned());
                tell(build, BuildStep::Says(line));
            }
        };
        let mut query = query(build, reference, &args, &digest);
        if let Some(platform) = &platform {
            query.push_str(&format!("&platform={}", encoded(platform)));
        }
        let done = engine.build((reference, &query), &mut archive, &mut seen);
        if let Some(unreadable) = failed {
            return Err(BuildError::Unreadable(id, unreadable));
        }
        done.map_err(|error| match error {
            EngineError::Refused { message, .. } => {
                let last = said.split_off(said.len().saturating_sub(LAST));
                let said = last.into_iter().filter(|line| !line.trim().is_empty()).collect();
                BuildError::Failed { build: id, reason: message, said }
            }
            other => BuildError::Engine(other),
        })?;
        tell(build, BuildStep::Done);
        built += 1;
    }
    Ok(built)
}

/// Some builds and all that they take from.
pub fn with_bases(model: &Model, wanted: &BTreeSet<BuildId>) -> BTreeSet<BuildId> {
    let mut needed = wanted.clone();
    let mut open: Vec<BuildId> = wanted.iter().copied().collect();
    while let Some(id) = open.pop() {
        for base in &model.builds[id].takes {
            if needed.insert(*base) {
                open.push(*base);
            }
        }
    }
    needed
}

/// The platform for which an image is built: that of its users, or of the nodes; this machine's if it is one of them,
/// and `None` if nothing asks for one.
fn platform(model: &Model, build: BuildId, own: &str) -> Option<String> {
    let plan = ImagePlan::of(model);
    let used = plan.images.iter().filter(|used| used.build == Some(build));
    let mut wanted: Vec<String> = used.flat_map(|used| &used.platforms).map(ToString::to_string).collect();
    if wanted.is_empty() {
        wanted = model.target.nodes.iter().map(|platform| platform.value.to_string()).collect();
    }
    wanted.iter().find(|platform| **platform == own).or(wanted.first()).cloned()
}

fn platform_of(image: &LocalImage) -> String {
    format!("{}/{}", image.os, architecture(&image.architecture))
}

/// An architecture as platforms name it (OCI image index 1.1); engines also tell the names of kernels.
fn architecture(name: &str) -> &str {
    match name {
        "x86_64" => "amd64",
        "aarch64" => "arm64",
        name => name,
    }
}

/// The digest of the content of an image that Fracht built.
pub fn content_of(image: &LocalImage) -> Option<&str> {
    image.config.labels.get(CONTENT).map(String::as_str)
}

/// The arguments, by name.
fn arguments(build: &Build) -> Vec<(&str, String)> {
    let mut args: Vec<(&str, String)> =
        build.args.iter().map(|(name, text)| (&**name, text.plain())).collect();
    args.sort();
    args
}

fn query(build: &Build, reference: &str, args: &[(&str, String)], digest: &str) -> String {
    let json = |pairs: BTreeMap<&str, &str>| encoded(&serde_json::json!(pairs).to_string());
    let args: BTreeMap<&str, &str> = args.iter().map(|(name, value)| (*name, &**value)).collect();
    let recipe = build.recipe.as_ref().map_or("", |recipe| &*recipe.value);
    format!(
        "dockerfile={}&t={}&rm=1&forcerm=1&buildargs={}&labels={}",
        encoded(recipe),
        encoded(reference),
        json(args),
        json(BTreeMap::from([(CONTENT, digest)]))
    )
}

/// The tar archive of a build's files, made while it is read, so that a large folder needs no memory.
struct Archive<'a> {
    files: std::slice::Iter<'a, ContextFile>,
    read: &'a mut dyn FnMut(&ContextFile) -> io::Result<Vec<u8>>,
    ready: io::Cursor<Vec<u8>>,
    is_over: bool,
}

impl<'a> Archive<'a> {
    fn new(files: &'a [ContextFile], read: &'a mut dyn FnMut(&ContextFile) -> io::Result<Vec<u8>>) -> Self {
        Self { files: files.iter(), read, ready: io::Cursor::default(), is_over: false }
    }

    /// Makes the part of the next file, or the end.
    fn next(&mut self) -> io::Result<()> {
        let mut part = Vec::new();
        match self.files.next() {
            Some(file) => {
                let bytes = (self.read)(file)?;
                let mut header = tar::Header::new_gnu();
                header.set_size(bytes.len() as u64);
                header.set_mode(if file.is_program { 0o755 } else { 0o644 });
                header.set_mtime(0);
                let mut builder = tar::Builder::new(&mut part);
                builder.append_data(&mut header, &file.path, &*bytes)?;
                // The builder adds an end, which is written once, after the last file.
                let length = builder.get_ref().len();
                drop(builder);
                part.truncate(length);
            }
            None => {
                self.is_over = true;
                part = vec![0; 1024];
            }
        }
        self.ready = io::Cursor::new(part);
        Ok(())
    }
}

impl Read for Archive<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            let read = self.ready.read(buffer)?;
            if read > 0 || self.is_over || buffer.is_empty() {
                return Ok(read);
            }
            self.next()?;
        }
    }
}
