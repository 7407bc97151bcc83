//! Stack files as JSON, and where they are.

use std::fs;
use std::path::{Path, PathBuf};

use serde_json::Value;

/// A stack file as JSON.
pub fn as_json(text: &str) -> Value {
    fn converted(value: &toml::de::DeValue<'_>) -> Value {
        use toml::de::DeValue;
        match value {
            DeValue::String(text) => text.as_ref().into(),
            DeValue::Integer(number) => number.as_str().replace('_', "").parse::<i64>().unwrap().into(),
            DeValue::Float(number) => number.as_str().parse::<f64>().unwrap().into(),
            DeValue::Boolean(value) => (*value).into(),
            DeValue::Datetime(date) => date.to_string().into(),
            DeValue::Array(items) => items.iter().map(|item| converted(item.get_ref())).collect(),
            DeValue::Table(table) => table
                .iter()
                .map(|(key, entry)| (key.get_ref().to_string(), converted(entry.get_ref())))
                .collect(),
        }
    }
    converted(&toml::de::DeValue::Table(toml::de::DeTable::parse(text).unwrap().into_inner()))
}

/// The stack files of the repository.
pub fn stack_files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() && !path.ends_with("target") {
            stack_files(&path, found);
        } else if path.ends_with("fracht.toml") {
            found.push(path);
        }
    }
}
