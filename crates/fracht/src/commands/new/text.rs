//! The text of a new stack file.

use fracht_core::grammar::image::Image;
use fracht_core::model::Store;

use super::{Plan, Runs, variable};

/// Text as a TOML string, with braces escaped so that nothing is a reference.
fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            '{' => out.push_str("{{"),
            '}' => out.push_str("}}"),
            c if c.is_control() => out.push_str(&format!("\\u{:04X}", u32::from(c))),
            c => out.push(c),
        }
    }
    out + "\""
}

/// A TOML key, in quotes if it needs them.
fn toml_key(key: &str) -> String {
    let bare = key.chars().all(|c| c.is_ascii_alphanumeric() || "-_".contains(c));
    if bare { key.to_owned() } else { format!("\"{key}\"") }
}

/// The variables that a data store needs: the value of each, or `None` for a secret.
fn variables(plan: &Plan, store: &Store<'_>) -> Vec<(String, Option<String>)> {
    let own = plan.name.replace('-', "_");
    let is_set = |name: &str| plan.plain.iter().chain(&plan.secret).any(|setting| setting.key == name);
    // Some images read variables of two names: the first ones are their own.
    let family = |name: &str| name.split('_').next().unwrap_or_default().to_owned();
    let first = store.first_start.first().map(|name| family(name));
    let of_first_start = store.first_start.iter().filter(|name| Some(family(name)) == first);
    let wanted = of_first_start.map(|name| (*name, None)).chain(store.setup.variables.iter().copied());
    let value = |(name, value): (&str, Option<&str>)| {
        let last = name.rsplit('_').next().unwrap_or_default();
        match (value, last) {
            (Some(value), _) => Some((name.to_owned(), Some(value.to_owned()))),
            (None, "USER" | "USERNAME" | "DB" | "DATABASE" | "ORG" | "BUCKET") => {
                Some((name.to_owned(), Some(own.clone())))
            }
            (None, "PASSWORD" | "PASS") => Some((name.to_owned(), None)),
            (None, _) => None,
        }
    };
    wanted.filter(|(name, _)| !is_set(name)).filter_map(value).collect()
}

/// What a data store gets in addition: its port, its volume, its variables, a health check and sizes.
struct OfStore {
    port: Option<(String, u16)>,
    service: String,
    tables: String,
    secrets: Vec<String>,
}

impl OfStore {
    fn of(plan: &Plan, image: &Image) -> Option<Self> {
        let store = Store::of_image(image)?;
        let mut service = String::new();
        let mut tables = String::new();
        if !store.setup.args.is_empty() {
            let args: Vec<String> = store.setup.args.iter().map(|arg| quoted(arg)).collect();
            service.push_str(&format!("args = [{}]\n", args.join(", ")));
        }
        if let Some(data) = store.data.first() {
            service.push_str(&format!("mount.\"{data}\" = \"volume.data\"\n"));
            // A new volume may have a folder of its own at its root, where this store wants none.
            if store.first_start.contains(&"POSTGRES_DB") {
                service.push_str(&format!("env.PGDATA = \"{data}/pg\"\n"));
            }
            tables.push_str("\n[volume.data]\nsize = \"10Gi\"\n");
        }
        if let Some(folder) = store.setup.can_keep {
            service.push_str(&format!(
                "# Its data is lost when it stops. To keep it, mount a volume, and add the table [volume.data]:\n\
                 # mount.\"{folder}\" = \"volume.data\"\n"
            ));
            tables.push_str("\n# [volume.data]\n# size = \"1Gi\"\n");
        }
        let mut secrets = Vec::new();
        for (name, value) in variables(plan, &store) {
            match value {
                Some(value) => service.push_str(&format!("env.{} = {}\n", toml_key(&name), quoted(&value))),
                None => secrets.push(name),
            }
        }
        let sizes = if store.data.is_empty() {
            "cpu = \"50m..1\"\nmemory = \"64Mi..256Mi\"  # request..limit: measure, then adjust\n"
        } else {
            "cpu = \"250m..2\"\nmemory = \"512Mi..1Gi\"  # request..limit: measure, then adjust\nstop-within = \"1m\"\n"
        };
        service.push_str(sizes);
        let number = store.ports.first().copied().or(store.setup.port);
        let port = number.map(|number| (store.setup.port_name.to_owned(), number));
        let port = port.filter(|_| plan.ports.is_empty());
        Some(Self { port, service, tables, secrets })
    }
}

/// The line of the health check of a service whose first port has a name.
fn health(plan: &Plan, port: &str) -> String {
    let store = match &plan.runs {
        Runs::Image(image) => Store::of_image(image),
        Runs::Build { .. } | Runs::Nothing => None,
    };
    match store {
        Some(store) if !store.setup.ping.is_empty() => {
            let words: Vec<String> = store.setup.ping.iter().map(|word| quoted(word)).collect();
            format!("health = {{ run = [{}], boot = \"1m\" }}\n", words.join(", "))
        }
        Some(_) => format!("health = {{ tcp = \"{port}\", boot = \"1m\" }}\n"),
        None => format!(
            "health = {{ tcp = \"{port}\", boot = \"30s\" }}  # better, if it has one: {{ http = \"/healthz\" }}\n"
        ),
    }
}

impl Plan {
    pub(super) fn text(&self) -> String {
        let name = &self.name;
        let mut out = format!(
            "# Check this file with `fracht check`, render it to Kubernetes objects with `fracht render`.\n\n\
             [stack]\nname = \"{name}\"\n"
        );
        let store = match &self.runs {
            Runs::Image(image) => OfStore::of(self, image),
            Runs::Build { .. } | Runs::Nothing => None,
        };
        if let Runs::Build { source, recipe } = &self.runs {
            out.push_str(&format!("\n[build.{name}]\nsource = {}\n", quoted(source)));
            if recipe != "Containerfile" {
                out.push_str(&format!("recipe = {}\n", quoted(recipe)));
            }
        }
        out.push_str(&format!("\n[service.{name}]\n"));
        match &self.runs {
            Runs::Image(image) => out.push_str(&format!("image = \"{image}\"\n")),
            Runs::Build { .. } => out.push_str(&format!("build = \"{name}\"\n")),
            Runs::Nothing => out
                .push_str(&format!("image = \"registry.example/{name}:0.1.0\"  # replace with your image\n")),
        }
        let of_store = store.as_ref().and_then(|store| store.port.clone());
        let ports: Vec<&(String, u16)> = self.ports.iter().chain(&of_store).collect();
        for (index, (port, number)) in ports.iter().enumerate() {
            out.push_str(&format!("port.{port} = {number}\n"));
            if index == 0 && store.is_none() {
                out.push_str(&format!(
                    "# Reachable only inside the stack. To open it on the nodes, on a load balancer or on the web:\n\
                     # port.{port} = {{ number = {number}, reach = \"node\" }}  # or \"balancer\" or \"web\"\n"
                ));
            }
        }
        match ports.first() {
            Some((port, _)) => out.push_str(&health(self, port)),
            None => out.push_str("# port.http = 8080\n# health = { tcp = \"http\", boot = \"30s\" }\n"),
        }
        let uses = [
            self.used("config", self.plain.iter().map(|setting| setting.key.as_str())),
            self.used(
                "secret",
                self.secret.iter().map(|setting| setting.key.as_str()).chain(made(store.as_ref())),
            ),
        ];
        match &store {
            Some(store) => out.push_str(&store.service),
            None => out.push_str("memory = \"64Mi..256Mi\"  # request..limit: measure, then adjust\n"),
        }
        let uses: Vec<String> = uses.into_iter().flatten().collect();
        if !uses.is_empty() {
            out.push_str(&format!("use = [{}]\n", uses.join(", ")));
        }
        out.push_str(store.as_ref().map_or("", |store| &store.tables));
        if !self.plain.is_empty() {
            out.push_str(&format!("\n[config.{name}]\n"));
            for setting in &self.plain {
                out.push_str(&format!("key.{} = {}\n", toml_key(&setting.key), quoted(&setting.value)));
            }
        }
        out.push_str(&self.secrets(store.as_ref()));
        if matches!(self.runs, Runs::Build { .. }) {
            out.push_str(
                "\n[target.laptop]\non = \"machine\"\n\n[target.prod]\n\
                 registry = \"registry.example/team\"  # replace with yours: a cluster pulls built images from it\n",
            );
        }
        out
    }

    fn secrets(&self, store: Option<&OfStore>) -> String {
        let mut out = String::new();
        let made: Vec<&str> = made(store).collect();
        if self.secret.is_empty() && made.is_empty() {
            return out;
        }
        let why = if self.secret.is_empty() { "" } else { "These look like secrets. " };
        out.push_str(&format!(
            "\n# {why}`fracht render --secrets` reads the values from the environment;\n\
             # they are not written to this file.\n[secret.{}]\n",
            self.name
        ));
        for setting in &self.secret {
            let (key, variable) = (toml_key(&setting.key), variable(&setting.key));
            out.push_str(&format!("key.{key} = {{ env = \"{variable}\" }}\n"));
        }
        for key in made {
            out.push_str(&format!("key.{key} = {{ env = \"{key}\", make = \"24 alphanumeric\" }}\n"));
        }
        out
    }
}

/// The secrets that a data store needs.
fn made(store: Option<&OfStore>) -> impl Iterator<Item = &str> {
    store.into_iter().flat_map(|store| &store.secrets).map(String::as_str)
}
