//! Generated stacks of any size, for benchmarks and tests. The same size gives the same text.

use std::fmt::Write as _;

/// A stack with `services` services, which have references, ports, mounts, health checks and waits. Half of them form
/// chains of ten; every tenth has a volume, every hundredth has an open port.
pub fn stack(services: usize) -> String {
    let mut out = String::from(
        "[stack]\nname = \"fleet\"\n\n[network.back]\nclosed = true\n\n\
         [config.shared]\nkey.REGION = \"northern bights\"\nkey.STEP = \"10\"\n\n\
         [secret.login]\nkey.password = { env = \"FLEET_PASSWORD\" }\n\n",
    );
    for index in 0..services {
        let previous = index.checked_sub(1).filter(|_| index % 10 != 0);
        let reach = if index % 100 == 0 { ", reach = \"node\", at = \"30000..\"" } else { "" };
        write!(
            out,
            "[service.s{index}]\n\
             image = \"registry.example/fleet/part-{index}:1.{index}.0\"\n\
             user = 10001\n\
             replicas = 2\n\
             network = [\"back\"]\n\
             port.http = {{ number = 8080{reach} }}\n\
             env.LOG_LEVEL = \"info\"\n\
             env.REGION = \"{{config.shared/REGION}}\"\n\
             env.LOGIN = \"part:{{secret.login/password}}@{{target.namespace}}\"\n\
             mount.\"/etc/fleet\" = \"config.shared\"\n\
             health = {{ http = \"/healthz\", port = \"http\", every = \"5s\", boot = \"45s\" }}\n\
             memory = \"128Mi..256Mi\"\n"
        )
        .expect("text can be written");
        if let Some(previous) = previous {
            write!(
                out,
                "env.UPSTREAM = \"http://{{service.s{previous}/http}}/v1\"\nafter = {{ s{previous} = \"ready\" }}\n"
            )
            .expect("text can be written");
        }
        if index % 10 == 0 {
            write!(out, "mount.\"/data\" = \"volume.v{index}\"\n[volume.v{index}]\nsize = \"1Gi\"\naccess = \"many-nodes\"\n")
                .expect("text can be written");
        }
        out.push('\n');
    }
    out
}

/// The same services in five layers: two patterns, the stack file, a target, and one that is like it. An input sets the
/// version.
pub fn layered(services: usize) -> String {
    let mut out = stack(services);
    out = out.replace("user = 10001\n", "like = [\"pattern.base\", \"pattern.loud\"]\n");
    out.push_str(
        "[input.version]\ndefault = \"1.4.0\"\n[pattern.base]\nuser = 10001\nenv.VERSION = \"{input.version}\"\n\
         env.LOG_LEVEL = \"warn\"\n[pattern.loud]\nenv.TRACE = \"1\"\ncpu = \"50m..1\"\n[target.test]\n",
    );
    for index in (0..services).step_by(2) {
        writeln!(out, "service.s{index}.replicas = 3").expect("text can be written");
    }
    out.push_str("[target.cluster]\nlike = \"target.test\"\n");
    for index in (0..services).step_by(3) {
        writeln!(out, "service.s{index}.env.LOG_LEVEL = \"error\"").expect("text can be written");
    }
    out
}
