//! The bare runs that `count.sh` and `stacks` compare with: what the libraries alone need for the same work.
//!
//! `bare generate SIZE` prints a stack of so many services. `bare parse FILE` parses a stack file by the TOML library.
//! `bare render FILE` parses it, and writes the objects that Fracht has rendered to JSON (`FILE.json`) by the YAML
//! library. `bare read FILE` is the start of `bare render`, to be taken off it.
#![allow(
    missing_docs,
    clippy::expect_used,
    clippy::indexing_slicing,
    reason = "a benchmark that panics has failed"
)]

use std::hint::black_box;

use fracht_testkit::generator;
use serde_json::Value;

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|argument| argument != "--bench").collect();
    let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
    match arguments.as_slice() {
        ["generate", size] => print!("{}", generator::stack(size.parse().expect("a number"))),
        ["parse", file] => parse(file),
        ["read", file] => drop(objects(file)),
        ["render", file] => {
            let objects = objects(file);
            parse(file);
            let mut out = String::new();
            for object in &objects {
                out.clear();
                let options = serde_saphyr::ser_options! { folded_wrap_chars: usize::MAX };
                serde_saphyr::to_fmt_writer_with_options(&mut out, &object.clone(), options)
                    .expect("it can be written");
                black_box(&out);
            }
        }
        // `cargo bench` runs it without arguments.
        _ => {}
    }
}

fn parse(file: &str) {
    let text = std::fs::read_to_string(file).expect("a file");
    black_box(toml::de::DeTable::parse_recoverable(&text));
}

fn objects(file: &str) -> Vec<Value> {
    let text = std::fs::read_to_string(format!("{file}.json")).expect("a file");
    let list: Value = serde_json::from_str(&text).expect("JSON");
    list["items"].as_array().expect("a list").clone()
}
