//! References to what does not exist: the message, and the fix at its place.

use indoc::{formatdoc, indoc};

use crate::values::HEAD;
use crate::{failed, verdict};

/// Lines of a service (or of other tables) with one unknown name, the message, and the line once it is fixed: the
/// name alone is replaced, wherever it stands in the text.
const FIXED: [(&str, &str, &str); 13] = [
    ("env.A = \"{service.aa}\"", "service `aa` not found", "env.A = \"{service.a}\""),
    ("env.A = \"x {port.a/htp} y\"", "`service.a` has no port `htp`", "env.A = \"x {port.a/http} y\""),
    ("env.A = \"{port.feed/inn}\"", "`outside.feed` has no port `inn`", "env.A = \"{port.feed/in}\""),
    ("env.A = \"{service.a/htp}\"", "`service.a` has no port `htp`", "env.A = \"{service.a/http}\""),
    ("env.A = '{config.c/KK}'", "`config.c` has no key `KK`", "env.A = '{config.c/K}'"),
    ("env.A = \"\"\"x{secret.p/kk}\"\"\"", "`secret.p` has no key `kk`", "env.A = \"\"\"x{secret.p/k}\"\"\""),
    ("env.A = '''{secret.pp/k}'''", "secret `pp` not found", "env.A = '''{secret.p/k}'''"),
    ("env.A = \"{stack.nam}\"", "`stack` has no field `nam`", "env.A = \"{stack.name}\""),
    ("env.A = \"{target.nam}\"", "`target` has no field `nam`", "env.A = \"{target.name}\""),
    ("env.A = \"{target.domian}\"", "`target` has no field `domian`", "env.A = \"{target.domain}\""),
    ("env.A = \"{pod.nam}\"", "`pod` has no field `nam`", "env.A = \"{pod.name}\""),
    ("env.A = \"{sevice.a}\"", "kind of reference `sevice` not found", "env.A = \"{service.a}\""),
    (
        "[config.d]\nkey.A = \"{service.aa/http}\"",
        "service `aa` not found",
        "[config.d]\nkey.A = \"{service.a/http}\"",
    ),
];

#[test]
fn the_fix_of_an_unknown_name_replaces_just_the_name() {
    for (line, message, fixed) in FIXED {
        let stack = format!("{HEAD}{line}\n");
        let verdict = verdict(&stack, "cluster");
        let errors: Vec<_> = verdict.report.findings().iter().map(|finding| &finding.diagnostic).collect();
        let [error] = errors.as_slice() else { panic!("{line}: {errors:#?}") };
        assert_eq!(error.message, message, "{line}");
        let fix = error.fix.as_ref().unwrap_or_else(|| panic!("{line}: no fix: {error:#?}"));
        let (start, end) = (fix.span.start as usize, fix.span.end as usize);
        let after = format!("{}{}{}", &stack[..start], fix.replacement, &stack[end..]);
        assert_eq!(after, format!("{HEAD}{fixed}\n"), "{line}");
    }
}

/// A text with escapes has no exact places: the whole text is marked, and the fix is only told.
#[test]
fn an_unknown_name_in_a_text_with_escapes_is_told() {
    let stack = format!("{HEAD}env.A = \"\\t{{service.aa}}\"\n");
    let verdict = verdict(&stack, "cluster");
    let error = &verdict.report.findings()[0].diagnostic;
    let marked = error.primary.as_ref().unwrap().span;
    assert_eq!(&stack[marked.start as usize..marked.end as usize], "\"\\t{service.aa}\"");
    assert_eq!((&error.fix, error.help.as_slice()), (&None, ["did you mean `a`?".to_owned()].as_slice()));
}

/// What a text may not contain, with the help that fits the place.
#[test]
fn secrets_are_refused_where_they_would_be_in_plain_text() {
    for (line, help) in [
        (
            "[config.d]\nkey.A = \"{secret.p/k}\"",
            "set the whole text as a variable of the service, or make it a file of a secret",
        ),
        ("label.x = \"{secret.p/k}\"", "remove it: use it in `env` or `args`, or mount the secret"),
    ] {
        let verdict = verdict(&format!("{HEAD}{line}\n"), "cluster");
        let error = &verdict.report.findings()[0].diagnostic;
        assert_eq!((error.rule.name, error.help[0].as_str()), ("secret-in-config", help), "{line}");
    }
}

#[test]
fn what_cannot_be_read_in_a_layer_explains_what_is_missing() {
    let service = |like: &str| {
        formatdoc!(
            r#"
            [stack]
            name = "s"
            [pattern.p]
            replicas = 2
            [service.a]
            like = {like}
            "#
        )
    };
    // The image may be in the pattern that cannot be read, not in the one that can.
    assert_eq!(failed(&service("[\"pattern.p\", 7]"), "cluster"), ["wrong-type"]);
    assert_eq!(failed(&service("[\"pattern.p\"]"), "cluster"), ["missing-key"]);
    let target = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.web = { number = 80, reach = "web" }
        [target.base]
        [target.prod]
        like = ["target.base", 7]
        "#};
    assert_eq!(failed(target, "prod"), ["wrong-type"], "the domain may be in that target");
    let target = target.replace(", 7", "");
    assert_eq!(failed(&target, "prod"), ["host-missing"]);
    // The name of the stack, and the target, may be in a file that cannot be read.
    let part = "include = [\"parts/*.toml\"]\n[service.a]\nimage = \"a:1.0\"\nport.web = { number = 80, reach = \"web\" }\n";
    assert_eq!(failed(part, "cluster"), ["file-unreadable"]);
    for (table, reference) in [
        ("volume", "mount.\"/v\" = \"volume.new\""),
        ("config", "use = [\"config.new\"]"),
        ("network", "network = [\"new\"]"),
        ("outside", "env.X = \"{outside.new}\""),
    ] {
        let with = |line: &str| {
            format!(
                "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n{reference}\n[{table}.old]\n[target.t]\n{line}\n"
            )
        };
        assert!(failed(&with(""), "t").contains(&"unknown-name"), "{table}");
        let found = failed(&with(&format!("{table} = 7")), "t");
        assert!(found.contains(&"wrong-type") && !found.contains(&"unknown-name"), "{table}: {found:?}");
    }
}
