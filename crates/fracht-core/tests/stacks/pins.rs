//! Digests of images in the lock: read, used for every image of that name, and written again.

use fracht_core::files::MemoryFiles;
use fracht_core::model::Workload;
use fracht_testkit::{files, open};

const ONE: &str = "sha256:e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";
const TWO: &str = "sha256:9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08";

const STACK: &str = "[stack]\nname = \"s\"\n[service.a]\nimage = \"registry.example/a:1.2\"\nport.x = 80\nhealth = { tcp = \"x\" }\n\
    [service.a.beside.b]\nimage = \"registry.example/b:1.0\"\n[service.c]\nimage = \"registry.example/a:1.2@TWO\"\nafter = { a = \"ready\" }\n\
    [service.d]\nimage = \"registry.example/a:1.3\"\n[target.t]\ngate.ready = \"registry.example/shell:1.0\"\n";

fn with_lock(lock: &str) -> MemoryFiles {
    files(&STACK.replace("TWO", TWO)).with("/s/fracht.lock", lock.replace("ONE", ONE).replace("TWO", TWO))
}

#[test]
fn every_image_of_the_name_has_the_digest() {
    let files = with_lock(
        "[image]\n\"registry.example/a:1.2\" = \"ONE\"\n\"registry.example/shell:1.0\" = \"TWO\"\n\"registry.example/gone:1\" = \"TWO\"\n",
    );
    let mut project = open(&files);
    let verdict = project.check("t").unwrap();
    assert!(verdict.checked().is_some());
    let model = &verdict.facts.model;
    let images: Vec<String> = model
        .workloads
        .iter()
        .flat_map(Workload::containers)
        .map(|one| one.image.value.to_string())
        .collect();
    assert_eq!(
        images,
        [
            format!("registry.example/a:1.2@{ONE}"),
            "registry.example/b:1.0".to_owned(),
            // What the stack says itself comes first.
            format!("registry.example/a:1.2@{TWO}"),
            "registry.example/a:1.3".to_owned(),
        ]
    );
    assert_eq!(model.target.gate.ready.value.to_string(), format!("registry.example/shell:1.0@{TWO}"));
    let first = &model.workloads.iter().next().unwrap().main.image.value;
    assert_eq!(
        (first.floating(), first.exact()),
        ("registry.example/a:1.2", format!("registry.example/a@{ONE}"))
    );
}

#[test]
fn a_lock_is_written_as_it_is_read() {
    let lock = "[image]\n\"registry.example/a:1.2\" = \"ONE\"\n\n[port.t]\na.x = 30007\n";
    let files = with_lock(lock);
    let text = open(&files).lock().text();
    let (header, rest) = text.split_once("\n\n").unwrap();
    assert!(header.lines().all(|line| line.starts_with('#')), "{header}");
    assert_eq!(rest, lock.replace("ONE", ONE));
}

#[test]
fn lines_that_are_no_pins_are_told_at_their_place() {
    for (line, label) in [
        ("\"registry.example/a:1.2\" = \"sha256:1\"", "not a digest, such as sha256:…"),
        ("\"registry.example/a:1.2\" = { a = 1 }", "not a digest, such as sha256:…"),
        ("\"A B\" = \"ONE\"", "its name is not a reference"),
    ] {
        let files = with_lock(&format!("[image]\n{line}\n"));
        let mut project = open(&files);
        let verdict = project.check("t").unwrap();
        let finding =
            verdict.report.findings().iter().find(|found| found.diagnostic.rule.name == "bad-value").unwrap();
        let primary = finding.diagnostic.primary.as_ref().unwrap();
        assert_eq!(primary.text, label, "{line}");
        let place = project.sources().location(primary.span);
        assert!(place.contains("fracht.lock:2"), "{line}: {place}");
    }
}
