//! A folder with a recipe, for `fracht new FOLDER`.

use std::fs;
use std::path::{Path, PathBuf};

use fracht_core::escape::escaped_path;
use fracht_core::files::reason;

use super::Runs;
use crate::disk;
use crate::failure::Failure;

/// The usual names of recipes, the first one found is taken.
const RECIPES: [&str; 2] = ["Containerfile", "Dockerfile"];

/// The name of a folder.
pub(super) fn name(folder: &str) -> Option<String> {
    let path = fs::canonicalize(folder).ok()?;
    Some(path.file_name()?.to_str()?.to_lowercase().replace(['_', ' ', '.'], "-"))
}

/// The build of a folder, and the ports that its recipe exposes, by name. The stack file is at `out`.
pub(super) fn build(folder: &Path, out: &Path) -> Result<(Runs, Vec<(String, u16)>), Failure> {
    let shown = escaped_path(folder);
    let real = fs::canonicalize(folder).map_err(|error| {
        let message = format!("cannot open the folder `{shown}`: {}", reason(&error));
        Failure::new(message, "name an image, or a folder with a recipe")
    })?;
    let Some(recipe) = RECIPES.iter().find(|recipe| real.join(recipe).is_file()) else {
        let message = format!("no recipe in `{shown}`");
        return Err(Failure::new(message, "write a `Containerfile` there, or name an image instead"));
    };
    let text = disk::argument(&real.join(recipe)).map_err(|error| {
        let message = format!("cannot read `{shown}/{recipe}`: {}", reason(&error));
        Failure::new(message, "the recipe must be a text file")
    })?;
    let source = source(&real, out).ok_or_else(|| {
        let message = format!("`{shown}` is outside the folder of the stack file");
        let inside = escaped_path(&folder.join("fracht.toml"));
        Failure::new(message, format!("write the stack file beside it: `--out {inside}`"))
    })?;
    Ok((Runs::Build { source, recipe: (*recipe).to_owned() }, exposed(&text)))
}

/// The path of a folder from that of the stack file; `None` if it is outside of it.
fn source(real: &Path, out: &Path) -> Option<String> {
    // The text for standard output is for a stack file in the current folder.
    let folder = match out.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    };
    let below = real.strip_prefix(fs::canonicalize(folder).ok()?).ok()?;
    match below.to_str()? {
        "" => Some(".".to_owned()),
        below => Some(format!("./{below}")),
    }
}

/// The TCP ports that a recipe exposes: the first one is `http`, others are called by their number.
fn exposed(recipe: &str) -> Vec<(String, u16)> {
    let lines = recipe.lines().map(str::trim_start);
    let ports = lines.filter_map(|line| {
        let (word, rest) = line.split_once(char::is_whitespace)?;
        word.eq_ignore_ascii_case("EXPOSE").then_some(rest)
    });
    let number = |text: &str| text.strip_suffix("/tcp").unwrap_or(text).parse::<u16>().ok();
    let mut found: Vec<(String, u16)> = Vec::new();
    for port in ports.flat_map(str::split_whitespace).filter_map(number).filter(|port| *port > 0) {
        let name = if found.is_empty() { "http".to_owned() } else { format!("port-{port}") };
        if found.iter().all(|(_, known)| *known != port) {
            found.push((name, port));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn exposed_ports_are_those_of_tcp() {
        let recipe = "FROM x\n# EXPOSE 1\nEXPOSE 8080 9102/tcp 53/udp\n  expose 8080\nEXPOSE $PORT\n";
        assert_eq!(exposed(recipe), [("http".to_owned(), 8080), ("port-9102".to_owned(), 9102)]);
    }
}
