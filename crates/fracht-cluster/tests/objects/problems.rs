//! The rules on objects.

use fracht_cluster::Rendering;
use fracht_core::check::Verdict;
use fracht_core::diag::Diagnostic;
use fracht_core::files::MemoryFiles;
use fracht_core::rules;
use fracht_testkit::verdict;
use indoc::{formatdoc, indoc};

use crate::{files, object, objects};

/// The verdict on a stack and the problems of its objects.
fn judged(files: &MemoryFiles) -> (Verdict, Vec<Diagnostic>) {
    let verdict = verdict(files, "cluster");
    let Some(checked) = verdict.checked() else { panic!("{:#?}", verdict.report.findings()) };
    let problems = Rendering::plan(checked).map_or_else(|problems| problems, |plan| plan.hints().to_vec());
    assert_eq!(
        format!("{:?}", fracht_cluster::problems(&verdict)),
        format!("{problems:?}"),
        "without a rendering"
    );
    (verdict, problems)
}

/// The problems of the objects of a stack.
fn problems(files: &MemoryFiles) -> Vec<Diagnostic> {
    judged(files).1
}

/// The rules that the objects of a stack fail, with the messages.
fn found(files: &MemoryFiles) -> Vec<(&'static str, String)> {
    let (verdict, problems) = judged(files);
    for problem in &problems {
        assert!(problem.primary.is_some() && !problem.help.is_empty(), "{problem:?}");
    }
    let report = verdict.report_with(problems);
    let findings = report.findings().iter();
    findings.map(|finding| (finding.diagnostic.rule.name, finding.diagnostic.message.clone())).collect()
}

const GOOD: &str = "apiVersion: harbour.example/v1\nkind: Widget\nmetadata:\n  name: one\n";

fn with_files(stack: &str) -> MemoryFiles {
    files(stack)
        .with("/s/good.yaml", GOOD)
        .with("/s/broken.yaml", "apiVersion: v1\nmetadata: {}\n")
        .with("/s/typo.yaml", "apiVersion: v1\nkind: ConfigMap\nmetadata: {name: w}\ndate: {a: b}\n")
        .with("/s/wide.yaml", "apiVersion: v1\nkind: Namespace\nmetadata: {name: w}\n")
        .with("/s/secret.yaml", "apiVersion: v1\nkind: Secret\nmetadata: {name: w}\nstringData: {a: b}\n")
}

#[test]
fn every_rule_on_objects_fails_its_bad_example_only() {
    let rules: Vec<_> = rules::of_objects().collect();
    assert!(rules.len() >= 3);
    for rule in rules {
        let failed: Vec<_> = found(&with_files(rule.fails)).into_iter().map(|(name, _)| name).collect();
        assert_eq!(failed, [rule.name]);
        assert_eq!(found(&with_files(rule.passes)), []);
    }
}

fn service(top: &str) -> String {
    formatdoc!(
        r#"
        {top}
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.http = 80
        replicas = 2
        "#
    )
}

#[test]
fn patches_change_only_the_named_fields() {
    let plain = objects(&files(&service("")), "cluster");
    let patched = objects(
        &files(&service(indoc! {r#"
                [[patch]]
                on = "Deployment/a"
                merge = { spec = { replicas = 5, paused = true, minReadySeconds = 7 } }
                [[patch]]
                on = "Deployment/a"
                ops = [
                    { op = "remove", path = "/spec/paused" },
                    { op = "add", path = "/metadata/annotations", value = { x = "1.5" } },
                ]"#})),
        "cluster",
    );
    let deployment = object(&patched, "Deployment", "a");
    assert_eq!(deployment["spec"]["replicas"], 5);
    assert_eq!(deployment["spec"]["minReadySeconds"], 7);
    assert!(deployment["spec"].get("paused").is_none(), "what is removed later is gone");
    assert_eq!(deployment["metadata"]["annotations"]["x"], "1.5");
    let differing = plain.iter().zip(&patched).filter(|(a, b)| a != b).count();
    assert_eq!((differing, plain.len()), (1, patched.len()));
    let keys: Vec<&str> = deployment.as_object().unwrap().keys().map(String::as_str).collect();
    assert_eq!(keys, ["apiVersion", "kind", "metadata", "spec"], "in the order that people write");
}

#[test]
fn patches_without_a_match_name_the_missing_part() {
    for (patch, part) in [
        ("on = \"Deployment/b\"\nmerge = { x = 1 }", "`Deployment/b` not found"),
        ("on = \"deployment/a\"\nmerge = { x = 1 }", "`deployment/a` not found"),
        (
            "on = \"Deployment/a\"\nops = [{ op = \"remove\", path = \"/spec/none\" }]",
            "cannot apply the patch to `Deployment/a`",
        ),
        (
            "on = \"Deployment/a\"\nops = [{ op = \"test\", path = \"/spec/replicas\", value = 3 }]",
            "cannot apply the patch to `Deployment/a`",
        ),
        ("on = \"Deployment/a\"\nmerge = { replicas = 3 }", "makes `Deployment/a` invalid"),
        ("on = \"Deployment/a\"\nmerge = { spec.replicas = \"three\" }", "makes `Deployment/a` invalid"),
        ("on = \"Service/a\"\nmerge = { spec.template.x = \"three\" }", "makes `Service/a` invalid"),
    ] {
        let found = found(&files(&service(&format!("[[patch]]\n{patch}"))));
        let [(rule, message)] = found.as_slice() else { panic!("{patch}: {found:?}") };
        assert!(*rule == "patch-misses" && message.contains(part), "{patch}: {message}");
    }
}

#[test]
fn clashing_names_are_reported_with_both_owners() {
    let passed = "apiVersion: apps/v1\nkind: Deployment\nmetadata:\n  name: s-a\n";
    let clash = files(&service("pass = [\"a.yaml\"]")).with("/s/a.yaml", passed);
    assert_eq!(
        found(&clash),
        [("name-clash", "two objects have the same name: `Deployment/s-a`".to_owned())]
    );
    let elsewhere = files(&service("pass = [\"a.yaml\"]"))
        .with("/s/a.yaml", passed.replace("name: s-a", "name: s-a\n  namespace: other"));
    assert_eq!(found(&elsewhere).into_iter().map(|(rule, _)| rule).collect::<Vec<_>>(), ["pass-beyond"]);
    // Names that Fracht chooses avoid the names in the stack.
    let stack = indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        stable-names = true
        port.x = 1
        [service.a-pods]
        image = "a:1.0"
        port.x = 1
        [service.b]
        image = "b:1.0"
        port.x = { number = 1, reach = "node" }
        [service.s-b-node]
        image = "b:1.0"
        port.x = 1
        "#};
    assert_eq!(found(&files(stack)), []);
    let claims = indoc! {r#"
        [stack]
        name = "s"
        [volume.a]
        size = "1Gi"
        each = true
        [volume.a-b]
        size = "1Gi"
        each = true
        [service.b-c]
        image = "a:1.0"
        mount."/a" = "volume.a"
        [service.c]
        image = "a:1.0"
        mount."/a" = "volume.a-b"
        "#};
    assert_eq!(
        found(&files(claims)),
        [("name-clash", "two claims have the same name: `volume-a-b-c-0`".to_owned())]
    );
}

#[test]
fn passed_documents_must_be_objects() {
    for (text, part) in [
        ("- a\n", "not an object"),
        ("kind: A\nmetadata:\n  name: b\n", "no `apiVersion`"),
        ("apiVersion: v1\nmetadata:\n  name: b\n", "no `kind`"),
        ("apiVersion: v1\nkind: A\n", "no `metadata.name`"),
        ("apiVersion: v1\nkind: List\nitems: []\n", "a List"),
        ("a: [\n", "not YAML"),
        ("# nothing\n", "contains no object"),
    ] {
        let found = found(&files(&service("pass = [\"a.yaml\"]")).with("/s/a.yaml", text));
        let [(rule, message)] = found.as_slice() else { panic!("{text}: {found:?}") };
        assert!(
            *rule == "pass-broken" && message.contains(part) && message.contains("a.yaml"),
            "{text}: {message}"
        );
    }
}

#[test]
fn passed_objects_are_written_unchanged() {
    let text = "# mine\napiVersion: harbour.example/v1\nkind:   Widget  # so\nmetadata: {name: one}\n";
    let files = files(&service("pass = [\"*.yaml\"]")).with("/s/a.yaml", text);
    let yaml = crate::rendered(&files, "cluster", fracht_cluster::Format::Yaml);
    assert!(yaml.contains(text), "{yaml}");
    assert_eq!(object(&objects(&files, "cluster"), "Widget", "one")["metadata"]["name"], "one");
}

#[test]
fn a_patch_cannot_change_the_identity_of_an_object() {
    for (change, part) in [
        ("merge = { metadata.name = \"x\" }", "`metadata.name`"),
        ("merge = { metadata.namespace = \"x\" }", "`metadata.namespace`"),
        ("merge = { kind = \"StatefulSet\" }", "`kind`"),
        ("merge = { apiVersion = \"v1\" }", "`apiVersion`"),
        ("ops = [{ op = \"remove\", path = \"/metadata/name\" }]", "`metadata.name`"),
        ("ops = [{ op = \"replace\", path = \"/metadata\", value = 1 }]", "`metadata.name`"),
        ("ops = [{ op = \"replace\", path = \"\", value = 1 }]", "`apiVersion`"),
        ("merge = 1", "`apiVersion`"),
    ] {
        let stack = service(&format!("[[patch]]\non = \"Deployment/a\"\n{change}"));
        let problems = problems(&files(&stack));
        let [problem] = problems.as_slice() else { panic!("{change}: {problems:#?}") };
        let label = &problem.primary.as_ref().unwrap().text;
        assert!(problem.rule.name == "patch-misses" && label.contains(part), "{change}: {problem:?}");
    }
    // The content of a Secret is not known, but its identity is.
    let secret = |merge: &str| {
        let patch = format!("[[patch]]\non = \"Secret/db\"\nmerge = {merge}");
        let stack = format!("{}[secret.db]\nkey.pw = {{ env = \"PW\" }}\n", service(&patch));
        problems(&files(&stack.replace("port.http", "env.PW = \"{secret.db/pw}\"\nport.http"))).len()
    };
    assert_eq!((secret("{ metadata.name = \"x\" }"), secret("{ immutable = true }")), (1, 0));
    let same = service(
        "[[patch]]\non = \"Deployment/a\"\nmerge = { metadata.name = \"s-a\", kind = \"Deployment\" }",
    );
    assert_eq!(found(&files(&same)), []);
}

#[test]
fn ambiguous_passed_documents_are_refused() {
    let object = |rest: &str| format!("apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: c\n{rest}");
    for (text, part) in [
        (object("data: {a: x, a: y}\n"), "`a` twice"),
        (object("data: &d {a: x}\nother:\n  <<: *d\n"), "merge key"),
        (object("data: !!map {a: x}\n"), "tag"),
        (object("data: {a: \"x\\0y\"}\n"), "NUL"),
        (format!("{}---\t\n{}", object(""), object("")), "tab"),
        (object("").replace("ConfigMap", "../../etc/x"), "`kind` is not one"),
        (object("").replace("ConfigMap", "configmap"), "`kind` is not one"),
        (object("").replace("name: c", "name: c; rm -r x"), "`metadata.name` is not one"),
        (object("").replace("name: c", "name: ../c"), "`metadata.name` is not one"),
        (object("").replace("name: c", "name: c\n  namespace: 7"), "`metadata.namespace`"),
        (object("").replace("v1", "v1 x"), "`apiVersion`"),
    ] {
        let all = files(&service("pass = [\"a.yaml\"]")).with("/s/a.yaml", text.as_str());
        let found = found(&all);
        assert!(
            found.len() == 1 && found[0].0 == "pass-broken" && found[0].1.contains(part),
            "{text}: {found:?}"
        );
    }
}

#[test]
fn jobs_are_known_by_their_names_with_the_digest() {
    let with = |top: &str, passed: &str| {
        let stack = formatdoc!(
            r#"
            {top}
            pass = ["p.yaml"]
            [stack]
            name = "s"
            [task.t]
            image = "t:1.0"
            "#
        );
        let passed = format!("apiVersion: batch/v1\nkind: Job\nmetadata: {{ name: {passed} }}\n");
        files(&stack).with("/s/p.yaml", passed)
    };
    let all = objects(&with("", "other"), "cluster");
    let names =
        all.iter().filter(|one| one["kind"] == "Job").map(|one| one["metadata"]["name"].as_str().unwrap());
    let name = names.into_iter().find(|name| name.starts_with("s-t-")).unwrap();
    assert_eq!(found(&with("", "s-t")), []);
    assert_eq!(
        found(&with("", name)),
        [("name-clash", format!("two objects have the same name: `Job/{name}`"))]
    );
    let patch = |on: &str| {
        format!("patch = [{{ on = \"{on}\", merge = {{ metadata = {{ labels = {{ a = \"b\" }} }} }} }}]")
    };
    assert_eq!(found(&with(&patch(&format!("Job/{name}")), "other")), []);
    for on in ["Job/s-t", "Jobs/s-t"] {
        assert_eq!(
            found(&with(&patch(on), "other")),
            [("patch-misses", format!("patch target `{on}` not found"))]
        );
    }
    // The help names whole names.
    for (on, named) in [("Deployment/other".to_owned(), "other"), (format!("CronJob/{name}"), name)] {
        let problems = problems(&with(&patch(&on), "other"));
        assert_eq!(problems[0].help, [format!("did you mean: Job/{named}?")]);
    }
}

#[test]
fn an_object_passed_twice_in_one_namespace_is_a_clash() {
    let role = |place: &str| {
        format!("apiVersion: rbac.authorization.k8s.io/v1\nkind: ClusterRole\nmetadata: {{name: r{place}}}\n")
    };
    let map = |place: &str| format!("apiVersion: v1\nkind: ConfigMap\nmetadata: {{name: c{place}}}\n");
    for (one, other, clash) in [
        (map(""), map(", namespace: s"), true),
        (map(", namespace: ''"), map(", namespace: s"), true),
        (map(", namespace: null"), map(""), true),
        (map(", namespace: t"), map(", namespace: t"), true),
        (map(", namespace: t"), map(", namespace: u"), false),
        (map(""), map(", namespace: t"), false),
        (role(""), role(", namespace: t"), true),
        (map("").replace("v1", "harbour.example/v1"), map(""), false),
        (map("").replace("v1", "harbour.example/v1"), map("").replace("v1", "harbour.example/v2"), true),
    ] {
        let all = files(&service("pass = [\"a.yaml\"]\nrules.pass-beyond = \"off\""))
            .with("/s/a.yaml", format!("{one}---\n{other}"));
        let rules: Vec<_> = found(&all).into_iter().map(|(rule, _)| rule).collect();
        assert_eq!(rules, if clash { vec!["name-clash"] } else { vec![] }, "{one}{other}");
    }
}

#[test]
fn passed_objects_fit_their_kinds() {
    let passed = |text: &str| {
        let stack = indoc! {r#"
            pass = ["p.yaml"]
            [stack]
            name = "s"
            [service.a]
            image = "a:1.0"
            "#};
        found(&files(stack).with("/s/p.yaml", format!("{text}\nmetadata: {{ name: x }}\n")))
    };
    let service = |spec: &str| passed(&format!("apiVersion: v1\nkind: Service\nspec: {spec}"));
    for (problems, rule, message) in [
        (
            service("{ selecter: { a: b } }"),
            "pass-fields",
            "`Service/x` has an unknown field `spec.selecter`; did you mean `selector`?",
        ),
        (
            service("{ ports: [{ port: \"80\" }] }"),
            "pass-broken",
            "`Service/x` is invalid: `spec.ports[0].port` must be a whole number up to 32 bits, not a text",
        ),
        (
            passed("apiVersion: v1\nkind: ConfigMap\ndata: { on: yes }"),
            "pass-broken",
            "`ConfigMap/x` is invalid: `data.on` must be a text, not true or false",
        ),
    ] {
        assert_eq!(problems, [(rule, message.to_owned())]);
    }
    assert_eq!(service("{ ports: [{ port: 80, targetPort: web }] }"), []);
    assert_eq!(passed("apiVersion: other.example/v1\nkind: Service\nspec: { selecter: 1 }"), []);
}
