//! Platforms, `system/processor`, with the names of the OCI image index 1.1: `linux/arm64`.

use super::invalid::Invalid;
use std::fmt;

/// The platform that a node must have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Platform {
    /// The operating system.
    pub system: &'static str,
    /// The processor architecture.
    pub processor: &'static str,
}

const SYSTEMS: [&str; 2] = ["linux", "windows"];
const PROCESSORS: [&str; 6] = ["amd64", "arm64", "arm", "ppc64le", "riscv64", "s390x"];

impl fmt::Display for Platform {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.system, self.processor)
    }
}

/// Reads a platform.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<Platform, Invalid> {
    let (system, processor) = text.split_once('/').unwrap_or((text, ""));
    let known = |names: &'static [&'static str], name: &str| names.iter().copied().find(|n| *n == name);
    match (known(&SYSTEMS, system), known(&PROCESSORS, processor)) {
        (Some(system), Some(processor)) => Ok(Platform { system, processor }),
        (None, _) => Err(format!("the system is not one of: {}", SYSTEMS.join(", ")).into()),
        (_, None) => Err(format!("not one of: {}", PROCESSORS.join(", ")).into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn platforms_are_a_system_and_an_architecture() {
        assert_eq!(parse("linux/arm64").unwrap().to_string(), "linux/arm64");
        for text in ["", "linux", "arm64", "linux/x86", "linux/amd64/v2", "Linux/amd64"] {
            assert!(parse(text).is_err(), "{text}");
        }
    }
}
