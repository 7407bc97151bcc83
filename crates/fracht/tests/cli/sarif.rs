//! The log of problems against the published schema of the standard.

use serde_json::Value;

use crate::json_schema::Schema;
use crate::sandbox::Sandbox;

/// The schema that OASIS publishes for the Static Analysis Results Interchange Format (SARIF) 2.1.0.
const SCHEMA: &str = include_str!("standards/sarif-2.1.0.json");

fn log(sandbox: &Sandbox) -> Value {
    let run = sandbox.run(&["check", "--format", "sarif"]);
    serde_json::from_str(&run.out).unwrap_or_else(|error| panic!("{error}: {run:?}"))
}

#[test]
fn logs_match_the_schema_of_the_standard() {
    let schema: Schema = serde_json::from_str(SCHEMA).unwrap();
    let broken = "[stack]\nname = \"Tide Desk\"\n[service.\"ä b\"]\nimage = \"a\"\nreplica = 2\nafter = { x = \"ready\" }\n\
                  port.a = 80\nport.b = 80\nenv.PASSWORD = \"gull\"\nargs = \"x\"\nmemory = \"1Gi..8Mi\"\n";
    for sandbox in [Sandbox::with(broken), Sandbox::with("[stack\n"), Sandbox::demo()] {
        assert_eq!(schema.misfits(&log(&sandbox)), [""; 0]);
    }
    let mut wrong = log(&Sandbox::with(broken));
    wrong["runs"][0]["results"][0]["level"] = "fatal".into();
    wrong["runs"][0]["tool"]["driver"]["name"].take();
    assert_eq!(schema.misfits(&wrong), ["/runs/0/tool/driver/name", "/runs/0/results/0/level"]);
}

#[test]
fn a_log_has_what_the_json_has() {
    let stack = "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplica = 2\n[service.b]\nimage = \"b\"\n[volume.v]\nsize = \"1Gi\"\n";
    let sandbox = Sandbox::with(stack);
    let (log, json) = (log(&sandbox), sandbox.json(&["check"]));
    let rules = log["runs"][0]["tool"]["driver"]["rules"].as_array().unwrap();
    assert_eq!(rules.len(), fracht_core::rules::all().len());
    let results = log["runs"][0]["results"].as_array().unwrap();
    let problems = json["problems"].as_array().unwrap();
    assert_eq!(results.len(), problems.len());
    let level = |severity: &Value| match severity.as_str().unwrap() {
        "hint" => "note".to_owned(),
        other => other.to_owned(),
    };
    for (result, problem) in results.iter().zip(problems) {
        assert_eq!(result["message"]["text"], problem["message"]);
        assert_eq!(result["level"], level(&problem["severity"]));
        let index = usize::try_from(result["ruleIndex"].as_u64().unwrap()).unwrap();
        assert_eq!((&result["ruleId"], &rules[index]["id"]), (&problem["rule"], &problem["rule"]));
        let region = &result["locations"][0]["physicalLocation"]["region"];
        for (own, other) in [("startLine", "line"), ("startColumn", "column"), ("endColumn", "end_column")] {
            assert_eq!(region[own], problem["place"][other], "{own}");
        }
    }
    let replacement = &results[0]["fixes"][0]["artifactChanges"][0]["replacements"][0];
    assert_eq!(replacement["insertedContent"]["text"], "replicas");
}
