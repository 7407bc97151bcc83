//! The cost of a run grows linearly with the stack. It is counted in instructions, which are the same in each run, with
//! valgrind; without it the test is skipped and says so.

use std::ffi::OsString;
use std::path::PathBuf;
use std::process::Command;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;

use crate::sandbox::Sandbox;

const HEAD: &str = "[stack]\nname = \"s\"\n";
const MACHINE: &str = "[target.m]\non = \"machine\"\n";

/// The most that four times the size may cost, in percent: 400 is linear, and sorting adds a little.
const MOST: u64 = 450;

/// One way in which a stack grows.
struct Form {
    name: &'static str,
    arguments: &'static [&'static str],
    /// The smaller of the two sizes; the larger is four times that.
    size: usize,
    made: fn(usize) -> Sandbox,
}

const fn form(
    name: &'static str,
    arguments: &'static [&'static str],
    size: usize,
    made: fn(usize) -> Sandbox,
) -> Form {
    Form { name, arguments, size, made }
}

const CHECK: &[&str] = &["check"];
const RENDER: &[&str] = &["render"];
const PORTS: &[&str] = &["ports", "-t", "m"];

/// Ways in which good stacks grow.
const GOOD: &[Form] = &[
    // Of one service.
    form("ports", RENDER, 300, |n| service(&each(n, |i| format!("port.p{i} = {}\n", i + 1)))),
    form("ports in the web", &["reach"], 75, |n| {
        service(&each(n, |i| {
            format!("port.p{i} = {{ number = {}, reach = \"web\", host = \"h{i}.example\" }}\n", i + 1)
        }))
    }),
    form("auto ports of one service", PORTS, 200, |n| {
        service(&(each(n, |i| auto_port(&format!("p{i}"), i + 1)) + MACHINE))
    }),
    form("networks", RENDER, 200, networks),
    form("networks that are read", CHECK, 500, networks),
    form("mounts", RENDER, 300, |n| {
        service(&each(n, |i| format!("mount.\"/m{i}\" = {{ scratch = \"1Mi\" }}\n")))
    }),
    form("volumes", RENDER, 100, |n| {
        let mounts = each(n, |i| format!("mount.\"/m{i}\" = \"volume.v{i}\"\n"));
        service(&(mounts + &each(n, |i| format!("[volume.v{i}]\nsize = \"1Gi\"\n"))))
    }),
    form("sidecars with ports", RENDER, 75, |n| {
        service(&each(n, |i| format!("beside.h{i} = {{ image = \"h:1\", port.p{i} = {} }}\n", i + 1)))
    }),
    form("references to a secret", RENDER, 200, |n| {
        let keys = each(n, |i| format!("key.K{i} = {{ env = \"K{i}\" }}\n"));
        service(&(each(n, |i| format!("env.E{i} = \"{{secret.c/K{i}}}\"\n")) + "[secret.c]\n" + &keys))
    }),
    form("references to ports", CHECK, 200, |n| {
        service(&each(n, |i| format!("env.E{i} = \"{{service.a/p{i}}}\"\nport.p{i} = {}\n", i + 1)))
    }),
    form("references to inputs", CHECK, 200, |n| {
        let inputs = each(n, |i| format!("[input.x{i}]\ndefault = \"a\"\n"));
        service(&(each(n, |i| format!("env.E{i} = \"{{input.x{i}}}\"\n")) + &inputs))
    }),
    // Of many services.
    form("auto ports of many services", PORTS, 100, |n| services(n, |_| auto_port("p", 80), MACHINE)),
    form("waits in a row", RENDER, 25, |n| {
        let wait = |i| if i == 0 { String::new() } else { format!("after.s{} = \"ready\"\n", i - 1) };
        services(n, |i| format!("port.x = 80\nhealth.tcp = \"x\"\n{}", wait(i)), "")
    }),
    form("networks of many services", &["reach"], 100, |n| {
        let networks = each(n + 1, |i| format!("[network.n{i}]\n"));
        services(n, |i| format!("port.p = 80\nnetwork = [\"n{i}\", \"n{}\"]\n", i + 1), &networks)
    }),
    form("one volume of many services", RENDER, 30, |n| {
        services(n, |_| "mount.\"/m\" = \"volume.v\"\n".into(), "[volume.v]\nsize = \"1Gi\"\n")
    }),
    form("passed objects", RENDER, 60, |n| {
        let object = |i| format!("---\napiVersion: v1\nkind: ConfigMap\nmetadata: {{name: c{i}}}\n");
        Sandbox::with(&format!("pass = [\"p.yaml\"]\n{HEAD}")).file("p.yaml", each(n, object))
    }),
    form("patches", RENDER, 60, |n| {
        service(&each(n, |_| {
            "[[patch]]\non = \"Deployment/a\"\nmerge.spec.revisionHistoryLimit = 3\n".to_owned()
        }))
    }),
    form("settings that point to localhost", CHECK, 100, |n| {
        services(n, |i| format!("port.p = {}\nenv.A = \"localhost:{}\"\n", i + 1, i + 1), "")
    }),
    // Files.
    form("lines of a file", CHECK, 400, |n| lines(&each(n, |i| format!("K{i}=v\n")))),
    form("files of a pattern", CHECK, 200, |n| {
        let config = service("use = [\"config.c\"]\n[config.c]\nfiles = \"d/*\"\n");
        (0..n).fold(config, |sandbox, i| sandbox.file(&format!("d/f{i}"), ""))
    }),
    form("included files", CHECK, 50, |n| {
        (0..n).fold(Sandbox::with(&format!("include = [\"d/*\"]\n{HEAD}")), |sandbox, i| {
            sandbox.file(&format!("d/f{i}"), format!("[service.s{i}]\nimage = \"s:1\"\n"))
        })
    }),
    // Layers.
    form("targets that are twice like the one before", &["order", "-t", "m"], 24, |n| {
        let like = |i| format!("[target.t{}]\nlike = [\"target.t{i}\", \"target.t{i}\"]\n", i + 1);
        service(&format!("[target.t0]\n{}[target.m]\nlike = [\"target.t{n}\"]\n", each(n, like)))
    }),
    form("patterns in a row", CHECK, 24, |n| {
        let row = each(n, |i| {
            let like = if i == 0 { String::new() } else { format!("like = \"pattern.p{}\"\n", i - 1) };
            format!("[pattern.p{i}]\n{like}cpu = {}\n", i + 1)
        });
        service(&format!("like = \"pattern.p{}\"\n{row}", n - 1))
    }),
    form("keys that a target drops", &["order"], 300, |n| {
        let drops = names(n, "service.a.env.A");
        service(&(each(n, |i| format!("env.A{i} = \"1\"\n")) + &format!("[target.t]\ndrop = [{drops}]\n")))
    }),
    form("drops of nothing", CHECK, 200, |n| {
        service(&format!("[target.t]\ndrop = [{}]\n", names(n, "service.a.env.A")))
    }),
    form("patterns of inputs", CHECK, 50, |n| {
        let uses = each(n, |i| format!("env.E{i} = \"{{input.x{i}}}\"\n"));
        service(&(uses + &each(n, |i| format!("[input.x{i}]\ndefault = \"a\"\npattern = '[a-z]{{50}}|a'\n"))))
    }),
];

/// Ways in which mistakes grow.
const MISTAKES: &[Form] = &[
    form("broken lines of a file", CHECK, 100, |n| lines(&"K v\n".repeat(n))),
    form("secrets in one line", CHECK, 200, |n| {
        service(&format!("[secret.s]\nkey = {{{}}}\n", each(n, |i| format!("k{i} = \"kelp{i}\", "))))
    }),
    form("patches of nothing", CHECK, 75, |n| {
        let patch = |i| format!("[[patch]]\non = \"Deployment/x{i}\"\nmerge.spec.paused = true\n");
        services(n, |_| String::new(), &each(n, patch))
    }),
    form("unknown keys", CHECK, 400, |n| service(&each(n, |i| format!("zz{i} = 1\n")))),
    form("wrong values", CHECK, 400, |n| service(&each(n, |i| format!("env.A{i} = []\n")))),
    form("broken lines", CHECK, 400, |n| service(&"x = = 1\n".repeat(n))),
    form("unclosed lists", CHECK, 400, |n| service(&each(n, |i| format!("env.A{i} = [1, 2\n")))),
    form("unclosed list before many lines", CHECK, 400, |n| {
        service(&format!("args = [\n{}", each(n, |i| format!("env.A{i} = \"x\"\n"))))
    }),
    form("misspelled keys of many services", CHECK, 100, |n| {
        Sandbox::with(&format!("{HEAD}{}", each(n, |i| format!("[service.s{i}]\nimgae = \"s:1\"\n"))))
    }),
    form("unknown names in one text", CHECK, 300, |n| {
        service(&format!("env.A = \"{}\"\n", "{service.x}".repeat(n)))
    }),
];

/// A stack with one service, and more text in its table and after it.
fn service(more: &str) -> Sandbox {
    Sandbox::with(&format!("{HEAD}[service.a]\nimage = \"a:1\"\n{more}"))
}

/// A service in many networks.
fn networks(count: usize) -> Sandbox {
    let tables = each(count, |i| format!("[network.n{i}]\n"));
    service(&format!("network = [{}]\n{tables}", names(count, "n")))
}

/// A stack with many services, each with its own text, and more text after them.
fn services(count: usize, text: impl Fn(usize) -> String, more: &str) -> Sandbox {
    let service = |i| format!("[service.s{i}]\nimage = \"s:1\"\n{}", text(i));
    Sandbox::with(&format!("{HEAD}{}{more}", each(count, service)))
}

/// A stack with a file of KEY=value lines.
fn lines(lines: &str) -> Sandbox {
    service("use = [\"config.c\"]\n[config.c]\nlines = \"c.env\"\n").file("c.env", lines)
}

fn auto_port(name: &str, number: usize) -> String {
    format!("port.{name} = {{ number = {number}, reach = \"node\", at = \"auto\" }}\n")
}

fn each(count: usize, text: impl Fn(usize) -> String) -> String {
    (0..count).map(text).collect()
}

/// The items of a list of numbered names.
fn names(count: usize, name: &str) -> String {
    each(count, |i| format!("\"{name}{i}\", "))
}

/// Counts instructions.
struct Counter {
    valgrind: OsString,
    /// The program without debug information, which valgrind would read at each start.
    program: PathBuf,
    _folder: Sandbox,
}

impl Counter {
    /// The valgrind that the environment names.
    fn find() -> Option<Self> {
        let valgrind = std::env::var_os("FRACHT_VALGRIND")?;
        let folder = Sandbox::empty();
        let (built, program) = (env!("CARGO_BIN_EXE_fracht"), folder.path("fracht"));
        let stripped = Command::new("strip").arg("-o").arg(&program).arg(built).status();
        let program = if stripped.is_ok_and(|status| status.success()) { program } else { built.into() };
        Some(Self { valgrind, program, _folder: folder })
    }
}

/// The instructions of one run.
fn instructions(counter: &Counter, form: &Form, size: usize, code: i32) -> u64 {
    let sandbox = (form.made)(size);
    let log = sandbox.path("instructions.log");
    let mut counted = Command::new(&counter.valgrind);
    counted
        .args(["--tool=cachegrind", "--cache-sim=no", "--cachegrind-out-file=/dev/null"])
        .arg(format!("--log-file={}", log.display()))
        .arg(&counter.program)
        .args(form.arguments)
        .current_dir(sandbox.path(""));
    let output = counted.output().unwrap();
    assert_eq!(output.status.code(), Some(code), "{}, {size}: {output:?}", form.name);
    let log = sandbox.read("instructions.log");
    let count =
        log.lines().find_map(|line| line.split_once("refs:")).map(|(_, count)| count.replace(',', ""));
    count.and_then(|count| count.trim().parse().ok()).unwrap_or_else(|| panic!("{log}"))
}

#[test]
fn four_times_the_size_costs_four_times_as_much() {
    let Some(counter) = Counter::find() else {
        println!("skipped: FRACHT_VALGRIND names no valgrind, which counts instructions");
        return;
    };
    let empty = instructions(&counter, &form("nothing", CHECK, 0, |_| service("")), 0, 0);
    let forms: Vec<(&Form, i32)> =
        GOOD.iter().map(|form| (form, 0)).chain(MISTAKES.iter().map(|form| (form, 1))).collect();
    let next = AtomicUsize::new(0);
    let work = || {
        let mut too_much = Vec::new();
        while let Some((form, code)) = forms.get(next.fetch_add(1, Ordering::Relaxed)) {
            let cost = |size| instructions(&counter, form, size, *code).saturating_sub(empty);
            let (small, large) = (cost(form.size), cost(4 * form.size));
            let percent = 100 * large / small.max(1);
            let line = format!("{percent} % for {} {}", 4 * form.size, form.name);
            println!("{line}, {} million instructions", large / 1_000_000);
            if percent > MOST {
                too_much.push(line);
            }
        }
        too_much
    };
    let workers = thread::available_parallelism().map_or(1, usize::from);
    let too_much: Vec<String> = thread::scope(|scope| {
        let started: Vec<_> = (0..workers).map(|_| scope.spawn(work)).collect();
        started.into_iter().flat_map(|worker| worker.join().unwrap()).collect()
    });
    assert_eq!(too_much, [""; 0]);
}
