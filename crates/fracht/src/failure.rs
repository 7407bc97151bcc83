//! How a command ends.

use std::error::Error;
use std::fmt;
use std::io;
use std::process::ExitCode;

use fracht_core::files::reason;

/// How a command ends if it does its job.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Outcome {
    /// Exit code 0.
    Fine,
    /// The stack has errors, or objects differ, which has been shown: exit code 1.
    Problems,
    /// A program that the command ran has ended with this exit code, which is that of the command.
    Ended(u8),
}

impl Outcome {
    pub(crate) fn code(self) -> ExitCode {
        ExitCode::from(match self {
            Self::Fine => 0,
            Self::Problems => 1,
            Self::Ended(code) => code,
        })
    }

    /// `Problems` if there are any.
    pub(crate) fn problems_if(problems: bool) -> Self {
        if problems { Self::Problems } else { Self::Fine }
    }
}

/// Why a command cannot do its job: exit code 2.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The reader of the output has ended, as `head` does. The program ends by SIGPIPE, as others do.
    ReaderGone,
    /// An error with its help.
    Error {
        /// What went wrong.
        message: String,
        /// What to do.
        help: Vec<String>,
    },
}

impl Failure {
    pub(crate) fn new(message: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Error { message: message.into(), help: vec![help.into()] }
    }
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::ReaderGone => f.write_str("the reader of the output has ended"),
            Self::Error { message, .. } => f.write_str(message),
        }
    }
}

impl Error for Failure {}

/// The failure for an error on standard output.
impl From<io::Error> for Failure {
    fn from(error: io::Error) -> Self {
        if error.kind() == io::ErrorKind::BrokenPipe {
            return Self::ReaderGone;
        }
        Self::new(format!("cannot write the output: {}", reason(&error)), "is the disk full?")
    }
}
