//! URLs of databases.

use std::fmt;
use std::path::{Path, PathBuf};
use std::str::FromStr;

use wevrun_core::Engine;

/// Where a database is.
#[derive(Clone, PartialEq, Eq)]
pub enum DatabaseUrl {
    /// `sqlite:PATH`.
    Sqlite(PathBuf),
    /// `postgres://…`, as it was given: it may hold a password.
    Postgres(String),
}

/// Why a text is no URL of a database.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum UrlError {
    /// The text names an engine that this Wevrun can't connect to.
    #[error("this Wevrun can't connect to {0} databases yet; it can to sqlite:PATH and postgres://…")]
    NotYet(String),
    /// There is no path.
    #[error("`sqlite:` needs the path of a database file after it, like sqlite:hives.db")]
    NoPath,
    /// It is no URL.
    #[error("`{0}` is not the URL of a database; write one like sqlite:hives.db or postgres://host/database")]
    NotAUrl(String),
}

impl DatabaseUrl {
    /// Whether a text looks like the URL of a database.
    pub fn is_url(text: &str) -> bool {
        ["sqlite:", "postgres:", "postgresql:", "mariadb:", "mysql:"].iter().any(|scheme| text.starts_with(scheme))
    }

    /// The engine.
    pub fn engine(&self) -> Engine {
        match self {
            DatabaseUrl::Sqlite(_) => Engine::Sqlite,
            DatabaseUrl::Postgres(_) => Engine::Postgres,
        }
    }

    /// The same, with a relative path taken from a folder.
    pub fn relative_to(self, folder: &Path) -> DatabaseUrl {
        match self {
            DatabaseUrl::Sqlite(path) => DatabaseUrl::Sqlite(folder.join(path)),
            url @ DatabaseUrl::Postgres(_) => url,
        }
    }
}

impl FromStr for DatabaseUrl {
    type Err = UrlError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        match text.split_once(':') {
            Some(("sqlite", path)) => {
                let path = path.strip_prefix("//").unwrap_or(path);
                if path.is_empty() { Err(UrlError::NoPath) } else { Ok(DatabaseUrl::Sqlite(path.into())) }
            }
            Some(("postgres" | "postgresql", _)) => Ok(DatabaseUrl::Postgres(text.to_owned())),
            Some((scheme @ ("mariadb" | "mysql"), _)) => Err(UrlError::NotYet(scheme.to_owned())),
            // What is no URL may still hold a password: only its beginning is shown.
            _ => Err(UrlError::NotAUrl(text.split_once("://").map_or(text, |(scheme, _)| scheme).to_owned())),
        }
    }
}

impl fmt::Display for DatabaseUrl {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            DatabaseUrl::Sqlite(path) => write!(f, "sqlite:{}", path.display()),
            DatabaseUrl::Postgres(url) => f.write_str(&without_secrets(url)),
        }
    }
}

/// Nothing that prints a URL by accident prints a password.
impl fmt::Debug for DatabaseUrl {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

/// The URL without a password, wherever in it one can stand.
fn without_secrets(url: &str) -> String {
    let (scheme, rest) = url.split_once("://").unwrap_or(("postgres", url));
    let (rest, query) = rest.split_once('?').map_or((rest, None), |(rest, query)| (rest, Some(query)));
    let rest = match rest.rsplit_once('@') {
        Some((login, host)) => format!("{}@{host}", login.split(':').next().unwrap_or_default()),
        None => rest.to_owned(),
    };
    let shown = |pair: &&str| !pair.starts_with("password=");
    let query: Vec<&str> = query.into_iter().flat_map(|query| query.split('&')).filter(shown).collect();
    let query = if query.is_empty() { String::new() } else { format!("?{}", query.join("&")) };
    format!("{scheme}://{rest}{query}")
}
