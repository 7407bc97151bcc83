//! The resources of the Kubernetes API (1.30): their groups, whether they belong to a namespace, and their verbs.
//! Resources of other groups are not known.

/// A resource that every cluster has.
#[derive(Debug)]
pub struct Resource {
    /// Its API group; empty for the core one.
    pub group: &'static str,
    /// Its name, in the plural.
    pub name: &'static str,
    /// Whether its objects belong to a namespace.
    pub in_namespace: bool,
    /// The verbs that it supports.
    pub verbs: &'static [&'static str],
    /// Its subresources, such as `log` of `pods`, each with its verbs.
    pub parts: &'static [(&'static str, &'static [&'static str])],
}

/// The verbs of `may`.
pub const VERBS: [&str; 8] =
    ["get", "list", "watch", "create", "update", "patch", "delete", "deletecollection"];

/// Verbs whose requests name no object, so that they cannot be limited to names.
pub const NAMELESS: [&str; 2] = ["create", "deletecollection"];

const ALL: &[&str] = &VERBS;
const NO_COLLECTION: &[&str] = &["get", "list", "watch", "create", "update", "patch", "delete"];
const CREATE: &[&str] = &["create"];
const STATUS: (&str, &[&str]) = ("status", &["get", "update", "patch"]);
const SCALE: (&str, &[&str]) = ("scale", &["get", "update", "patch"]);
const PROXY: (&str, &[&str]) = ("proxy", &["get", "create", "update", "patch", "delete"]);
const STREAM: &[&str] = &["get", "create"];
const CHANGE: &[&str] = &["get", "update", "patch"];

const fn resource(
    group: &'static str,
    name: &'static str,
    parts: &'static [(&'static str, &'static [&'static str])],
) -> Resource {
    Resource { group, name, in_namespace: true, verbs: ALL, parts }
}

const fn of_cluster(
    group: &'static str,
    name: &'static str,
    parts: &'static [(&'static str, &'static [&'static str])],
) -> Resource {
    Resource { in_namespace: false, ..resource(group, name, parts) }
}

const fn create_only(group: &'static str, name: &'static str, in_namespace: bool) -> Resource {
    Resource { group, name, in_namespace, verbs: CREATE, parts: &[] }
}

const RBAC: &str = "rbac.authorization.k8s.io";
const NETWORKING: &str = "networking.k8s.io";
const STORAGE: &str = "storage.k8s.io";
const ADMISSION: &str = "admissionregistration.k8s.io";
const AUTHORIZATION: &str = "authorization.k8s.io";
const FLOW: &str = "flowcontrol.apiserver.k8s.io";

/// Every resource. Of two with the same name, the one that is meant without a group comes first.
pub static RESOURCES: &[Resource] = &[
    create_only("", "bindings", true),
    Resource { verbs: &["get", "list"], ..of_cluster("", "componentstatuses", &[]) },
    resource("", "configmaps", &[]),
    resource("", "endpoints", &[]),
    resource("", "events", &[]),
    resource("", "limitranges", &[]),
    Resource { verbs: NO_COLLECTION, ..of_cluster("", "namespaces", &[("finalize", &["update"]), STATUS]) },
    of_cluster("", "nodes", &[PROXY, STATUS]),
    resource("", "persistentvolumeclaims", &[STATUS]),
    of_cluster("", "persistentvolumes", &[STATUS]),
    resource(
        "",
        "pods",
        &[
            ("attach", STREAM),
            ("binding", CREATE),
            ("ephemeralcontainers", CHANGE),
            ("eviction", CREATE),
            ("exec", STREAM),
            ("log", &["get"]),
            ("portforward", STREAM),
            PROXY,
            ("resize", CHANGE),
            STATUS,
        ],
    ),
    resource("", "podtemplates", &[]),
    resource("", "replicationcontrollers", &[SCALE, STATUS]),
    resource("", "resourcequotas", &[STATUS]),
    resource("", "secrets", &[]),
    resource("", "serviceaccounts", &[("token", CREATE)]),
    resource("", "services", &[PROXY, STATUS]),
    resource("apps", "controllerrevisions", &[]),
    resource("apps", "daemonsets", &[STATUS]),
    resource("apps", "deployments", &[SCALE, STATUS]),
    resource("apps", "replicasets", &[SCALE, STATUS]),
    resource("apps", "statefulsets", &[SCALE, STATUS]),
    resource("autoscaling", "horizontalpodautoscalers", &[STATUS]),
    resource("batch", "cronjobs", &[STATUS]),
    resource("batch", "jobs", &[STATUS]),
    resource("coordination.k8s.io", "leases", &[]),
    resource("discovery.k8s.io", "endpointslices", &[]),
    resource("events.k8s.io", "events", &[]),
    resource(NETWORKING, "ingresses", &[STATUS]),
    resource(NETWORKING, "networkpolicies", &[]),
    of_cluster(NETWORKING, "ingressclasses", &[]),
    of_cluster(NETWORKING, "ipaddresses", &[]),
    of_cluster(NETWORKING, "servicecidrs", &[STATUS]),
    resource("policy", "poddisruptionbudgets", &[STATUS]),
    resource(RBAC, "roles", &[]),
    resource(RBAC, "rolebindings", &[]),
    of_cluster(RBAC, "clusterroles", &[]),
    of_cluster(RBAC, "clusterrolebindings", &[]),
    resource(STORAGE, "csistoragecapacities", &[]),
    of_cluster(STORAGE, "csidrivers", &[]),
    of_cluster(STORAGE, "csinodes", &[]),
    of_cluster(STORAGE, "storageclasses", &[]),
    of_cluster(STORAGE, "volumeattachments", &[STATUS]),
    of_cluster(ADMISSION, "mutatingwebhookconfigurations", &[]),
    of_cluster(ADMISSION, "validatingwebhookconfigurations", &[]),
    of_cluster(ADMISSION, "validatingadmissionpolicies", &[STATUS]),
    of_cluster(ADMISSION, "validatingadmissionpolicybindings", &[]),
    of_cluster("apiextensions.k8s.io", "customresourcedefinitions", &[STATUS]),
    of_cluster("apiregistration.k8s.io", "apiservices", &[STATUS]),
    create_only("authentication.k8s.io", "tokenreviews", false),
    create_only("authentication.k8s.io", "selfsubjectreviews", false),
    create_only(AUTHORIZATION, "localsubjectaccessreviews", true),
    create_only(AUTHORIZATION, "selfsubjectaccessreviews", false),
    create_only(AUTHORIZATION, "selfsubjectrulesreviews", false),
    create_only(AUTHORIZATION, "subjectaccessreviews", false),
    of_cluster("certificates.k8s.io", "certificatesigningrequests", &[("approval", CHANGE), STATUS]),
    of_cluster(FLOW, "flowschemas", &[STATUS]),
    of_cluster(FLOW, "prioritylevelconfigurations", &[STATUS]),
    of_cluster("node.k8s.io", "runtimeclasses", &[]),
    of_cluster("scheduling.k8s.io", "priorityclasses", &[]),
];

/// The resource with a name, in a group or, without one, in any group.
pub fn find(group: Option<&str>, name: &str) -> Option<&'static Resource> {
    RESOURCES.iter().find(|known| known.name == name && group.is_none_or(|group| known.group == group))
}

/// Whether a group is part of Kubernetes, so that all its resources are known.
pub fn is_known_group(group: &str) -> bool {
    RESOURCES.iter().any(|known| known.group == group)
}

/// The verbs that a Role can allow on a resource: none for a resource without a namespace. The exception is a request
/// for a namespace by its name, which counts as a request in that namespace.
pub fn verbs_in_namespace(resource: &Resource) -> &'static [&'static str] {
    match (resource.in_namespace, resource.group, resource.name) {
        (true, ..) => resource.verbs,
        (false, "", "namespaces") => &["get", "update", "patch", "delete"],
        (false, ..) => &[],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_resource_is_listed_once_with_known_verbs() {
        for (index, one) in RESOURCES.iter().enumerate() {
            let again = |other: &Resource| (other.group, other.name) == (one.group, one.name);
            assert!(!RESOURCES.iter().skip(index + 1).any(again), "{one:?}");
            let verbs = one.verbs.iter().chain(one.parts.iter().flat_map(|(_, verbs)| *verbs));
            assert!(verbs.into_iter().all(|verb| VERBS.contains(verb)), "{one:?}");
        }
        assert_eq!(find(None, "events").map(|events| events.group), Some(""));
        assert_eq!(find(Some("events.k8s.io"), "events").map(|events| events.group), Some("events.k8s.io"));
        assert!(
            find(Some("apps"), "jobs").is_none() && is_known_group("apps") && !is_known_group("a.example")
        );
    }
}
