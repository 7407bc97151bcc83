//! Makes the containers of a replica: those before, the main one, those beside.

use std::net::Ipv4Addr;
use std::time::Instant;

use super::{Failed, Point, Shared, is_touched};
use crate::api::{ContainerSpec, EndpointAddress, Engine, EngineError, LocalImage};
use crate::desired::names::Owner;
use crate::desired::values::ADDRESS;
use crate::desired::{Container, File, Replica, Unit};
use crate::steps::{Need, ReplicaSteps};

/// Whether texts of a container contain its address.
pub(super) fn needs_address(container: &Container) -> bool {
    let spec = &container.spec;
    let words = spec.entrypoint.iter().chain(&spec.cmd).flatten();
    words.chain(&spec.env).any(|text| text.contains(ADDRESS))
}

impl Shared<'_> {
    /// Makes what a replica needs, up to the start of its containers. Whether that went well; if not, it is noted.
    pub(super) fn make(&self, index: usize, unit: &Unit, replica: &Replica, steps: &ReplicaSteps) -> bool {
        let runner = self.runner;
        if self.is_over() {
            return false;
        }
        if steps.main.is_new() {
            for container in &replica.before {
                // Each time anew: what an earlier run left may be half of it.
                if !self.remade(index, container) || !self.before_end(index, container) {
                    return false;
                }
            }
        }
        if unit.is_task() && steps.main == Need::Keep {
            return true;
        }
        if steps.main.is_new() && !self.ended_beside(index, replica) {
            return false;
        }
        if !self.took(index, &replica.main, steps.main) {
            return false;
        }
        for (container, need) in replica.beside.iter().zip(&steps.beside) {
            if !self.took(index, container, *need) {
                return false;
            }
        }
        let needs = std::iter::once(&steps.main).chain(&steps.beside);
        if !needs.copied().any(is_touched) {
            runner.tell(index, &replica.main.shown, Point::Kept);
        }
        true
    }

    /// Ends the sidecars of a replica: an engine does not remove a container whose network others share.
    fn ended_beside(&self, index: usize, replica: &Replica) -> bool {
        replica.beside.iter().all(|container| {
            let ended = container.ending.end(self.runner.engine, &container.name);
            ended.map_err(|error| self.note(index, &container.shown, &container.name, error)).is_ok()
        })
    }

    /// Does what a container needs. Whether that went well.
    fn took(&self, index: usize, container: &Container, need: Need) -> bool {
        let runner = self.runner;
        let done = match need {
            Need::Keep => Ok(()),
            Need::Start => {
                runner.tell(index, &container.shown, Point::Starting);
                self.slots.during(|| self.start(container))
            }
            Need::Create | Need::Replace(_) => {
                let why = if let Need::Replace(why) = need { Some(why.to_string()) } else { None };
                runner.tell(index, &container.shown, Point::Creating(why));
                let replaced = if need == Need::Create {
                    Ok(())
                } else {
                    container.ending.end(runner.engine, &container.name)
                };
                replaced.and_then(|()| {
                    self.slots.during(|| {
                        self.create(container)?;
                        runner.tell(index, &container.shown, Point::Starting);
                        self.start(container)
                    })
                })
            }
        };
        match done {
            Ok(()) => true,
            Err(error) => {
                self.note(index, &container.shown, &container.name, error);
                false
            }
        }
    }

    /// Makes a container anew and starts it, whatever is there. Whether that went well.
    pub(super) fn remade(&self, index: usize, container: &Container) -> bool {
        self.runner.tell(index, &container.shown, Point::Creating(None));
        let made = self.runner.engine.remove(&container.name).and_then(|()| {
            self.create(container)?;
            self.start(container)
        });
        made.map_err(|error| self.note(index, &container.shown, &container.name, error)).is_ok()
    }

    /// Waits until a sidecar that runs before the main container has ended. Whether it ended well.
    fn before_end(&self, index: usize, container: &Container) -> bool {
        let begun = Instant::now();
        self.runner.tell(index, &container.shown, Point::Running);
        match self.runner.engine.wait(&container.name) {
            Ok(0) => {
                self.runner.tell(index, &container.shown, Point::Done(begun.elapsed()));
                true
            }
            Ok(code) => {
                self.fail(index, Failed::ended(container, code));
                false
            }
            Err(error) => {
                self.note(index, &container.shown, &container.name, error);
                false
            }
        }
    }

    pub(super) fn start(&self, container: &Container) -> Result<(), EngineError> {
        self.started.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push(container.name.clone());
        self.runner.engine.start(&container.name)
    }

    /// Creates a container with its files. It is not started: one that was never started is made anew by the next run.
    fn create(&self, container: &Container) -> Result<(), EngineError> {
        let engine = self.runner.engine;
        let image = self.runner.images.get(&container.spec.image);
        let (spec, files) = self.final_spec(container, image);
        create(engine, &container.name, &spec, &files)
    }

    /// The definition with what is known only now: whether the image brings its own process 1, and the address.
    fn final_spec(&self, container: &Container, image: Option<&LocalImage>) -> (ContainerSpec, Vec<File>) {
        let mut spec = container.spec.clone();
        let mut files = container.files.clone();
        spec.host_config.init = !brings_init(&spec, image);
        if needs_address(container) {
            let network = spec.host_config.network_mode.clone();
            let subnet = self.networks.get(&network).map_or("", |network| &network.subnet);
            if let Some(address) = self.address(container, subnet) {
                let text = address.to_string();
                let words = spec.entrypoint.iter_mut().chain(&mut spec.cmd).flatten();
                words.chain(&mut spec.env).for_each(|word| *word = word.replace(ADDRESS, &text));
                if let Some(endpoint) = spec.networking_config.endpoints_config.get_mut(&network) {
                    endpoint.address = Some(EndpointAddress { ipv4: text.clone() });
                }
                for file in &mut files {
                    if let Ok(content) = std::str::from_utf8(&file.bytes) {
                        file.bytes = content.replace(ADDRESS, &text).into_bytes();
                    }
                }
            }
        }
        (spec, files)
    }

    /// The address of a container that has to know it: counted from the end of the block, where the engine, which counts
    /// from its start, comes last.
    fn address(&self, container: &Container, subnet: &str) -> Option<Ipv4Addr> {
        let (first, bits) = subnet.split_once('/')?;
        let first: Ipv4Addr = first.parse().ok()?;
        let size = 1_u64 << 32_u32.checked_sub(bits.parse().ok()?)?;
        let knowing = self.runner.desired.containers().map(|(_, _, container)| container);
        let place = knowing
            .filter(|container| needs_address(container))
            .position(|one| one.name == container.name)?;
        let last = u64::from(u32::from(first)) + size.checked_sub(2)?;
        let address = last.checked_sub(place as u64)?;
        // The first ones are the block itself and its gateway.
        (address > u64::from(u32::from(first)) + 1).then_some(())?;
        u32::try_from(address).ok().map(Ipv4Addr::from)
    }
}

/// Creates a container and puts its files into it.
pub(super) fn create(
    engine: &Engine,
    name: &str,
    spec: &ContainerSpec,
    files: &[File],
) -> Result<(), EngineError> {
    match engine.create(name, spec) {
        // By a run that was killed: the engine had its request still to carry out.
        Err(error) if error.is_name_taken() && is_ours(engine, name, spec)? => {
            engine.remove(name)?;
            engine.create(name, spec)?;
        }
        Err(EngineError::Refused { status: 400, .. })
            if spec.networking_config.endpoints_config.len() > 1 =>
        {
            create_in_one_network(engine, name, spec)?;
        }
        created => _ = created?,
    }
    if files.is_empty() {
        return Ok(());
    }
    let archive = crate::desired::archive(files);
    let archive = archive.map_err(|error| EngineError::Odd {
        what: format!("put files into container {name}"),
        reason: error.to_string(),
    })?;
    engine.put(name, &mut &*archive)
}

/// Whether the container of a name belongs to the same stack and target as a definition.
fn is_ours(engine: &Engine, name: &str, spec: &ContainerSpec) -> Result<bool, EngineError> {
    let there = engine.inspect(name)?;
    let owner = Owner::of_labels(&spec.labels);
    Ok(there.is_some_and(|there| owner.is_some() && Owner::of_labels(&there.config.labels) == owner))
}

/// Creates a container in its first network and connects it with the others, for engines that take one at a time.
fn create_in_one_network(engine: &Engine, name: &str, spec: &ContainerSpec) -> Result<(), EngineError> {
    let mut first = spec.clone();
    let own = &spec.host_config.network_mode;
    first.networking_config.endpoints_config.retain(|network, _| network == own);
    engine.create(name, &first)?;
    let others = spec.networking_config.endpoints_config.iter().filter(|(network, _)| *network != own);
    others.into_iter().try_for_each(|(network, endpoint)| engine.connect_network(network, name, endpoint))
}

/// Whether an image brings its own process 1, which some refuse to be another one.
pub(super) fn brings_init(spec: &ContainerSpec, image: Option<&LocalImage>) -> bool {
    const KNOWN: [&str; 7] = ["init", "tini", "dumb-init", "catatonit", "systemd", "s6-svscan", "runit"];
    let own = image.map(|image| &image.config);
    let program = match (&spec.entrypoint, &spec.cmd, own) {
        (Some(program), ..) => program.first(),
        (None, cmd, Some(own)) => own.entrypoint.first().or_else(|| cmd.as_ref().unwrap_or(&own.cmd).first()),
        (None, cmd, None) => cmd.as_ref().and_then(|cmd| cmd.first()),
    };
    program.and_then(|program| program.rsplit('/').next()).is_some_and(|program| KNOWN.contains(&program))
}
