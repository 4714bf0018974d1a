//! A server for tests, until it is dropped, and what asks it.
#![allow(dead_code, reason = "each test uses a part of it")]

use basilocus::address::reference::PointEntry;
use basilocus::address::{Builder, Entry, grammar};
use basilocus_serve::{Options, serve};
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc;
use std::thread::JoinHandle;

/// A reference of a street with so many houses.
pub fn reference(folder: &Path, houses: u32) -> PathBuf {
    let mut builder = Builder::new(grammar::of_country("US").unwrap());
    for number in 1..=houses {
        let house = PointEntry {
            number: number.to_string(),
            street: "Heron Ln".into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            postcode: "97981".into(),
            lon: -123.8 + f64::from(number) * 1e-4,
            lat: 46.2,
            ..Default::default()
        };
        builder.add(&Entry::Point(house)).unwrap();
    }
    let file = folder.join("heron.reference");
    builder.write(&file).unwrap();
    file
}

/// A table of gates, each some hundred metres from the next.
pub fn gates(folder: &Path, rows: u32) -> PathBuf {
    let mut text = String::from("gate,kind,width,built,lon,lat\n");
    for i in 0..rows {
        let (kind, day) = (if i % 3 == 0 { "weir" } else { "culvert" }, 1 + i % 28);
        text.push_str(&format!(
            "G{i},{kind},{},1958-03-{day:02},{},46.2\n",
            f64::from(i) / 4.0,
            -123.8 + f64::from(i) * 1e-3
        ));
    }
    let file = folder.join("gates.csv");
    std::fs::write(&file, text).unwrap();
    file
}

pub struct Served {
    pub address: String,
    ends: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
}

/// An answer.
pub struct Answer {
    pub status: u16,
    pub headers: BTreeMap<String, String>,
    pub body: String,
}

impl Answer {
    pub fn json(&self) -> Value {
        serde_json::from_str(&self.body).unwrap_or_else(|e| panic!("{e}: {}", self.body))
    }

    pub fn kind(&self) -> &str {
        &self.headers["content-type"]
    }
}

pub fn local() -> Options {
    Options { from: Some("EPSG:4326".into()), ..Options::at(([127, 0, 0, 1], 0).into()) }
}

impl Served {
    pub fn new(options: Options) -> Self {
        let (ready, address) = mpsc::channel();
        let ends = Arc::new(AtomicBool::new(false));
        let end = ends.clone();
        let thread = std::thread::spawn(move || {
            serve(&options, |b| ready.send(b.address).unwrap(), move || end.load(Ordering::SeqCst)).unwrap();
        });
        Served { address: format!("http://{}", address.recv().unwrap()), ends, thread: Some(thread) }
    }

    fn asked(mut response: ureq::http::Response<ureq::Body>) -> Answer {
        let headers = response.headers().iter();
        let headers = headers.map(|(n, v)| (n.to_string(), v.to_str().unwrap().to_string())).collect();
        let body = response.body_mut().read_to_string().unwrap();
        Answer { status: response.status().as_u16(), headers, body }
    }

    fn agent() -> ureq::Agent {
        ureq::Agent::config_builder().http_status_as_error(false).build().into()
    }

    /// The address of a path, or the address itself where it is whole.
    fn at(&self, path: &str) -> String {
        if path.starts_with("http") { path.to_string() } else { format!("{}{path}", self.address) }
    }

    pub fn get_with(&self, path: &str, headers: &[(&str, &str)]) -> Answer {
        let request = headers.iter().fold(Self::agent().get(self.at(path)), |r, (n, v)| r.header(*n, *v));
        Self::asked(request.call().unwrap())
    }

    pub fn get(&self, path: &str) -> Answer {
        self.get_with(path, &[])
    }

    /// A document that has to be there.
    pub fn document(&self, path: &str) -> Value {
        let answer = self.get(path);
        assert_eq!(answer.status, 200, "{path}: {}", answer.body);
        answer.json()
    }

    /// What is wrong with a request.
    pub fn problem(&self, path: &str) -> (u16, String) {
        let answer = self.get(path);
        assert_eq!(answer.kind(), "application/problem+json", "{path}: {}", answer.body);
        (answer.status, answer.json()["detail"].as_str().unwrap().to_string())
    }

    pub fn post_with(&self, path: &str, headers: &[(&str, &str)], body: &str) -> Answer {
        let request = headers.iter().fold(Self::agent().post(self.at(path)), |r, (n, v)| r.header(*n, *v));
        Self::asked(request.send(body).unwrap())
    }

    pub fn delete(&self, path: &str) -> Answer {
        Self::asked(Self::agent().delete(self.at(path)).call().unwrap())
    }

    /// Executes a process.
    pub fn execute(&self, process: &str, inputs: &Value) -> Answer {
        let body = serde_json::json!({"inputs": inputs}).to_string();
        self.post_with(&format!("/processes/{process}/execution"), &[("content-type", "application/json")], &body)
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        self.ends.store(true, Ordering::SeqCst);
        self.thread.take().unwrap().join().unwrap();
    }
}

/// A text in an address.
pub fn encoded(text: &str) -> String {
    text.bytes()
        .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
        .collect()
}

/// The links of a document with a relation.
pub fn links<'a>(document: &'a Value, rel: &str) -> Vec<&'a str> {
    let all = document["links"].as_array().unwrap().iter();
    all.filter(|l| l["rel"] == rel).map(|l| l["href"].as_str().unwrap()).collect()
}
