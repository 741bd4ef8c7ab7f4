//! A MariaDB server of the tests' own: a private data folder, a socket in a temporary folder, removed with the test process.

use std::fs;
use std::os::unix::fs::chown;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// A running server.
pub struct Server {
    folder: PathBuf,
    version: (u32, u32),
}

/// A database of its own, dropped with the value.
pub struct Database {
    server: &'static Server,
    /// The database's name.
    pub name: String,
}

/// Nobody: a server must not run as root.
const NOBODY: u32 = 65534;

fn without_root(command: &mut Command, folder: &Path) {
    if super::postgres::is_root() {
        command.uid(NOBODY).gid(NOBODY);
    }
    // The usual one may be somebody else's.
    command.env("LC_ALL", "C").env("TMPDIR", folder).current_dir(folder);
}

/// The server's program, which is not always on the path.
fn program() -> PathBuf {
    let candidates = ["/usr/sbin/mariadbd", "/usr/libexec/mariadbd", "/usr/bin/mariadbd", "/usr/local/bin/mariadbd"];
    candidates.into_iter().map(PathBuf::from).find(|path| path.is_file()).unwrap_or_else(|| {
        panic!("no MariaDB server is installed; scripts/test does it, or: apt-get install mariadb-server")
    })
}

impl Server {
    /// The server as it is without a configuration; it is started once a test process.
    pub fn usual() -> &'static Server {
        static USUAL: OnceLock<Server> = OnceLock::new();
        USUAL.get_or_init(|| Server::start("usual", &[]))
    }

    /// A server that does not tell names of tables apart by letter case.
    pub fn caseless() -> &'static Server {
        static CASELESS: OnceLock<Server> = OnceLock::new();
        CASELESS.get_or_init(|| Server::start("caseless", &["--lower-case-table-names=1"]))
    }

    /// A server with other defaults than usual, for everything that has one and means something for DDL.
    pub fn unusual() -> &'static Server {
        static UNUSUAL: OnceLock<Server> = OnceLock::new();
        UNUSUAL.get_or_init(|| {
            Server::start(
                "unusual",
                &[
                    "--character-set-server=latin1",
                    "--collation-server=latin1_swedish_ci",
                    "--sql-mode=ANSI,NO_BACKSLASH_ESCAPES,PAD_CHAR_TO_FULL_LENGTH,NO_ZERO_DATE",
                    "--explicit-defaults-for-timestamp=OFF",
                    "--default-storage-engine=Aria",
                    "--default-time-zone=+05:30",
                    "--old-mode=",
                    "--innodb-strict-mode=OFF",
                    "--autocommit=OFF",
                    "--lc-messages=de_DE",
                ],
            )
        })
    }

    /// A server on a port that knows no TLS.
    pub fn without_tls() -> (Server, u16) {
        let port = super::postgres::free_port();
        let port_option = format!("--port={port}");
        let options = ["--skip-ssl", &port_option, "--skip-networking=0", "--bind-address=127.0.0.1"];
        (Server::start("plain", &options), port)
    }

    pub(crate) fn start(label: &str, options: &[&str]) -> Server {
        // Not every user may write everywhere, and a socket's path must be short.
        let folder = std::env::temp_dir().join(format!("wevrun-maria-{label}-{}", std::process::id()));
        let data = folder.join("data");
        fs::create_dir_all(&data).expect("a temporary folder");
        if super::postgres::is_root() {
            for path in [&folder, &data] {
                chown(path, Some(NOBODY), Some(NOBODY)).expect("root may give a folder away");
            }
        }
        let mut install = Command::new("mariadb-install-db");
        install.args(["--no-defaults", "--auth-root-authentication-method=normal", "--skip-test-db"]);
        install.args(options).arg("--datadir").arg(&data);
        without_root(&mut install, &folder);
        let made = install.output().expect("mariadb-install-db runs: apt-get install mariadb-server");
        assert!(made.status.success(), "mariadb-install-db: {}", String::from_utf8_lossy(&made.stderr));
        // The shell waits until our end of the pipe is closed, however this process ends, and stops the server then.
        let mut shell = Command::new("sh");
        shell.arg("-c").arg("\"$@\" & server=$!; cat > /dev/null; kill -KILL $server; wait $server; rm -rf \"$0\"");
        shell.arg(&folder).arg(program()).arg("--no-defaults");
        shell.arg(format!("--datadir={}", data.display())).arg(format!("--socket={}", folder.join("s").display()));
        // Servers that share one disturb each other.
        shell.arg(format!("--tmpdir={}", folder.display()));
        // Nothing has to survive: the disk is not waited for.
        shell.args([
            "--skip-networking",
            "--innodb-flush-log-at-trx-commit=0",
            "--innodb-flush-method=nosync",
            "--innodb-doublewrite=0",
            "--skip-log-bin",
            "--max-connections=200",
            "--default-time-zone=+00:00",
        ]);
        shell.args(options);
        without_root(&mut shell, &folder);
        let log = fs::File::create(folder.join("log")).expect("the folder is there");
        shell.stdin(Stdio::piped()).stdout(log.try_clone().expect("a file")).stderr(log);
        let child = shell.spawn().expect("sh runs");
        // The pipe must stay open as long as the process runs.
        std::mem::forget(child);
        let mut server = Server { folder, version: (0, 0) };
        server.wait();
        let version = server.client("mysql", "SELECT VERSION()").expect("it answers");
        let mut numbers = version.split(['.', '-']).filter_map(|part| part.parse().ok());
        server.version = (numbers.next().unwrap_or(0), numbers.next().unwrap_or(0));
        server
    }

    fn wait(&self) {
        let until = Instant::now() + Duration::from_secs(60);
        while Instant::now() < until {
            if self.client("mysql", "SELECT 1").is_ok() {
                return;
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        panic!("the server does not start: {}", fs::read_to_string(self.folder.join("log")).unwrap_or_default());
    }

    /// Its version: major and minor.
    pub fn version(&self) -> (u32, u32) {
        self.version
    }

    /// A new, empty database.
    pub fn database(&'static self) -> Database {
        self.database_with("utf8mb4", "utf8mb4_general_ci")
    }

    /// The same with these defaults.
    pub fn database_with(&'static self, character_set: &str, collation: &str) -> Database {
        static NUMBER: AtomicUsize = AtomicUsize::new(0);
        let name = format!("honey_{}_{}", std::process::id(), NUMBER.fetch_add(1, Ordering::Relaxed));
        self.client("mysql", &format!("CREATE DATABASE {name} CHARACTER SET {character_set} COLLATE {collation}"))
            .expect("a new database");
        Database { server: self, name }
    }

    /// The URL of a database, over the socket.
    pub fn url(&self, database: &str) -> String {
        let socket = self.folder.join("s").display().to_string().replace('/', "%2F");
        format!("mariadb://root@{socket}/{database}?no-defaults=1")
    }

    /// The URL of a database for another user, who has no password.
    pub fn url_of(&self, user: &str, database: &str) -> String {
        self.url(database).replacen("root@", &format!("{user}@"), 1)
    }

    /// Runs statements with the engine's own client, which stops at the first error; gives its words then.
    pub fn client(&self, database: &str, sql: &str) -> Result<String, String> {
        let script = tempfile::NamedTempFile::new().expect("a temporary file");
        fs::write(script.path(), sql).expect("it can be written");
        let mut client = Command::new("mariadb");
        client.args(["--no-defaults", "--default-character-set=utf8mb4", "--comments", "-uroot", "-N", "--raw"]);
        client.arg(format!("--socket={}", self.folder.join("s").display())).arg(database);
        client.env_remove("MYSQL_PWD").stdin(fs::File::open(script.path()).expect("it is there"));
        let output = client.output().expect("the client runs: apt-get install mariadb-client");
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
    pub fn client(&self, sql: &str) -> Result<String, String> {
        self.server.client(&self.name, sql)
    }

    /// The server's own words for all objects, sorted: SHOW CREATE, with the columns and keys of tables as lines in no order,
    /// and without counters and definers. It shares no code with the program.
    pub fn structure(&self) -> Vec<String> {
        let list = "SELECT CASE table_type WHEN 'VIEW' THEN 'VIEW' WHEN 'SEQUENCE' THEN 'SEQUENCE' ELSE 'TABLE' END, table_name
             FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name NOT LIKE 'wevrun\\_%'
             UNION ALL SELECT routine_type, routine_name FROM information_schema.routines WHERE routine_schema = DATABASE()
             UNION ALL SELECT 'TRIGGER', trigger_name FROM information_schema.triggers WHERE trigger_schema = DATABASE()
             UNION ALL SELECT 'EVENT', event_name FROM information_schema.events WHERE event_schema = DATABASE()";
        let objects = self.client(list).expect("the catalogue can be read");
        let mark = "@@@@ next";
        // The server writes it in defaults that name a sequence.
        let own = format!("`{}`.", self.name);
        let shows: String = objects
            .lines()
            .filter_map(|line| line.split_once('\t'))
            .map(|(kind, name)| format!("SELECT '{mark}';\nSHOW CREATE {kind} `{}`;\n", name.replace('`', "``")))
            .collect();
        let text = self.client(&shows).expect("everything can be shown");
        let mut found: Vec<String> = text
            .split(mark)
            .map(str::trim)
            .filter(|shown| !shown.is_empty())
            .map(|shown| plain(&shown.replace(&own, "")))
            .collect();
        found.sort();
        found
    }

    /// The server's own dump, with rows and programs, without what the program keeps for itself.
    pub fn dump(&self) -> String {
        let mut dump = Command::new("mariadb-dump");
        dump.args(["--no-defaults", "-uroot", "--routines", "--events", "--triggers", "--skip-lock-tables"]);
        dump.arg(format!("--socket={}", self.server.folder.join("s").display()));
        for own in ["wevrun_ledger", "wevrun_journal"] {
            dump.arg(format!("--ignore-table={}.{own}", self.name));
        }
        let output = dump.arg(&self.name).output().expect("mariadb-dump runs");
        assert!(output.status.success(), "mariadb-dump: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    /// Every row of every table, as texts: the table, then what it holds.
    pub fn rows(&self) -> Vec<String> {
        let tables = "SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() AND table_type = 'BASE TABLE'
             AND table_name NOT LIKE 'wevrun\\_%' ORDER BY table_name";
        let names = self.client(tables).expect("the catalogue can be read");
        let mut found = Vec::new();
        for name in names.lines() {
            let rows = self.client(&format!("SELECT * FROM `{}`", name.replace('`', "``"))).unwrap_or_default();
            found.push(format!("{name}: {} rows", rows.lines().count()));
        }
        found
    }
}

/// One object's statement without parts that are no structure.
fn plain(shown: &str) -> String {
    let (first, rest) = shown.split_once('\t').unwrap_or((shown, ""));
    let mut text = rest.to_owned();
    // A counter.
    if let Some(at) = text.find(" AUTO_INCREMENT=") {
        let digits = text[at + 16..].bytes().take_while(u8::is_ascii_digit).count();
        text.replace_range(at..at + 16 + digits, "");
    }
    // Programs and views have character sets and a moment beside.
    if let Some(at) = text.find("\tutf8mb4\t") {
        text.truncate(at);
    }
    if let Some(at) = text.find(" STARTS '") {
        let end = text[at + 9..].find('\'').map_or(text.len(), |end| at + 10 + end);
        text.replace_range(at..end, "");
    }
    if text.starts_with("CREATE TABLE") {
        let mut lines: Vec<&str> = text.lines().map(|line| line.trim_end_matches(',')).collect();
        lines.sort_unstable();
        text = lines.join("\n");
    } else {
        // After a rename the server quotes the name of a trigger's table.
        text = text.replace('`', "").split_whitespace().collect::<Vec<_>>().join(" ");
    }
    format!("{first}: {text}")
}

impl Drop for Database {
    fn drop(&mut self) {
        let _ = self.server.client("mysql", &format!("DROP DATABASE IF EXISTS {}", self.name));
    }
}
