use fracht_core::model::{Model, Place, Text};
use fracht_core::origin::{Layer, Origin};

use crate::{failed, good, verdict};

const STACK: &str = r#"
[stack]
name = "tidedesk"
title = "Tide forecasts"

[service.api]
image = "api:1"
args = ["serve", "--slow"]
replicas = 2
port.http = 8080
env.LOG_LEVEL = "info"
env.WHERE = "{target.name} {target.namespace} {stack.name}"

[volume.tides]
size = "1Gi"

[target.laptop]
on = "machine"
service.api.replicas = 1
service.api.args = ["serve"]
service.api.port.http.reach = "node"

[target.prod]
namespace = "tides"
service.api.env.LOG_LEVEL = "warn"
service.api.env.EXTRA = "1"
service.canary = { image = "api:2" }
volume.tides.class = "fast"
"#;

fn variable<'m>(model: &'m Model, service: &str, name: &str) -> &'m Text {
    let workload = model.workloads.iter().find(|workload| *workload.name == *service).unwrap();
    &workload.env.iter().find(|variable| *variable.name == *name).unwrap().value
}

#[test]
fn a_target_states_only_the_difference() {
    let laptop = good(STACK, "laptop").model;
    let api = &laptop.workloads.iter().next().unwrap();
    assert_eq!(laptop.target.on.value, Place::Machine);
    assert_eq!(api.service().unwrap().replicas.value, 1);
    assert_eq!(api.args.as_ref().unwrap().len(), 1, "a list replaces");
    assert_eq!(api.ports()[0].number.value, 8080, "a short form becomes the table that it stands for");
    assert!(api.ports()[0].reach.value.is_open());
    assert_eq!(variable(&laptop, "api", "LOG_LEVEL").plain(), "info");

    let prod = good(STACK, "prod").model;
    assert_eq!(prod.target.on.value, Place::Cluster);
    assert_eq!(variable(&prod, "api", "LOG_LEVEL").plain(), "warn", "tables merge by key");
    assert_eq!(variable(&prod, "api", "EXTRA").plain(), "1");
    assert_eq!(prod.workloads.len(), 2, "a target can add a service");
    assert_eq!(prod.volumes.iter().next().unwrap().class.as_ref().unwrap().value.as_ref(), "fast");
}

#[test]
fn texts_know_the_target_and_the_stack() {
    let text = |target| variable(&good(STACK, target).model, "api", "WHERE").plain();
    assert_eq!(text("laptop"), "laptop tidedesk tidedesk");
    assert_eq!(text("prod"), "prod tides tidedesk");
}

#[test]
fn every_value_knows_the_layer_that_gave_it() {
    let layer = |origin| match origin {
        Origin::Written { layer, .. } => Some(layer),
        Origin::Defaulted(_) => None,
    };
    let prod = good(STACK, "prod").model;
    assert_eq!(layer(variable(&prod, "api", "LOG_LEVEL").origin), Some(Layer::Target(1)));
    assert_eq!(layer(variable(&prod, "api", "WHERE").origin), Some(Layer::Stack));
    assert_eq!(layer(prod.target.namespace.origin), Some(Layer::Target(1)));
    assert_eq!(layer(prod.target.on.origin), None);
    let laptop = good(STACK, "laptop").model;
    let api = laptop.workloads.iter().next().unwrap();
    assert_eq!(layer(api.service().unwrap().replicas.origin), Some(Layer::Target(0)));
    assert_eq!(layer(laptop.target.namespace.origin), None);
}

#[test]
fn a_misspelt_name_in_a_target_is_found_with_the_right_one() {
    let stack = STACK.replace("service.api.replicas = 1", "service.apj.replicas = 1");
    let verdict = verdict(&stack, "laptop");
    let finding = &verdict.report.findings()[0].diagnostic;
    assert_eq!((finding.rule, &*finding.message), ("missing-key", "service.apj has no `image`."));
    assert!(finding.help.iter().any(|help| help.contains("`api`")), "{finding:#?}");
}

#[test]
fn a_mistake_in_a_target_is_found_under_every_target() {
    let stack = STACK.replace("volume.tides.class", "volume.tides.clas");
    assert!(failed(&stack, "laptop").contains(&"unknown-key"));
    assert!(failed(&stack, "prod").contains(&"unknown-key"));
}

#[test]
fn a_stack_without_targets_has_one() {
    let model = good("[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n", "cluster").model;
    assert_eq!((&*model.target.name, &*model.target.namespace.value), ("cluster", "s"));
}
