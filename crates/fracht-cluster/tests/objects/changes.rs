//! A small change of the stack is a small change of the objects.

use indoc::{formatdoc, indoc};
use serde_json::Value;

use crate::{demo, files, objects};

/// The objects that differ between two renderings, as `Kind name`.
fn changed(before: &[Value], after: &[Value]) -> Vec<String> {
    let identity = |object: &Value| {
        format!("{} {}", object["kind"].as_str().unwrap(), object["metadata"]["name"].as_str().unwrap())
    };
    let find = |all: &[Value], name: &str| all.iter().find(|object| identity(object) == name).cloned();
    let mut names: Vec<String> = before.iter().chain(after).map(identity).collect();
    names.sort();
    names.dedup();
    names.retain(|name| find(before, name) != find(after, name));
    names
}

#[test]
fn a_changed_setting_changes_its_config_and_the_pods_that_use_it() {
    let before = objects(&demo(), "prod");
    let after =
        objects(&demo().with("/s/conf/model.env", "HORIZON_HOURS=96\nSTEP_MINUTES=10\nREGION=x\n"), "prod");
    assert_eq!(
        changed(&before, &after),
        ["ConfigMap tidedesk-model", "Deployment tidedesk-api", "Deployment tidedesk-worker"]
    );
    let pod = |objects: &[Value]| {
        let api = objects
            .iter()
            .find(|o| o["kind"] == "Deployment" && o["metadata"]["name"] == "tidedesk-api")
            .unwrap();
        let mut template = api["spec"]["template"].clone();
        let digest = template["metadata"]["annotations"]["fracht/config-model"].take();
        (template, digest)
    };
    let ((one, first), (other, second)) = (pod(&before), pod(&after));
    assert_eq!(one, other, "nothing but the digest");
    assert_ne!(first, second);
}

#[test]
fn a_changed_task_is_a_new_job_and_changes_the_workloads_that_wait_for_it() {
    let text = |args: &str| {
        formatdoc!(
            r#"
                [stack]
                name = "s"
                [task.schema]
                image = "a:1.0"
                args = ["{args}"]
                [task.seed]
                image = "a:1.0"
                after = {{ schema = "done" }}
                [service.api]
                image = "a:1.0"
                after = {{ seed = "done" }}
                [service.other]
                image = "b:1.0"
                "#
        )
    };
    let (before, after) = (objects(&files(&text("up")), "cluster"), objects(&files(&text("on")), "cluster"));
    let changed = changed(&before, &after);
    assert!(!changed.iter().any(|name| name.ends_with("other")), "{changed:?}");
    let jobs: Vec<_> = changed.iter().filter(|name| name.starts_with("Job ")).collect();
    assert_eq!(jobs.len(), 4, "two old ones, two new ones: {changed:?}");
    assert!(changed.contains(&"Deployment s-api".to_owned()));
    assert!(changed.contains(&"Role s-api.gate".to_owned()));
}

#[test]
fn the_same_task_keeps_its_job() {
    let name = |objects: &[Value]| {
        objects.iter().find(|o| o["kind"] == "Job").unwrap()["metadata"]["name"].as_str().unwrap().to_owned()
    };
    let laptop_like = demo().with("/s/conf/stations.csv", "id\n");
    assert_eq!(name(&objects(&demo(), "prod")), name(&objects(&laptop_like, "prod")));
}

#[test]
fn an_added_service_does_not_change_the_others() {
    let text = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.http = 80
        "#};
    let more = format!("{text}[service.b]\nimage = \"b:1.0\"\nport.http = 80\n");
    let changed = changed(&objects(&files(text), "cluster"), &objects(&files(&more), "cluster"));
    assert_eq!(changed, ["Deployment s-b", "Service b"]);
}

/// The value of a secret cannot be guessed from the objects: two values give the same pods.
#[test]
fn the_value_of_a_secret_is_in_its_object_only() {
    let encoded = "Z3VsbC1hbmQta2VscAo="; // gull-and-kelp and the line break, encoded once
    for object in objects(&demo(), "prod") {
        let text = object.to_string();
        assert!(!text.contains("gull-and-kelp"), "{object}");
        assert_eq!(text.contains(encoded), object["kind"] == "Secret", "{object}");
    }
}
