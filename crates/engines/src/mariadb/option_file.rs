//! Option files of the engine's client: only the groups that clients read, never a server's.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// The groups that the `mariadb` client reads.
const GROUPS: [&str; 6] = ["client", "client-server", "client-mariadb", "mysql", "mariadb-client", "mariadb"];

/// Options by their names, with hyphens.
#[derive(Debug, Clone, Default)]
pub struct Options(BTreeMap<String, String>);

impl Options {
    /// Sets one.
    pub fn set(&mut self, name: &str, value: &str) {
        self.0.insert(name.replace('_', "-"), value.to_owned());
    }

    /// The value of one.
    pub fn get(&self, name: &str) -> Option<&str> {
        self.0.get(name).map(String::as_str)
    }

    /// Takes what is not said from others. A host that is said makes their socket meaningless.
    pub fn and_then_from(&mut self, others: &Options) {
        let has_place = ["host", "socket", "port"].iter().any(|name| self.0.contains_key(*name));
        for (name, value) in &others.0 {
            let is_place = matches!(name.as_str(), "host" | "socket" | "port");
            if !(is_place && has_place) {
                self.0.entry(name.clone()).or_insert_with(|| value.clone());
            }
        }
    }
}

/// The options of one file, or of the usual ones.
pub fn read(file: Option<&Path>) -> Result<Options, String> {
    let mut options = Options::default();
    if let Some(file) = file {
        let text =
            std::fs::read_to_string(file).map_err(|error| format!("{} can't be read: {error}", file.display()))?;
        collect(&text, &mut options);
        return Ok(options);
    }
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let usual = [Some(PathBuf::from("/etc/my.cnf")), Some(PathBuf::from("/etc/mysql/my.cnf"))];
    for path in usual.into_iter().chain([home.map(|home| home.join(".my.cnf"))]).flatten() {
        if let Ok(text) = std::fs::read_to_string(path) {
            collect(&text, &mut options);
        }
    }
    Ok(options)
}

fn collect(text: &str, options: &mut Options) {
    let mut counts = false;
    for line in text.lines().map(str::trim) {
        if let Some(group) = line.strip_prefix('[').and_then(|rest| rest.split(']').next()) {
            counts = GROUPS.contains(&group);
        } else if counts && !line.is_empty() && !line.starts_with(['#', ';', '!']) {
            let (name, value) = line.split_once('=').unwrap_or((line, ""));
            options.set(name.trim(), unquoted(value.trim()));
        }
    }
}

fn unquoted(value: &str) -> &str {
    let quoted = |quote: char| value.strip_prefix(quote).and_then(|rest| rest.strip_suffix(quote));
    quoted('"').or_else(|| quoted('\'')).unwrap_or_else(|| value.split(" #").next().unwrap_or(value).trim())
}

#[cfg(test)]
mod tests {
    use super::{Options, collect};

    #[test]
    fn only_groups_of_clients_count() {
        let mut options = Options::default();
        collect(
            "[mysqld]\nport=1\n[client]\nuser = ida\npassword=\"a#b\"\nssl_ca=/x # here\n[mysqldump]\nuser=eve\n",
            &mut options,
        );
        assert_eq!(options.get("user"), Some("ida"));
        assert_eq!(options.get("password"), Some("a#b"));
        assert_eq!(options.get("ssl-ca"), Some("/x"));
        assert_eq!(options.get("port"), None);
    }
}
