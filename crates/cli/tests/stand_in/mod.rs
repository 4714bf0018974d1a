//! A stand-in for a service, as the command serves it.
#![allow(dead_code, missing_docs)]

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};

/// A stand-in, until it is dropped.
pub struct StandIn {
    child: Child,
    pub address: String,
}

impl StandIn {
    pub fn of(kind: &str, arguments: &[&str]) -> Self {
        Self::serving(&[&["--stand-in", kind], arguments].concat())
    }

    /// What is served, and is no stand-in.
    pub fn serving(arguments: &[&str]) -> Self {
        let mut child = Command::new(assert_cmd::cargo::cargo_bin("basilocus"))
            .args(["serve", "--listen", "127.0.0.1:0"])
            .args(arguments)
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(child.stderr.take().unwrap()).read_line(&mut line).unwrap();
        let at = line.find("http://").unwrap_or_else(|| panic!("{line}"));
        let address = line[at..].split(';').next().unwrap().trim().to_string();
        StandIn { child, address }
    }

    pub fn feed(&self, name: &str) -> String {
        format!("{}/feed/{name}", self.address)
    }

    pub fn openls(&self) -> String {
        format!("{}/openls", self.address)
    }

    /// What it would bill: requests that came, addresses that were asked for.
    pub fn account(&self) -> (u64, u64) {
        let mut response = ureq::get(format!("{}/account", self.address)).call().unwrap();
        let body: serde_json::Value = serde_json::from_str(&response.body_mut().read_to_string().unwrap()).unwrap();
        (body["requests"].as_u64().unwrap(), body["addresses"].as_u64().unwrap())
    }
}

impl Drop for StandIn {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
