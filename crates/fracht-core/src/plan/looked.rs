//! What registries tell of the images of a stack. It is looked up only when a person asks for it.

use std::collections::{BTreeMap, BTreeSet};

use crate::grammar::image::Image;
use crate::grammar::platform::Platform;
use crate::model::Protocol;

/// What was found, by references without their digests.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Looked {
    /// The images.
    pub images: BTreeMap<String, LookedImage>,
}

/// What was found of an image.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LookedImage {
    /// It is there.
    There(Box<ImageFacts>),
    /// Its registry does not have it.
    Absent,
    /// It could not be looked up, for this reason.
    Unknown(String),
}

/// What a registry tells of an image.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ImageFacts {
    /// The digest to which its tag leads now, or its own digest.
    pub digest: String,
    /// Its platforms, each with the size of what is downloaded, in bytes.
    pub platforms: Vec<PlatformFacts>,
    /// When it was made (RFC 3339).
    pub created: Option<String>,
    /// The ports that it says it listens on.
    pub ports: BTreeSet<(u16, Protocol)>,
    /// The user that it runs as; empty for root.
    pub user: String,
    /// The folders with data that it says should be kept.
    pub data: BTreeSet<String>,
    /// The health check that it brings, as words; empty for none. It has no effect in a cluster.
    pub health: Vec<String>,
    /// Newer tags of the same shape, the best one first.
    pub newer: Vec<String>,
    /// A much smaller variant of the same version: its tag, and its size in bytes.
    pub smaller: Option<(String, u64)>,
}

/// An image for one platform.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlatformFacts {
    /// The platform; `None` if it is not one that Fracht knows.
    pub platform: Option<Platform>,
    /// It in words, as the registry tells it.
    pub words: String,
    /// The size of what is downloaded, in bytes; `None` if it is not known.
    pub size: Option<u64>,
}

impl Looked {
    /// What was found of an image.
    pub fn of(&self, image: &Image) -> Option<&LookedImage> {
        self.images.get(image.floating())
    }

    /// The images that could not be looked up, each with the reason.
    pub fn unknown(&self) -> impl Iterator<Item = (&str, &str)> {
        self.images.iter().filter_map(|(image, found)| match found {
            LookedImage::Unknown(reason) => Some((&**image, &**reason)),
            _ => None,
        })
    }

    /// The same, if it is there.
    pub fn facts(&self, image: &Image) -> Option<&ImageFacts> {
        match self.of(image) {
            Some(LookedImage::There(facts)) => Some(facts),
            _ => None,
        }
    }
}

impl ImageFacts {
    /// Whether it runs on a platform. One of which nothing is known may.
    pub fn runs_on(&self, platform: &Platform) -> bool {
        self.platforms.is_empty()
            || self.platforms.iter().any(|own| own.platform.is_none_or(|own| own == *platform))
    }

    /// The size of its first platform, in bytes.
    pub fn size(&self) -> Option<u64> {
        self.platforms.iter().find_map(|platform| platform.size)
    }
}
