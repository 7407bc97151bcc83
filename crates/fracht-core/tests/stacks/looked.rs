//! Rules on what registries tell of images: each with what fails it, and what does not.

use fracht_core::grammar::platform;
use fracht_core::model::Protocol;
use fracht_core::plan::looked::{ImageFacts, Looked, LookedImage, PlatformFacts};
use fracht_core::rules::looked::problems;
use fracht_testkit::{files, open};

const IMAGE: &str = "registry.example/a:1.2";
const DIGEST: &str = "sha256:e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";

fn platforms(words: &[(&str, u64)]) -> Vec<PlatformFacts> {
    let facts = |(words, size): &(&str, u64)| PlatformFacts {
        platform: platform::parse(words).ok(),
        words: (*words).to_owned(),
        size: Some(*size),
    };
    words.iter().map(facts).collect()
}

/// The problems of a service with some keys, as `rule line: message | label`.
fn found(keys: &str, target: &str, looked: LookedImage) -> Vec<String> {
    let stack =
        format!("[stack]\nname = \"s\"\n[service.a]\nimage = \"{IMAGE}\"\n{keys}\n[target.t]\n{target}\n");
    let files = files(&stack);
    let mut project = open(&files);
    let verdict = project.check("t").unwrap();
    assert!(!verdict.report.has_errors(), "{stack}");
    let all = Looked { images: [(IMAGE.to_owned(), looked)].into() };
    let found = problems(&verdict.facts.model, &all).into_iter().map(|problem| {
        let label = problem.primary.as_ref().unwrap();
        let place = project.sources().location(label.span);
        let line = place.split(':').nth(1).unwrap();
        assert!(!problem.help.is_empty(), "{}", problem.message);
        format!("{} {line}: {} | {}", problem.rule.name, problem.message, label.text)
    });
    found.collect()
}

fn facts(change: impl FnOnce(&mut ImageFacts)) -> LookedImage {
    let mut facts = ImageFacts { digest: DIGEST.to_owned(), ..ImageFacts::default() };
    change(&mut facts);
    LookedImage::There(Box::new(facts))
}

#[test]
fn an_image_is_there_or_told() {
    let none: [&str; 0] = [];
    assert_eq!(
        found("", "", LookedImage::Absent),
        ["image-absent 4: the image of `service.a` is not in its registry | not found there"]
    );
    assert_eq!(found("", "", LookedImage::Unknown("no answer in time".into())), none);
    assert_eq!(found("", "", facts(|_| {})), none);
}

#[test]
fn platforms_of_nodes_and_services_must_be_there() {
    let arm = |facts: &mut ImageFacts| facts.platforms = platforms(&[("linux/arm64", 1)]);
    let both =
        |facts: &mut ImageFacts| facts.platforms = platforms(&[("linux/arm64", 1), ("linux/amd64", 1)]);
    let unknown = |facts: &mut ImageFacts| facts.platforms = platforms(&[("plan9/mips/9", 1)]);
    let nodes = "nodes = [\"linux/amd64\", \"linux/arm64\"]";
    let told =
        ["image-platform 4: the image of `service.a` does not run on linux/amd64 | only for linux/arm64"];
    assert_eq!(found("", nodes, facts(arm)), told);
    assert_eq!(found("platform = \"linux/amd64\"", "", facts(arm)), told);
    for (keys, target) in [("", ""), ("platform = \"linux/arm64\"", nodes)] {
        assert_eq!(found(keys, target, facts(arm)), [""; 0], "{keys} {target}");
    }
    assert_eq!(found("", nodes, facts(both)), [""; 0]);
    // Nothing is said of what is not known.
    assert_eq!(found("", nodes, facts(unknown)), [""; 0]);
}

#[test]
fn what_the_image_says_is_held_against_the_stack() {
    let port = |facts: &mut ImageFacts| facts.ports = [(8080, Protocol::Tcp), (53, Protocol::Udp)].into();
    let told = "image-says-port 5: the image of `service.a` does not say that it listens on port 80 | the image says 53/udp, 8080";
    assert_eq!(found("port.http = 80", "", facts(port)), [told]);
    let fine = [
        "port.http = 8080",
        "port.dns = { number = 53, protocol = \"udp\" }",
        "port.http = 80\nargs = [\"--port=80\"]",
        "",
    ];
    for keys in fine {
        assert_eq!(found(keys, "", facts(port)), [""; 0], "{keys}");
    }
    let data = |facts: &mut ImageFacts| facts.data = ["/var/lib/a".to_owned()].into();
    let told = "image-says-data 4: the image of `service.a` keeps data in `/var/lib/a`, which is no volume | says `/var/lib/a` has data";
    assert_eq!(found("", "", facts(data)), [told]);
    for path in ["/var/lib/a", "/var/lib/", "/var/lib/a/"] {
        assert_eq!(
            found(&format!("mount.\"{path}\" = {{ scratch = \"1Mi\" }}"), "", facts(data)),
            [""; 0],
            "{path}"
        );
    }
    assert_eq!(found("mount.\"/var/lib/ab\" = { scratch = \"1Mi\" }", "", facts(data)), [told]);
    let user = |user: &'static str| facts(move |facts| user.clone_into(&mut facts.user));
    let strict = "confine = \"strict\"";
    for (name, label) in [
        ("", "the image says root"),
        ("0:0", "the image says root"),
        ("root", "the image says root"),
        ("app", "the image says `app`, a name"),
    ] {
        let told = format!(
            "image-says-user 4: the image of `service.a` has no user that `confine = \"strict\"` allows | {label}"
        );
        assert_eq!(found(strict, "", user(name)), [told], "{name}");
    }
    assert_eq!(found(strict, "", user("1000:0")), [""; 0]);
    assert_eq!(found("confine = \"strict\"\nuser = 10", "", user("")), [""; 0]);
    assert_eq!(found(strict, "on = \"machine\"", user("")), [""; 0]);
}

#[test]
fn tags_that_moved_and_better_ones_are_told() {
    let stack = format!("[stack]\nname = \"s\"\n[service.a]\nimage = \"{IMAGE}@{DIGEST}\"\n");
    let files = files(&stack);
    let mut project = open(&files);
    let verdict = project.check("cluster").unwrap();
    let looked = |digest: &str| Looked {
        images: [(IMAGE.to_owned(), facts(|facts| digest.clone_into(&mut facts.digest)))].into(),
    };
    assert_eq!(problems(&verdict.facts.model, &looked(DIGEST)).len(), 0);
    let moved = problems(&verdict.facts.model, &looked("sha256:1111111111111111"));
    assert_eq!((moved.len(), moved[0].rule.name), (1, "image-moved"));
    let newer = found("", "", facts(|facts| facts.newer = vec!["1.3".into(), "2.0".into()]));
    assert_eq!(newer, ["image-newer 4: there is a newer image for `service.a`: 1.3, 2.0 | an older version"]);
    let smaller = facts(|facts| {
        facts.platforms = platforms(&[("linux/amd64", 100 << 20)]);
        facts.smaller = Some(("1.2-slim".into(), 20 << 20));
    });
    assert_eq!(
        found("", "", smaller),
        [
            "image-smaller 4: there is a much smaller image for `service.a`: 20Mi instead of 100Mi | a larger variant"
        ]
    );
}
