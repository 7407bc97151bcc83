//! The rendering of a checked stack: lists its objects, checks them together and builds each.

use std::collections::hash_map::Entry;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::fmt::Write as _;

use fracht_core::check::Checked;
use fracht_core::diag::Diagnostic;
use fracht_core::digest::Digest;
use fracht_core::model::{
    ConfigId, Kind, Model, OutsidePlace, Patch, PortIndex, SecretId, Volume, Workload, WorkloadId,
};
use fracht_core::plan::one_node;
use fracht_core::plan::order::Order;
use fracht_core::plan::ports::PortPlan;
use fracht_core::rules::{NAME_CLASH, PATCH_MISSES};
use fracht_core::source::Span;
use serde_json::Value;

use crate::field_order::Ordered;
use crate::name::{claim_name, in_stack, side_name, workload_name};
use crate::object::Object;
use crate::passed::{self, Home, PassedObject};
use crate::plan::{self, ObjectOrigin, ObjectSource, PlannedObject};
use crate::{
    autoscaler, claim, config_map, deployment, disruption, http_route, job, namespace, network_policy,
    outside, patch, rights, secret, service, stateful_set, web,
};

/// The most bytes of an object's name in the name of its file.
const MOST_OF_FILE_NAME: usize = 120;

/// The values of the generated Secrets, by key.
pub type SecretValues = BTreeMap<SecretId, BTreeMap<String, Vec<u8>>>;

/// A checked stack with the data from which its objects are generated.
pub struct Rendering<'m> {
    model: &'m Model,
    secrets: Option<SecretValues>,
    open_numbers: BTreeMap<(WorkloadId, PortIndex), u16>,
    job_names: BTreeMap<WorkloadId, String>,
    config_digests: Vec<Option<BTreeMap<&'m str, String>>>,
    /// The workloads that must share a node, each with the volume that names the group.
    one_node: BTreeMap<&'m str, &'m str>,
    /// The name of the object of each patch.
    patched: Vec<String>,
    passed: Vec<PassedObject>,
    problems: Vec<Diagnostic>,
    /// All objects of the stack, including Secrets without values.
    all: Vec<PlannedObject>,
    /// The objects to generate.
    planned: Vec<PlannedObject>,
    /// The number of digits of the largest wave.
    wave_digits: usize,
}

impl<'m> Rendering<'m> {
    /// Plans the objects of a checked stack.
    pub fn new(checked: Checked<'m>) -> Self {
        let model = checked.model();
        let order = Order::of(model);
        let mut open_numbers = BTreeMap::new();
        if model.workloads.iter().flat_map(Workload::ports).any(|port| port.reach.value.is_open()) {
            for entry in PortPlan::of(model).entries {
                open_numbers.extend(entry.at.first().map(|at| ((entry.service, entry.port), *at)));
            }
        }
        let (passed, problems) = passed::objects(model);
        let all = plan::plan(model, &order, &passed);
        let one_node = one_node::groups(model).into_iter();
        let mut rendering = Self {
            model,
            open_numbers,
            job_names: BTreeMap::new(),
            patched: Vec::new(),
            one_node: one_node
                .map(|(id, volume)| (&*model.workloads[id].name, &*model.volumes[volume].name))
                .collect(),
            config_digests: model.configs.iter().map(config_map::key_digests).collect(),
            passed,
            problems,
            planned: all
                .iter()
                .filter(|planned| !matches!(planned.source, ObjectSource::Secret(_)))
                .copied()
                .collect(),
            all,
            secrets: None,
            wave_digits: order.waves.len().max(1).ilog10() as usize + 1,
        };
        rendering.name_jobs(&order);
        rendering.patched = rendering.patched_names();
        rendering
    }

    /// The name of the object of each patch, which may be the name of the object or that of its part of the stack.
    fn patched_names(&self) -> Vec<String> {
        if self.model.patches.is_empty() {
            return Vec::new();
        }
        let known: HashSet<(&str, String)> = self.all.iter().map(|planned| self.identity(*planned)).collect();
        let name = |patch: &Patch| {
            let (exact, in_stack) = (patch.name.to_string(), self.name_in_stack(&patch.name));
            let is_there = |name: &String| known.contains(&(&*patch.kind, name.clone()));
            if !is_there(&exact) && is_there(&in_stack) { in_stack } else { exact }
        };
        self.model.patches.iter().map(name).collect()
    }

    /// The name of the object for a part of the stack.
    pub fn name_in_stack(&self, name: &str) -> String {
        in_stack(self.model, name)
    }

    /// The patches for an object.
    fn patches<'r>(&'r self, kind: &'r str, name: &'r str) -> impl Iterator<Item = &'r Patch> {
        let all = self.model.patches.iter().zip(&self.patched);
        all.filter(move |(patch, patched)| *patch.kind == *kind && **patched == *name).map(|(patch, _)| patch)
    }

    /// Sets the values of secrets, so that Secrets are generated as well.
    pub fn set_secrets(&mut self, values: SecretValues) {
        self.secrets = Some(values);
        self.planned.clone_from(&self.all);
    }

    /// The model that is rendered.
    pub fn model(&self) -> &'m Model {
        self.model
    }

    /// The objects to generate, in the order in which to apply them.
    pub fn planned(&self) -> &[PlannedObject] {
        &self.planned
    }

    /// Keeps only the objects for which `wanted` is true, by kind and name.
    pub fn retain(&mut self, wanted: impl Fn(&str, &str) -> bool) {
        let mut planned = std::mem::take(&mut self.planned);
        planned.retain(|planned| {
            let (kind, name) = self.identity(*planned);
            wanted(kind, &name)
        });
        self.planned = planned;
    }

    /// The secrets whose objects are left out, since their values are not set.
    pub fn left_out(&self) -> Vec<SecretId> {
        let secrets = self.all.iter().filter_map(|planned| match planned.source {
            ObjectSource::Secret(id) => Some(id),
            _ => None,
        });
        secrets.filter(|_| self.secrets.is_none()).collect()
    }

    /// The kind and the name of an object.
    pub fn identity(&self, planned: PlannedObject) -> (&str, String) {
        planned.source.identity(self.model, &self.passed, |id| self.job_name(id).to_owned())
    }

    /// The origin of an object in the stack.
    pub fn origin(&self, planned: PlannedObject) -> ObjectOrigin {
        planned.source.origin(self.model, &self.passed)
    }

    /// The problems of the objects together: invalid passed objects, clashes of names, patches that match nothing.
    pub fn problems(&self) -> Vec<Diagnostic> {
        let mut problems = self.problems.clone();
        let namespace = &*self.model.target.namespace.value;
        let mut known: HashMap<(&str, String), PlannedObject> = HashMap::with_capacity(self.all.len());
        let mut seen: HashMap<(Home<'_>, &str, String), PlannedObject> =
            HashMap::with_capacity(self.all.len());
        let mut elsewhere = Vec::new();
        for planned in self.all.iter().copied() {
            let (kind, name) = self.identity(planned);
            let home = match planned.source {
                ObjectSource::Passed(index) => self.passed.get(index).map(|object| object.home(namespace)),
                _ => None,
            };
            let own = home
                .is_none_or(|home| home.group.is_empty() && home.namespace.is_none_or(|n| n == namespace));
            let home = home.filter(|_| !own).unwrap_or_default();
            match seen.entry((home, kind, name.clone())) {
                Entry::Occupied(first) => problems.push(self.clash(&(kind, name), *first.get(), planned)),
                Entry::Vacant(free) => {
                    free.insert(planned);
                    if own {
                        known.insert((kind, name), planned);
                    } else {
                        elsewhere.push(((kind, name), planned));
                    }
                }
            }
        }
        // Patches apply to generated objects first.
        for (identity, planned) in elsewhere {
            known.entry(identity).or_insert(planned);
        }
        problems.extend(self.claim_clashes());
        let mut changed: HashMap<(&str, &str), Value> = HashMap::new();
        let mut failed: HashSet<(&str, &str)> = HashSet::new();
        let mut near = None;
        for (one, name) in self.model.patches.iter().zip(&self.patched) {
            let key = (&*one.kind, name.as_str());
            // Patches after one that cannot be applied would fail as well.
            if failed.contains(&key) {
                continue;
            }
            let object = match changed.remove(&key) {
                Some(object) => Some(object),
                None => known.get(&(key.0, key.1.to_owned())).map(|planned| self.unpatched(*planned)),
            };
            let Some(mut object) = object else {
                let near = near.get_or_insert_with(|| by_kind_and_name(known.keys()));
                problems.push(self.misses(one, near));
                continue;
            };
            // The content of a Secret is only known with its values.
            let check = if one.kind.as_ref() == "Secret" && self.secrets.is_none() {
                patch::check_identity
            } else {
                patch::check
            };
            if let Some(problem) = check(&mut object, one) {
                problems.push(problem);
                failed.insert(key);
            }
            changed.insert(key, object);
        }
        problems
    }

    /// Clashes between claims: a cluster creates claims for the replicas of a set, whose names end with the number of
    /// the replica.
    fn claim_clashes(&self) -> Vec<Diagnostic> {
        let mut made: HashMap<String, (&Volume, &Workload)> = HashMap::new();
        let mut problems = Vec::new();
        let clash = |name: &str, second: (Span, &str), first: (Span, &str)| {
            Diagnostic::new(&NAME_CLASH, format!("two claims have the same name: `{name}`"))
                .at(second.0, format!("generated from {}", second.1))
                .also(first.0, format!("generated from {}", first.1))
                .help("rename one of them")
        };
        for workload in self.model.workloads.iter().filter(|workload| self.model.has_stable_names(workload)) {
            for volume in stateful_set::each(self.model, workload) {
                let name =
                    format!("{}-{}", claim::template_name(volume), workload_name(self.model, workload));
                let own = (volume.span, workload.reference());
                if let Some((other, of)) = made.get(&name) {
                    let of = of.reference();
                    problems.push(clash(&format!("{name}-0"), (own.0, &own.1), (other.span, &of)));
                }
                made.insert(name, (volume, workload));
            }
        }
        for volume in self.model.volumes.iter().filter(|volume| !made.is_empty() && !volume.each.value) {
            let name = claim_name(self.model, volume);
            let Some((set, _)) = name.rsplit_once('-').filter(|(_, end)| end.parse::<u32>().is_ok()) else {
                continue;
            };
            if let Some((other, of)) = made.get(set) {
                problems.push(clash(&name, (volume.span, "this volume"), (other.span, &of.reference())));
            }
        }
        problems
    }

    fn clash(
        &self,
        (kind, name): &(&str, String),
        first: PlannedObject,
        second: PlannedObject,
    ) -> Diagnostic {
        let of = |planned: PlannedObject| match planned.source {
            ObjectSource::Passed(index) => {
                let object = self.passed.get(index);
                let place =
                    object.map_or_else(String::new, |object| format!("{}:{}", object.file, object.line));
                (format!("passed through from {place}"), object.map(|object| object.span))
            }
            _ => {
                let origin = self.origin(planned);
                (format!("generated from {}", origin.of), origin.span)
            }
        };
        let ((first_words, first_span), (words, span)) = (of(first), of(second));
        Diagnostic::new(&NAME_CLASH, format!("two objects have the same name: `{kind}/{name}`"))
            .at(span, words)
            .also(first_span, first_words)
            .help("rename one of them")
    }

    fn misses(&self, patch: &Patch, near: &BTreeMap<&str, BTreeSet<String>>) -> Diagnostic {
        const MOST: usize = 12;
        let of = |word: &str| near.get(word).into_iter().flatten().take(MOST).map(String::as_str);
        let names: BTreeSet<&str> = of(&patch.kind).chain(of(&patch.name)).collect();
        let names: Vec<&str> = names.into_iter().take(MOST).collect();
        let message = format!("patch target `{}/{}` not found", patch.kind, patch.name);
        let problem = Diagnostic::new(&PATCH_MISSES, message)
            .at(patch.span, format!("not an object of target `{}`", self.model.target.name));
        problem.help(if names.is_empty() {
            "`fracht render` lists all objects; kinds start with a capital letter".to_owned()
        } else {
            format!("did you mean: {}?", names.join(", "))
        })
    }

    /// The external number of a port.
    pub(crate) fn open_number(&self, service: WorkloadId, port: PortIndex) -> Option<u16> {
        self.open_numbers.get(&(service, port)).copied()
    }

    /// The name of a task's Job.
    pub(crate) fn job_name(&self, task: WorkloadId) -> &str {
        self.job_names.get(&task).map_or("", String::as_str)
    }

    /// The group with which a workload must share a node.
    pub(crate) fn one_node(&self, workload: &Workload) -> Option<&str> {
        self.one_node.get(&*workload.name).copied()
    }

    /// The digests of a config's keys; `None` for an existing `ConfigMap`.
    pub(crate) fn config_digests(&self, config: ConfigId) -> Option<&BTreeMap<&'m str, String>> {
        self.config_digests.get(config.index())?.as_ref()
    }

    /// The text of a passed object; `None` if it is patched.
    pub(crate) fn passed_text(&self, planned: PlannedObject) -> Option<&str> {
        let ObjectSource::Passed(index) = planned.source else { return None };
        let object = self.passed.get(index)?;
        let changed = self.patches(&object.kind, &object.name).next().is_some();
        (!changed).then_some(object.text.as_str())
    }

    /// Computes the names of Jobs in start order: a name depends on the Jobs that it waits for.
    fn name_jobs(&mut self, order: &Order) {
        for id in order.waves.iter().flatten().copied() {
            let workload = &self.model.workloads[id];
            if let Kind::Task(_) = workload.kind {
                let name = job::name(self, workload);
                self.job_names.insert(id, name);
            }
        }
    }

    /// Builds an object.
    pub fn build(&self, planned: PlannedObject) -> Object {
        if self.model.patches.is_empty() {
            return self.typed(planned);
        }
        let (kind, name) = self.identity(planned);
        let mut patches = self.patches(kind, &name).peekable();
        if patches.peek().is_none() {
            return self.typed(planned);
        }
        let mut object = self.unpatched(planned);
        for one in patches {
            // A patch that cannot be applied has been reported.
            let _ = patch::apply(&mut object, one);
        }
        Object::Raw(object)
    }

    /// An object before its patches, as JSON.
    fn unpatched(&self, planned: PlannedObject) -> Value {
        // Structs of plain fields: writing them cannot fail.
        serde_json::to_value(Ordered(&self.typed(planned))).unwrap_or_default()
    }

    fn typed(&self, planned: PlannedObject) -> Object {
        let model = self.model;
        let workload = |id: WorkloadId| &model.workloads[id];
        match planned.source {
            ObjectSource::Namespace => Object::Namespace(namespace::namespace(model).into()),
            ObjectSource::Account(id) => Object::ServiceAccount(rights::account(model, workload(id)).into()),
            ObjectSource::Role(id, holder) => Object::Role(rights::role(self, id, holder).into()),
            ObjectSource::Binding(id, holder) => {
                Object::RoleBinding(rights::binding(model, workload(id), holder).into())
            }
            ObjectSource::PersistentVolume(id) => {
                Object::PersistentVolume(claim::persistent_volume(model, &model.volumes[id]).into())
            }
            ObjectSource::Claim(id) => {
                Object::PersistentVolumeClaim(claim::claim(model, &model.volumes[id]).into())
            }
            ObjectSource::ConfigMap(id) => {
                Object::ConfigMap(config_map::config_map(model, &model.configs[id]).into())
            }
            ObjectSource::Secret(id) => {
                let none = BTreeMap::new();
                let values = self.secrets.as_ref().and_then(|all| all.get(&id)).unwrap_or(&none);
                Object::Secret(secret::secret(model, &model.secrets[id], values).into())
            }
            ObjectSource::Service(id) => Object::Service(service::internal(model, workload(id)).into()),
            ObjectSource::HeadlessService(id) => {
                Object::Service(service::headless(model, workload(id)).into())
            }
            ObjectSource::OpenService(id, reach) => Object::Service(service::open(self, id, reach).into()),
            ObjectSource::Outside(id) => Object::Service(outside::service(model, &model.outsides[id]).into()),
            ObjectSource::EndpointSlice(id) => match &model.outsides[id].place.value {
                OutsidePlace::Address(address) => Object::EndpointSlice(
                    outside::endpoint_slice(model, &model.outsides[id], *address).into(),
                ),
                OutsidePlace::Host(_) => Object::Raw(Value::Null),
            },
            ObjectSource::Deployment(id) => {
                Object::Deployment(deployment::deployment(self, workload(id)).into())
            }
            ObjectSource::StatefulSet(id) => {
                Object::StatefulSet(stateful_set::stateful_set(self, workload(id)).into())
            }
            ObjectSource::Job(id) => Object::Job(job::job(self, workload(id)).into()),
            ObjectSource::CronJob(id) => Object::CronJob(job::cron_job(self, workload(id)).into()),
            ObjectSource::Autoscaler(id) => {
                Object::HorizontalPodAutoscaler(autoscaler::autoscaler(model, workload(id)).into())
            }
            ObjectSource::DisruptionBudget(id) => {
                Object::PodDisruptionBudget(disruption::disruption_budget(model, workload(id)).into())
            }
            ObjectSource::Network(id, beside_closed) => {
                Object::NetworkPolicy(network_policy::network(model, id, beside_closed).into())
            }
            ObjectSource::CommonNetwork => Object::NetworkPolicy(network_policy::common(model).into()),
            ObjectSource::Open(id) => Object::NetworkPolicy(network_policy::open(model, workload(id)).into()),
            ObjectSource::Api(id) => Object::NetworkPolicy(network_policy::api(model, workload(id)).into()),
            ObjectSource::Ingress(id) => Object::Ingress(web::ingress(model, workload(id)).into()),
            ObjectSource::HttpRoute(id, port) => match workload(id).port(port) {
                Some(port) => Object::HttpRoute(http_route::http_route(model, workload(id), port).into()),
                None => Object::Raw(Value::Null),
            },
            ObjectSource::Passed(index) => {
                Object::Raw(self.passed.get(index).map_or(Value::Null, |object| object.value.clone()))
            }
        }
    }

    /// The name of an object's file, without an extension: a number that sorts in the order in which to apply, the
    /// kind, and the name. Adding a service changes it only if there is a new wave before.
    pub fn file_stem(&self, planned: PlannedObject) -> String {
        let (kind, mut name) = self.identity(planned);
        // Without the digest, so that a changed Job keeps its file.
        if let ObjectSource::Job(id) = planned.source {
            name = side_name(self.model, &self.model.workloads[id]);
        }
        // Names of passed objects may contain characters that files cannot have.
        let plain = |c: char| if c.is_ascii_alphanumeric() || "-_.".contains(c) { c } else { '-' };
        let safe = |text: &str| -> String { text.chars().map(plain).collect() };
        // A file name has at most 255 bytes.
        let name = if name.len() > MOST_OF_FILE_NAME {
            let mut digest = Digest::default();
            digest.piece(name.as_bytes());
            let start: String = name.chars().take(MOST_OF_FILE_NAME / 2).collect();
            format!("{}-{}", safe(&start), digest.hex(12))
        } else {
            safe(&name)
        };
        let kind = safe(&kind.to_lowercase());
        let mut stem = format!("{}", planned.group as u8);
        // Writing to a string cannot fail.
        let _ = write!(stem, "{:0digits$}-{kind}-{name}", planned.wave, digits = self.wave_digits);
        if let ObjectSource::Passed(index) = planned.source {
            // Two passed objects in different namespaces may have the same name.
            let _ = write!(stem, "-passed-{}", index + 1);
        }
        stem
    }

    /// Whether the object contains the value of a secret.
    pub fn holds_secret(&self, planned: PlannedObject) -> bool {
        match planned.source {
            ObjectSource::Secret(_) => true,
            ObjectSource::Passed(index) => {
                self.passed.get(index).is_some_and(|object| object.kind == "Secret")
            }
            _ => false,
        }
    }
}

/// The objects for the help of a message, by kind (with a capital letter) and by name (without one).
fn by_kind_and_name<'a>(
    objects: impl Iterator<Item = &'a (&'a str, String)>,
) -> BTreeMap<&'a str, BTreeSet<String>> {
    let mut found: BTreeMap<&str, BTreeSet<String>> = BTreeMap::new();
    for (kind, name) in objects {
        for word in [*kind, name.as_str()] {
            found.entry(word).or_default().insert(format!("{kind}/{name}"));
        }
    }
    found
}
