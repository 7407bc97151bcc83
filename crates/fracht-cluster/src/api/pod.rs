//! Pods (core/v1).

use super::{IntOrName, LabelSelector, Map, Metadata, Str, parts};

parts! {
    PodTemplateSpec {
        metadata: Metadata,
        spec: PodSpec,
    }

    PodSpec {
        service_account_name: Option<Str>,
        automount_service_account_token: Option<bool>,
        enable_service_links: Option<bool>,
        image_pull_secrets: Vec<LocalObjectReference>,
        init_containers: Vec<Container>,
        containers: Vec<Container>,
        volumes: Vec<Volume>,
        restart_policy: Option<Str>,
        active_deadline_seconds: Option<i64>,
        termination_grace_period_seconds: Option<i64>,
        security_context: Option<PodSecurityContext>,
        node_selector: Map,
        affinity: Option<Affinity>,
        topology_spread_constraints: Vec<TopologySpreadConstraint>,
    }

    LocalObjectReference {
        name: Str,
    }

    Container {
        name: Str,
        image: Str,
        image_pull_policy: Option<Str>,
        restart_policy: Option<Str>,
        command: Option<Vec<Str>>,
        args: Option<Vec<Str>>,
        working_dir: Option<Str>,
        ports: Vec<ContainerPort>,
        env_from: Vec<EnvFromSource>,
        env: Vec<EnvVar>,
        resources: Option<ResourceRequirements>,
        startup_probe: Option<Probe>,
        readiness_probe: Option<Probe>,
        liveness_probe: Option<Probe>,
        lifecycle: Option<Lifecycle>,
        volume_mounts: Vec<VolumeMount>,
        security_context: Option<SecurityContext>,
    }

    ContainerPort {
        name: Str,
        container_port: i32,
        protocol: Option<Str>,
    }

    /// An object whose keys all become variables.
    EnvFromSource {
        prefix: Option<Str>,
        config_map_ref: Option<LocalObjectReference>,
        secret_ref: Option<LocalObjectReference>,
    }

    EnvVar {
        name: Str,
        value: Option<Str>,
        value_from: Option<EnvVarSource>,
    }

    EnvVarSource {
        config_map_key_ref: Option<KeySelector>,
        secret_key_ref: Option<KeySelector>,
        field_ref: Option<ObjectFieldSelector>,
    }

    /// A key of a `ConfigMap` or a `Secret`.
    KeySelector {
        name: Str,
        key: Str,
    }

    ObjectFieldSelector {
        field_path: Str,
    }

    ResourceRequirements {
        requests: Map,
        limits: Map,
    }

    Probe {
        http_get: Option<HttpGetAction>,
        tcp_socket: Option<TcpSocketAction>,
        grpc: Option<GrpcAction>,
        exec: Option<ExecAction>,
        period_seconds: Option<i32>,
        timeout_seconds: Option<i32>,
        failure_threshold: Option<i32>,
    }

    HttpGetAction {
        path: Str,
        port: IntOrName,
    }

    TcpSocketAction {
        port: IntOrName,
    }

    GrpcAction {
        port: i32,
    }

    ExecAction {
        command: Vec<Str>,
    }

    Lifecycle {
        pre_stop: LifecycleHandler,
    }

    LifecycleHandler {
        exec: Option<ExecAction>,
        sleep: Option<SleepAction>,
    }

    SleepAction {
        seconds: i64,
    }

    VolumeMount {
        name: Str,
        mount_path: Str,
        sub_path: Option<Str>,
        read_only: Option<bool>,
    }

    SecurityContext {
        run_as_user: Option<i64>,
        run_as_group: Option<i64>,
        run_as_non_root: Option<bool>,
        read_only_root_filesystem: Option<bool>,
        allow_privilege_escalation: Option<bool>,
        capabilities: Option<Capabilities>,
        seccomp_profile: Option<SeccompProfile>,
    }

    Capabilities {
        drop: Vec<Str>,
    }

    SeccompProfile {
        type_: Str,
    }

    PodSecurityContext {
        fs_group: Option<i64>,
        seccomp_profile: Option<SeccompProfile>,
    }

    Volume {
        name: Str,
        persistent_volume_claim: Option<PersistentVolumeClaimVolumeSource>,
        config_map: Option<ConfigMapVolumeSource>,
        secret: Option<SecretVolumeSource>,
        empty_dir: Option<EmptyDirVolumeSource>,
        projected: Option<ProjectedVolumeSource>,
    }

    PersistentVolumeClaimVolumeSource {
        claim_name: Str,
        read_only: Option<bool>,
    }

    ConfigMapVolumeSource {
        name: Str,
        default_mode: Option<i32>,
    }

    SecretVolumeSource {
        secret_name: Str,
        default_mode: Option<i32>,
    }

    EmptyDirVolumeSource {
        size_limit: Option<Str>,
    }

    ProjectedVolumeSource {
        sources: Vec<VolumeProjection>,
    }

    VolumeProjection {
        service_account_token: Option<ServiceAccountTokenProjection>,
        config_map: Option<ConfigMapProjection>,
        #[serde(rename = "downwardAPI")]
        downward_api: Option<DownwardApiProjection>,
    }

    ServiceAccountTokenProjection {
        path: Str,
        expiration_seconds: i64,
    }

    ConfigMapProjection {
        name: Str,
        items: Vec<KeyToPath>,
    }

    KeyToPath {
        key: Str,
        path: Str,
    }

    DownwardApiProjection {
        items: Vec<DownwardApiVolumeFile>,
    }

    DownwardApiVolumeFile {
        path: Str,
        field_ref: ObjectFieldSelector,
    }

    Affinity {
        pod_affinity: Option<PodAffinity>,
        pod_anti_affinity: Option<PodAffinity>,
    }

    /// The nodes that pods must share, or must not.
    PodAffinity {
        required_during_scheduling_ignored_during_execution: Vec<PodAffinityTerm>,
    }

    PodAffinityTerm {
        label_selector: LabelSelector,
        topology_key: Str,
    }

    TopologySpreadConstraint {
        max_skew: i32,
        topology_key: Str,
        when_unsatisfiable: Str,
        label_selector: LabelSelector,
    }
}
