//! Written objects can be read back: both formats say the same, and no field is empty.

use fracht_cluster::{Format, read_objects};
use serde_json::Value;

use crate::{demo, files, rendered};

fn documents(yaml: &str) -> Vec<Value> {
    read_objects(yaml).unwrap_or_else(|error| panic!("{error}\n{yaml}"))
}

#[test]
fn the_demo_round_trips_through_yaml_and_json() {
    let files = demo();
    let yaml = documents(&rendered(&files, "prod", Format::Yaml));
    let json: Value = serde_json::from_str(&rendered(&files, "prod", Format::Json)).unwrap();
    assert_eq!(json["items"].as_array().unwrap(), &yaml, "both formats say the same");
}

#[test]
fn no_written_field_is_empty() {
    fn filled(value: &Value, path: &str) {
        match value {
            Value::Null => panic!("{path} is null"),
            Value::Array(items) => {
                assert!(!items.is_empty(), "{path} is empty");
                items.iter().enumerate().for_each(|(at, item)| filled(item, &format!("{path}/{at}")));
            }
            // In a policy, an empty list of rules allows nothing, and an empty rule allows everything.
            Value::Object(_) if path.contains("/egress/0") || path.ends_with("namespaceSelector") => {}
            Value::Object(fields) => {
                assert!(!fields.is_empty(), "{path} is empty");
                fields.iter().for_each(|(key, field)| filled(field, &format!("{path}/{key}")));
            }
            _ => {}
        }
    }
    for object in documents(&rendered(&demo(), "prod", Format::Yaml)) {
        filled(&object, &object["kind"].to_string());
    }
}

#[test]
fn the_same_stack_gives_the_same_bytes() {
    for format in [Format::Yaml, Format::Json] {
        assert_eq!(rendered(&demo(), "prod", format), rendered(&demo(), "prod", format));
    }
}

/// With some hundred objects, several threads write.
#[test]
fn parallel_writing_gives_the_same_bytes() {
    let large = files(&fracht_testkit::generator::stack(400));
    let yaml = rendered(&large, "cluster", Format::Yaml);
    assert_eq!(yaml, rendered(&large, "cluster", Format::Yaml));
    let json: Value = serde_json::from_str(&rendered(&large, "cluster", Format::Json)).unwrap();
    let names = |objects: &[Value]| -> Vec<String> {
        objects.iter().map(|o| format!("{} {}", o["kind"], o["metadata"]["name"])).collect()
    };
    assert_eq!(names(json["items"].as_array().unwrap()), names(&documents(&yaml)));
}
