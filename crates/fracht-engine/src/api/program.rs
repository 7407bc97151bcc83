//! Programs that run in a container besides its own.

use std::time::Duration;

use serde::{Deserialize, Serialize};

use super::frames::{Frames, Output};
use super::{Engine, EngineError, Sent};
use crate::transport::{Attached, encoded};

/// A program to run in a container (`POST /containers/NAME/exec`).
#[expect(clippy::struct_excessive_bools, reason = "as the engine's API has it")]
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
#[serde(rename_all = "PascalCase")]
pub struct ProgramSpec {
    /// The program and its arguments.
    pub cmd: Vec<String>,
    /// Whether it can read from us.
    pub attach_stdin: bool,
    /// Whether we read its output.
    pub attach_stdout: bool,
    /// Whether we read its messages.
    pub attach_stderr: bool,
    /// Whether it has a terminal.
    pub tty: bool,
}

#[derive(Serialize)]
#[serde(rename_all = "PascalCase")]
struct StartProgram {
    detach: bool,
    tty: bool,
}

impl Engine {
    /// Prepares a program in a container that runs, and returns its id.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn prepare(&self, container: &str, spec: &ProgramSpec) -> Result<String, EngineError> {
        #[derive(Deserialize)]
        #[serde(rename_all = "PascalCase")]
        struct Prepared {
            id: String,
        }
        let path = format!("/containers/{}/exec", encoded(container));
        let prepared: Prepared = self.post(&path, spec, &format!("run a program in {container}"))?;
        Ok(prepared.id)
    }

    /// Starts a prepared program, and returns both directions of its connection.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn connect(&self, program: &str, tty: bool) -> Result<Attached, EngineError> {
        let start = StartProgram { detach: false, tty };
        self.attach(&format!("/exec/{}/start", encoded(program)), Some(&start), "start the program")
    }

    /// Sets the size of the terminal of a program, in characters.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn resize(&self, program: &str, (columns, rows): (u16, u16)) -> Result<(), EngineError> {
        let path = format!("/exec/{}/resize?h={rows}&w={columns}", encoded(program));
        self.act(("POST", &path), Sent::Nothing, ("set the size of the terminal", &[]), Some(super::LIMIT))
    }

    /// Connects with the program of a container, before it is started.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn attach_to(&self, container: &str) -> Result<Attached, EngineError> {
        let path = format!("/containers/{}/attach?stream=1&stdin=1&stdout=1&stderr=1", encoded(container));
        self.attach(&path, None, "connect with the program")
    }

    /// Sets the size of the terminal of a container, in characters.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn resize_container(&self, container: &str, (columns, rows): (u16, u16)) -> Result<(), EngineError> {
        let path = format!("/containers/{}/resize?h={rows}&w={columns}", encoded(container));
        self.act(("POST", &path), Sent::Nothing, ("set the size of the terminal", &[]), Some(super::LIMIT))
    }

    /// The exit code of a program that has ended.
    ///
    /// # Errors
    /// [`EngineError`]
    pub fn exit_code(&self, program: &str) -> Result<i64, EngineError> {
        #[derive(Deserialize)]
        #[serde(rename_all = "PascalCase")]
        struct Ended {
            #[serde(deserialize_with = "super::container::or_default")]
            exit_code: i64,
        }
        let path = format!("/exec/{}/json", encoded(program));
        let ended: Ended = self.get(&path, "look at the program")?;
        Ok(ended.exit_code)
    }

    /// Runs a program in a container to its end: its exit code, and what it wrote, at most 64 KiB.
    ///
    /// # Errors
    /// [`EngineError`], also if it takes longer than `within`.
    pub fn run(
        &self,
        container: &str,
        cmd: Vec<String>,
        within: Duration,
    ) -> Result<(i64, String), EngineError> {
        let spec = ProgramSpec { cmd, attach_stdout: true, attach_stderr: true, ..ProgramSpec::default() };
        let id = self.prepare(container, &spec)?;
        let path = format!("/exec/{}/start", encoded(&id));
        let start = StartProgram { detach: false, tty: false };
        let answer = self.call(("POST", &path), Sent::Json(&start), "run the program", Some(within))?;
        let mut output = String::new();
        for frame in Frames::new(answer.into_stream()?) {
            let (_, bytes): (Output, Vec<u8>) =
                frame.map_err(|error| EngineError::lost("end the program", "", &error))?;
            if output.len() < 64 << 10 {
                output.push_str(&String::from_utf8_lossy(&bytes));
            }
        }
        Ok((self.exit_code(&id)?, output))
    }
}
