//! The shape of the code: who may know whom.

use std::fs;
use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The source files of a crate, with their text.
fn sources(krate: &str) -> Vec<(PathBuf, String)> {
    let mut folders = vec![root().join("crates").join(krate).join("src")];
    let mut sources = Vec::new();
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|ending| ending == "rs") {
                sources.push((path.clone(), fs::read_to_string(path).unwrap()));
            }
        }
    }
    assert!(!sources.is_empty());
    sources
}

fn dependencies(krate: &str) -> Vec<String> {
    let text = fs::read_to_string(root().join("crates").join(krate).join("Cargo.toml")).unwrap();
    let table: toml::de::DeTable<'_> = toml::de::DeTable::parse(&text).unwrap().into_inner();
    let dependencies = table["dependencies"].get_ref();
    let toml::de::DeValue::Table(dependencies) = dependencies else { panic!() };
    dependencies.keys().map(|key| key.get_ref().to_string()).collect()
}

#[test]
fn dependencies_point_one_way() {
    let core = dependencies("fracht-core");
    for other in
        ["fracht-cluster", "fracht", "clap", "k8s-openapi", "serde_json", "annotate-snippets", "anstream"]
    {
        assert!(!core.contains(&other.to_owned()), "the core knows {other}");
    }
    let cluster = dependencies("fracht-cluster");
    assert!(cluster.contains(&"fracht-core".to_owned()));
    for other in ["fracht", "clap", "annotate-snippets", "anstream", "toml"] {
        assert!(!cluster.contains(&other.to_owned()), "the cluster crate knows {other}");
    }
    assert!(!dependencies("fracht").contains(&"toml".to_owned()));
}

/// One crate that a module keeps to itself: the crate's name in code, whose it is, and where it may stand.
const KEPT: [(&str, &str, &[&str]); 4] = [
    ("toml::", "fracht-core", &["src/syntax/"]),
    ("serde_saphyr", "fracht-cluster", &["src/write.rs", "src/read.rs"]),
    ("json_patch", "fracht-cluster", &["src/patch.rs"]),
    ("annotate_snippets", "fracht", &["src/ui/excerpt.rs"]),
];

#[test]
fn libraries_with_types_of_their_own_are_known_in_one_place() {
    for (library, krate, places) in KEPT {
        let uses: Vec<String> = sources(krate)
            .iter()
            .filter(|(_, text)| text.contains(library))
            .map(|(path, _)| path.display().to_string())
            .collect();
        assert!(!uses.is_empty(), "{library} is not used at all");
        for path in uses {
            assert!(places.iter().any(|place| path.contains(place)), "{path} knows {library}");
        }
    }
}

#[test]
fn the_libraries_touch_no_terminal_environment_or_clock() {
    for krate in ["fracht-core", "fracht-cluster"] {
        for (path, text) in sources(krate) {
            if path.ends_with("rules/tests.rs") {
                continue;
            }
            for word in [
                "println!",
                "std::env",
                "std::fs",
                "process::exit",
                "SystemTime",
                "Instant::now",
                "thread_rng",
            ] {
                assert!(!text.contains(word), "{} has {word}", path.display());
            }
        }
    }
}

/// Stages of the core, each of which may know those before it.
#[test]
fn stages_of_the_core_know_only_earlier_ones() {
    let forbidden = [
        ("source.rs", &["crate::tree", "crate::model", "crate::rules", "crate::plan"][..]),
        ("graph.rs", &["crate::"]),
        ("grammar/", &["crate::model", "crate::tree", "crate::diag", "crate::read", "crate::rules"]),
        ("model/", &["crate::tree", "crate::diag", "crate::read", "crate::rules", "crate::plan"]),
        ("syntax/", &["crate::model", "crate::read", "crate::rules", "crate::plan"]),
        ("layer/", &["crate::model", "crate::read", "crate::rules", "crate::plan"]),
        ("read/", &["crate::rules", "crate::plan"]),
        ("plan/", &["crate::tree", "crate::diag", "crate::read", "crate::rules"]),
    ];
    let all = sources("fracht-core");
    for (place, words) in forbidden {
        let mut seen = 0;
        for (path, text) in &all {
            let path = path.display().to_string();
            if !path.contains(&format!("src/{place}")) {
                continue;
            }
            seen += 1;
            for word in words {
                assert!(!text.contains(word), "{path} knows {word}");
            }
        }
        assert!(seen > 0, "there is no {place}");
    }
}
