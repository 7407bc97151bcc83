//! The objects mean what the stack says: users, variables, mounts, times, as a simulated node sees them.

use std::collections::BTreeMap;

use fracht_core::grammar::duration::whole_seconds;
use fracht_core::model::{
    Condition, Container, Content, Kind, Model, Mounted, Part, PodField, Probe, Replicas, Text, Workload,
};
use serde_json::Value;

use crate::cluster::{Cluster, Pod, items};
use crate::kubelet::{Process, Variables, expanded};

pub(crate) fn check(cluster: &Cluster<'_>, model: &Model) {
    let names = Names { model };
    for workload in &model.workloads {
        let pods = cluster.pods();
        let pod = pods.iter().find(|pod| pod.labels()["app.kubernetes.io/name"] == *workload.name).unwrap();
        let mut folders = Folders::default();
        for (name, definition) in containers(workload) {
            let container = pod.containers().find(|container| container["name"] == *name).unwrap();
            user(definition, pod, container);
            variables(cluster, &names, definition, container);
            mounts(cluster, &names, definition, (pod, container), &mut folders);
            health(definition, container);
        }
        folders.check(&pod.owner);
        waits(model, workload, pod);
        times(cluster, model, workload, pod);
    }
}

fn containers(workload: &Workload) -> impl Iterator<Item = (&str, &Container)> {
    let sidecars = workload.sidecars.iter().map(|sidecar| (&*sidecar.name, &sidecar.container));
    std::iter::once((&*workload.name, &workload.main)).chain(sidecars)
}

/// The names of objects, found by their labels and fields.
struct Names<'m> {
    model: &'m Model,
}

impl Names<'_> {
    fn own(&self, name: &str, present: Option<&str>) -> String {
        let stack = &self.model.name.value;
        present.map_or_else(|| format!("{stack}{}{name}", self.dash()), str::to_owned)
    }

    /// The separator in names: two dashes if the name of the stack has one.
    fn dash(&self) -> &'static str {
        if self.model.name.value.contains('-') { "--" } else { "-" }
    }

    /// The value of a text at run time.
    fn text(&self, text: &Text) -> String {
        text.parts.iter().map(|part| self.part(part)).collect()
    }

    fn part(&self, part: &Part) -> String {
        match part {
            Part::Plain(text) | Part::Known { text, .. } => text.to_string(),
            Part::Config(id, key) => {
                let config = &self.model.configs[*id];
                let present = config.present.as_ref().map(|present| &*present.value);
                match &config.keys.get(key).unwrap().content {
                    Content::Present => format!("<config {} {key}>", self.own(&config.name, present)),
                    content => content.as_text().unwrap(),
                }
            }
            Part::Secret(id, key) => {
                let secret = &self.model.secrets[*id];
                let present = secret.present.as_ref().map(|present| &*present.value);
                format!("<secret {} {key}>", self.own(&secret.name, present))
            }
            Part::Pod(field) => match field {
                PodField::Name => "<pod metadata.name>".into(),
                PodField::Namespace => "<pod metadata.namespace>".into(),
                PodField::Ip => "<pod status.podIP>".into(),
                PodField::Node => "<pod spec.nodeName>".into(),
                PodField::Label(key) => format!("<pod metadata.labels['{key}']>"),
            },
            Part::Unresolved => panic!("a checked stack has none"),
        }
    }
}

/// Checks that each container runs as its own user.
fn user(definition: &Container, pod: &Pod<'_>, container: &Value) {
    let own = &container["securityContext"];
    let said = own["runAsUser"].as_u64().or(pod.spec()["securityContext"]["runAsUser"].as_u64());
    let wanted = definition.user.as_ref().map(|user| u64::from(user.value.uid));
    assert_eq!(said, wanted, "{} of {}", container["name"], pod.owner);
    assert!(!(said == Some(0) && own["runAsNonRoot"] == true), "{} never starts", pod.owner);
}

/// Checks that variables and arguments reach the process: those of `use` in their order, overridden by `env`.
fn variables(cluster: &Cluster<'_>, names: &Names<'_>, definition: &Container, container: &Value) {
    let mut wanted = Variables::new();
    for used in &definition.uses {
        for part in names.model.used_keys(used) {
            let (Part::Config(_, key) | Part::Secret(_, key)) = &part else { continue };
            wanted.insert(used.variable(key), names.part(&part));
        }
    }
    wanted.extend(definition.env.iter().map(|one| (one.name.to_string(), names.text(&one.value))));
    let found = cluster.variables_of(container);
    for (name, value) in &wanted {
        assert_eq!(found.get(name), Some(value), "{name} of {}", container["name"]);
    }
    for (list, texts) in [("command", &definition.program), ("args", &definition.args)] {
        let said = items(&container[list]).map(|text| expanded(text.as_str().unwrap(), &found));
        let wanted = texts.iter().flatten().map(|text| names.text(text));
        assert_eq!(said.collect::<Vec<_>>(), wanted.collect::<Vec<_>>(), "{list} of {}", container["name"]);
    }
}

/// The mounts that share a folder, by the stack and by the objects.
#[derive(Default)]
struct Folders {
    /// The volume of the pod, by the folder in the stack.
    of: BTreeMap<String, String>,
}

impl Folders {
    fn note(&mut self, what: &str, volume: &str) {
        let known = self.of.entry(what.to_owned()).or_insert_with(|| volume.to_owned());
        assert_eq!(known, volume, "{what} is two folders");
    }

    fn check(&self, owner: &str) {
        let volumes: std::collections::BTreeSet<&String> = self.of.values().collect();
        assert_eq!(volumes.len(), self.of.len(), "two things are one folder in {owner}: {:?}", self.of);
    }
}

/// Checks that each path has the right content, and that the process can read it.
fn mounts(
    cluster: &Cluster<'_>,
    names: &Names<'_>,
    definition: &Container,
    (pod, container): (&Pod<'_>, &Value),
    folders: &mut Folders,
) {
    let model = names.model;
    let object = &cluster.objects[pod.at()];
    for mount in &definition.mounts {
        let said = items(&container["volumeMounts"]).find(|said| said["mountPath"] == *mount.path).unwrap();
        let volume = items(&pod.spec()["volumes"]).find(|volume| volume["name"] == said["name"]);
        let name = said["name"].as_str().unwrap();
        match &mount.what {
            Mounted::Volume(id) => {
                let definition = &model.volumes[*id];
                let present = definition.present.as_ref().map(|present| &*present.value);
                folders.note(&format!("volume {}", definition.name), name);
                match volume {
                    None => {
                        let templates = items(&object["spec"]["volumeClaimTemplates"]);
                        let found =
                            templates.filter(|template| template["metadata"]["name"] == said["name"]).count();
                        assert!(definition.each.value && found == 1, "{said}");
                    }
                    Some(volume) => assert_eq!(
                        volume["persistentVolumeClaim"]["claimName"],
                        names.own(&definition.name, present)
                    ),
                }
            }
            Mounted::Config(id, key) => {
                let config = &model.configs[*id];
                let present = config.present.as_ref().map(|present| &*present.value);
                folders.note(&format!("config {} {:?}", config.name, mount.mode), name);
                let source = &volume.unwrap()["configMap"];
                assert_eq!(source["name"], names.own(&config.name, present), "{said}");
                files((pod, container), mount.mode, source, said, key.as_deref());
            }
            Mounted::Secret(id, key) => {
                let secret = &model.secrets[*id];
                let present = secret.present.as_ref().map(|present| &*present.value);
                folders.note(&format!("secret {} {:?}", secret.name, mount.mode), name);
                let source = &volume.unwrap()["secret"];
                assert_eq!(source["secretName"], names.own(&secret.name, present), "{said}");
                files((pod, container), mount.mode, source, said, key.as_deref());
            }
            Mounted::Scratch(scratch) => {
                let own = format!("scratch of {} at {}", container["name"], mount.path);
                folders.note(&scratch.shared.as_ref().map_or(own, |shared| format!("shared {shared}")), name);
                let limit = volume.unwrap()["emptyDir"]["sizeLimit"].as_str();
                assert_eq!(limit, scratch.size.as_ref().map(|size| &*size.text), "{said}");
            }
            Mounted::Folder(_) => panic!("a cluster has no folder of a machine"),
        }
    }
}

fn files(
    (pod, container): (&Pod<'_>, &Value),
    mode: Option<u16>,
    source: &Value,
    said: &Value,
    key: Option<&str>,
) {
    assert_eq!(source["defaultMode"].as_u64(), mode.map(u64::from), "{said}");
    assert_eq!(said["subPath"].as_str(), key, "{said}");
    let process = Process::of(pod.spec(), container);
    let group = pod.spec()["securityContext"]["fsGroup"].as_u64();
    let readable = process.can_read(u64::from(mode.unwrap_or(0o644)), group);
    assert_ne!(readable, Some(false), "{process:?} of {} cannot read {said}", pod.owner);
}

/// Checks that a service has as much time to start as the stack allows, not twice that.
fn health(definition: &Container, container: &Value) {
    let Some(health) = &definition.health else { return };
    let number = |probe: &str, field: &str, default: u64| container[probe][field].as_u64().unwrap_or(default);
    let period = number("startupProbe", "periodSeconds", 10);
    let time = period * number("startupProbe", "failureThreshold", 3);
    let boot = u64::try_from(health.boot.value.as_millis().div_ceil(1000)).unwrap();
    assert!((boot..boot.max(1) + period).contains(&time), "{boot} s to start became {time} s");
    if let Probe::Run { command } = &health.probe {
        // Only variables with a literal value count.
        let variables = items(&container["env"]).map(|variable| {
            (
                variable["name"].as_str().unwrap().to_owned(),
                variable["value"].as_str().unwrap_or_default().to_owned(),
            )
        });
        let variables: Variables = variables.collect();
        let words = items(&container["readinessProbe"]["exec"]["command"]);
        let said: Vec<String> = words.map(|word| expanded(word.as_str().unwrap(), &variables)).collect();
        assert!(said.iter().eq(command.iter().map(|word| &*word.value)), "{said:?}");
    }
}

/// Checks that each service or task to wait for has a gate that can open.
fn waits(model: &Model, workload: &Workload, pod: &Pod<'_>) {
    let wanted = workload.after.iter().filter(|after| after.condition != Condition::Started).count();
    assert_eq!(pod.gates().count(), wanted, "{}", pod.owner);
    let runs = workload.service().is_none_or(|service| service.replicas.value.most() > 0);
    for after in workload.after.iter().filter(|after| runs && after.condition == Condition::Ready) {
        let on = model.workloads[after.on].service().unwrap();
        assert!(on.replicas.value.most() > 0, "{} waits for what never comes", pod.owner);
    }
}

/// Checks replicas and time limits.
fn times(cluster: &Cluster<'_>, model: &Model, workload: &Workload, pod: &Pod<'_>) {
    let object = &cluster.objects[pod.at()];
    match &workload.kind {
        Kind::Service(service) => {
            let fixed = match service.replicas.value {
                Replicas::Fixed(count) => Some(u64::from(count)),
                Replicas::Growing { .. } => None,
            };
            assert_eq!(object["spec"]["replicas"].as_u64(), fixed, "{}", pod.owner);
        }
        Kind::Task(task) => {
            let job = object["spec"].get("jobTemplate").map_or(&object["spec"], |template| &template["spec"]);
            let limit =
                job["activeDeadlineSeconds"].as_u64().or(pod.spec()["activeDeadlineSeconds"].as_u64());
            let timeout = task.timeout.map(|timeout| u64::from(whole_seconds(timeout.value)));
            let gates =
                workload.after.iter().filter(|after| after.condition != Condition::Started).count() as u64;
            let waiting = gates * model.target.gate.within.value.as_secs();
            assert_eq!(limit, timeout.map(|timeout| timeout + waiting), "{}", pod.owner);
        }
    }
}
