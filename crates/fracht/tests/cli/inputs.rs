use crate::sandbox::{Run, Sandbox};
use indoc::indoc;

const STACK: &str = indoc! {r#"
    [stack]
    name = "s"
    [input.version]
    [input.fleet-size]
    default = "3"
    [service.a]
    image = "a:{input.version}"
    env.SIZE = "{input.fleet-size}"
    "#};

fn rendered(sandbox: &Sandbox, arguments: &[&str], variables: &[(&str, &str)]) -> Run {
    let mut command = sandbox.command(&[&["render"], arguments].concat());
    Run::of(&command.envs(variables.iter().copied()).output().unwrap())
}

#[test]
fn an_argument_overrides_a_file_which_overrides_the_environment() {
    let sandbox = Sandbox::with(STACK).file("in.env", "# ours\nversion=from-file\nexport fleet-size='7'\n");
    let variables = [("FRACHT_INPUT_VERSION", "from-variable"), ("FRACHT_INPUT_FLEET_SIZE", "5")];
    for (arguments, image, size) in [
        (&[][..], "a:from-variable", "5"),
        (&["--inputs", "in.env"], "a:from-file", "7"),
        (&["--inputs", "in.env", "--input", "version=from-argument"], "a:from-argument", "7"),
        (&["--input", "version=x", "--input", "version=y=z"], "", ""),
    ] {
        let run = rendered(&sandbox, arguments, &variables);
        if image.is_empty() {
            assert_eq!(run.code, 1, "a tag has no =: the later of two counts: {run:?}");
            continue;
        }
        assert!(run.out.contains(&format!("image: {image}\n")), "{run:?}");
        assert!(run.out.contains(&format!("value: \"{size}\"\n")), "{run:?}");
    }
    assert!(rendered(&sandbox, &["--input", "version=1"], &[]).out.contains("value: \"3\"\n"));
}

#[test]
fn a_missing_input_is_a_problem_of_the_stack() {
    let run = Sandbox::with(STACK).run(&["check"]);
    assert_eq!(run.code, 1);
    for part in ["input-missing", "--input version=VALUE", "FRACHT_INPUT_VERSION"] {
        assert!(run.out.contains(part), "{part}: {}", run.out);
    }
}

#[test]
fn invalid_inputs_are_refused() {
    let sandbox =
        Sandbox::with(STACK).file("bad.env", "version=1\nnonsense\n").file("other.env", "verson=1\n");
    for (arguments, part) in [
        (&["--input", "verson=1"][..], "input `verson` not found"),
        (&["--input", "version"], "NAME=VALUE"),
        (&["--inputs", "bad.env"], "bad.env:2"),
        (&["--inputs", "other.env"], "this stack has: version, fleet-size"),
        (&["--inputs", "none.env"], "cannot read `none.env`"),
    ] {
        let run = sandbox.run(&[&["check"], arguments].concat());
        assert_eq!((run.code, run.out.as_str()), (2, ""), "{arguments:?}");
        assert!(run.err.contains(part), "{arguments:?}: {}", run.err);
    }
}
