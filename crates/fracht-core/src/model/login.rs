//! Logins: how widely used images name the user and the password that they create, by the name of the image.
//!
//! To add one, add an entry to [`KNOWN`].

use super::store::is_named;
use crate::grammar::image::Image;

/// The variables with the login that an image creates.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct KnownLogin {
    images: &'static [&'static str],
    /// The variable with the user name.
    pub user: &'static str,
    /// The user name without it, if there is one.
    pub default_user: Option<&'static str>,
    /// The variable with the password.
    pub password: &'static str,
}

const fn known(
    images: &'static [&'static str],
    user: &'static str,
    default_user: Option<&'static str>,
    password: &'static str,
) -> KnownLogin {
    KnownLogin { images, user, default_user, password }
}

/// The known logins, as the documentation of the images says.
static KNOWN: &[KnownLogin] = &[
    known(
        &["postgres", "postgresql", "postgis", "timescaledb", "pgvector"],
        "POSTGRES_USER",
        Some("postgres"),
        "POSTGRES_PASSWORD",
    ),
    known(&["mysql", "mysql-server", "percona"], "MYSQL_USER", None, "MYSQL_PASSWORD"),
    known(&["mariadb"], "MARIADB_USER", None, "MARIADB_PASSWORD"),
    known(&["mongo", "mongodb"], "MONGO_INITDB_ROOT_USERNAME", None, "MONGO_INITDB_ROOT_PASSWORD"),
    known(&["rabbitmq"], "RABBITMQ_DEFAULT_USER", Some("guest"), "RABBITMQ_DEFAULT_PASS"),
    known(&["minio"], "MINIO_ROOT_USER", Some("minioadmin"), "MINIO_ROOT_PASSWORD"),
    known(&["couchdb"], "COUCHDB_USER", None, "COUCHDB_PASSWORD"),
    known(&["influxdb"], "DOCKER_INFLUXDB_INIT_USERNAME", None, "DOCKER_INFLUXDB_INIT_PASSWORD"),
    known(&["grafana"], "GF_SECURITY_ADMIN_USER", Some("admin"), "GF_SECURITY_ADMIN_PASSWORD"),
    known(&["pgadmin4", "pgadmin"], "PGADMIN_DEFAULT_EMAIL", None, "PGADMIN_DEFAULT_PASSWORD"),
    known(&["keycloak"], "KC_BOOTSTRAP_ADMIN_USERNAME", None, "KC_BOOTSTRAP_ADMIN_PASSWORD"),
    known(&["elasticsearch"], "ELASTIC_USERNAME", Some("elastic"), "ELASTIC_PASSWORD"),
];

impl KnownLogin {
    /// The login that an image creates, if it is known.
    pub fn of(image: &Image) -> Option<&'static Self> {
        let last = image.repository().rsplit('/').next()?;
        KNOWN.iter().find(|known| known.images.iter().any(|name| is_named(last, name)))
    }
}
