//! Health checks that run in the container.

use std::time::Duration;

use super::Answer;
use crate::api::{Engine, EngineError};
use crate::desired::{Asked, HealthAsked};

/// Exit code of a shell for a program that it does not find (POSIX, Shell Command Language).
const NOT_FOUND: i64 = 127;

/// Runs a program, which passes with exit code 0.
pub(super) fn run(
    engine: &Engine,
    container: &str,
    command: Vec<String>,
    timeout: Duration,
) -> Result<Answer, EngineError> {
    let shown = command.join(" ");
    match engine.run(container, command, timeout) {
        Ok((0, _)) => Ok(Answer::Passed),
        Ok((code, output)) => {
            let output: String = output.split_whitespace().collect::<Vec<_>>().join(" ");
            let said: String = output.chars().take(200).collect();
            let said = if said.is_empty() { said } else { format!(": {said}") };
            Ok(Answer::Failed(format!("`{shown}` ended with exit code {code}{said}")))
        }
        Err(EngineError::Lost { is_absent: true, what, place, reason }) => {
            Err(EngineError::Lost { is_absent: true, what, place, reason })
        }
        Err(EngineError::Lost { reason, .. }) => {
            Ok(Answer::Failed(format!("`{shown}` did not end in time: {reason}")))
        }
        // It does not run at the moment.
        Err(error) => Ok(Answer::Failed(error.to_string())),
    }
}

/// Asks with a tool of the image: of those that ordinary images have, the first one that is there.
pub(super) fn ask(engine: &Engine, container: &str, health: &HealthAsked) -> Result<Answer, EngineError> {
    let seconds = health.timeout.as_secs().max(1);
    let script = match &health.probe {
        Asked::Http { path, port } => format!(
            "u=http://127.0.0.1:{port}{}\n\
             if command -v curl >/dev/null; then exec curl -f -s -o /dev/null -m {seconds} \"$u\"; fi\n\
             if command -v wget >/dev/null; then\n\
             if command -v timeout >/dev/null; then exec timeout {seconds} wget -q -O /dev/null \"$u\"; fi\n\
             exec wget -q -O /dev/null \"$u\"; fi\nexit {NOT_FOUND}",
            quoted(path)
        ),
        Asked::Tcp { port } => format!(
            "if command -v nc >/dev/null; then exec nc -w {seconds} 127.0.0.1 {port} </dev/null >/dev/null; fi\n\
             if command -v bash >/dev/null; then exec bash -c '</dev/tcp/127.0.0.1/{port}'; fi\nexit {NOT_FOUND}"
        ),
        Asked::Grpc { .. } | Asked::Run { .. } => {
            return Ok(Answer::Unasked("the address of the container cannot be reached".to_owned()));
        }
    };
    let command = vec!["sh".to_owned(), "-c".to_owned(), script];
    match engine.run(container, command, health.timeout + Duration::from_secs(1)) {
        Ok((0, _)) => Ok(Answer::Passed),
        Ok((NOT_FOUND, _)) => Ok(Answer::Unasked(
            "its address cannot be reached, and its image has no tool to ask with".to_owned(),
        )),
        Ok(_) => Ok(Answer::Failed(format!("{} failed", health.probe.words()))),
        Err(EngineError::Lost { is_absent: true, what, place, reason }) => {
            Err(EngineError::Lost { is_absent: true, what, place, reason })
        }
        Err(error) => Ok(Answer::Failed(error.to_string())),
    }
}

/// A text as part of a word of a shell.
fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', "'\\''"))
}
