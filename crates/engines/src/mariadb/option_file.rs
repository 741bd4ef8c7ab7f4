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

    /// Adds options of others that are not set. An explicit host overrides their socket.
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

/// How deep files may include others; the client stops there, too.
const DEEPEST: usize = 10;

/// The options of one file, or of the usual ones, with those of the files that they include.
///
/// # Errors
/// A file that is named can't be read, or files include one another without end.
pub fn read(file: Option<&Path>) -> Result<Options, String> {
    let mut options = Options::default();
    if let Some(file) = file {
        collect_file(file, 0, &mut options)?;
        return Ok(options);
    }
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let usual = [Some(PathBuf::from("/etc/my.cnf")), Some(PathBuf::from("/etc/mysql/my.cnf"))];
    for path in usual.into_iter().chain([home.map(|home| home.join(".my.cnf"))]).flatten() {
        if let Ok(text) = std::fs::read_to_string(&path) {
            collect(&text, (&path, 0), &mut options)?;
        }
    }
    Ok(options)
}

fn collect_file(path: &Path, depth: usize, options: &mut Options) -> Result<(), String> {
    let text = std::fs::read_to_string(path).map_err(|error| format!("{} can't be read: {error}", path.display()))?;
    collect(&text, (path, depth), options)
}

/// The options of a text. The groups of an included file are its own: after it, the present group continues.
fn collect(text: &str, (path, depth): (&Path, usize), options: &mut Options) -> Result<(), String> {
    let mut counts = false;
    for line in text.lines().map(str::trim) {
        if let Some(included) = directive(line, "!includedir") {
            let unread = |error| format!("{line} in {}: {error}", path.display());
            let entries = std::fs::read_dir(included).map_err(unread)?;
            let files = entries.map(|entry| Ok(entry.map_err(unread)?.path()));
            let mut files: Vec<PathBuf> = files.collect::<Result<_, String>>()?;
            files.retain(|file| file.extension().is_some_and(|extension| extension == "cnf"));
            files.sort();
            for file in files {
                include(&file, line, (path, depth), options)?;
            }
        } else if let Some(included) = directive(line, "!include") {
            include(Path::new(included), line, (path, depth), options)?;
        } else if let Some(group) = line.strip_prefix('[').and_then(|rest| rest.split(']').next()) {
            counts = GROUPS.contains(&group);
        } else if counts && !line.is_empty() && !line.starts_with(['#', ';', '!']) {
            let (name, value) = line.split_once('=').unwrap_or((line, ""));
            options.set(name.trim(), unquoted(value.trim()));
        }
    }
    Ok(())
}

/// The path after the word of a line.
fn directive<'l>(line: &'l str, word: &str) -> Option<&'l str> {
    let rest = line.strip_prefix(word)?;
    rest.starts_with(char::is_whitespace).then(|| rest.trim())
}

fn include(file: &Path, line: &str, (path, depth): (&Path, usize), options: &mut Options) -> Result<(), String> {
    if depth == DEEPEST {
        return Err(format!("{line} in {}: more than {DEEPEST} files include one another", path.display()));
    }
    collect_file(file, depth + 1, options).map_err(|why| format!("{line} in {}: {why}", path.display()))
}

fn unquoted(value: &str) -> &str {
    let quoted = |quote: char| value.strip_prefix(quote).and_then(|rest| rest.strip_suffix(quote));
    quoted('"').or_else(|| quoted('\'')).unwrap_or_else(|| value.split(" #").next().unwrap_or(value).trim())
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::read;

    #[test]
    fn only_groups_of_clients_count() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("my.cnf");
        let text =
            "[mysqld]\nport=1\n[client]\nuser = ida\npassword=\"a#b\"\nssl_ca=/x # here\n[mysqldump]\nuser=eve\n";
        fs::write(&file, text).expect("it can be written");
        let options = read(Some(&file)).expect("it can be read");
        assert_eq!(options.get("user"), Some("ida"));
        assert_eq!(options.get("password"), Some("a#b"));
        assert_eq!(options.get("ssl-ca"), Some("/x"));
        assert_eq!(options.get("port"), None);
    }

    #[test]
    fn included_files_count_where_they_are_included() {
        let folder = tempfile::tempdir().expect("a folder");
        let path = |name: &str| folder.path().join(name);
        let write = |name: &str, text: &str| fs::write(path(name), text).expect("it can be written");
        fs::create_dir(path("conf.d")).expect("a folder");
        write("conf.d/b.cnf", "[client]\nuser=second\nport=7\n");
        write("conf.d/a.cnf", "[client]\nuser=first\n");
        write("conf.d/c.cnf.old", "[client]\nuser=old\n");
        write("one.cnf", "[mysqld]\nuser=server\n[mariadb]\nhost=hive\n");
        let own = folder.path().display();
        write(
            "my.cnf",
            &format!("[client]\nuser=zero\n!includedir {own}/conf.d\nport=9\n!include {own}/one.cnf\npassword=p\n"),
        );
        let options = read(Some(&path("my.cnf"))).expect("it can be read");
        let found = ["user", "port", "host", "password"].map(|name| options.get(name).unwrap_or_default());
        assert_eq!(found, ["second", "9", "hive", "p"]);
    }

    #[test]
    fn what_can_not_be_included_is_an_error() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("my.cnf");
        for (line, why) in [
            ("!include /no/such.cnf", "/no/such.cnf can't be read"),
            ("!includedir /no/such", "!includedir /no/such in"),
            (&format!("!include {}", file.display()), "more than 10 files include one another"),
        ] {
            fs::write(&file, format!("{line}\n")).expect("it can be written");
            let error = read(Some(&file)).expect_err("it can't be read");
            assert!(error.contains(why), "{error}");
        }
    }
}
