use std::path::Path;

use fracht_core::check::Project;
use fracht_core::files::MemoryFiles;
use fracht_core::model::{ConfigKey, Model, SecretSource};
use indoc::indoc;

#[test]
fn a_target_overrides_one_key_of_what_files_give() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [config.app]
        lines = "app.env"
        files = ["conf/*"]
        key."d.conf" = { file = "d.conf" }
        [secret.site]
        lines = "site.env"
        [service.a]
        image = "a:1.0"
        use = ["config.app", "secret.site"]
        [target.plain]
        [target.prod.config.app.key]
        MODE = "fast"
        "a.conf" = "a of prod"
        "d.conf" = "d of prod"
        "c.conf" = { file = "prod.conf" }
        [target.prod.secret.site.key.TOKEN]
        file = "token"
        [target.moved.config.app]
        lines = "moved.env"
        "#};
    let files = MemoryFiles::default()
        .with("/s/fracht.toml", stack)
        .with("/s/app.env", "MODE=slow\nREGION=south\n")
        .with("/s/moved.env", "MODE=moved\nREGION=west\n")
        .with("/s/d.conf", "d of the file")
        .with("/s/prod.conf", "c of prod")
        .with("/s/site.env", "TOKEN=kelp\nOTHER=reed\n")
        .with("/s/conf/a.conf", "a of the file")
        .with("/s/conf/b.conf", "b of the file");
    let model = |target| {
        let path = Path::new("/s/fracht.toml");
        let verdict = Project::open(&files, path, path).unwrap().check(target).unwrap();
        assert!(verdict.checked().is_some(), "{:#?}", verdict.report.findings());
        verdict.facts.model
    };
    let keys = |model: &Model| -> Vec<String> {
        let key = |key: &ConfigKey| format!("{}={}", key.name, key.content.as_text().unwrap());
        let mut keys: Vec<String> = model.configs.iter().next().unwrap().keys.iter().map(key).collect();
        keys.sort();
        keys
    };
    // Keys of files are no variables, whoever sets them.
    let variables = |model: &Model| {
        let container = &model.workloads.iter().next().unwrap().main;
        container.uses.iter().flat_map(|used| model.used_keys(used)).count()
    };
    let (plain, prod, moved) = (model("plain"), model("prod"), model("moved"));
    let of_files = ["b.conf=b of the file", "d.conf=d of the file"];
    assert_eq!(
        keys(&plain),
        [&["MODE=slow", "REGION=south", "a.conf=a of the file"][..], &of_files].concat()
    );
    assert_eq!(
        keys(&moved),
        [&["MODE=moved", "REGION=west", "a.conf=a of the file"][..], &of_files].concat()
    );
    assert_eq!(
        keys(&prod),
        [
            "MODE=fast",
            "REGION=south",
            "a.conf=a of prod",
            "b.conf=b of the file",
            "c.conf=c of prod",
            "d.conf=d of prod"
        ]
    );
    assert_eq!([&plain, &prod, &moved].map(variables), [4; 3], "two of the config, two of the secret");
    let lines = SecretSource::Lines(Box::new(["/s/site.env".into()]));
    let sources = |model: &Model| -> Vec<(String, SecretSource)> {
        let keys = model.secrets.iter().next().unwrap().keys.iter();
        keys.map(|key| (key.name.to_string(), key.source.clone())).collect()
    };
    assert_eq!(sources(&plain), [("TOKEN".to_owned(), lines.clone()), ("OTHER".to_owned(), lines.clone())]);
    let file = SecretSource::File("/s/token".into());
    assert_eq!(sources(&prod), [("TOKEN".to_owned(), file), ("OTHER".to_owned(), lines)]);
}

#[test]
fn a_later_layer_decides_what_exists_and_what_is_generated() {
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [secret.site]
        lines = "site.env"
        keys = ["TOKEN"]
        [config.app]
        present = "shared"
        keys = ["MODE"]
        [service.a]
        image = "a:1.0"
        use = ["config.app", "secret.site"]
        [target.plain]
        [target.staging]
        namespace = "staging"
        secret.site.present = "site-of-staging"
        config.app.key.MODE = "fast"
        [target.prod]
        like = "target.staging"
        namespace = "prod"
        secret.site.key.TOKEN = { env = "TOKEN" }
        config.app = { present = "of-prod", keys = ["MODE", "REGION"] }
        [target.wrong]
        namespace = "wrong"
        secret.site = { present = "x", lines = "site.env" }
        "#};
    let files =
        MemoryFiles::default().with("/s/fracht.toml", stack).with("/s/site.env", "TOKEN=kelp\nOTHER=reed\n");
    let seen = |target| {
        let path = Path::new("/s/fracht.toml");
        let verdict = Project::open(&files, path, path).unwrap().check(target).unwrap();
        let model = &verdict.facts.model;
        let (config, secret) = (model.configs.iter().next().unwrap(), model.secrets.iter().next().unwrap());
        let name = |present: &Option<fracht_core::origin::Sourced<std::sync::Arc<str>>>| {
            present.as_ref().map_or("generated", |present| &*present.value).to_owned()
        };
        let is_good = verdict.checked().is_some();
        (name(&config.present), config.keys.len(), name(&secret.present), secret.keys.len(), is_good)
    };
    let are = |config: &str, keys, secret: &str, secrets| {
        (config.to_owned(), keys, secret.to_owned(), secrets, true)
    };
    assert_eq!(seen("plain"), are("shared", 1, "generated", 1));
    assert_eq!(seen("staging"), are("generated", 1, "site-of-staging", 1));
    assert_eq!(seen("prod"), are("of-prod", 2, "generated", 1));
    assert!(!seen("wrong").4, "one layer says both");
}
