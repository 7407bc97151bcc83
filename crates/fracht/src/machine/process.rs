//! Which process has a socket (Linux, `proc(5)`).

use std::collections::{BTreeMap, BTreeSet};
use std::fs;

/// The processes of some sockets, by the number of the socket: the name of the program and the number of the process.
/// Those that this user may not read are left out.
pub(super) fn owners(sockets: &BTreeSet<u64>) -> BTreeMap<u64, (String, u32)> {
    let mut owners = BTreeMap::new();
    let processes = fs::read_dir("/proc").into_iter().flatten().flatten();
    let mut numbers: Vec<u32> =
        processes.filter_map(|entry| entry.file_name().to_str()?.parse().ok()).collect();
    // Of several processes that share a socket, the first has opened it.
    numbers.sort_unstable();
    for process in numbers {
        let Ok(open) = fs::read_dir(format!("/proc/{process}/fd")) else { continue };
        for file in open.flatten() {
            let Ok(target) = fs::read_link(file.path()) else { continue };
            let socket = target
                .to_str()
                .and_then(|name| name.strip_prefix("socket:[")?.strip_suffix(']')?.parse().ok());
            if let Some(socket) = socket.filter(|socket| sockets.contains(socket)) {
                owners.entry(socket).or_insert_with(|| (name(process), process));
            }
        }
    }
    owners
}

/// The name of the program of a process.
fn name(process: u32) -> String {
    let name = fs::read_to_string(format!("/proc/{process}/comm")).unwrap_or_default();
    if name.trim().is_empty() { "a program".to_owned() } else { name.trim().to_owned() }
}

/// The name of a user, or its number.
pub(super) fn user_name(number: u32) -> String {
    let users = fs::read_to_string("/etc/passwd").unwrap_or_default();
    let name = users.lines().find_map(|line| {
        let mut fields = line.split(':');
        let name = fields.next()?;
        (fields.nth(1)?.parse() == Ok(number)).then(|| name.to_owned())
    });
    name.unwrap_or_else(|| number.to_string())
}
