//! The cost of a run grows linearly with the stack. It is counted in instructions, which are the same in each run, with
//! valgrind; without it the test is skipped and says so.

use std::ffi::OsString;
use std::path::PathBuf;
use std::process::Command;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;

use crate::sandbox::Sandbox;

/// The most that four times the size may cost, in percent: 400 is linear, and sorting adds a little.
const MOST: u64 = 430;

/// What grows. An `@` in its texts is the name of the form, so that several grow in one stack.
struct Part {
    /// Of the stack file.
    text: String,
    /// Other files: name and text.
    files: Vec<(String, String)>,
}

/// One way in which a stack grows.
struct Form {
    name: &'static str,
    /// The smaller of the two sizes; the larger is four times that.
    size: usize,
    part: fn(usize) -> Part,
}

const fn form(name: &'static str, size: usize, part: fn(usize) -> Part) -> Form {
    Form { name, size, part }
}

/// Ways to grow that are counted together. They cost about the same, so that each of them matters.
struct Group {
    arguments: &'static [&'static str],
    /// The exit code.
    code: i32,
    /// What the stack has besides.
    head: &'static str,
    forms: &'static [Form],
}

const GROUPS: &[Group] = &[
    // Mistakes, as JSON: the text shows only the first of each rule, with their lines, which costs most of a run.
    Group {
        arguments: &["check", "--format", "json"],
        code: 1,
        head: "",
        forms: &[
            form("broken lines", 200, |n| service(&"x = = 1\n".repeat(n))),
            form("secrets and addresses in one line", 200, |n| {
                service(&format!("env.A = \"{}\"\n", "tide:gull@h http://localhost:1 ".repeat(n)))
            }),
            form("assignments in one line", 200, |n| {
                service(&format!("env.A = \"{}\"\n", "password=x; ".repeat(n)))
            }),
            form("unclosed lists", 200, |n| service(&each(n, |i| format!("env.A{i} = [1, 2\n")))),
            form("unclosed list before many lines", 200, |n| {
                service(&format!("args = [\n{}", each(n, |i| format!("env.A{i} = \"x\"\n"))))
            }),
        ],
    },
    Group {
        arguments: &["check", "--format", "json"],
        code: 1,
        head: "",
        forms: &[
            form("passed objects with wrong types", 75, |n| {
                let item = |i| format!("{{name: [a{i}], image: b}}, ");
                let head = "{apiVersion: v1, kind: Pod, metadata: {name: a}, spec: {containers: [";
                let files = vec![("p.yaml".into(), format!("{head}{}]}}}}", each(n, item)))];
                Part { text: "pass = [\"p.yaml\"]\n".into(), files }
            }),
            form("patches of nothing", 75, |n| {
                let patch = |i| format!("[[patch]]\non = \"Deployment/x{i}\"\nmerge.spec.paused = true\n");
                services(n, |_| String::new(), &each(n, patch))
            }),
            form("misspelled keys of many services", 100, |n| Part {
                text: each(n, |i| format!("[service.s{i}@]\nimgae = \"s:1\"\n")),
                files: Vec::new(),
            }),
        ],
    },
    Group {
        arguments: &["check", "--format", "json"],
        code: 1,
        head: "[target.t]\n",
        forms: &[
            form("broken lines of a file", 30, |n| lines("K v\n".repeat(n))),
            form("secrets in one line", 20, |n| {
                service(&format!("[secret.s@]\nkey = {{{}}}\n", each(n, |i| format!("k{i} = \"kelp{i}\", "))))
            }),
            form("unknown keys", 20, |n| service(&each(n, |i| format!("zz{i} = 1\n")))),
            form("wrong values", 40, |n| service(&each(n, |i| format!("env.A{i} = []\n")))),
            form("unknown names in one text", 100, |n| {
                service(&format!("env.A = \"{}\"\n", "{service.x}".repeat(n)))
            }),
            form("drops of nothing", 40, |n| {
                let drops = names(n, |i| format!("service.a@.env.A{i}"));
                service(&format!("[target.o]\ndrop = [{drops}]\n"))
            }),
        ],
    },
    // Good stacks.
    Group {
        arguments: &["render"],
        code: 0,
        head: "",
        forms: &[
            form("ports", 300, |n| service(&each(n, |i| format!("port.p{i} = {}\n", i + 1)))),
            form("networks", 200, |n| {
                let tables = each(n, |i| format!("[network.n{i}@]\n"));
                service(&format!("network = [{}]\n{tables}", names(n, |i| format!("n{i}@"))))
            }),
            form("mounts", 300, |n| {
                service(&each(n, |i| format!("mount.\"/m{i}\" = {{ scratch = \"1Mi\" }}\n")))
            }),
            form("volumes", 100, |n| {
                let mounts = each(n, |i| format!("mount.\"/m{i}\" = \"volume.v{i}@\"\n"));
                service(&(mounts + &each(n, |i| format!("[volume.v{i}@]\nsize = \"1Gi\"\n"))))
            }),
            form("sidecars with ports", 100, |n| {
                service(&each(n, |i| {
                    format!("beside.h{i} = {{ image = \"h:1.0\", port.p{i} = {} }}\n", i + 1)
                }))
            }),
            form("references to a secret", 200, |n| {
                let keys = each(n, |i| format!("key.K{i} = {{ env = \"K{i}\" }}\n"));
                service(
                    &(each(n, |i| format!("env.E{i} = \"{{secret.c@/K{i}}}\"\n")) + "[secret.c@]\n" + &keys),
                )
            }),
        ],
    },
    Group {
        arguments: &["render"],
        code: 0,
        head: "",
        forms: &[
            form("waits in a row", 25, |n| {
                let wait = |i| {
                    if i == 0 { String::new() } else { format!("after.s{}@ = \"ready\"\n", i - 1) }
                };
                services(n, |i| format!("port.x = 80\nhealth.tcp = \"x\"\n{}", wait(i)), "")
            }),
            form("one volume of many services", 30, |n| {
                services(n, |_| "mount.\"/m\" = \"volume.v@\"\n".into(), "[volume.v@]\nsize = \"1Gi\"\n")
            }),
            form("passed objects", 30, |n| {
                let object = |i| format!("---\napiVersion: v1\nkind: ConfigMap\nmetadata: {{name: c{i}}}\n");
                Part { text: "pass = [\"p.yaml\"]\n".into(), files: vec![("p.yaml".into(), each(n, object))] }
            }),
            form("patches", 30, |n| {
                let patch =
                    |_| "[[patch]]\non = \"Deployment/a@\"\nmerge.spec.revisionHistoryLimit = 3\n".to_owned();
                service(&each(n, patch))
            }),
        ],
    },
    Group {
        arguments: &["check"],
        code: 0,
        head: "",
        forms: &[
            form("references to ports", 200, |n| {
                service(&each(n, |i| format!("env.E{i} = \"{{service.a@/p{i}}}\"\nport.p{i} = {}\n", i + 1)))
            }),
            form("references to inputs", 200, |n| {
                let inputs = each(n, |i| format!("[input.x{i}@]\ndefault = \"a\"\n"));
                service(&(each(n, |i| format!("env.E{i} = \"{{input.x{i}@}}\"\n")) + &inputs))
            }),
            form("patterns of inputs", 80, |n| {
                let input = |i| format!("[input.x{i}@]\ndefault = \"a\"\npattern = '[a-z]{{50}}|a'\n");
                service(&(each(n, |i| format!("env.E{i} = \"{{input.x{i}@}}\"\n")) + &each(n, input)))
            }),
            form("networks that are read", 400, |n| {
                let tables = each(n, |i| format!("[network.n{i}@]\n"));
                service(&format!("network = [{}]\n{tables}", names(n, |i| format!("n{i}@"))))
            }),
            form("settings that point to localhost", 25, |n| {
                services(n, |i| format!("port.p = {}\nenv.A = \"localhost:{}\"\n", i + 1, i + 1), "")
            }),
            form("builds in a row", 24, |n| {
                let build = |i| {
                    let base =
                        if i == 0 { String::new() } else { format!("args.B = \"{{build.b{}@}}\"\n", i - 1) };
                    format!("[build.b{i}@]\nsource = \"@\"\n{base}")
                };
                let target = "[target.m@]\non = \"machine\"\n";
                let part = service(&format!("env.I = \"{{build.b{}@}}\"\n{}{target}", n - 1, each(n, build)));
                Part { files: vec![("@/Containerfile".into(), String::new())], ..part }
            }),
            form("lines of a secret", 200, |n| {
                let part = service("use = [\"secret.c@\"]\n[secret.c@]\nlines = \"@.env\"\n");
                Part { files: vec![("@.env".into(), each(n, |i| format!("K{i}=v{{service.a@}}\n")))], ..part }
            }),
            form("secrets inside secrets", 100, |n| {
                let part = service("use = [\"secret.c@\"]\n[secret.c@]\nlines = \"@.env\"\n");
                let lines = each(n, |i| format!("L{i}=v\nK{i}=v{{secret.c@/L{i}}}\n"));
                Part { files: vec![("@.env".into(), lines)], ..part }
            }),
            form("keys of a file that a target overrides", 100, |n| {
                let keys = each(n, |i| format!("config.c@.key.K{i} = \"w\"\n"));
                let part = service(&format!(
                    "use = [\"config.c@\"]\n[config.c@]\nlines = \"@.env\"\n[target.t@]\n{keys}"
                ));
                Part { files: vec![("@.env".into(), each(n, |i| format!("K{i}=v\n")))], ..part }
            }),
            form("lists of replicas", 60, |n| {
                let lists = each(n, |i| format!("env.L{i} = \"{{replica.a@.all/p}}\"\n"));
                service(&format!("replicas = 9\nstable-names = true\nport.p = 1\n{lists}"))
            }),
            form("lines of a file", 400, |n| lines(each(n, |i| format!("K{i}=v\n")))),
            form("files of a pattern", 200, |n| {
                let part = service("use = [\"config.c@\"]\n[config.c@]\nfiles = \"@/*\"\n");
                Part { files: (0..n).map(|i| (format!("@/f{i}"), String::new())).collect(), ..part }
            }),
            form("included files", 100, |n| {
                let file = |i| (format!("@-{i}.part"), format!("[service.s{i}@]\nimage = \"s:1.0\"\n"));
                Part { text: String::new(), files: (0..n).map(file).collect() }
            }),
            form("patterns in a row", 24, |n| {
                let row = each(n, |i| {
                    let like =
                        if i == 0 { String::new() } else { format!("like = \"pattern.p{}@\"\n", i - 1) };
                    format!("[pattern.p{i}@]\n{like}cpu = {}\n", i + 1)
                });
                service(&format!("like = \"pattern.p{}@\"\n{row}", n - 1))
            }),
        ],
    },
    Group {
        arguments: &["render"],
        code: 0,
        head: "",
        forms: &[
            form("services behind one address", 30, |n| {
                let behind = |i| if i == 0 { String::new() } else { "behind = \"s0@\"\n".to_owned() };
                services(n, |i| format!("port.p = 80\nhealth.tcp = \"p\"\n{}", behind(i)), "")
            }),
            form("tasks after versions", 30, |n| {
                let task = |i| format!("[task.t{i}@]\nimage = \"t:1.0\"\nafter.s{i}@ = \"current\"\n");
                services(n, |_| "port.p = 80\nhealth.tcp = \"p\"\n".into(), &each(n, task))
            }),
            form("admitted stacks", 150, |n| {
                service(&format!(
                    "network = [\"n@\"]\n[network.n@]\nadmits = [{}]\n",
                    names(n, |i| format!("x{i}"))
                ))
            }),
        ],
    },
    Group {
        arguments: &["show"],
        code: 0,
        head: "",
        forms: &[form("volumes that are shown", 60, |n| {
            services(
                n,
                |i| format!("mount.\"/m\" = \"volume.v{i}@\"\n"),
                &each(n, |i| format!("[volume.v{i}@]\nsize = \"1Gi\"\n")),
            )
        })],
    },
    Group {
        arguments: &["images"],
        code: 0,
        head: "",
        forms: &[form("images", 60, |n| services(n, |_| "port.p = 80\nhealth.tcp = \"p\"\n".into(), ""))],
    },
    Group {
        arguments: &["reach"],
        code: 0,
        head: "",
        forms: &[
            form("ports in the web", 75, |n| {
                service(&each(n, |i| {
                    format!(
                        "port.p{i} = {{ number = {}, reach = \"web\", host = \"h{i}.example\" }}\n",
                        i + 1
                    )
                }))
            }),
            form("networks of many services", 100, |n| {
                let networks = each(n + 1, |i| format!("[network.n{i}@]\n"));
                services(n, |i| format!("port.p = 80\nnetwork = [\"n{i}@\", \"n{}@\"]\n", i + 1), &networks)
            }),
        ],
    },
    Group {
        arguments: &["ports", "-t", "m"],
        code: 0,
        head: "[target.m]\non = \"machine\"\n",
        forms: &[
            form("auto ports of one service", 100, |n| {
                service(&each(n, |i| auto_port(&format!("p{i}"), i + 1)))
            }),
            form("auto ports of many services", 75, |n| services(n, |_| auto_port("p", 80), "")),
        ],
    },
    Group {
        arguments: &["ports", "-t", "m", "--assign"],
        code: 0,
        head: "[target.m]\non = \"machine\"\n",
        forms: &[
            form("clashes that are settled", 100, |n| {
                services(n, |_| "port.p = { number = 80, reach = \"node\", at = 9000 }\n".into(), "")
            }),
            form("numbers that are kept", 75, |n| services(n, |_| auto_port("p", 80), "")),
        ],
    },
    Group {
        arguments: &["draw", "--format", "txt"],
        code: 0,
        head: "",
        forms: &[form("boxes", 100, |n| services(n, used_by_the_next, ""))],
    },
    Group {
        arguments: &["draw", "--format", "svg"],
        code: 0,
        head: "",
        forms: &[
            form("users of one service", 100, |n| {
                services(n, |i| if i == 0 { "port.p = 80\n".into() } else { uses("s0@") }, "")
            }),
            form("shared volumes", 50, |n| {
                let volumes =
                    each(n, |i| format!("[volume.v{i}@]\nsize = \"1Gi\"\naccess = \"many-nodes\"\n"));
                services(2 * n, |i| format!("mount.\"/v\" = \"volume.v{}@\"\n", i / 2), &volumes)
            }),
        ],
    },
    Group {
        arguments: &["order", "-t", "m"],
        code: 0,
        head: "",
        forms: &[
            form("targets that are twice like the one before", 24, |n| {
                let like = |i| format!("[target.t{}]\nlike = [\"target.t{i}\", \"target.t{i}\"]\n", i + 1);
                service(&format!("[target.t0]\n{}", each(n, like)))
            }),
            form("keys that a target drops", 40, |n| {
                let drops = names(n, |i| format!("service.a@.env.A{i}"));
                service(
                    &(each(n, |i| format!("env.A{i} = \"1\"\n"))
                        + &format!("[target.m]\ndrop = [{drops}]\n")),
                )
            }),
        ],
    },
];

/// A service with a port that uses that of the one before, in chains of ten.
fn used_by_the_next(index: usize) -> String {
    let used = if index.is_multiple_of(10) { String::new() } else { uses(&format!("s{}@", index - 1)) };
    format!("port.p = 80\n{used}")
}

/// A variable with the address of a service.
fn uses(service: &str) -> String {
    format!("env.USED = \"{{service.{service}/p}}\"\n")
}

/// A service, with more text in its table and after it.
fn service(more: &str) -> Part {
    Part { text: format!("[service.a@]\nimage = \"a:1.0\"\n{more}"), files: Vec::new() }
}

/// Many services, each with its own text, and more text after them.
fn services(count: usize, text: impl Fn(usize) -> String, more: &str) -> Part {
    let service = |i| format!("[service.s{i}@]\nimage = \"s:1.0\"\n{}", text(i));
    Part { text: each(count, service) + more, files: Vec::new() }
}

/// A service with a file of KEY=value lines.
fn lines(lines: String) -> Part {
    let part = service("use = [\"config.c@\"]\n[config.c@]\nlines = \"@.env\"\n");
    Part { files: vec![("@.env".into(), lines)], ..part }
}

fn auto_port(name: &str, number: usize) -> String {
    format!("port.{name} = {{ number = {number}, reach = \"node\", at = \"auto\" }}\n")
}

fn each(count: usize, text: impl Fn(usize) -> String) -> String {
    (0..count).map(text).collect()
}

/// The items of a list of numbered names.
fn names(count: usize, name: impl Fn(usize) -> String) -> String {
    each(count, |i| format!("\"{}\", ", name(i)))
}

/// A stack in which some ways to grow have `times` their size, each in a file of its own.
fn stack(head: &str, forms: &[&Form], times: usize) -> Sandbox {
    let sandbox = Sandbox::with(&format!("include = [\"*.part\"]\n[stack]\nname = \"s\"\n{head}"));
    forms.iter().enumerate().fold(sandbox, |sandbox, (index, form)| {
        let Part { text, files } = (form.part)(times * form.size);
        let own = |text: &str| text.replace('@', &format!("f{index}"));
        let sandbox = sandbox.file(&format!("f{index}.part"), own(&text));
        files.iter().fold(sandbox, |sandbox, (name, text)| sandbox.file(&own(name), own(text)))
    })
}

/// Counts instructions.
struct Counter {
    valgrind: OsString,
    /// The program without debug information, which valgrind would read at each start.
    program: PathBuf,
    /// The instructions of a run on a stack of one service.
    nothing: u64,
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
        Some(Self { valgrind, program, nothing: 0, _folder: folder })
    }
}

impl Group {
    /// The instructions of a run, without those of a run on nothing.
    fn cost(&self, counter: &Counter, forms: &[&Form], times: usize) -> u64 {
        let sandbox = stack(self.head, forms, times);
        let log = sandbox.path("instructions.log");
        let mut counted = Command::new(&counter.valgrind);
        counted
            .args(["--tool=cachegrind", "--cache-sim=no", "--cachegrind-out-file=/dev/null"])
            .arg(format!("--log-file={}", log.display()))
            .arg(&counter.program)
            .args(self.arguments)
            .current_dir(sandbox.path(""));
        let output = counted.output().unwrap();
        let names: Vec<&str> = forms.iter().map(|form| form.name).collect();
        assert_eq!(output.status.code(), Some(self.code), "{names:?}: {output:?}");
        let log = sandbox.read("instructions.log");
        let count =
            log.lines().find_map(|line| line.split_once("refs:")).map(|(_, count)| count.replace(',', ""));
        let count: u64 = count.and_then(|count| count.trim().parse().ok()).unwrap_or_else(|| panic!("{log}"));
        count.saturating_sub(counter.nothing)
    }

    /// What four times the size costs, in percent, and in words.
    fn percent(&self, counter: &Counter, forms: &[&Form]) -> (u64, String) {
        let (small, large) = (self.cost(counter, forms, 1), self.cost(counter, forms, 4));
        let percent = 100 * large / small.max(1);
        let names: Vec<String> =
            forms.iter().map(|form| format!("{} {}", 4 * form.size, form.name)).collect();
        (percent, format!("{percent} %, {} million instructions: {}", large / 1_000_000, names.join(", ")))
    }

    /// The ways to grow that cost too much: counted together, and if that is too much, one by one.
    fn too_much(&self, counter: &Counter) -> Vec<String> {
        let all: Vec<&Form> = self.forms.iter().collect();
        let (percent, words) = self.percent(counter, &all);
        println!("{words}");
        if percent <= MOST {
            return Vec::new();
        }
        let each = self.forms.iter().map(|form| self.percent(counter, &[form]).1);
        std::iter::once(words).chain(each).collect()
    }
}

#[test]
fn four_times_the_size_costs_four_times_as_much() {
    let Some(mut counter) = Counter::find() else {
        println!("skipped: FRACHT_VALGRIND names no valgrind, which counts instructions");
        return;
    };
    let nothing = Group { arguments: &["check"], code: 0, head: "", forms: &[] };
    counter.nothing = nothing.cost(&counter, &[&form("nothing", 0, |_| service(""))], 0);
    let next = AtomicUsize::new(0);
    let work = || {
        let groups = || GROUPS.get(next.fetch_add(1, Ordering::Relaxed));
        std::iter::from_fn(groups).flat_map(|group| group.too_much(&counter)).collect::<Vec<String>>()
    };
    let workers = thread::available_parallelism().map_or(1, usize::from);
    let too_much: Vec<String> = thread::scope(|scope| {
        let started: Vec<_> = (0..workers).map(|_| scope.spawn(work)).collect();
        started.into_iter().flat_map(|worker| worker.join().unwrap()).collect()
    });
    assert_eq!(too_much, [""; 0]);
}
