//! `fracht rules`

use fracht_core::diag::{Severity, nearest};
use fracht_core::grammar::word::Word as _;
use fracht_core::rules::{self, Rule, rule};

use crate::cli::Rules;
use crate::failure::{Failure, Outcome};
use crate::ui::Ui;
use crate::ui::style::{BOLD, ERROR, HELP, QUIET, WARNING, WIDTH};
use crate::ui::table::{Cell, Table};

pub(crate) fn run(args: &Rules, ui: &mut Ui) -> Result<Outcome, Failure> {
    match &args.rule {
        None => ui.result(&list())?,
        Some(name) => match rule(name) {
            Some(rule) => ui.result(&page(rule))?,
            None => {
                let near = nearest(name, rules::all().map(|rule| rule.name));
                let question = near.map_or_else(String::new, |near| format!("did you mean `{near}`? "));
                let help = format!("{question}`fracht rules` lists all rules");
                return Err(Failure::new(format!("rule `{name}` not found"), help));
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
    let mut table = Table::new(["rule", "severity", "problem"]);
    for rule in rules::all() {
        table.row([rule.name.into(), severity(rule.severity), rule.summary.into()]);
    }
    table.show()
}

fn page(rule: &Rule) -> String {
    let indented = |text: &str| {
        text.lines().map(|line| format!("  {line}").trim_end().to_owned() + "\n").collect::<String>()
    };
    format!(
        "{BOLD}{}{BOLD:#} ({})\n\n{}\n\n{}\n\n{QUIET}bad example{QUIET:#}\n{}\n{QUIET}good example{QUIET:#}\n{}",
        rule.name,
        rule.severity.word(),
        rule.summary,
        textwrap::fill(rule.why, WIDTH),
        indented(rule.fails),
        indented(rule.passes),
    )
}
