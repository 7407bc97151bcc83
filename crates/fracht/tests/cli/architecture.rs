//! The structure of the code: which part may use which.

use std::collections::BTreeSet;
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
    for other in ["fracht", "clap", "annotate-snippets", "anstream", "toml", "k8s-openapi"] {
        assert!(!cluster.contains(&other.to_owned()), "the cluster crate knows {other}");
    }
    let picture = dependencies("fracht-picture");
    assert!(picture.contains(&"fracht-core".to_owned()));
    for other in ["fracht", "fracht-cluster", "clap", "toml", "k8s-openapi"] {
        assert!(!picture.contains(&other.to_owned()), "the pictures know {other}");
    }
    for (krate, others) in [
        ("fracht-engine", ["fracht", "fracht-cluster", "fracht-registry", "clap", "anstream"]),
        ("fracht-registry", ["fracht", "fracht-cluster", "fracht-engine", "clap", "anstream"]),
    ] {
        let own = dependencies(krate);
        for other in others {
            assert!(!own.contains(&other.to_owned()), "{krate} knows {other}");
        }
    }
    assert!(!dependencies("fracht").contains(&"toml".to_owned()));
}

/// Libraries that one module uses alone: the name in code, the crate, and the modules.
const KEPT: [(&str, &str, &[&str]); 9] = [
    ("httparse::", "fracht-engine", &["src/transport/http.rs"]),
    ("ureq::", "fracht-registry", &["src/client.rs"]),
    ("resvg", "fracht-picture", &["src/png.rs"]),
    ("ttf_parser", "fracht-picture", &["src/font.rs"]),
    ("toml::", "fracht-core", &["src/syntax/"]),
    ("serde_saphyr", "fracht-cluster", &["src/write/yaml/"]),
    ("json_patch", "fracht-cluster", &["src/brought/patch.rs"]),
    ("k8s_openapi", "fracht-oracles", &["src/lib.rs"]),
    ("annotate_snippets", "fracht", &["src/ui/excerpt.rs"]),
];

#[test]
fn external_crates_are_used_in_their_modules_only() {
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
fn libraries_do_not_use_the_terminal_environment_or_clock() {
    for krate in ["fracht-core", "fracht-cluster", "fracht-picture"] {
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

/// The modules of each crate in their order: each may use those in the lines above, none in its own line.
const STAGES: [(&str, &[&str]); 8] = [
    (
        "fracht-core",
        &[
            "digest escape grammar graph",
            "input ordered_map source",
            "origin",
            "diag",
            "files",
            "model tree",
            "language plan reveal syntax",
            "cover include layer lock resolve",
            "read rules trace",
            "levels",
            "check",
        ],
    ),
    (
        "fracht-cluster",
        &[
            "api config_digest group name object yaml_value",
            "facts labels port read schema",
            "brought compare container",
            "gate",
            "pod",
            "kinds",
            "plan",
            "rendering",
            "write",
        ],
    ),
    (
        "fracht-engine",
        &[
            "parallel transport",
            "api stand_in",
            "build ending output",
            "desired",
            "actual probe",
            "steps",
            "run",
        ],
    ),
    ("fracht-oracles", &["table"]),
    ("fracht-picture", &["diagram font", "graph layout", "dot mermaid terminal theme", "svg", "png"]),
    ("fracht-registry", &["challenge manifest place versions", "login", "client", "look"]),
    ("fracht-testkit", &["as_json generator random_stack sets stacks", "registry rendered"]),
    (
        "fracht",
        &[
            "cli disk failure machine veil",
            "inputs terminal ui",
            "making stack write",
            "beside complete engine registry secrets",
            "images objects",
            "commands",
        ],
    ),
];

/// The modules that a text names by `crate::NAME` or `crate::{NAME, …}`.
fn named_modules(text: &str) -> Vec<&str> {
    let word = |c: char| !(c.is_ascii_alphanumeric() || c == '_');
    let mut names = Vec::new();
    for rest in text.split("crate::").skip(1) {
        match rest.strip_prefix('{') {
            None => names.extend(rest.split(word).next()),
            Some(group) => {
                let mut depth = 0;
                for item in group.split_inclusive([',', '{', '}']) {
                    if depth == 0 {
                        names.extend(item.trim_start().split(word).next());
                    }
                    depth += usize::from(item.ends_with('{'));
                    match depth.checked_sub(usize::from(item.ends_with('}'))) {
                        Some(less) => depth = less,
                        None => break,
                    }
                }
            }
        }
    }
    names
}

#[test]
fn modules_use_only_earlier_ones() {
    let mut crates: Vec<_> =
        fs::read_dir(root().join("crates")).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    crates.sort();
    let mut listed = STAGES.map(|(krate, _)| krate);
    listed.sort_unstable();
    assert_eq!(crates, listed);
    for (krate, stages) in STAGES {
        let stage =
            |module: &str| stages.iter().position(|names| names.split(' ').any(|name| name == module));
        let (folder, mut seen) = (root().join("crates").join(krate).join("src"), BTreeSet::new());
        for (path, text) in sources(krate) {
            let name = path.strip_prefix(&folder).unwrap().iter().next().unwrap().to_str().unwrap();
            let module = name.trim_end_matches(".rs");
            // Tests may use any module.
            if matches!(module, "lib" | "main") || path.ends_with("tests.rs") {
                continue;
            }
            let own = stage(module).unwrap_or_else(|| panic!("{krate}: {module} is not in the list"));
            seen.insert(module.to_owned());
            let code = text.split("#[cfg(test)]\nmod tests {").next().unwrap();
            let code: String = code
                .lines()
                .filter(|line| !line.trim_start().starts_with("//"))
                .collect::<Vec<_>>()
                .join("\n");
            for other in named_modules(&code) {
                // A function of the crate root has no stage.
                let Some(other_stage) = stage(other) else { continue };
                assert!(
                    other_stage < own || other == module,
                    "{} uses {other}, which is not in an earlier stage",
                    path.display()
                );
            }
        }
        assert_eq!(seen.len(), stages.iter().flat_map(|names| names.split(' ')).count(), "{krate}: {seen:?}");
    }
}
