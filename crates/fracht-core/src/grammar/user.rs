//! The user that a container runs as: `10001` or `10001:10001`.

use super::invalid::Invalid;

/// A user ID, optionally with a group ID.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct User {
    /// The user ID.
    pub uid: u32,
    /// The group ID.
    pub gid: Option<u32>,
}

/// Reads a user.
///
/// # Errors
/// Why the text is invalid.
pub fn parse(text: &str) -> Result<User, Invalid> {
    // IDs in Kubernetes objects are signed integers of which the range of 31 bits is valid.
    let id = |text: &str| {
        let digits = !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
        text.parse::<u32>().ok().filter(|id| digits && i32::try_from(*id).is_ok())
    };
    let user = match text.split_once(':') {
        None => id(text).map(|uid| User { uid, gid: None }),
        Some((user, group)) => id(user).zip(id(group)).map(|(uid, gid)| User { uid, gid: Some(gid) }),
    };
    user.ok_or_else(|| "not numbers: user names are not supported".into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn users_are_numbers() {
        assert_eq!(parse("10001"), Ok(User { uid: 10001, gid: None }));
        assert_eq!(parse("0:7"), Ok(User { uid: 0, gid: Some(7) }));
        for text in ["", "tide", "1:", "+1", "-1", "1:2:3", "4294967296"] {
            assert!(parse(text).is_err(), "{text}");
        }
    }
}
