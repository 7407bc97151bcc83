use fracht_core::grammar::path;
use fracht_core::language::ROOT;
use fracht_core::trace::{Leaf, Trace};
use fracht_testkit::{files, open, stacks};
use indoc::indoc;

/// Every path in the result of a trace can be traced again.
#[test]
fn every_value_of_the_demo_has_a_trace_for_every_target() {
    let files = stacks::demo();
    let mut project = open(&files);
    let mut traced = 0;
    for target in ["laptop", "staging", "prod"] {
        let verdict = project.check(target).unwrap();
        let trace = |at: &str| project.trace(&verdict, &path::parse(at).unwrap());
        for field in ROOT.fields() {
            let Trace::Written(leaves) = trace(field.key().name) else { continue };
            for leaf in leaves {
                assert_eq!(trace(&leaf.path), Trace::Written(vec![leaf.clone()]), "under {target}");
                traced += 1;
            }
        }
    }
    assert!(traced > 150, "{traced}");
}

/// A short form in one layer and the table that it stands for in another are the same value.
#[test]
fn a_trace_has_every_layer_of_a_value() {
    let files = files(indoc! {r#"
        [stack]
        name = "s"
        [service.a]
        image = "a:1.0"
        port.web = 80
        [target.short]
        service.a.port.web = 81
        [target.long]
        like = "target.short"
        service.a.port.web = { number = 82 }
        [target.last]
        like = "target.long"
        service.a.port.web = 83
        "#});
    let mut project = open(&files);
    for (target, values) in
        [("short", &["81", "80"][..]), ("long", &["82", "81", "80"]), ("last", &["83", "82", "81", "80"])]
    {
        let verdict = project.check(target).unwrap();
        for at in ["service.a.port.web", "service.a.port.web.number"] {
            let Trace::Written(leaves) = project.trace(&verdict, &path::parse(at).unwrap()) else {
                panic!("{at} under {target}")
            };
            let [Leaf { steps, .. }] = leaves.as_slice() else { panic!("{leaves:?}") };
            let found: Vec<&str> = steps.iter().map(|step| step.value.as_str()).collect();
            assert_eq!(found, values, "{at} under {target}");
        }
    }
}
