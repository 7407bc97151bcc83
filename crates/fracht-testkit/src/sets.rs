//! The sets of faulty and good stacks under `sets`: each line with a mistake ends with `#! RULE`.

use std::collections::BTreeSet;
use std::path::Path;

use fracht_core::files::MemoryFiles;

/// A stack of a set, with its mistakes.
#[derive(Clone, Debug)]
pub struct Case {
    /// The file of the set, and the title of the stack.
    pub title: String,
    /// Its files, by their paths from its folder.
    pub files: Vec<(String, String)>,
    /// The file, the line from 1, and the rule of each mistake.
    pub mistakes: Vec<(String, usize, String)>,
}

impl Case {
    /// Its files in memory.
    pub fn memory(&self) -> MemoryFiles {
        let add = |files: MemoryFiles, (path, text): &(String, String)| {
            files.with(format!("/s/{path}"), text.as_bytes())
        };
        self.files.iter().fold(MemoryFiles::default(), add)
    }
}

/// Every stack of every set.
///
/// A stack begins with `== TITLE`, a further file of it with `-- PATH`, or with `-- PATH *SIZE` if only its size in bytes
/// counts. A stack file without a `[stack]` gets one.
pub fn all() -> Vec<Case> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("sets");
    let mut paths: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    paths.sort();
    let mut cases = Vec::new();
    for path in paths {
        let set = path.file_stem().unwrap().to_string_lossy().into_owned();
        let text = std::fs::read_to_string(&path).unwrap();
        for part in text.split("\n== ").map(|part| part.strip_prefix("== ").unwrap_or(part)) {
            let (title, body) = part.split_once('\n').unwrap();
            cases.push(case(format!("{set}: {title}"), body));
        }
    }
    let titles: BTreeSet<&str> = cases.iter().map(|case| case.title.as_str()).collect();
    assert_eq!(titles.len(), cases.len(), "two stacks of a set have one title");
    cases
}

fn case(title: String, body: &str) -> Case {
    let mut case = Case { title, files: Vec::new(), mistakes: Vec::new() };
    for (index, file) in format!("-- fracht.toml\n{body}").split("\n-- ").enumerate() {
        let file = file.strip_prefix("-- ").unwrap_or(file);
        let (path, text) = file.split_once('\n').unwrap_or((file, ""));
        if let Some((path, size)) = path.split_once(" *") {
            case.files.push((path.to_owned(), "x".repeat(size.parse().unwrap())));
            continue;
        }
        let has_stack = text.lines().any(|line| line.starts_with("[stack]"));
        let head = if index > 0 || has_stack { "" } else { "[stack]\nname = \"s\"\n" };
        let mut out = String::new();
        for (number, line) in (head.to_owned() + text).lines().enumerate() {
            let (line, rules) = line.split_once(" #! ").unwrap_or((line, ""));
            let mistake = |rule: &str| (path.to_owned(), number + 1, rule.to_owned());
            case.mistakes.extend(rules.split(' ').filter(|rule| !rule.is_empty()).map(mistake));
            out += line;
            out.push('\n');
        }
        case.files.push((path.to_owned(), out.trim_end_matches('\n').to_owned() + "\n"));
    }
    case
}
