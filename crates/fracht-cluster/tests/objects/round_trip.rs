//! Written objects can be read back into the types of the API, without unknown or lost fields.

use fracht_cluster::{Format, read_objects, through_its_kind};
use proptest::prelude::*;
use serde_json::Value;

use crate::random_stack::{parts, stack_file};
use crate::{demo, files, rendered};

/// The object, read as its kind and written again.
fn through_its_type(object: &Value) -> Value {
    let read = through_its_kind(object).unwrap_or_else(|| panic!("unknown kind of {object}"));
    read.unwrap_or_else(|error| panic!("{error}: {object}"))
}

fn documents(yaml: &str) -> Vec<Value> {
    read_objects(yaml).unwrap_or_else(|error| panic!("{error}\n{yaml}"))
}

#[test]
fn the_demo_round_trips_through_yaml_and_json() {
    let files = demo();
    let yaml = documents(&rendered(&files, "prod", Format::Yaml));
    let json: Value = serde_json::from_str(&rendered(&files, "prod", Format::Json)).unwrap();
    assert_eq!(json["items"].as_array().unwrap(), &yaml, "both formats say the same");
    for object in &yaml {
        assert_eq!(&through_its_type(object), object);
    }
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
    let large = files(&crate::generator::stack(400));
    let yaml = rendered(&large, "cluster", Format::Yaml);
    assert_eq!(yaml, rendered(&large, "cluster", Format::Yaml));
    let json: Value = serde_json::from_str(&rendered(&large, "cluster", Format::Json)).unwrap();
    let names = |objects: &[Value]| -> Vec<String> {
        objects.iter().map(|o| format!("{} {}", o["kind"], o["metadata"]["name"])).collect()
    };
    assert_eq!(names(json["items"].as_array().unwrap()), names(&documents(&yaml)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn any_valid_stack_round_trips(parts in parts()) {
        let files = files(&stack_file(&parts));
        let json: Value = serde_json::from_str(&rendered(&files, "cluster", Format::Json)).unwrap();
        for object in json["items"].as_array().unwrap() {
            prop_assert_eq!(&through_its_type(object), object);
        }
    }
}
