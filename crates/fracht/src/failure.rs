//! How a command ends.

use std::io;
use std::process::ExitCode;

use fracht_core::files::reason;

/// A command that did what it was args to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Outcome {
    /// All is well: exit code 0.
    Fine,
    /// The stack has problems, which have been shown: exit code 1.
    Problems,
}

impl Outcome {
    pub(crate) fn code(self) -> ExitCode {
        ExitCode::from(match self {
            Self::Fine => 0,
            Self::Problems => 1,
        })
    }

    /// `Problems` if there are any.
    pub(crate) fn problems_if(problems: bool) -> Self {
        if problems { Self::Problems } else { Self::Fine }
    }
}

/// Why a command could not be carried out: exit code 2.
#[derive(Debug)]
pub(crate) enum Failure {
    /// Whoever reads the output has gone, as `head` does: the program ends by SIGPIPE, as others do.
    ReaderGone,
    /// What went wrong, and what to do about it.
    Error {
        /// What went wrong.
        message: String,
        /// What to do, in sentences.
        help: Vec<String>,
    },
}

impl Failure {
    pub(crate) fn new(message: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Error { message: message.into(), help: vec![help.into()] }
    }
}

/// An error of writing to standard output.
impl From<io::Error> for Failure {
    fn from(error: io::Error) -> Self {
        if error.kind() == io::ErrorKind::BrokenPipe {
            return Self::ReaderGone;
        }
        Self::new(format!("cannot write the output: {}", reason(&error)), "is the disk full?")
    }
}
