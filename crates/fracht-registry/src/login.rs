//! Logins of registries, from the per-user file in which clients of registries keep them: JSON with `auths`, by registry,
//! each with `auth`, the user name and the password in base64 (RFC 7617).

use std::collections::BTreeMap;
use std::fmt;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use serde::Deserialize;

use crate::place::DEFAULT_LOGIN;

/// A login.
#[derive(Clone, PartialEq, Eq)]
pub struct Login {
    /// The user name.
    pub user: String,
    /// The password.
    pub password: String,
}

impl fmt::Debug for Login {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Login of {}", self.user)
    }
}

impl Login {
    /// The value of an `Authorization` header (RFC 7617).
    pub(crate) fn basic(&self) -> String {
        format!("Basic {}", STANDARD.encode(format!("{}:{}", self.user, self.password)))
    }
}

/// Logins by registries.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Logins(BTreeMap<String, Login>);

#[derive(Deserialize)]
struct File {
    #[serde(default)]
    auths: BTreeMap<String, Entry>,
}

#[derive(Deserialize)]
struct Entry {
    #[serde(default)]
    auth: String,
    #[serde(default)]
    username: String,
    #[serde(default)]
    password: String,
}

impl Logins {
    /// Reads a file of logins.
    ///
    /// # Errors
    /// Why it is not one, in words without any of its content.
    pub fn read(text: &str) -> Result<Self, String> {
        let file: File = serde_json::from_str(text)
            .map_err(|error| format!("line {}: not the JSON of registry logins", error.line()))?;
        let logins = file.auths.into_iter().filter_map(|(registry, entry)| {
            let login = if entry.auth.is_empty() {
                // Others are kept in the key store of the system, which only its client reads.
                (!entry.username.is_empty())
                    .then_some(Login { user: entry.username, password: entry.password })
            } else {
                let text = String::from_utf8(STANDARD.decode(entry.auth.trim()).ok()?).ok()?;
                let (user, password) = text.split_once(':')?;
                Some(Login { user: user.to_owned(), password: password.to_owned() })
            };
            Some((registry, login?))
        });
        Ok(Self(logins.collect()))
    }

    /// Sets the login of a registry.
    pub fn set(&mut self, registry: &str, login: Login) {
        self.0.insert(registry.to_owned(), login);
    }

    /// The login for a repository of a registry: of a path in it, of the registry, or of its address.
    pub fn of(&self, registry: &str, repository: &str) -> Option<&Login> {
        let whole = format!("{registry}/{repository}");
        let mut path = whole.as_str();
        loop {
            if let Some(login) = self.0.get(path) {
                return Some(login);
            }
            match path.rsplit_once('/') {
                Some((above, _)) => path = above,
                None => break,
            }
        }
        let other = |scheme: &str| self.0.get(&format!("{scheme}{registry}"));
        let default = (registry == "docker.io").then(|| self.0.get(DEFAULT_LOGIN)).flatten();
        other("https://").or_else(|| other("http://")).or(default)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn logins_are_found_by_registry_and_path() {
        let text = r#"{"auths":{"registry.example":{"auth":"Z3VsbDp0ZXJuOjE="},
            "registry.example/deep":{"auth":"ZGVlcDpzZWE="},"https://old.example":{"username":"a","password":"b"},
            "store.example":{}},"credsStore":"x"}"#;
        let logins = Logins::read(text).unwrap();
        let of = |registry, repository| {
            logins.of(registry, repository).map(|login| format!("{} {}", login.user, login.password))
        };
        assert_eq!(of("registry.example", "tides/api").as_deref(), Some("gull tern:1"));
        assert_eq!(of("registry.example", "deep/api").as_deref(), Some("deep sea"));
        assert_eq!(of("old.example", "api").as_deref(), Some("a b"));
        assert_eq!(of("store.example", "api"), None);
        assert_eq!(of("registry.example:5000", "api"), None);
        let login = logins.of("registry.example", "x").unwrap();
        assert_eq!(
            (login.basic().as_str(), format!("{login:?}").as_str()),
            ("Basic Z3VsbDp0ZXJuOjE=", "Login of gull")
        );
    }

    #[test]
    fn a_file_that_is_none_is_told_without_its_content() {
        let error = Logins::read("{\n\"auths\": gull}").unwrap_err();
        assert_eq!(error, "line 2: not the JSON of registry logins");
        assert_eq!(Logins::read("{}"), Ok(Logins::default()));
    }
}
