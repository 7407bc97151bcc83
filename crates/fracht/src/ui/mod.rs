//! Prints results and messages.

pub(crate) mod address;
pub(crate) mod excerpt;
pub(crate) mod json;
pub(crate) mod sarif;
pub(crate) mod screen;
mod stream;
pub(crate) mod style;
pub(crate) mod table;

use std::io::{self, Write as _};
use std::process::ExitCode;

use anstream::ColorChoice;
use fracht_core::cover::{self, Cover};
use fracht_core::diag::{Report, Severity};
use fracht_core::escape::escaped;
use fracht_core::grammar::word::Word as _;
use fracht_core::source::Sources;

use crate::cli::When;
use crate::failure::Failure;
use stream::Stream;
use style::{BOLD, ERROR, HELP, NOTE, QUIET, WARNING};

/// The most problems that are printed at once.
const MOST_SHOWN: usize = 100;

/// The note about problems that are not printed.
fn more(count: usize) -> Option<String> {
    let words =
        || format!("{QUIET}… and {count} more: fix these first, or show them with `--all`{QUIET:#}\n");
    (count > 0).then(words)
}

/// Standard output for results, standard error for the rest.
pub(crate) struct Ui {
    out: Stream,
    err: Stream,
    quiet: bool,
}

impl Ui {
    pub(crate) fn new(color: When, quiet: bool) -> Self {
        let choice = match color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
        };
        Self { out: Stream::stdout(choice), err: Stream::stderr(choice), quiet }
    }

    /// One that prints nothing but results.
    pub(crate) fn silent() -> Self {
        Self::new(When::Never, true)
    }

    /// Prints a result. Colors are removed if the stream has none; parts that look secret are hidden.
    pub(crate) fn result(&mut self, text: &str) -> Result<(), Failure> {
        Ok(self.out.text(&cover::prose(text))?)
    }

    /// Prints the problems of a report as a result, at most [`MOST_SHOWN`] unless `all` are wanted.
    pub(crate) fn findings(&mut self, report: &Report, sources: &Sources, all: bool) -> Result<(), Failure> {
        let cover = Cover::new(report, sources);
        let most = if all { report.findings().len() } else { MOST_SHOWN };
        for finding in report.findings().iter().take(most) {
            let text = excerpt::show(finding, &cover, sources, self.out.has_color());
            self.out.write_all((text + "\n\n").as_bytes())?;
        }
        match more(report.total().saturating_sub(most)) {
            Some(more) => self.result(&more),
            None => Ok(()),
        }
    }

    /// Prints a large result without colors.
    pub(crate) fn raw_result(
        &mut self,
        write: impl FnOnce(&mut dyn io::Write) -> io::Result<()>,
    ) -> Result<(), Failure> {
        write(&mut self.out)?;
        Ok(self.out.flush()?)
    }

    /// Prints a result as JSON; parts that look secret are hidden.
    pub(crate) fn json(&mut self, value: &impl serde::Serialize) -> Result<(), Failure> {
        let text = json::covered(value)?;
        self.raw_result(|out| out.write_all(text.as_bytes()))
    }

    /// Prints a note, which is not part of the result.
    pub(crate) fn note(&mut self, text: &str) {
        if !self.quiet {
            self.print_message(&format!("{NOTE}note{NOTE:#}: {}", escaped(text)));
        }
    }

    /// Does something without telling what goes on.
    pub(crate) fn quietly<R>(&mut self, work: impl FnOnce(&mut Self) -> R) -> R {
        let before = std::mem::replace(&mut self.quiet, true);
        let done = work(self);
        self.quiet = before;
        done
    }

    /// Prints a hint on what to do next.
    pub(crate) fn hint(&mut self, text: &str) {
        self.print_message(&format!("{HELP}help{HELP:#}: {}", escaped(text)));
    }

    /// Prints what failed, with lines of its output.
    pub(crate) fn failed(&mut self, message: &str, lines: &[String]) {
        self.print_message(&format!("{ERROR}error{ERROR:#}: {}", escaped(message)));
        for line in lines {
            self.print_message(&format!("  {QUIET}|{QUIET:#} {}", escaped(line)));
        }
    }

    /// Whether messages on what goes on are wanted.
    pub(crate) fn shows_progress(&self) -> bool {
        !self.quiet
    }

    /// Prints a line on what goes on, to standard error.
    pub(crate) fn progress(&mut self, text: &str) {
        if !self.quiet {
            self.print_message(text);
        }
    }

    /// Draws lines in place of those that were drawn before, on a terminal.
    pub(crate) fn redraw(&mut self, drawn: usize, lines: &[String]) {
        if drawn == 0 && lines.is_empty() {
            return;
        }
        // Up to the first line, and clear all below (ECMA-48: CPL, ED).
        let up = if drawn == 0 { String::new() } else { format!("\u{1b}[{drawn}F\u{1b}[J") };
        let _ = self.out.flush();
        let _ = self.err.write_all(up.as_bytes());
        let _ = self.err.text(&cover::prose(&lines.join("\n")));
        if !lines.is_empty() {
            let _ = self.err.write_all(b"\n");
        }
        let _ = self.err.flush();
    }

    /// Prints a line to standard error. If that fails, it is not an error.
    fn print_message(&mut self, line: &str) {
        let _ = self.out.flush();
        let _ = self.err.text(&(cover::prose(line) + "\n"));
        let _ = self.err.flush();
    }

    /// Prints a command line that the demo runs.
    pub(crate) fn command(&mut self, line: &str) -> Result<(), Failure> {
        self.result(&format!("\n{BOLD}$ {line}{BOLD:#}\n"))
    }

    /// Prints the errors of a stack before another result, and the number of warnings.
    pub(crate) fn errors(&mut self, report: &Report, sources: &Sources) {
        let (errors, warnings) = (report.count(Severity::Error), report.count(Severity::Warning));
        if errors > 0 {
            let cover = Cover::new(report, sources);
            let found = report.findings().iter().filter(|f| f.severity == Severity::Error);
            for finding in found.take(MOST_SHOWN) {
                let text = excerpt::show(finding, &cover, sources, self.err.has_color());
                let _ = self.err.write_all((text + "\n\n").as_bytes());
            }
            if let Some(more) = more(errors.saturating_sub(MOST_SHOWN)) {
                self.print_message(&more);
            }
            self.print_message(&format!("{ERROR}{}{ERROR:#}", counted(errors, "error")));
        }
        if warnings > 0 {
            let them = if warnings == 1 { "it" } else { "them" };
            self.note(&format!("{}; run `fracht check` to see {them}", counted(warnings, "warning")));
        }
    }

    /// Prints why a command cannot do its job.
    pub(crate) fn fail(&mut self, failure: &Failure) -> ExitCode {
        let Failure::Error { message, help } = failure else {
            // Silently by SIGPIPE, as programs end whose reader has ended.
            let _ = signal_hook::low_level::emulate_default_handler(signal_hook::consts::SIGPIPE);
            return ExitCode::from(141);
        };
        self.print_message(&format!("{ERROR}error{ERROR:#}: {}", escaped(message)));
        for help in help {
            self.print_message(&format!("{HELP}help{HELP:#}: {}", escaped(help)));
        }
        ExitCode::from(2)
    }

    pub(crate) fn flush(&mut self) -> Result<(), Failure> {
        Ok(self.out.flush()?)
    }
}

/// `1 error`, `2 errors`.
pub(crate) fn counted(count: usize, what: &str) -> String {
    format!("{count} {what}{}", if count == 1 { "" } else { "s" })
}

/// `2 errors and 1 warning` with colors; `None` without problems.
pub(crate) fn tally(report: &Report) -> Option<String> {
    let parts: Vec<String> = [(Severity::Error, ERROR), (Severity::Warning, WARNING), (Severity::Hint, HELP)]
        .into_iter()
        .filter_map(|(severity, style)| {
            let count = report.count(severity);
            let words = counted(count, severity.word());
            (count > 0).then(|| format!("{style}{words}{style:#}"))
        })
        .collect();
    Some(match parts.as_slice() {
        [] => return None,
        [one] => one.clone(),
        [one, other] => format!("{one} and {other}"),
        _ => parts.join(", "),
    })
}
