//! Looks up images: all that rules and people want to know of each.

use std::collections::BTreeSet;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use fracht_core::grammar::image::Image;
use fracht_core::grammar::platform;
use fracht_core::grammar::word::Word;
use fracht_core::model::Protocol;
use fracht_core::plan::looked::{ImageFacts, Looked, LookedImage, PlatformFacts};

use crate::client::{Client, Found, RegistryError};
use crate::manifest::{Config, Entry, Index, Manifest, Platform, Runs};
use crate::versions;

/// How many images are looked up at once.
const AT_ONCE: usize = 6;

/// The most platforms of an image whose sizes are looked up.
const MOST_SIZES: usize = 8;

/// Looks up images, several at once. `seen` is told how many are done.
pub fn look(client: &Client, images: &[&Image], seen: &(dyn Fn(usize) + Sync)) -> Looked {
    let (next, done) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let looked = Mutex::new(Looked::default());
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(images.len()) {
            scope.spawn(|| {
                while let Some(image) = images.get(next.fetch_add(1, Ordering::Relaxed)) {
                    let found = match facts(client, image) {
                        Ok(facts) => LookedImage::There(Box::new(facts)),
                        Err(RegistryError::Absent) => LookedImage::Absent,
                        Err(error) => LookedImage::Unknown(error.to_string()),
                    };
                    if let Ok(mut looked) = looked.lock() {
                        looked.images.insert(image.floating().to_owned(), found);
                    }
                    seen(done.fetch_add(1, Ordering::Relaxed) + 1);
                }
            });
        }
    });
    looked.into_inner().unwrap_or_default()
}

fn facts(client: &Client, image: &Image) -> Result<ImageFacts, RegistryError> {
    let reference = image.tag().or(image.digest()).unwrap_or("latest");
    let mut facts = ImageFacts::default();
    let config = match client.manifest(image, reference)? {
        Found::Index(digest, index) => {
            facts.digest = digest;
            of_index(client, image, &index, &mut facts)?
        }
        Found::Manifest(digest, manifest) => {
            facts.digest = digest;
            let config = client.config(image, &manifest)?;
            facts.platforms.push(platform_facts(config.platform.words(), Some(manifest.size())));
            Some(config)
        }
    };
    if let Some(config) = config {
        facts.created = config.created;
        says(config.runs.unwrap_or_default(), &mut facts);
    }
    if let Some(tag) = image.tag() {
        // That there are newer ones is no reason to fail.
        let tags = client.tags(image).unwrap_or_default();
        facts.newer = versions::newer(tag, &tags);
        facts.smaller = smaller(client, image, (tag, &tags), &facts);
    }
    Ok(facts)
}

/// The platforms of an index, and the configuration of its first image.
fn of_index(
    client: &Client,
    image: &Image,
    index: &Index,
    facts: &mut ImageFacts,
) -> Result<Option<Config>, RegistryError> {
    let mut first = None;
    for (place, entry) in index.manifests.iter().filter(|entry| entry.is_image()).enumerate() {
        let Entry { digest, platform, .. } = entry;
        let manifest = if place < MOST_SIZES { Some(manifest_of(client, image, digest)?) } else { None };
        let words = platform.as_ref().map_or_else(|| "unknown".to_owned(), Platform::words);
        facts.platforms.push(platform_facts(words, manifest.as_ref().map(Manifest::size)));
        if let (None, Some(manifest)) = (&first, &manifest) {
            first = Some(client.config(image, manifest)?);
        }
    }
    Ok(first)
}

fn manifest_of(client: &Client, image: &Image, digest: &str) -> Result<Manifest, RegistryError> {
    match client.manifest(image, digest)? {
        Found::Manifest(_, manifest) => Ok(manifest),
        Found::Index(..) => Err(RegistryError::Failed("it has an index inside an index".to_owned())),
    }
}

fn platform_facts(words: String, size: Option<u64>) -> PlatformFacts {
    // Two parts are those of a platform in the stack.
    let bare: Vec<&str> = words.splitn(3, '/').take(2).collect();
    PlatformFacts { platform: platform::parse(&bare.join("/")).ok(), words, size }
}

/// What an image says of itself.
fn says(runs: Runs, facts: &mut ImageFacts) {
    facts.user = runs.user.unwrap_or_default();
    facts.data = runs.volumes.unwrap_or_default().into_keys().collect();
    let health = runs.healthcheck.and_then(|check| check.test).unwrap_or_default();
    // The first word says how the others are run.
    facts.health = health.into_iter().skip(1).collect();
    let ports: BTreeSet<(u16, Protocol)> = runs
        .exposed_ports
        .unwrap_or_default()
        .keys()
        .filter_map(|port| {
            let (number, protocol) = port.split_once('/').unwrap_or((port, "tcp"));
            Some((number.parse().ok()?, <Protocol as Word>::of(protocol)?))
        })
        .collect();
    facts.ports = ports;
}

/// A variant that has at most half the size.
fn smaller(
    client: &Client,
    image: &Image,
    (tag, tags): (&str, &[String]),
    facts: &ImageFacts,
) -> Option<(String, u64)> {
    let own = facts.size()?;
    let variants = versions::variants(tag, tags).into_iter();
    let sizes = variants.filter_map(|variant| {
        let size = match client.manifest(image, variant).ok()? {
            Found::Manifest(_, manifest) => manifest.size(),
            Found::Index(_, index) => {
                let first = index.manifests.iter().find(|entry| entry.is_image())?;
                manifest_of(client, image, &first.digest).ok()?.size()
            }
        };
        Some((variant.to_owned(), size))
    });
    sizes.filter(|(_, size)| *size > 0 && size.saturating_mul(2) <= own).min_by_key(|(_, size)| *size)
}
