//! Temporary projects, and the built program run in them.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use tempfile::TempDir;

/// A project in a temporary folder.
pub struct TestProject {
    folder: TempDir,
    program: PathBuf,
}

/// The result of a run of the program.
#[derive(Debug)]
pub struct Run {
    /// The exit status.
    pub status: i32,
    /// Standard output.
    pub stdout: String,
    /// Standard error.
    pub stderr: String,
}

impl TestProject {
    /// An empty folder; `program` is the built `wevrun`.
    pub fn empty(program: &str) -> TestProject {
        TestProject { folder: TempDir::new().expect("a temporary folder"), program: program.into() }
    }

    /// A project with settings, these source files, and the targets `test` and `production`.
    pub fn new(program: &str, files: &[(&str, &str)]) -> TestProject {
        let project = TestProject::empty(program);
        project.write(
            "wevrun.toml",
            "[project]\nname = \"honey\"\nengine = \"sqlite\"\nengine-version = \"3.40\"\nsource = [\"schema/**/*.sql\"]\n\n\
             [targets.test]\nurl = \"sqlite:test.db\"\n\n[targets.production]\nurl = \"sqlite:production.db\"\n",
        );
        files.iter().for_each(|(path, text)| project.write(path, text));
        project
    }

    /// The folder.
    pub fn path(&self) -> &Path {
        self.folder.path()
    }

    /// A path in it.
    pub fn file(&self, path: &str) -> PathBuf {
        self.folder.path().join(path)
    }

    /// Writes a file.
    pub fn write(&self, path: &str, text: impl AsRef<[u8]>) {
        let path = self.file(path);
        fs::create_dir_all(path.parent().expect("a file stands in a folder")).expect("a folder");
        fs::write(path, text).expect("a file");
    }

    /// Reads a file.
    pub fn read(&self, path: &str) -> String {
        fs::read_to_string(self.file(path)).expect("a file")
    }

    /// The program, to be run in the folder.
    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(&self.program);
        command.args(arguments).current_dir(self.path()).env_remove("NO_COLOR").env("COLUMNS", "100");
        command
    }

    /// Runs the program.
    pub fn run(&self, arguments: &[&str]) -> Run {
        self.run_command(self.command(arguments))
    }

    /// Runs what [`Self::command`] gave, after it has got something more.
    pub fn run_command(&self, mut command: Command) -> Run {
        let Output { status, stdout, stderr } = command.output().expect("the program runs");
        let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).replace(&self.path().display().to_string(), "DIR");
        Run { status: status.code().unwrap_or(-1), stdout: text(stdout), stderr: text(stderr) }
    }

    /// Runs the program, which must end with this status.
    pub fn expect(&self, status: i32, arguments: &[&str]) -> Run {
        let run = self.run(arguments);
        assert_eq!(run.status, status, "wevrun {}\n{}\n{}", arguments.join(" "), run.stdout, run.stderr);
        run
    }
}
