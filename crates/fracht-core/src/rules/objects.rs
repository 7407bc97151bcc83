//! Rules on generated objects. The back end finds their problems.

use super::Rule;
use crate::diag::Severity;

/// Two objects have the same kind and name.
pub static NAME_CLASH: Rule = Rule::always_error(
    "name-clash",
    "Two objects have the same kind and name",
    "The one applied later would replace the other.",
    (
        "[stack]\nname = \"s\"\n[volume.a]\nsize = \"1Gi\"\neach = true\n[volume.a-b]\nsize = \"1Gi\"\neach = true\n\
         [service.b-c]\nimage = \"a:1.0\"\nmount.\"/x\" = \"volume.a\"\n\
         [service.c]\nimage = \"a:1.0\"\nmount.\"/x\" = \"volume.a-b\"\n",
        "[stack]\nname = \"s\"\n[volume.a]\nsize = \"1Gi\"\neach = true\n[volume.a-b]\nsize = \"1Gi\"\neach = true\n\
         [service.b-c]\nimage = \"a:1.0\"\nmount.\"/x\" = \"volume.a\"\n\
         [service.d]\nimage = \"a:1.0\"\nmount.\"/x\" = \"volume.a-b\"\n",
    ),
);

/// A patch matches nothing.
pub static PATCH_MISSES: Rule = Rule::always_error(
    "patch-misses",
    "A patch does not match any object or field",
    "The change that you want would not happen.",
    (
        "[[patch]]\non = \"Deployment/b\"\nmerge = { spec.revisionHistoryLimit = 3 }\n\
         [stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
        "[[patch]]\non = \"Deployment/a\"\nmerge = { spec.revisionHistoryLimit = 3 }\n\
         [stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    ),
);

/// A passed file holds something that is not an object.
pub static PASS_BROKEN: Rule = Rule::always_error(
    "pass-broken",
    "A file in `pass` contains something that is not a Kubernetes object",
    "The cluster would reject it, and everything applied after it.",
    (
        "pass = [\"broken.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
        "pass = [\"good.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    ),
);

/// A passed object reaches beyond the stack.
pub static PASS_BEYOND: Rule = Rule {
    name: "pass-beyond",
    severity: Severity::Hint,
    summary: "A passed object reaches beyond the stack and its namespace",
    why: "It is cluster-wide, in another namespace, gives permissions, opens a network or is privileged: the rules on the \
          stack's own objects do not hold for it.",
    fails: "pass = [\"wide.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    passes: "pass = [\"good.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    ..Rule::BASE
};

/// A passed object has a field that its kind does not have.
pub static PASS_FIELDS: Rule = Rule {
    name: "pass-fields",
    severity: Severity::Warning,
    summary: "A passed object has a field that its kind does not have",
    why: "The cluster drops it, or rejects the object: what the field should set is not set.",
    fails: "pass = [\"typo.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    passes: "pass = [\"good.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    ..Rule::BASE
};

/// A passed Secret has its values in plain text.
pub static PASS_SECRET: Rule = Rule {
    name: "pass-secret",
    severity: Severity::Warning,
    summary: "A passed Secret has its values in plain text",
    why: "Everyone who can read the file or its history has the values; base64 hides nothing.",
    fails: "pass = [\"secret.yaml\"]\n[stack]\nname = \"s\"\n[service.a]\nimage = \"a:1.0\"\n",
    passes: "[stack]\nname = \"s\"\n[secret.a]\nkey.b = { env = \"B\" }\n\
             [service.a]\nimage = \"a:1.0\"\nuse = [\"secret.a\"]\n",
    ..Rule::BASE
};
