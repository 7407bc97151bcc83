//! Builds: what the engine gets, in which order, and what is skipped.

use std::collections::BTreeSet;
use std::path::Path;

use fracht_core::check::Project;
use fracht_core::files::MemoryFiles;
use fracht_engine::api::Engine;
use fracht_engine::build::{BuildError, BuildStep, build};
use fracht_engine::stand_in::StandIn;

const STACK: &str = "[stack]\nname = \"s\"\n[build.page]\nsource = \"page\"\ntag = \"1.0\"\nargs.BASE = \"{build.base}\"\n\
    [build.base]\nsource = \"base\"\ntag = \"1.0\"\n[build.other]\nsource = \"base\"\nrecipe = \"none\"\ntag = \"1.0\"\n\
    [service.a]\nbuild = \"page\"\n[service.b]\nbuild = \"other\"\n[target.m]\non = \"machine\"\n";

fn files(page: &str, base: &str) -> MemoryFiles {
    MemoryFiles::default()
        .with("/s/fracht.toml", STACK)
        .with("/s/page/Containerfile", "ARG BASE\nFROM $BASE\n")
        .with("/s/page/index.html", page)
        .with("/s/page/notes.log", "not part of it")
        .with("/s/page/.frachtignore", "*.log\n")
        .with("/s/base/Containerfile", base)
}

/// What happens when a build of the stack is built on an engine.
fn built(engine: &StandIn, files: &MemoryFiles, name: &str) -> Result<Vec<String>, BuildError> {
    let path = Path::new("/s/fracht.toml");
    let mut project = Project::open(files, path, path).unwrap();
    let verdict = project.check("m").unwrap();
    let model = &verdict.facts.model;
    let wanted: BTreeSet<_> =
        model.builds.entries().filter(|(_, build)| *build.name == *name).map(|(id, _)| id).collect();
    let mut steps = Vec::new();
    let api = Engine::new(Box::new(engine.clone()));
    build((model, files), &api, &wanted, &mut |build, step| match step {
        BuildStep::Begins => steps.push(format!("{} begins", build.name)),
        BuildStep::There => steps.push(format!("{} is there", build.name)),
        BuildStep::Done => steps.push(format!("{} is done", build.name)),
        BuildStep::Elsewhere(platform) => steps.push(format!("{} is for {platform}", build.name)),
        BuildStep::Says(_) => {}
    })?;
    Ok(steps)
}

#[test]
fn what_is_taken_from_is_built_first_and_only_what_changed_again() {
    let engine = StandIn::default();
    let first = built(&engine, &files("a", "FROM scratch\n"), "page").unwrap();
    assert_eq!(first, ["base begins", "base is done", "page begins", "page is done"]);
    let again = built(&engine, &files("a", "FROM scratch\n"), "page").unwrap();
    assert_eq!(again, ["base is there", "page is there"]);
    // The tag is the same, and the content tells.
    let page = built(&engine, &files("b", "FROM scratch\n"), "page").unwrap();
    assert_eq!(page, ["base is there", "page begins", "page is done"]);
    let base = built(&engine, &files("b", "FROM scratch\nRUN true\n"), "page").unwrap();
    assert_eq!(base, ["base begins", "base is done", "page begins", "page is done"]);
    let ignored = files("b", "FROM scratch\nRUN true\n").with("/s/page/notes.log", "other notes");
    assert_eq!(built(&engine, &ignored, "page").unwrap(), ["base is there", "page is there"]);
}

#[test]
fn a_step_that_fails_is_told_with_what_it_said() {
    let engine = StandIn::default();
    let failed = built(&engine, &files("a", "FROM scratch\nRUN false\n"), "page").unwrap_err();
    let BuildError::Failed { reason, said, .. } = failed else { panic!("{failed:?}") };
    assert_eq!(reason, "building at STEP \"RUN false\": exit status 1");
    assert_eq!(
        said,
        ["STEP 1/2: FROM scratch", "STEP 2/2: RUN false", "building at STEP \"RUN false\": exit status 1"]
    );
    let page = files("a", "FROM scratch\n");
    assert_eq!(built(&engine, &page, "page").unwrap().len(), 4, "nothing of it is left");
}

#[test]
fn an_image_that_another_tool_makes_has_to_be_there() {
    let engine = StandIn::default();
    let files = files("a", "FROM scratch\n");
    assert!(matches!(built(&engine, &files, "other"), Err(BuildError::NotMade(_))));
    engine.add_image("other:1.0");
    assert_eq!(built(&engine, &files, "other").unwrap(), [""; 0]);
}
