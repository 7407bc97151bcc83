//! Rules on what registries tell of images. They are checked with `--look` only.

use super::Rule;
use crate::diag::{Diagnostic, Severity};
use crate::grammar::quantity::show_bytes;
use crate::grammar::word::Word as _;
use crate::model::{Confine, Container, Model, Protocol, TargetKind, Workload};
use crate::plan::looked::{ImageFacts, Looked, LookedImage};

pub(super) static IMAGE_ABSENT: Rule = Rule {
    name: "image-absent",
    severity: Severity::Error,
    summary: "An image that its registry does not have",
    why: "The nodes cannot pull it, and its containers never start. It may never have been pushed.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2.0\"\n",
    ..Rule::BASE
};

pub(super) static IMAGE_MOVED: Rule = Rule {
    name: "image-moved",
    severity: Severity::Warning,
    summary: "A tag that leads to another image than the digest beside it",
    why: "The digest stays the one that runs, and the tag says something else of it.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2@sha256:e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2@sha256:9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08\"\n",
    ..Rule::BASE
};

pub(super) static IMAGE_PLATFORM: Rule = Rule {
    name: "image-platform",
    severity: Severity::Error,
    summary: "An image that does not run on a platform of the nodes",
    why: "A pod on such a node fails with a wrong format of its program.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\n[target.prod]\nnodes = [\"linux/amd64\", \"linux/arm64\"]\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\nplatform = \"linux/amd64\"\n[target.prod]\nnodes = [\"linux/amd64\", \"linux/arm64\"]\n",
    ..Rule::BASE
};

pub(super) static IMAGE_SAYS_PORT: Rule = Rule {
    name: "image-says-port",
    severity: Severity::Warning,
    summary: "A port that the image does not say it listens on",
    why: "Connections to the port may be refused: the program listens on another one.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\nport.http = 80\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\nport.http = 8080\n",
    ..Rule::BASE
};

pub(super) static IMAGE_SAYS_USER: Rule = Rule {
    name: "image-says-user",
    severity: Severity::Error,
    summary: "A strictly confined container whose image runs as root",
    why: "The cluster refuses to start it, as long as no other user is set.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\nconfine = \"strict\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\nconfine = \"strict\"\nuser = 10001\n",
    ..Rule::BASE
};

pub(super) static IMAGE_SAYS_DATA: Rule = Rule {
    name: "image-says-data",
    severity: Severity::Warning,
    summary: "A folder with data, as the image says, that no volume keeps",
    why: "Its data is lost with the container.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\nmount.\"/var/lib/a\" = \"volume.a\"\n[volume.a]\nsize = \"1Gi\"\n",
    ..Rule::BASE
};

pub(super) static IMAGE_NEWER: Rule = Rule {
    name: "image-newer",
    severity: Severity::Hint,
    summary: "An image of which there is a newer version",
    why: "Newer versions have fixes, also of security.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.3\"\n",
    ..Rule::BASE
};

pub(super) static IMAGE_SMALLER: Rule = Rule {
    name: "image-smaller",
    severity: Severity::Hint,
    summary: "An image of which there is a much smaller variant",
    why: "It is downloaded sooner and has fewer parts that need fixes.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2-slim\"\n",
    ..Rule::BASE
};

/// The problems of a stack with what was found of its images.
pub fn problems(model: &Model, looked: &Looked) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    let mut seen = std::collections::BTreeSet::new();
    for workload in &model.workloads {
        let sidecars = workload.sidecars.iter().map(|sidecar| (Some(&*sidecar.name), &sidecar.container));
        for (sidecar, container) in std::iter::once((None, &workload.main)).chain(sidecars) {
            let owner = match sidecar {
                None => workload.reference(),
                Some(name) => format!("{}.beside.{name}", workload.reference()),
            };
            let is_first = seen.insert(&**container.image.value.text());
            let here = Here { model, workload, owner: &owner, container };
            match looked.of(&container.image.value) {
                Some(LookedImage::Absent) if is_first => found.push(here.absent()),
                Some(LookedImage::There(facts)) => {
                    if is_first {
                        found.extend(here.moved(facts));
                        found.extend(here.newer(facts));
                        found.extend(here.smaller(facts));
                    }
                    found.extend(here.platform(facts));
                    found.extend(here.user(facts));
                    found.extend(here.data(facts));
                    if sidecar.is_none() {
                        found.extend(here.port(facts));
                    }
                }
                Some(LookedImage::Absent | LookedImage::Unknown(_)) | None => {}
            }
        }
    }
    found
}

/// A container of a service or task.
struct Here<'m> {
    model: &'m Model,
    workload: &'m Workload,
    owner: &'m str,
    container: &'m Container,
}

impl Here<'_> {
    fn image(&self) -> &str {
        self.container.image.value.floating()
    }

    fn problem(&self, rule: &'static Rule, message: String, label: impl Into<String>) -> Diagnostic {
        Diagnostic::new(rule, message).at(self.container.image.span(), label.into()).of(self.workload.span)
    }

    fn absent(&self) -> Diagnostic {
        let image = self.image();
        let message = format!("the image of `{}` is not in its registry", self.owner);
        let problem = self.problem(&IMAGE_ABSENT, message, "not found there");
        match self.container.build {
            Some(build) => {
                let (name, target) = (&self.model.builds[build].name, &self.model.target.name);
                problem.help(format!("push it: `fracht images --build --push {name} -t {target}`"))
            }
            None => problem.help(format!("check the name and the tag of `{image}`")),
        }
    }

    fn moved(&self, facts: &ImageFacts) -> Option<Diagnostic> {
        let image = &self.container.image.value;
        let (digest, tag) = (image.digest()?, image.tag()?);
        (digest != facts.digest).then(|| {
            let message = format!("tag `{tag}` of `{}` leads to another image now", self.owner);
            let target = &self.model.target.name;
            self.problem(&IMAGE_MOVED, message, format!("now {}", short(&facts.digest)))
                .help(format!("take the new one: `fracht images --pin {} -t {target}`", self.workload.name))
                .help("or keep the digest: it is the one that runs")
        })
    }

    fn platform(&self, facts: &ImageFacts) -> Option<Diagnostic> {
        let wanted = self.workload.platform.as_ref().map(|platform| platform.value);
        let nodes = self.model.target.nodes.iter().map(|platform| platform.value);
        let mut wanted = wanted.map_or_else(|| nodes.collect(), |platform| vec![platform]);
        wanted.retain(|platform| !facts.runs_on(platform));
        let missing = wanted.first()?;
        let there: Vec<&str> = facts.platforms.iter().map(|platform| &*platform.words).collect();
        let message = format!("the image of `{}` does not run on {missing}", self.owner);
        Some(
            self.problem(&IMAGE_PLATFORM, message, format!("only for {}", there.join(", ")))
                .help(format!("use an image that has {missing}"))
                .help("or place it on other nodes with `platform`"),
        )
    }

    fn port(&self, facts: &ImageFacts) -> Option<Diagnostic> {
        let is_changed = self.container.program.is_some() || self.container.args.is_some();
        if facts.ports.is_empty() || is_changed {
            return None;
        }
        let own = |port: &&crate::model::Port| port.sidecar.is_none();
        let port = self
            .workload
            .ports()
            .iter()
            .filter(own)
            .find(|port| !facts.ports.contains(&(port.number.value, port.protocol)))?;
        let says: Vec<String> =
            facts.ports.iter().map(|(number, protocol)| slot(*number, *protocol)).collect();
        let message = format!(
            "the image of `{}` does not say that it listens on port {}",
            self.owner,
            slot(port.number.value, port.protocol)
        );
        let first = facts.ports.first().map_or(0, |(number, _)| *number);
        Some(
            Diagnostic::new(&IMAGE_SAYS_PORT, message)
                .at(port.number.span().or(Some(port.span)), format!("the image says {}", says.join(", ")))
                .of(self.workload.span)
                .help(format!("use the number of the image: `port.{} = {first}`", port.name)),
        )
    }

    fn user(&self, facts: &ImageFacts) -> Option<Diagnostic> {
        let is_strict = self.container.confine.value == Confine::Strict && self.container.user.is_none();
        if !is_strict || self.model.target.on.value != TargetKind::Cluster {
            return None;
        }
        let name = facts.user.split(':').next().unwrap_or_default();
        let label = match name.parse::<u32>() {
            Ok(0) => "the image says root".to_owned(),
            Ok(_) => return None,
            Err(_) if name.is_empty() || name == "root" => "the image says root".to_owned(),
            // The cluster cannot tell whether a name is root.
            Err(_) => format!("the image says `{name}`, a name"),
        };
        let message = format!("the image of `{}` has no user that `confine = \"strict\"` allows", self.owner);
        Some(self.problem(&IMAGE_SAYS_USER, message, label).help("set one, for example `user = 10001`"))
    }

    fn data(&self, facts: &ImageFacts) -> Option<Diagnostic> {
        self.workload.service()?;
        let is_kept = |folder: &&String| {
            let mut mounts = self.container.mounts.iter();
            mounts.any(|mount| {
                let path = mount.path.trim_end_matches('/');
                path == folder.trim_end_matches('/') || folder.starts_with(&format!("{path}/"))
            })
        };
        let folder = facts.data.iter().find(|folder| !is_kept(folder))?;
        let message = format!("the image of `{}` keeps data in `{folder}`, which is no volume", self.owner);
        Some(
            self.problem(&IMAGE_SAYS_DATA, message, format!("says `{folder}` has data"))
                .help(format!("mount a volume there: `mount.\"{folder}\" = \"volume.NAME\"`"))
                .help(format!("or space that may be lost: `mount.\"{folder}\" = {{ scratch = \"1Gi\" }}`")),
        )
    }

    fn newer(&self, facts: &ImageFacts) -> Option<Diagnostic> {
        let best = facts.newer.first()?;
        let message = format!("there is a newer image for `{}`: {}", self.owner, facts.newer.join(", "));
        let tagged = self.container.image.value.tagged(best);
        Some(self.problem(&IMAGE_NEWER, message, "an older version").help(format!("try `{tagged}`")))
    }

    fn smaller(&self, facts: &ImageFacts) -> Option<Diagnostic> {
        let (tag, size) = facts.smaller.as_ref()?;
        let own = facts.size()?;
        let message = format!(
            "there is a much smaller image for `{}`: {} instead of {}",
            self.owner,
            show_bytes(*size),
            show_bytes(own)
        );
        let tagged = self.container.image.value.tagged(tag);
        Some(
            self.problem(&IMAGE_SMALLER, message, "a larger variant")
                .help(format!("try `{tagged}`; it has fewer tools inside")),
        )
    }
}

/// A port in words: `8080`, `53/udp`.
pub fn slot(number: u16, protocol: Protocol) -> String {
    if protocol == Protocol::Tcp { number.to_string() } else { format!("{number}/{}", protocol.word()) }
}

/// The start of a digest, as people tell them apart.
fn short(digest: &str) -> &str {
    digest.get(..19).unwrap_or(digest)
}
