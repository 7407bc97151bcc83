//! Tests of look-ups against a registry that is served on this machine.
#![allow(
    clippy::unwrap_used,
    clippy::panic,
    reason = "a test that panics has failed, which is what it is for"
)]

use fracht_core::grammar::image::{self, Image};
use fracht_core::grammar::quantity::show_bytes;
use fracht_core::plan::looked::{Looked, LookedImage};
use fracht_registry::login::{Login, Logins};
use fracht_registry::place::Places;
use fracht_registry::{Client, look};
use fracht_testkit::registry::{Registry, Says, Served};

/// A client of a served registry as `registry.example`, maybe with a login.
fn client(served: &Served, login: Option<(&str, &str)>) -> Client {
    let mut places = Places::default();
    places.add(&format!("registry.example=http://{}", served.address)).unwrap();
    let mut logins = Logins::default();
    if let Some((user, password)) = login {
        logins.set("registry.example", Login { user: user.into(), password: password.into() });
    }
    Client::new(places, logins)
}

fn looked(client: &Client, references: &[&str]) -> Looked {
    let images: Vec<Image> = references.iter().map(|text| image::parse(text).unwrap()).collect();
    look(client, &images.iter().collect::<Vec<_>>(), &|_| {})
}

/// What was found of one image, in words.
fn words(client: &Client, reference: &str) -> String {
    let looked = looked(client, &[reference]);
    let image = image::parse(reference).unwrap();
    match looked.of(&image).unwrap() {
        LookedImage::Absent => "absent".to_owned(),
        LookedImage::Unknown(reason) => format!("unknown: {reason}"),
        LookedImage::There(facts) => {
            let platforms: Vec<String> = facts
                .platforms
                .iter()
                .map(|one| format!("{} {}", one.words, one.size.map_or_else(|| "?".into(), show_bytes)))
                .collect();
            let ports: Vec<String> = facts.ports.iter().map(|(number, _)| number.to_string()).collect();
            let data: Vec<&str> = facts.data.iter().map(String::as_str).collect();
            let smaller = facts.smaller.as_ref().map_or("–", |(tag, _)| tag);
            format!(
                "{}; ports {}; user {}; data {}; newer {}; smaller {smaller}",
                platforms.join(", "),
                ports.join(" "),
                facts.user,
                data.join(" "),
                facts.newer.join(" ")
            )
        }
    }
}

fn registry() -> Registry {
    let mut registry = Registry { page: 2, ..Registry::default() };
    let says = Says { ports: vec!["5432/tcp"], user: "999", data: vec!["/var/lib/db"] };
    let both = [("linux/amd64", 200 << 20), ("linux/arm64", 210 << 20)];
    for tag in ["16.4", "16.6", "17.1", "latest"] {
        registry.image("base/db", tag, &both, &says);
    }
    registry.image("base/db", "16.4-alpine", &[("linux/amd64", 40 << 20)], &says);
    registry.image("tides/api", "1.4.0", &[("linux/amd64", 10 << 20)], &Says::default());
    registry
}

#[test]
fn an_image_is_told_with_its_platforms_and_tags() {
    let served = Served::start(registry());
    let client = client(&served, None);
    assert_eq!(
        words(&client, "registry.example/base/db:16.4"),
        "linux/amd64 200Mi, linux/arm64 210Mi; ports 5432; user 999; data /var/lib/db; newer 16.6 17.1; smaller 16.4-alpine"
    );
    assert_eq!(
        words(&client, "registry.example/tides/api:1.4.0"),
        "linux/amd64 10Mi; ports ; user ; data ; newer ; smaller –"
    );
    assert_eq!(words(&client, "registry.example/tides/api:2"), "absent");
    assert_eq!(words(&client, "registry.example/other:1.0"), "absent");
    // Three pages of two tags each, for the five of one repository.
    let pages = served.requests().into_iter().filter(|path| path.contains("base/db/tags/list"));
    assert_eq!(pages.count(), 3);
}

#[test]
fn a_digest_is_that_of_the_registry() {
    let mut registry = Registry::default();
    let digest = registry.image("a", "1", &[("linux/amd64", 1)], &Says::default());
    let served = Served::start(registry);
    let client = client(&served, None);
    let of = |text: &str| client.digest(&image::parse(text).unwrap());
    assert_eq!(of("registry.example/a:1"), Ok(digest.clone()));
    assert_eq!(of(&format!("registry.example/a@{digest}")), Ok(digest));
}

#[test]
fn logins_are_sent_only_when_they_are_asked_for() {
    for demands in ["Basic", "Bearer"] {
        let served = Served::start(Registry { demands: demands.into(), ..registry() });
        let reference = "registry.example/tides/api:1.4.0";
        assert_eq!(
            words(&client(&served, None), reference),
            "unknown: access denied: log in to the registry"
        );
        let wrong = client(&served, Some(("gull", "wrong")));
        assert_eq!(words(&wrong, reference), "unknown: access denied: log in to the registry");
        served.requests();
        let right = client(&served, Some(("gull", "tern")));
        assert!(words(&right, reference).starts_with("linux/amd64 10Mi"), "{demands}");
        let requests = served.requests();
        assert!(!requests.first().unwrap().contains(demands), "the first request has no login: {requests:?}");
        // What was granted once is used again.
        let refused = requests.iter().filter(|path| path.contains("/v2/") && !path.contains(' '));
        assert_eq!(refused.count(), 1, "{requests:?}");
        if demands == "Bearer" {
            assert!(
                requests.iter().all(|path| path.starts_with("/token") || !path.contains("Basic")),
                "{requests:?}"
            );
        }
    }
}

#[test]
fn a_busy_registry_is_asked_again_and_then_told() {
    let served = Served::start(Registry { fails: 2, ..registry() });
    let client = client(&served, None);
    assert!(words(&client, "registry.example/tides/api:1.4.0").starts_with("linux/amd64"));
    served.change(|registry| registry.fails = 99);
    assert_eq!(words(&client, "registry.example/tides/api:1.4.0"), "unknown: it answers with status 503");
}

#[test]
fn answers_that_are_no_manifests_are_not_believed() {
    let mut registry = registry();
    let key = |tag: &str| ("odd".to_owned(), tag.to_owned());
    registry.manifests.insert(
        key("1"),
        ("application/vnd.docker.distribution.manifest.v1+prettyjws".into(), b"{}".to_vec()),
    );
    registry
        .manifests
        .insert(key("2"), ("application/vnd.oci.image.manifest.v1+json".into(), b"<html>".to_vec()));
    let served = Served::start(registry);
    let client = client(&served, None);
    assert_eq!(
        words(&client, "registry.example/odd:1"),
        "unknown: it answers with `application/vnd.docker.distribution.manifest.v1+prettyjws`"
    );
    assert!(words(&client, "registry.example/odd:2").starts_with("unknown: its answer is not understood"));
    // Nothing listens at port 9 of this machine.
    let mut places = Places::default();
    places.add("registry.example=http://127.0.0.1:9").unwrap();
    let lost = Client::new(places, Logins::default());
    assert!(words(&lost, "registry.example/a:1").starts_with("unknown: it cannot be reached"));
}

#[test]
fn many_images_are_looked_up_at_once() {
    let served = Served::start(registry());
    let client = client(&served, None);
    let references: Vec<String> = (0..40).map(|index| format!("registry.example/a{index}:1")).collect();
    let references: Vec<&str> = references.iter().map(String::as_str).collect();
    assert_eq!(looked(&client, &references).images.len(), 40);
}
