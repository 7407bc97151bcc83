//! What reading finds: words, shapes, names and files that are not right.

use super::{Check, Rule};
use crate::diag::Severity;

/// A rule on shapes: an error that reading finds.
const fn shape(
    name: &'static str,
    summary: &'static str,
    why: &'static str,
    (fails, passes): (&'static str, &'static str),
) -> Rule {
    Rule { name, severity: Severity::Error, summary, why, fails, passes, fixed: true, check: Check::Reading }
}

pub(super) static SYNTAX: Rule = shape(
    "syntax",
    "The file is not valid TOML.",
    "What can't be read can't be checked; the rest of the file is read all the same.",
    ("[stack]\nname = tidedesk\n", "[stack]\nname = \"tidedesk\"\n"),
);

pub(super) static UNKNOWN_KEY: Rule = shape(
    "unknown-key",
    "A key that the language does not have, or not there.",
    "A key that is misspelt, or one level too deep, would be ignored in silence.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nreplica = 2\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nreplicas = 2\n",
    ),
);

pub(super) static MISSING_KEY: Rule = shape(
    "missing-key",
    "Something that has to be said is not.",
    "There is no default that would be right.",
    ("[stack]\nname = \"s\"\n[service.a]\n", "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n"),
);

pub(super) static WRONG_TYPE: Rule = shape(
    "wrong-type",
    "A value of another type than the key takes.",
    "Text is not a number, and one value is not a list.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nargs = \"serve\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nargs = [\"serve\"]\n",
    ),
);

pub(super) static BAD_VALUE: Rule = shape(
    "bad-value",
    "A value that the key can't have.",
    "The cluster would refuse it, or something else would happen than was meant.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"512MB\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nmemory = \"512Mi\"\n",
    ),
);

pub(super) static BAD_NAME: Rule = shape(
    "bad-name",
    "A name with letters that it can't have, or too long.",
    "Names become names of objects, hosts, variables and files, each with rules of its own.",
    (
        "[stack]\nname = \"s\"\n[service.My_App]\nimage = \"a:1\"\n",
        "[stack]\nname = \"s\"\n[service.my-app]\nimage = \"a:1\"\n",
    ),
);

pub(super) static DEFINED_TWICE: Rule = shape(
    "defined-twice",
    "The same thing is defined in two places.",
    "Only one of them can count, and nobody can tell which was meant.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nimage = \"a:2\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:2\"\n",
    ),
);

pub(super) static UNKNOWN_NAME: Rule = shape(
    "unknown-name",
    "A reference to something that there is not.",
    "It would fail at run time only, and often far from its cause.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { bd = \"started\" }\n\
         [service.db]\nimage = \"db:1\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\nafter = { db = \"started\" }\n\
         [service.db]\nimage = \"db:1\"\n",
    ),
);

pub(super) static FILE_UNREADABLE: Rule = shape(
    "file-unreadable",
    "A file that the stack names can't be read.",
    "Its content is part of what runs.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"missing.txt\" }\n\
         [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"present.txt\" }\n\
         [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
    ),
);

pub(super) static PATH_OUTSIDE: Rule = shape(
    "path-outside",
    "A path that leads out of the folder of the stack.",
    "A stack is whole in its folder: it can be moved, and it can't pick up files by accident.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"../present.txt\" }\n\
         [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"present.txt\" }\n\
         [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
    ),
);

pub(super) static BROKEN_LINE: Rule = shape(
    "broken-line",
    "A line of a file of KEY=value lines that is none.",
    "The setting would be missing.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nlines = \"broken.env\"\n\
         [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
        "[stack]\nname = \"s\"\n[config.c]\nlines = \"good.env\"\n\
         [service.a]\nimage = \"a:1\"\nmount.\"/c\" = \"config.c\"\n",
    ),
);

pub(super) static LIKE_CYCLE: Rule = shape(
    "like-cycle",
    "Patterns or targets are like each other in a circle.",
    "None of them can be laid together.",
    (
        "[stack]\nname = \"s\"\n[pattern.x]\nlike = \"pattern.y\"\n[pattern.y]\nlike = \"pattern.x\"\n\
         [service.a]\nimage = \"a:1\"\nlike = \"pattern.x\"\n",
        "[stack]\nname = \"s\"\n[pattern.x]\nlike = \"pattern.y\"\n[pattern.y]\nuser = 10\n\
         [service.a]\nimage = \"a:1\"\nlike = \"pattern.x\"\n",
    ),
);

pub(super) static DROP_MISSES: Rule = Rule {
    name: "drop-misses",
    severity: Severity::Warning,
    summary: "A path to drop at which there is nothing.",
    why: "It is misspelt, or what it took away is no longer there.",
    fails: "[stack]\nname = \"s\"\n[pattern.x]\nenv.DEBUG = \"1\"\n\
            [service.a]\nimage = \"a:1\"\nlike = \"pattern.x\"\ndrop = [\"env.DEBUGG\"]\n",
    passes: "[stack]\nname = \"s\"\n[pattern.x]\nenv.DEBUG = \"1\"\n\
             [service.a]\nimage = \"a:1\"\nlike = \"pattern.x\"\ndrop = [\"env.DEBUG\"]\n",
    fixed: false,
    check: Check::Reading,
};

pub(super) static INPUT_MISSING: Rule = shape(
    "input-missing",
    "An input that has no default, and that nobody gave.",
    "The stack needs it.",
    (
        "[stack]\nname = \"s\"\n[input.version]\n[service.a]\nimage = \"a:1{input.version}\"\n",
        "[stack]\nname = \"s\"\n[input.version]\ndefault = \"2\"\n[service.a]\nimage = \"a:1{input.version}\"\n",
    ),
);

pub(super) static INPUT_REFUSED: Rule = shape(
    "input-refused",
    "The value of an input that does not fit its pattern.",
    "Whoever wrote the pattern knows what would go wrong.",
    (
        "[stack]\nname = \"s\"\n[input.version]\ndefault = \"new\"\npattern = '\\d+'\n\
         [service.a]\nimage = \"a:{input.version}\"\n",
        "[stack]\nname = \"s\"\n[input.version]\ndefault = \"2\"\npattern = '\\d+'\n\
         [service.a]\nimage = \"a:{input.version}\"\n",
    ),
);

pub(super) static SCHEDULE_INVALID: Rule = shape(
    "schedule-invalid",
    "A schedule that no clock fits.",
    "The cluster would refuse it, or the task would run at other times than was meant.",
    (
        "[stack]\nname = \"s\"\n[task.t]\nimage = \"t:1\"\nschedule = \"0 25 * * *\"\n",
        "[stack]\nname = \"s\"\n[task.t]\nimage = \"t:1\"\nschedule = \"0 23 * * *\"\n",
    ),
);

pub(super) static ENV_NAME: Rule = shape(
    "env-name",
    "A key that is used as a variable, and can't be the name of one.",
    "A cluster would pass over it, and the program would not find its setting.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nkey.\"feed.poll-every\" = \"5s\"\n\
         [service.a]\nimage = \"a:1\"\nuse = [\"config.c\"]\n",
        "[stack]\nname = \"s\"\n[config.c]\nkey.\"feed.poll-every\" = \"5s\"\n\
         [service.a]\nimage = \"a:1\"\nuse = [{ from = \"config.c\", spell = \"upper\" }]\n",
    ),
);
