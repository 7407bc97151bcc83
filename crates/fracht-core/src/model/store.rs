//! Data stores: what is known of widely used open-source databases, caches and queues by the name of their image.
//!
//! To add one, add an entry to [`KNOWN`]; a stack can define its own in `[store.NAME]`.

use std::sync::Arc;

use crate::grammar::image::Image;

/// A kind of data store that a stack defines.
#[derive(Clone, Debug)]
pub struct OwnStore {
    /// Its name.
    pub name: Arc<str>,
    /// The last parts of the repositories of its images.
    pub images: Vec<Arc<str>>,
    /// Port numbers that only such a store uses.
    pub ports: Vec<u16>,
    /// Folders that have its data.
    pub data: Vec<Arc<str>>,
    /// Variables that count only while its data is empty.
    pub first_start: Vec<Arc<str>>,
    /// The variable with the user that it creates.
    pub login: Option<Arc<str>>,
    /// Whether replicas form one store by themselves.
    pub many_writers: bool,
}

/// What is known of a kind of data store.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Store<'m> {
    /// Its name in messages.
    pub name: &'m str,
    /// Port numbers that only such a store uses.
    pub ports: Vec<u16>,
    /// Folders that have its data; none for a cache.
    pub data: Vec<&'m str>,
    /// Variables that count only while its data is empty.
    pub first_start: Vec<&'m str>,
    /// The variable with the user that it creates, and the user without it, if that is known.
    pub login: Option<(&'m str, Option<&'m str>)>,
    /// Whether replicas of one image are stores of their own.
    pub is_single: bool,
    /// How a single one is set up.
    pub setup: Setup,
}

/// How a single data store is set up, as the documentation of its image says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Setup {
    /// The usual name of its port.
    pub port_name: &'static str,
    /// The number of its port, if other programs use it as well.
    pub port: Option<u16>,
    /// A program in its image that tells whether it answers; none if only a connection can.
    pub ping: &'static [&'static str],
    /// The arguments without which its image does nothing.
    pub args: &'static [&'static str],
    /// Variables that count at each start, with their values; without one it is the store's own name, or a secret.
    pub variables: &'static [(&'static str, Option<&'static str>)],
    /// The folder of a cache that can keep its data.
    pub can_keep: Option<&'static str>,
}

impl Setup {
    const BASE: Self =
        Self { port_name: "store", port: None, ping: &[], args: &[], variables: &[], can_keep: None };
    const SQL: Self = Self { port_name: "sql", ..Self::BASE };
    const CACHE: Self = Self { port_name: "cache", ..Self::BASE };
}

/// A known kind of data store.
struct Known {
    images: &'static [&'static str],
    ports: &'static [u16],
    data: &'static [&'static str],
    first_start: &'static [&'static str],
    login: Option<(&'static str, Option<&'static str>)>,
    is_single: bool,
    setup: Setup,
}

impl Known {
    const BASE: Self = Self {
        images: &[],
        ports: &[],
        data: &[],
        first_start: &[],
        login: None,
        is_single: true,
        setup: Setup::BASE,
    };
}

/// The known data stores: the last parts of the repositories of their images, their ports, the folders with their data
/// and the variables that count only at the first start, as the documentation of the images says.
static KNOWN: &[Known] = &[
    Known {
        images: &["postgres", "postgresql", "postgis", "timescaledb", "pgvector"],
        ports: &[5432],
        data: &["/var/lib/postgresql/data", "/var/lib/postgresql"],
        first_start: &["POSTGRES_USER", "POSTGRES_PASSWORD", "POSTGRES_DB", "POSTGRES_INITDB_ARGS"],
        login: Some(("POSTGRES_USER", Some("postgres"))),
        setup: Setup { ping: &["pg_isready", "-q"], ..Setup::SQL },
        ..Known::BASE
    },
    Known {
        images: &["mysql", "mysql-server", "percona"],
        ports: &[3306],
        data: &["/var/lib/mysql"],
        first_start: &["MYSQL_ROOT_PASSWORD", "MYSQL_DATABASE", "MYSQL_USER", "MYSQL_PASSWORD"],
        login: Some(("MYSQL_USER", None)),
        setup: Setup::SQL,
        ..Known::BASE
    },
    Known {
        images: &["mariadb"],
        ports: &[3306],
        data: &["/var/lib/mysql"],
        first_start: &[
            "MARIADB_ROOT_PASSWORD",
            "MARIADB_DATABASE",
            "MARIADB_USER",
            "MARIADB_PASSWORD",
            "MYSQL_ROOT_PASSWORD",
            "MYSQL_DATABASE",
            "MYSQL_USER",
            "MYSQL_PASSWORD",
        ],
        login: Some(("MARIADB_USER", None)),
        setup: Setup::SQL,
        ..Known::BASE
    },
    Known {
        images: &["mongo", "mongodb"],
        ports: &[27017],
        data: &["/data/db"],
        first_start: &["MONGO_INITDB_ROOT_USERNAME", "MONGO_INITDB_ROOT_PASSWORD", "MONGO_INITDB_DATABASE"],
        login: Some(("MONGO_INITDB_ROOT_USERNAME", None)),
        ..Known::BASE
    },
    Known {
        images: &["redis", "valkey", "keydb"],
        ports: &[6379],
        setup: Setup { can_keep: Some("/data"), ..Setup::CACHE },
        ..Known::BASE
    },
    Known { images: &["memcached"], ports: &[11211], is_single: false, setup: Setup::CACHE, ..Known::BASE },
    Known {
        images: &["rabbitmq"],
        ports: &[5672],
        data: &["/var/lib/rabbitmq"],
        first_start: &["RABBITMQ_DEFAULT_USER", "RABBITMQ_DEFAULT_PASS", "RABBITMQ_DEFAULT_VHOST"],
        login: Some(("RABBITMQ_DEFAULT_USER", Some("guest"))),
        setup: Setup { port_name: "queue", ..Setup::BASE },
        ..Known::BASE
    },
    Known {
        images: &["elasticsearch"],
        ports: &[9200, 9300],
        data: &["/usr/share/elasticsearch/data"],
        setup: Setup { variables: &[("discovery.type", Some("single-node"))], ..Setup::BASE },
        ..Known::BASE
    },
    Known {
        images: &["opensearch"],
        ports: &[9200, 9300],
        data: &["/usr/share/opensearch/data"],
        setup: Setup {
            variables: &[
                ("discovery.type", Some("single-node")),
                ("OPENSEARCH_INITIAL_ADMIN_PASSWORD", None),
            ],
            ..Setup::BASE
        },
        ..Known::BASE
    },
    Known {
        images: &["cassandra", "scylla"],
        ports: &[9042],
        data: &["/var/lib/cassandra", "/var/lib/scylla"],
        is_single: false,
        ..Known::BASE
    },
    Known {
        images: &["clickhouse", "clickhouse-server"],
        ports: &[8123],
        data: &["/var/lib/clickhouse"],
        first_start: &["CLICKHOUSE_DB", "CLICKHOUSE_USER", "CLICKHOUSE_PASSWORD"],
        ..Known::BASE
    },
    Known {
        images: &["influxdb"],
        ports: &[8086],
        data: &["/var/lib/influxdb2", "/var/lib/influxdb"],
        first_start: &[
            "DOCKER_INFLUXDB_INIT_USERNAME",
            "DOCKER_INFLUXDB_INIT_PASSWORD",
            "DOCKER_INFLUXDB_INIT_ORG",
            "DOCKER_INFLUXDB_INIT_BUCKET",
        ],
        setup: Setup { variables: &[("DOCKER_INFLUXDB_INIT_MODE", Some("setup"))], ..Setup::BASE },
        ..Known::BASE
    },
    Known {
        images: &["couchdb"],
        ports: &[5984],
        data: &["/opt/couchdb/data"],
        setup: Setup { variables: &[("COUCHDB_USER", None), ("COUCHDB_PASSWORD", None)], ..Setup::BASE },
        ..Known::BASE
    },
    Known { images: &["neo4j"], ports: &[7687], data: &["/data"], ..Known::BASE },
    Known { images: &["etcd"], ports: &[2379], data: &["/var/lib/etcd"], is_single: false, ..Known::BASE },
    Known { images: &["zookeeper"], ports: &[2181], data: &["/data"], is_single: false, ..Known::BASE },
    Known {
        images: &["kafka"],
        ports: &[9092],
        data: &["/var/lib/kafka/data"],
        is_single: false,
        ..Known::BASE
    },
    Known {
        images: &["minio"],
        data: &["/data"],
        setup: Setup {
            port: Some(9000),
            args: &["server", "/data"],
            variables: &[("MINIO_ROOT_USER", None), ("MINIO_ROOT_PASSWORD", None)],
            ..Setup::BASE
        },
        ..Known::BASE
    },
    Known { images: &["meilisearch"], ports: &[7700], data: &["/meili_data"], ..Known::BASE },
    Known { images: &["qdrant"], ports: &[6333], data: &["/qdrant/storage"], ..Known::BASE },
    Known {
        images: &["prometheus"],
        data: &["/prometheus"],
        is_single: false,
        setup: Setup { port: Some(9090), ..Setup::BASE },
        ..Known::BASE
    },
];

/// Whether the last part of a repository is a name, or ends with it, as in `base-postgres`.
pub(super) fn is_named(last: &str, name: &str) -> bool {
    last.strip_suffix(name).is_some_and(|before| before.is_empty() || before.ends_with(['-', '_', '.']))
}

impl<'m> Store<'m> {
    /// The data store that an image is, if it is widely used.
    pub fn of_image(image: &'m Image) -> Option<Self> {
        Self::of(image, &[])
    }

    /// The data store that an image is, if it is known or one of `own`.
    pub(super) fn of(image: &'m Image, own: &'m [OwnStore]) -> Option<Self> {
        let repository = image.repository();
        let last = repository.rsplit('/').next().unwrap_or_default();
        let of_stack = own.iter().find(|store| store.images.iter().any(|name| is_named(last, name)));
        if let Some(store) = of_stack {
            return Some(Self {
                name: &store.name,
                ports: store.ports.clone(),
                data: store.data.iter().map(|path| &**path).collect(),
                first_start: store.first_start.iter().map(|variable| &**variable).collect(),
                login: store.login.as_ref().map(|variable| (&**variable, None)),
                is_single: !store.many_writers,
                setup: Setup::BASE,
            });
        }
        let named = |known: &&Known| known.images.iter().any(|name| is_named(last, name));
        let known = KNOWN.iter().find(named)?;
        let name = known.images.first().copied().unwrap_or_default();
        Some(Self {
            name,
            ports: known.ports.to_vec(),
            data: known.data.to_vec(),
            first_start: known.first_start.to_vec(),
            login: known.login,
            is_single: known.is_single,
            setup: known.setup,
        })
    }
}

/// Whether a port number is that of a widely used data store.
pub(crate) fn is_port_of_store(number: u16) -> bool {
    KNOWN.iter().any(|known| known.ports.contains(&number))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::grammar::image;

    #[test]
    fn stores_are_known_by_the_end_of_their_repository() {
        let name = |text: &str| {
            let image = image::parse(text).unwrap();
            Store::of(&image, &[]).map(|store| store.name.to_owned())
        };
        assert_eq!(name("registry.example/base/postgresql:16.4").as_deref(), Some("postgres"));
        assert_eq!(name("base-redis:7.2").as_deref(), Some("redis"));
        for other in ["postgres-exporter:1.0", "registry.example/redis/ui:1.0", "mypostgres:1.0"] {
            assert_eq!(name(other), None, "{other}");
        }
    }
}
