//! Effects of a passed object beyond the stack, in words.

use fracht_core::grammar::resource::RESOURCES;
use serde_json::Value;

use crate::object::text_at;

/// The effects of an object beyond the stack and its namespace, each as a predicate: the object is the subject.
pub(crate) fn reaches(object: &Value, namespace: &str) -> Vec<String> {
    let kind = text_at(object, "/kind");
    let own = text_at(object, "/metadata/namespace");
    let mut reaches = Vec::new();
    let wide = is_of_cluster(object);
    if wide {
        reaches.push("is cluster-wide".to_owned());
    } else if !own.is_empty() && own != namespace {
        reaches.push(format!("is in the namespace `{own}`"));
    }
    if ["Role", "RoleBinding", "ClusterRole", "ClusterRoleBinding"].contains(&kind) {
        reaches.push("gives permissions".to_owned());
    }
    let opens = match kind {
        "NetworkPolicy" | "Ingress" | "Gateway" => true,
        "Service" => {
            ["LoadBalancer", "NodePort"].contains(&text_at(object, "/spec/type"))
                || object.pointer("/spec/externalIPs").is_some_and(|list| *list != serde_json::json!([]))
        }
        kind => kind.ends_with("Route") || kind.ends_with("NetworkPolicy"),
    };
    if opens {
        reaches.push("opens a network".to_owned());
    }
    let pods = ["/spec", "/spec/template/spec", "/spec/jobTemplate/spec/template/spec", "/template/spec"];
    let powers = pods.iter().filter_map(|pod| object.pointer(pod)).find_map(privilege);
    reaches.extend(powers.map(|power| format!("is privileged (`{power}`)")));
    reaches
}

/// Whether objects of this kind have no namespace. For custom kinds, the name decides.
pub(crate) fn is_of_cluster(object: &Value) -> bool {
    let (version, kind) = (text_at(object, "/apiVersion"), text_at(object, "/kind"));
    let group = version.split_once('/').map_or("", |(group, _)| group);
    let single = kind.to_lowercase();
    let plurals = [
        format!("{single}s"),
        format!("{single}es"),
        format!("{}ies", single.strip_suffix('y').unwrap_or("-")),
    ];
    let known = RESOURCES
        .iter()
        .find(|known| known.group == group && plurals.iter().any(|plural| plural == known.name));
    known.map_or(kind.starts_with("Cluster") || kind == "GatewayClass", |known| !known.in_namespace)
}

/// The setting of a pod that gives it more rights on its node than the default of a stack.
fn privilege(pod: &Value) -> Option<String> {
    let is_true = |object: &Value, field: &str| object.get(field).is_some_and(|value| *value == true);
    let of_pod = ["hostNetwork", "hostPID", "hostIPC"].into_iter().find(|field| is_true(pod, field));
    if let Some(field) = of_pod {
        return Some(field.to_owned());
    }
    let list = |field: &str| pod.get(field).and_then(Value::as_array).into_iter().flatten();
    if list("volumes").any(|volume| volume.get("hostPath").is_some()) {
        return Some("hostPath".to_owned());
    }
    let containers = list("containers").chain(list("initContainers")).chain(list("ephemeralContainers"));
    containers.filter_map(|container| container.get("securityContext")).find_map(|context| {
        let fields = ["privileged", "allowPrivilegeEscalation"];
        let field = fields.into_iter().find(|field| is_true(context, field)).map(str::to_owned);
        field.or_else(|| {
            let added = context.pointer("/capabilities/add").and_then(Value::as_array);
            let added = added.and_then(|added| added.first()).and_then(Value::as_str);
            added.map(|capability| format!("capability {capability}"))
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn effects_beyond_a_stack_are_reported() {
        let object = |version: &str, kind: &str, spec: Value| json!({ "apiVersion": version, "kind": kind, "metadata": { "name": "x" }, "spec": spec });
        let pod = |spec: Value| object("v1", "Pod", spec);
        let deployment =
            |spec: Value| object("apps/v1", "Deployment", json!({ "template": { "spec": spec } }));
        let secured = |context: Value| json!({ "containers": [{ "name": "a", "securityContext": context }] });
        for (object, reaches_to) in [
            (
                object("rbac.authorization.k8s.io/v1", "ClusterRole", json!({})),
                "is cluster-wide; gives permissions",
            ),
            (object("rbac.authorization.k8s.io/v1", "RoleBinding", json!({})), "gives permissions"),
            (object("v1", "Namespace", json!({})), "is cluster-wide"),
            (object("storage.k8s.io/v1", "StorageClass", json!({})), "is cluster-wide"),
            (object("apiextensions.k8s.io/v1", "CustomResourceDefinition", json!({})), "is cluster-wide"),
            (object("scheduling.k8s.io/v1", "PriorityClass", json!({})), "is cluster-wide"),
            (object("certs.example/v1", "ClusterIssuer", json!({})), "is cluster-wide"),
            (object("networking.k8s.io/v1", "NetworkPolicy", json!({})), "opens a network"),
            (object("v1", "Service", json!({ "type": "NodePort" })), "opens a network"),
            (pod(json!({ "hostNetwork": true })), "is privileged (`hostNetwork`)"),
            (deployment(json!({ "volumes": [{ "hostPath": {} }] })), "is privileged (`hostPath`)"),
            (deployment(secured(json!({ "privileged": true }))), "is privileged (`privileged`)"),
            (
                deployment(secured(json!({ "capabilities": { "add": ["SYS_ADMIN"] } }))),
                "is privileged (`capability SYS_ADMIN`)",
            ),
            (object("v1", "ConfigMap", json!({})), ""),
            (object("v1", "Service", json!({ "type": "ClusterIP" })), ""),
            (deployment(secured(json!({ "privileged": false }))), ""),
        ] {
            assert_eq!(reaches(&object, "own").join("; "), reaches_to, "{object}");
        }
        let mut elsewhere = object("v1", "ConfigMap", json!({}));
        elsewhere["metadata"]["namespace"] = "other".into();
        assert_eq!(reaches(&elsewhere, "own"), ["is in the namespace `other`"]);
        assert_eq!(reaches(&elsewhere, "other"), [""; 0]);
    }
}
