//! Where registries are reached: most under their own name, some at another address.

use std::collections::{BTreeMap, BTreeSet};

use fracht_core::grammar::image::Image;

/// The registry of images that name none, as engines and clusters have it.
const DEFAULT: &str = "docker.io";
/// The host of its API.
const DEFAULT_HOST: &str = "registry-1.docker.io";
/// What its logins are kept under, by custom.
pub(crate) const DEFAULT_LOGIN: &str = "https://index.docker.io/v1/";

/// Where registries are reached.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Places {
    /// The registries that are asked without TLS.
    pub plain: BTreeSet<String>,
    /// Addresses with their scheme, by the names of registries.
    pub moved: BTreeMap<String, String>,
}

impl Places {
    /// Adds registries at other addresses: `registry.example=http://127.0.0.1:5055`, several with commas between them.
    ///
    /// # Errors
    /// The part that is none.
    pub fn add(&mut self, text: &str) -> Result<(), String> {
        for part in text.split(',').map(str::trim).filter(|part| !part.is_empty()) {
            let pair = part.split_once('=').map(|(name, address)| (name.trim(), address.trim()));
            let Some((name, address)) = pair.filter(|(name, address)| {
                let scheme = address.strip_prefix("http://").or(address.strip_prefix("https://"));
                !name.is_empty() && scheme.is_some_and(|host| !host.is_empty())
            }) else {
                return Err(part.to_owned());
            };
            self.moved.insert(name.to_owned(), address.trim_end_matches('/').to_owned());
        }
        Ok(())
    }

    /// The address of a registry, with its scheme.
    pub(crate) fn address(&self, registry: &str) -> String {
        if let Some(address) = self.moved.get(registry) {
            return address.clone();
        }
        let host = if registry == DEFAULT { DEFAULT_HOST } else { registry };
        let scheme = if self.plain.contains(registry) { "http" } else { "https" };
        format!("{scheme}://{host}")
    }
}

/// The registry of an image.
pub fn registry_of(image: &Image) -> &str {
    image.registry().unwrap_or(DEFAULT)
}

/// The repository of an image in its registry.
pub(crate) fn repository_of(image: &Image) -> String {
    let repository = image.repository();
    // Images without an owner have this one there.
    if registry_of(image) == DEFAULT && !repository.contains('/') {
        format!("library/{repository}")
    } else {
        repository.to_owned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use fracht_core::grammar::image;

    #[test]
    fn registries_are_reached_where_they_are() {
        let mut places = Places { plain: ["127.0.0.1:5055".to_owned()].into(), ..Places::default() };
        places.add("registry.example=http://127.0.0.1:5055, other.example=https://mirror.example/").unwrap();
        for (registry, address) in [
            ("registry.example", "http://127.0.0.1:5055"),
            ("other.example", "https://mirror.example"),
            ("127.0.0.1:5055", "http://127.0.0.1:5055"),
            ("third.example", "https://third.example"),
        ] {
            assert_eq!(places.address(registry), address);
        }
        for bad in ["registry.example", "=http://x", "a=b", "a=http://"] {
            assert_eq!(places.add(bad), Err(bad.to_owned()), "{bad}");
        }
    }

    #[test]
    fn an_image_without_a_registry_is_in_the_usual_one() {
        let of = |text: &str| {
            let image = image::parse(text).unwrap();
            format!("{} {}", registry_of(&image), repository_of(&image))
        };
        assert_eq!(of("registry.example/tides/api:1"), "registry.example tides/api");
        assert_eq!(of("tool:1"), format!("{DEFAULT} library/tool"));
        assert_eq!(of("tides/tool:1"), format!("{DEFAULT} tides/tool"));
    }
}
