//! A temporary folder with a stack, and the program run in it.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

use serde_json::Value;
use tempfile::TempDir;

/// A temporary folder.
pub(crate) struct Sandbox {
    dir: TempDir,
    /// The folder in it in which everything happens.
    below: &'static str,
}

/// The result of a run.
#[derive(Debug)]
pub(crate) struct Run {
    pub(crate) code: i32,
    /// The signal that ended it.
    pub(crate) signal: Option<i32>,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Sandbox {
    /// A folder with nothing in it.
    pub(crate) fn empty() -> Self {
        Self { dir: TempDir::new().unwrap(), below: "" }
    }

    /// A folder with a stack file.
    pub(crate) fn with(stack: &str) -> Self {
        Self::empty().file("fracht.toml", stack)
    }

    /// A folder with the demo stack in it.
    pub(crate) fn demo() -> Self {
        let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("src/demo");
        ["fracht.toml", "conf/model.env", "conf/stations.csv", "forecast/Containerfile", "forecast/forecast"]
            .iter()
            .fold(Self::empty(), |sandbox, name| sandbox.file(name, fs::read(demo.join(name)).unwrap()))
    }

    /// The same folder with one more file.
    pub(crate) fn file(self, name: &str, content: impl AsRef<[u8]>) -> Self {
        let path = self.path(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
        self
    }

    /// The same, with everything in a folder of it, so that others can stand beside it.
    pub(crate) fn below(self, folder: &'static str) -> Self {
        Self { below: folder, ..self }
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.dir.path().join(self.below).join(name)
    }

    pub(crate) fn read(&self, name: &str) -> String {
        fs::read_to_string(self.path(name)).unwrap()
    }

    /// The names in a folder, sorted.
    pub(crate) fn names(&self, folder: &str) -> Vec<String> {
        let entries = fs::read_dir(self.path(folder)).unwrap();
        let mut names: Vec<_> =
            entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    /// A command that runs the program in the folder, with only the variables of the demo.
    pub(crate) fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_fracht"));
        command.args(arguments).current_dir(self.path("")).stdin(Stdio::null());
        command.env_remove("NO_COLOR").env_remove("CLICOLOR_FORCE").env("COLUMNS", "100");
        command.env("LC_ALL", "C.UTF-8").env_remove("TIDEDESK_DB_PASSWORD");
        // Nothing is found outside of the folder.
        for variable in ["FRACHT_ENGINE", "CONTAINER_HOST", "DOCKER_HOST", "FRACHT_REGISTRY_MAP", "HOME"] {
            command.env_remove(variable);
        }
        command.env("XDG_RUNTIME_DIR", self.path(""));
        command
    }

    pub(crate) fn run(&self, arguments: &[&str]) -> Run {
        Run::of(&self.command(arguments).output().unwrap())
    }

    /// The JSON that a command writes.
    pub(crate) fn json(&self, arguments: &[&str]) -> Value {
        let run = self.run(&[arguments, &["--format", "json"]].concat());
        serde_json::from_str(&run.out).unwrap_or_else(|error| panic!("{error}: {run:?}"))
    }
}

impl Run {
    pub(crate) fn of(output: &Output) -> Self {
        let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
        Self {
            code: output.status.code().unwrap_or(-1),
            signal: std::os::unix::process::ExitStatusExt::signal(&output.status),
            out: text(&output.stdout),
            err: text(&output.stderr),
        }
    }

    /// Everything that a user sees, for snapshots.
    pub(crate) fn shown(&self) -> String {
        format!("{}--- standard error\n{}--- exit code {}\n", self.out, self.err, self.code)
    }
}
