//! The journal of a change: the planned steps, written into the folder before the first one.
//!
//! A folder with a journal is not finished. The journal has one state after the other:
//!
//! | state | meaning | the next run |
//! |---|---|---|
//! | `preparing` | the old files are in place; the new ones are being written into the scratch folder | undoes |
//! | `applying` | the new files are complete in the scratch folder; they are being moved into place | finishes |
//! | `returning` | a step failed; the old files are being restored | undoes |
//! | `applied` | the new files are in place; the scratch folder is being removed | removes it |
//!
//! In the scratch folder, `new` contains the files that are not in place yet, `old` those that were moved out.

use super::scratch;

/// The name of the journal.
pub(crate) const NAME: &str = ".fracht-unfinished";

const HEAD: &str = "# `fracht render --out` into this folder was not finished: its files are not all of one rendering.\n\
                    # Run it again: it finishes the changes or undoes them, and removes this file.\n";

/// The state of a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum State {
    Preparing,
    Applying,
    Returning,
    Applied,
}

impl State {
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Preparing => "preparing",
            Self::Applying => "applying",
            Self::Returning => "returning",
            Self::Applied => "applied",
        }
    }
}

/// What happens to a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Step {
    /// It is added. An existing file of this name belongs to others.
    Add,
    /// It replaces a rendered file.
    Replace,
    /// It is a rendered file that is removed.
    Remove,
}

/// The planned change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Journal {
    pub(super) state: State,
    /// The name of the scratch folder.
    pub(super) scratch: String,
    /// What happens to each file, in order.
    pub(super) steps: Vec<(Step, String)>,
}

impl Journal {
    /// The text of the journal in a state.
    pub(super) fn text(&self, state: State) -> String {
        let mut text = format!("{HEAD}scratch {}\nstate {}\n", self.scratch, state.word());
        for (step, name) in &self.steps {
            let word = match step {
                Step::Add => "add",
                Step::Replace => "replace",
                Step::Remove => "remove",
            };
            text.push_str(&format!("{word} {name}\n"));
        }
        text + "end\n"
    }

    /// Reads a journal. An incomplete one belongs to a run that has not changed anything yet. Names that lead out of
    /// the folder are ignored, since a journal may be forged.
    pub(super) fn parse(text: &str) -> Option<Self> {
        let mut journal = Self { state: State::Preparing, scratch: String::new(), steps: Vec::new() };
        let mut ended = false;
        for line in text.lines().filter(|line| !line.starts_with('#')) {
            let (word, rest) = line.split_once(' ').unwrap_or((line, ""));
            let step = match word {
                "scratch" if scratch::is_name(rest) => {
                    rest.clone_into(&mut journal.scratch);
                    continue;
                }
                "state" => {
                    let all = [State::Preparing, State::Applying, State::Returning, State::Applied];
                    journal.state = all.into_iter().find(|state| state.word() == rest)?;
                    continue;
                }
                "add" => Step::Add,
                "replace" => Step::Replace,
                "remove" => Step::Remove,
                "end" => {
                    ended = true;
                    continue;
                }
                _ => continue,
            };
            if is_plain_name(rest) {
                journal.steps.push((step, rest.to_owned()));
            }
        }
        if !ended {
            journal.state = State::Preparing;
        }
        Some(journal).filter(|journal| !journal.scratch.is_empty())
    }
}

/// Whether a name is a plain file name, without folders.
pub(super) fn is_plain_name(name: &str) -> bool {
    !name.is_empty() && !name.contains(['/', '\\', '\0']) && name != "." && name != ".."
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_journal_round_trips_and_a_truncated_one_is_in_its_first_state() {
        let steps = vec![(Step::Add, "a b.yaml".to_owned()), (Step::Remove, "c".to_owned())];
        let journal = Journal { state: State::Applying, scratch: scratch::name(), steps };
        let text = journal.text(State::Applying);
        assert_eq!(Journal::parse(&text), Some(journal.clone()));
        let cut = Journal::parse(&text[..text.len() - 2]).unwrap();
        assert_eq!((cut.state, &cut.scratch), (State::Preparing, &journal.scratch));
        assert_eq!(Journal::parse(&text[..40]), None);
        let forged = text.replace("a b.yaml", "../a").replace(&journal.scratch, "../home");
        assert_eq!(Journal::parse(&forged), None);
    }
}
