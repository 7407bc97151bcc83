//! `fracht rules`

use fracht_core::diag::Severity;
use fracht_core::rules::{RULES, Rule, rule};

use crate::cli::Rules;
use crate::failure::{Failure, Outcome};
use crate::ui::Ui;
use crate::ui::style::{BOLD, ERROR, HELP, QUIET, WARNING};
use crate::ui::table::{Cell, Table};

pub(crate) fn run(asked: &Rules, ui: &mut Ui) -> Result<Outcome, Failure> {
    match &asked.name {
        None => ui.result(&list())?,
        Some(name) => match rule(name) {
            Some(rule) => ui.result(&page(rule))?,
            None => {
                let message = format!("There is no rule {name}.");
                return Err(Failure::new(message, "`fracht rules` lists them all."));
            }
        },
    }
    Ok(Outcome::Fine)
}

fn severity(severity: Severity) -> Cell {
    let style = match severity {
        Severity::Error => ERROR,
        Severity::Warning => WARNING,
        Severity::Hint => HELP,
    };
    Cell::styled(severity.word(), style)
}

fn list() -> String {
    let mut table = Table::new(["rule", "severity", "finds"]);
    for rule in RULES {
        table.row([rule.name.into(), severity(rule.severity), rule.summary.into()]);
    }
    table.show()
}

fn page(rule: &Rule) -> String {
    let indented = |text: &str| {
        text.lines().map(|line| format!("  {line}").trim_end().to_owned() + "\n").collect::<String>()
    };
    format!(
        "{BOLD}{}{BOLD:#} ({})\n\n{}\n{}\n\n{QUIET}found in{QUIET:#}\n{}\n{QUIET}mended{QUIET:#}\n{}",
        rule.name,
        rule.severity.word(),
        rule.summary,
        rule.why,
        indented(rule.fails),
        indented(rule.passes),
    )
}
