//! Permissions in the API (rbac.authorization.k8s.io/v1).

use super::{Metadata, Str, kinds, parts};

kinds! {
    /// Permissions in a namespace.
    "rbac.authorization.k8s.io/v1" Role {
        metadata: Metadata,
        rules: Vec<PolicyRule>,
    }

    /// Gives the permissions of a Role to an account.
    "rbac.authorization.k8s.io/v1" RoleBinding {
        metadata: Metadata,
        role_ref: RoleRef,
        subjects: Vec<Subject>,
    }
}

parts! {
    PolicyRule {
        api_groups: Vec<Str>,
        resources: Vec<Str>,
        resource_names: Vec<Str>,
        verbs: Vec<Str>,
    }

    RoleRef {
        api_group: Str,
        kind: Str,
        name: Str,
    }

    Subject {
        kind: Str,
        name: Str,
        namespace: Str,
    }
}
