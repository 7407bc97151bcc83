//! The rules whose problems are found while a stack is read, before it has a model.

use super::{Rule, Severity};

/// The rule on files that are not TOML.
pub static SYNTAX: Rule = Rule::always_error(
    "syntax",
    "The file is not valid TOML",
    "What cannot be read cannot be checked; the rest of the file is read anyway.",
    ("[stack]\nname = tidedesk\n", "[stack]\nname = \"tidedesk\"\n"),
);

pub(crate) static UNKNOWN_KEY: Rule = Rule::always_error(
    "unknown-key",
    "Unknown key, or a key in the wrong table",
    "A misspelled key, or one at the wrong level, would be ignored without notice.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplica = 2\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nreplicas = 2\n",
    ),
);

pub(crate) static MISSING_KEY: Rule = Rule::always_error(
    "missing-key",
    "A required key is missing",
    "No default would be right for everyone.",
    ("[stack]\nname = \"s\"\n[service.a]\n", "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n"),
);

pub(crate) static WRONG_TYPE: Rule = Rule::always_error(
    "wrong-type",
    "The value has the wrong type",
    "A string is not a number, and one value is not a list.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nargs = \"serve\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nargs = [\"serve\"]\n",
    ),
);

pub(crate) static BAD_VALUE: Rule = Rule::always_error(
    "bad-value",
    "The value is not valid for this key",
    "The cluster would refuse it, or something else would happen than was meant.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nmemory = \"512MB\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nmemory = \"512Mi\"\n",
    ),
);

pub(crate) static BAD_NAME: Rule = Rule::always_error(
    "bad-name",
    "The name has invalid characters or is too long",
    "Names become names of objects, hosts, variables and files, and each of these has its own limits.",
    (
        "[stack]\nname = \"s\"\n[service.My_App]\nimage = \"a:1.0\"\n",
        "[stack]\nname = \"s\"\n[service.my-app]\nimage = \"a:1.0\"\n",
    ),
);

pub(crate) static DEFINED_TWICE: Rule = Rule::always_error(
    "defined-twice",
    "The same thing is defined in two places",
    "Only one of them can be used, and it is not clear which one was meant.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nimage = \"a:2.0\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:2.0\"\n",
    ),
);

pub(crate) static UNKNOWN_NAME: Rule = Rule::always_error(
    "unknown-name",
    "A reference to something that does not exist",
    "It would fail only at run time, often far from the cause.",
    (
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { bd = \"started\" }\n\
         [service.db]\nimage = \"db:1.0\"\n",
        "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nafter = { db = \"started\" }\n\
         [service.db]\nimage = \"db:1.0\"\n",
    ),
);

/// A file that the stack names cannot be read.
pub static FILE_UNREADABLE: Rule = Rule::always_error(
    "file-unreadable",
    "A file cannot be read",
    "Its content is part of what runs.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"missing.txt\" }\n\
         [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"present.txt\" }\n\
         [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
    ),
);

/// A path leads outside the folder of the stack.
pub static PATH_OUTSIDE: Rule = Rule::always_error(
    "path-outside",
    "A path leads outside the stack's folder",
    "A stack is self-contained: you can move its folder, and it never reads a file by accident.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"../present.txt\" }\n\
         [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
        "[stack]\nname = \"s\"\n[config.c]\nkey.a = { file = \"present.txt\" }\n\
         [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
    ),
);

pub(crate) static BROKEN_LINE: Rule = Rule::always_error(
    "broken-line",
    "A line in a settings file is not KEY=value",
    "The setting would be missing at run time.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nlines = \"broken.env\"\n\
         [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
        "[stack]\nname = \"s\"\n[config.c]\nlines = \"good.env\"\n\
         [service.a]\nimage = \"a:1.0\"\nmount.\"/c\" = \"config.c\"\n",
    ),
);

pub(crate) static LIKE_CYCLE: Rule = Rule::always_error(
    "like-cycle",
    "`like` has a cycle",
    "None of these patterns or targets can be resolved.",
    (
        "[stack]\nname = \"s\"\n[pattern.x]\nlike = \"pattern.y\"\n[pattern.y]\nlike = \"pattern.x\"\n\
         [service.a]\nimage = \"a:1.0\"\nlike = \"pattern.x\"\n",
        "[stack]\nname = \"s\"\n[pattern.x]\nlike = \"pattern.y\"\n[pattern.y]\nuser = 10\n\
         [service.a]\nimage = \"a:1.0\"\nlike = \"pattern.x\"\n",
    ),
);

pub(crate) static BUILD_CYCLE: Rule = Rule::always_error(
    "build-cycle",
    "The builds have a cycle",
    "None of them can be built first.",
    (
        "[stack]\nname = \"s\"\n[build.x]\nsource = \"app\"\nargs.BASE = \"{build.y}\"\n\
         [build.y]\nsource = \"app\"\nargs.BASE = \"{build.x}\"\n[service.a]\nbuild = \"x\"\n\
         [target.laptop]\non = \"machine\"\n",
        "[stack]\nname = \"s\"\n[build.x]\nsource = \"app\"\nargs.BASE = \"{build.y}\"\n\
         [build.y]\nsource = \"app\"\n[service.a]\nbuild = \"x\"\n[target.laptop]\non = \"machine\"\n",
    ),
);

pub(crate) static DROP_MISSES: Rule = Rule {
    name: "drop-misses",
    severity: Severity::Warning,
    summary: "`drop` names a path that does not exist",
    why: "It is misspelled, or what it removed is already gone.",
    fails: "[stack]\nname = \"s\"\n[pattern.x]\nenv.DEBUG = \"1\"\n\
            [service.a]\nimage = \"a:1.0\"\nlike = \"pattern.x\"\ndrop = [\"env.DEBUGG\"]\n",
    passes: "[stack]\nname = \"s\"\n[pattern.x]\nenv.DEBUG = \"1\"\n\
             [service.a]\nimage = \"a:1.0\"\nlike = \"pattern.x\"\ndrop = [\"env.DEBUG\"]\n",
    ..Rule::BASE
};

pub(crate) static INPUT_MISSING: Rule = Rule::always_error(
    "input-missing",
    "A required input is not set",
    "It has no default, and the stack uses it.",
    (
        "[stack]\nname = \"s\"\n[input.version]\n[service.a]\nimage = \"a:1{input.version}\"\n",
        "[stack]\nname = \"s\"\n[input.version]\ndefault = \"2.0\"\n[service.a]\nimage = \"a:1{input.version}\"\n",
    ),
);

pub(crate) static INPUT_REFUSED: Rule = Rule::always_error(
    "input-refused",
    "The value of an input does not match its pattern",
    "The pattern was written to keep out values that break something later.",
    (
        "[stack]\nname = \"s\"\n[input.version]\ndefault = \"new\"\npattern = '[\\d.]+'\n\
         [service.a]\nimage = \"a:{input.version}\"\n",
        "[stack]\nname = \"s\"\n[input.version]\ndefault = \"2.0\"\npattern = '[\\d.]+'\n\
         [service.a]\nimage = \"a:{input.version}\"\n",
    ),
);

pub(crate) static SCHEDULE_INVALID: Rule = Rule::always_error(
    "schedule-invalid",
    "The schedule is not valid",
    "The cluster would refuse it, or the task would run at other times than was meant.",
    (
        "[stack]\nname = \"s\"\n[task.t]\nimage = \"t:1.0\"\nschedule = \"0 25 * * *\"\n",
        "[stack]\nname = \"s\"\n[task.t]\nimage = \"t:1.0\"\nschedule = \"0 23 * * *\"\n",
    ),
);

pub(crate) static ENV_NAME: Rule = Rule::always_error(
    "env-name",
    "A key is not a valid variable name",
    "The cluster would skip it, and the program would not find its setting.",
    (
        "[stack]\nname = \"s\"\n[config.c]\nkey.\"feed.poll-every\" = \"5s\"\n\
         [service.a]\nimage = \"a:1.0\"\nuse = [\"config.c\"]\n",
        "[stack]\nname = \"s\"\n[config.c]\nkey.\"feed.poll-every\" = \"5s\"\n\
         [service.a]\nimage = \"a:1.0\"\nuse = [{ from = \"config.c\", spell = \"upper\" }]\n",
    ),
);

pub(crate) static SECRET_IN_CONFIG: Rule = Rule {
    name: "secret-in-config",
    summary: "A config that contains a secret, or refers to one",
    why: "Configs are stored in plain text, so the secret would be visible.",
    fails: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
            [config.c]\nkey.url = \"sql://tide:{secret.db/password}@db\"\n\
            [service.a]\nimage = \"a:1.0\"\nenv.PW = \"{secret.db/password}\"\nmount.\"/c\" = \"config.c\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
             [service.a]\nimage = \"a:1.0\"\nenv.URL = \"sql://tide:{secret.db/password}@db\"\n",
    always_error: true,
    ..Rule::BASE
};

pub(crate) static PORT_RANGE: Rule = Rule {
    name: "port-range",
    summary: "A port number is out of range",
    why: "Ports are 1 to 65535; the nodes of a cluster open only 30000 to 32767.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
            port.web = { number = 8080, reach = \"node\", at = 8080 }\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n\
             port.web = { number = 8080, reach = \"node\", at = 30080 }\n",
    always_error: true,
    ..Rule::BASE
};

pub(crate) static SECRET_WRITTEN: Rule = Rule::always_error(
    "secret-written",
    "A key of a secret has its value in the stack file",
    "Everyone who can read the file or its history can read the secret.",
    (
        "[stack]\nname = \"s\"\n[secret.db]\nkey.password = \"gull-and-kelp\"\n\
         [service.a]\nimage = \"a:1.0\"\nenv.PW = \"{secret.db/password}\"\n",
        "[stack]\nname = \"s\"\n[secret.db]\nkey.password = { env = \"DB_PASSWORD\" }\n\
         [service.a]\nimage = \"a:1.0\"\nenv.PW = \"{secret.db/password}\"\n",
    ),
);

pub(crate) static ALLOW_UNUSED: Rule = Rule {
    name: "allow-unused",
    severity: Severity::Hint,
    summary: "`allow` allows nothing",
    why: "What it allowed is gone; the next problem of this kind would pass unseen.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nallow.image-floating = \"we follow main\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:main\"\nallow.image-floating = \"we follow main\"\n",
    in_every_target: true,
    ..Rule::BASE
};

pub(crate) static UNUSED: Rule = Rule {
    name: "unused",
    severity: Severity::Hint,
    summary: "Something is defined but never used",
    why: "It is created anyway; often a mount or a variable was forgotten.",
    fails: "[stack]\nname = \"s\"\n[volume.data]\nsize = \"1Gi\"\n[service.a]\nimage = \"a:1.0\"\n",
    passes: "[stack]\nname = \"s\"\n[volume.data]\nsize = \"1Gi\"\n\
             [service.a]\nimage = \"a:1.0\"\nmount.\"/data\" = \"volume.data\"\n",
    in_every_target: true,
    ..Rule::BASE
};

pub(crate) static NEAR_DUPLICATE: Rule = Rule {
    name: "near-duplicate",
    severity: Severity::Warning,
    summary: "A target adds a name that is almost one of the stack",
    why: "A misspelt override adds a setting that nobody reads, and the value of the stack stays.",
    fails: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.LOG_LEVEL = \"info\"\n\
            [target.prod]\nservice.a.env.LOG_LEVLE = \"warn\"\n",
    passes: "[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\nenv.LOG_LEVEL = \"info\"\n\
             [target.prod]\nservice.a.env.LOG_LEVEL = \"warn\"\n",
    ..Rule::BASE
};
