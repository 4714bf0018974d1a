//! A folder for the real binary to work in.
#![allow(dead_code, missing_docs)]

use assert_cmd::Command;
use serde_json::Value;

/// A folder with a table of gates.
pub struct Folder(pub tempfile::TempDir);

impl Folder {
    pub fn new() -> Self {
        let f = Folder(tempfile::tempdir().unwrap());
        f.write(
            "gates.csv",
            "id,lon,lat\n1,-123.8,46.2\n2,-123.7,95\n3,abc,46\n4,-123.5\n5,-123.5,46.1,7\n\n6,\"-123,5\",\"46,1\"\n7,123° 48' W,N46.2\n",
        );
        f
    }

    pub fn write(&self, name: &str, bytes: impl AsRef<[u8]>) {
        std::fs::write(self.0.path().join(name), bytes).unwrap();
    }

    pub fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.0.path().join(name)).unwrap()
    }

    pub fn path(&self, name: &str) -> std::path::PathBuf {
        self.0.path().join(name)
    }

    pub fn command(&self, line: &[&str]) -> Command {
        let mut c = Command::cargo_bin("basilocus").unwrap();
        c.current_dir(self.0.path()).args(line);
        c
    }

    /// Exit status, standard output, standard error.
    pub fn run(&self, line: &[&str]) -> (i32, String, String) {
        let o = self.command(line).output().unwrap();
        (o.status.code().unwrap_or(-1), String::from_utf8(o.stdout).unwrap(), String::from_utf8(o.stderr).unwrap())
    }

    #[track_caller]
    pub fn ok(&self, line: &[&str]) -> String {
        let (status, out, err) = self.run(line);
        assert_eq!(status, 0, "{line:?}: {err}");
        out
    }

    #[track_caller]
    pub fn json(&self, line: &[&str]) -> Value {
        serde_json::from_str(&self.ok(line)).unwrap()
    }

    /// The message of a command that fails, and its status.
    #[track_caller]
    pub fn refusal(&self, line: &[&str]) -> String {
        let (status, out, err) = self.run(line);
        assert!(status == 1 || status == 2, "{line:?} gave {status}: {out}");
        assert!(out.is_empty() || line.contains(&"--json"), "nothing on standard output but a report: {out}");
        format!("[{status}] {}", err.trim_end())
    }

    pub fn names(&self) -> Vec<String> {
        let mut names: Vec<String> = std::fs::read_dir(self.0.path())
            .unwrap()
            .map(|e| e.unwrap().file_name().to_string_lossy().into_owned())
            .collect();
        names.sort();
        names
    }
}
