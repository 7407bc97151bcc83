//! What the back end finds among the objects that it makes.

use super::{Check, Rule};
use crate::diag::Severity;

/// A rule on objects: an error that the back end finds.
const fn object(
    name: &'static str,
    summary: &'static str,
    why: &'static str,
    (fails, passes): (&'static str, &'static str),
) -> Rule {
    Rule { name, severity: Severity::Error, summary, why, fails, passes, fixed: true, check: Check::Objects }
}

pub(super) static NAME_CLASH: Rule = object(
    "name-clash",
    "Two objects of one kind would have the same name.",
    "The one that is applied later would take the place of the other.",
    (
        "[stack]\nname = \"s\"\n[volume.a]\nsize = \"1Gi\"\neach = true\n[volume.a-b]\nsize = \"1Gi\"\neach = true\n\
         [service.b-c]\nimage = \"a:1\"\nmount.\"/x\" = \"volume.a\"\n\
         [service.c]\nimage = \"a:1\"\nmount.\"/x\" = \"volume.a-b\"\n",
        "[stack]\nname = \"s\"\n[volume.a]\nsize = \"1Gi\"\neach = true\n[volume.a-b]\nsize = \"1Gi\"\neach = true\n\
         [service.b-c]\nimage = \"a:1\"\nmount.\"/x\" = \"volume.a\"\n\
         [service.d]\nimage = \"a:1\"\nmount.\"/x\" = \"volume.a-b\"\n",
    ),
);

pub(super) static PATCH_MISSES: Rule = object(
    "patch-misses",
    "A patch of an object or a place that is not there.",
    "It would do nothing, and what it was for would not happen.",
    (
        "[[patch]]\non = \"Deployment/b\"\nmerge = { spec.revisionHistoryLimit = 3 }\n\
         [stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n",
        "[[patch]]\non = \"Deployment/a\"\nmerge = { spec.revisionHistoryLimit = 3 }\n\
         [stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n",
    ),
);

pub(super) static PASS_BROKEN: Rule = object(
    "pass-broken",
    "A file of objects in which something is no object.",
    "The cluster would refuse it, and with it whatever is applied behind it.",
    (
        "pass = [\"broken.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n",
        "pass = [\"good.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n",
    ),
);

pub(super) static PASS_BEYOND: Rule = Rule {
    severity: Severity::Hint,
    fixed: false,
    ..object(
        "pass-beyond",
        "A passed object that reaches beyond the stack and its namespace.",
        "It is cluster-wide, in another namespace, gives permissions, opens a network or is privileged: the rules on the \
         stack's own objects do not hold for it.",
        (
            "pass = [\"wide.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n",
            "pass = [\"good.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n",
        ),
    )
};

pub(super) static PASS_SECRET: Rule = Rule {
    severity: Severity::Warning,
    fixed: false,
    ..object(
        "pass-secret",
        "A passed Secret with its values in plain text.",
        "Whoever reads the file or its history has the values; base64 hides nothing.",
        (
            "pass = [\"secret.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1\"\n",
            "[stack]\nname = \"s\"\n[secret.a]\nkey.b = { env = \"B\" }\n\
             [service.a]\nimage = \"a:1\"\nuse = [\"secret.a\"]\n",
        ),
    )
};
