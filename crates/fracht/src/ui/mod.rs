//! How things look on a terminal, and where they go.

pub(crate) mod excerpt;
pub(crate) mod json;
pub(crate) mod style;
pub(crate) mod table;

use std::io::{self, Write as _};
use std::process::ExitCode;

use anstream::{AutoStream, ColorChoice};
use fracht_core::diag::{Report, Severity};
use fracht_core::source::Sources;

use crate::cli::When;
use crate::failure::Failure;
use style::{BOLD, ERROR, HELP, NOTE, WARNING};

/// Standard output for results, standard error for the rest.
pub(crate) struct Ui {
    out: AutoStream<io::Stdout>,
    err: AutoStream<io::Stderr>,
    quiet: bool,
}

impl Ui {
    pub(crate) fn new(color: When, quiet: bool) -> Self {
        let choice = match color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
        };
        Self { out: AutoStream::new(io::stdout(), choice), err: AutoStream::new(io::stderr(), choice), quiet }
    }

    /// Writes a result. Colours are taken out where they do not belong.
    pub(crate) fn result(&mut self, text: &str) -> Result<(), Failure> {
        Ok(self.out.write_all(text.as_bytes())?)
    }

    /// Writes a result of many bytes that has no colours.
    pub(crate) fn raw_result(
        write: impl FnOnce(&mut dyn io::Write) -> io::Result<()>,
    ) -> Result<(), Failure> {
        let mut out = io::BufWriter::with_capacity(1 << 16, io::stdout().lock());
        write(&mut out)?;
        Ok(out.flush()?)
    }

    /// Writes a result as JSON.
    pub(crate) fn json(value: &impl serde::Serialize) -> Result<(), Failure> {
        Self::raw_result(|out| {
            serde_json::to_writer_pretty(&mut *out, value)?;
            out.write_all(b"\n")
        })
    }

    /// Tells something that is not the result. Nobody to tell it to is no error.
    pub(crate) fn note(&mut self, text: &str) {
        if !self.quiet {
            let _ = writeln!(self.err, "{NOTE}note{NOTE:#}: {text}");
        }
    }

    /// Says what is run: the demo shows its commands.
    pub(crate) fn command(&mut self, line: &str) -> Result<(), Failure> {
        self.result(&format!("\n{BOLD}$ {line}{BOLD:#}\n"))
    }

    /// Shows the errors of a stack before another result, and how many warnings there are.
    pub(crate) fn errors(&mut self, report: &Report, sources: &Sources) {
        for finding in report.findings().iter().filter(|f| f.severity == Severity::Error) {
            let _ = writeln!(self.err, "{}\n", excerpt::show(finding, report, sources));
        }
        let (errors, warnings) = (report.count(Severity::Error), report.count(Severity::Warning));
        if errors > 0 {
            let _ = writeln!(self.err, "{ERROR}{}{ERROR:#}", counted(errors, "error"));
        }
        if warnings > 0 {
            self.note(&format!("{}; fracht check shows them", counted(warnings, "warning")));
        }
    }

    /// Tells why a command could not be carried out.
    pub(crate) fn fail(&mut self, failure: &Failure) -> ExitCode {
        let Failure::Because { message, help } = failure else { return ExitCode::SUCCESS };
        let _ = writeln!(self.err, "{ERROR}error{ERROR:#}: {message}");
        for help in help {
            let _ = writeln!(self.err, "{HELP}help{HELP:#}: {help}");
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

/// `2 errors and 1 warning`, coloured; nothing if there is nothing.
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
