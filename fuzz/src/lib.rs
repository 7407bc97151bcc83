//! The fuzz targets: for any input, nothing panics, and the assertions of each function hold.

use std::path::Path;

use fracht_cluster::compare::compare;
use fracht_cluster::{Comments, Format, Rendering, read_objects};
use fracht_core::check::Project;
use fracht_core::cover::{self, Cover};
use fracht_core::escape;
use fracht_core::files::MemoryFiles;
use fracht_core::grammar::lines;
use fracht_picture::{By, Choice, Diagram, Layout, Theme, svg, terminal};

/// A stack with one service, to which the targets add lines.
const BASE: &str = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nport.http = 80\n";

/// Checks a stack with its files for each of its targets, and renders it if it has no errors.
fn look(stack: &[u8], files: &[(&str, &[u8])]) {
    let all = files.iter().fold(MemoryFiles::default(), |all, (name, content)| {
        all.with(format!("/s/{name}"), content.to_vec())
    });
    let all = all.with("/s/fracht.toml", stack).with("/s/app/Containerfile", "from scratch");
    let Ok(mut project) = Project::open(&all, Path::new("/s/fracht.toml"), Path::new("fracht.toml")) else {
        return;
    };
    let targets: Vec<String> = project.targets().names().take(3).map(str::to_owned).collect();
    for target in targets {
        let Some(verdict) = project.check(&target) else { continue };
        let cover = Cover::new(&verdict.report, project.sources());
        for finding in verdict.report.findings() {
            let shown = cover.diagnostic(&finding.diagnostic);
            assert!(!shown.message.contains(escape::is_unsafe), "{:?}", shown.message);
            if let Some(fix) = &finding.diagnostic.fix {
                let file = project.sources().file(fix.span.file).expect("a fix is in a file that was read");
                assert!(file.text.get(fix.span.range()).is_some(), "{fix:?}");
            }
            for label in shown.primary.iter().chain(&shown.related) {
                let Some(file) = project.sources().file(label.span.file) else { continue };
                let lines = file.lines_of(label.span);
                let excerpt = cover.source(label.span.file, lines.clone());
                let breaks = |text: &str| text.matches('\n').count();
                assert_eq!(breaks(&excerpt.text), breaks(&file.text[lines]));
            }
        }
        for table in project.tables().take(20).collect::<Vec<_>>() {
            let path: Vec<String> = table.split('.').map(str::to_owned).collect();
            project.trace(&verdict, &path);
        }
        verdict.facts.reach();
        for by in [By::Network, By::Wave] {
            let diagram = Diagram::of(&verdict.facts, &Choice { configs: true, secrets: true, by, only: None });
            let layout = Layout::of(&diagram);
            assert!(layout.width.is_finite() && layout.height.is_finite());
            svg(&diagram, &layout, Theme::Light);
            terminal(&diagram, 80, true);
        }
        let Some(checked) = verdict.checked() else { continue };
        let Ok(rendering) = Rendering::plan(checked) else { continue };
        let mut yaml = Vec::new();
        rendering.write(Format::Yaml, Comments::Lines(project.sources()), &mut yaml).expect("memory takes all");
        let mut json = Vec::new();
        rendering.write(Format::Json, Comments::None, &mut json).expect("memory takes all");
        let text = std::str::from_utf8(&yaml).expect("what is written is text");
        let json = std::str::from_utf8(&json).expect("what is written is text");
        let (one, other) = (read_objects(text), read_objects(json));
        let (Ok(one), Ok(other)) = (one, other) else { panic!("what was written cannot be read:\n{text}") };
        assert_eq!(one.len(), rendering.planned().len(), "{text}");
        let difference = compare(&one, &other);
        assert!(difference.objects.is_empty(), "{difference:#?}\n{text}");
        for file in rendering.files(Format::Yaml, Comments::None).expect("our own objects can be written") {
            assert!(!file.name.contains(['/', '\\', '\0']) && !file.name.starts_with('.'), "{}", file.name);
        }
    }
}

/// Any text as a stack file.
pub fn stack(data: &[u8]) {
    look(data, &[]);
}

/// Any lines in a valid stack, so that it may have objects.
pub fn objects(data: &[u8]) {
    look(&[BASE.as_bytes(), data].concat(), &[]);
}

/// Any text as a file of objects that are passed through.
pub fn pass(data: &[u8]) {
    look(format!("pass = [\"a.yaml\"]\n{BASE}").as_bytes(), &[("a.yaml", data)]);
    if let Ok(text) = std::str::from_utf8(data)
        && let Ok(objects) = read_objects(text)
    {
        assert!(compare(&objects, &objects).objects.is_empty());
        compare(&objects, &[]);
        compare(&[], &objects);
    }
}

/// Any text as a patch of an object.
pub fn patch(data: &[u8]) {
    for on in ["Deployment/a", "Service/a"] {
        look(&[BASE.as_bytes(), format!("[[patch]]\non = \"{on}\"\n").as_bytes(), data].concat(), &[]);
    }
}

/// Any text as a file of `KEY=value` lines.
pub fn lines(data: &[u8]) {
    let stack = format!("{BASE}use = [\"config.c\"]\n[config.c]\nlines = \"c.env\"\n");
    look(stack.as_bytes(), &[("c.env", data)]);
    let Ok(text) = std::str::from_utf8(data) else { return };
    let (settings, broken) = lines::parse(text);
    for setting in settings {
        assert_eq!(text[setting.key_at.clone()], setting.key);
        assert!(text.get(setting.value_at).is_some());
    }
    for line in broken {
        assert!(text.get(line.at).is_some());
    }
}

/// Any text as the lock of a stack whose numbers are open: what is read of it is written as itself.
pub fn lock(data: &[u8]) {
    let stack = "[stack]\nname = \"s\"\n[target.m]\non = \"machine\"\n[target.p]\n\
                 [service.a]\nimage = \"a:1.0\"\nreplicas = 2\nport.b = { number = 80, reach = \"node\" }\n\
                 [service.b]\nimage = \"a:1.0\"\nport.c = { number = 80, reach = \"node\", at = \"30080..\" }\n";
    look(stack.as_bytes(), &[("fracht.lock", data)]);
    let text = |lock: &[u8]| {
        let files = MemoryFiles::default().with("/s/fracht.toml", stack).with("/s/fracht.lock", lock.to_vec());
        let path = Path::new("/s/fracht.toml");
        Project::open(&files, path, path).expect("the stack can be opened").lock().text()
    };
    let written = text(data);
    assert_eq!(text(written.as_bytes()), written);
}

/// Any text as a value with references, and as something that is shown.
pub fn texts(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    for hit in cover::hits(text) {
        assert!(text.get(hit.range).is_some());
    }
    let shown = cover::text(text);
    assert_eq!(shown.matches('\n').count(), text.matches('\n').count());
    assert!(!escape::escaped(text).contains(escape::is_unsafe));
    let quoted = text.escape_unicode().to_string().replace("\\u{", "\\U").replace('}', "");
    let padded: String = quoted.split("\\U").skip(1).map(|hex| format!("\\U{hex:0>8}")).collect();
    look(format!("{BASE}env.A = \"{padded}\"\n").as_bytes(), &[]);
}

/// Any text as a reference, wherever there can be one.
pub fn references(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let Some(text) = text.lines().next().map(|line| line.replace(['\'', '\0'], "")) else { return };
    look(
        format!(
            "[stack]\nname = 's'\n[config.c]\nkey.K = '{text}'\n[secret.s]\nkey.S = {{ env = 'S' }}\n\
             [outside.o]\nhost = 'o.example'\nport.p = 80\n[pattern.p]\nenv.P = '{{{text}}}'\n\
             [service.a]\nimage = 'a:1.0'\nlike = 'pattern.p'\nport.http = 80\nargs = ['x {{{text}}} y']\n\
             env.A = '{text}'\nenv.B = '{{secret.s/S}}{text}{{outside.o/p}}'\nhealth = {{ http = '/{text}' }}\n\
             [service.b]\nimage = 'b:{text}'\nafter = ['{text}']\nmount.'/m' = '{text}'\nuse = ['{text}']\n"
        )
        .as_bytes(),
        &[],
    );
}
