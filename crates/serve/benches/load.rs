//! How many requests are answered: as a ratio to an axum handler that answers a constant of the same length, asked by the
//! same client in the same process, in turn.
//!
//! `cargo bench -p basilocus-serve` prints it; nothing here passes or fails, because machines are noisy. `--requests N` says how
//! many are asked to see whether memory grows (100,000 unless said).

use axum::routing::post;
use basilocus_serve::{Options, serve};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{SocketAddr, TcpStream};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc;
use std::time::{Duration, Instant};

/// Connections of the client: as many threads, each with one request under way.
const CONNECTIONS: usize = 4;
const SECONDS: f64 = 3.0;
const ROUNDS: usize = 5;
const SINGLE: &str = r#"{"inputs":{"positions":[[-123.8,46.2]],"to":"EPSG:32610"}}"#;

/// A connection that stays open.
struct Client {
    writer: TcpStream,
    reader: BufReader<TcpStream>,
    request: Vec<u8>,
    body: Vec<u8>,
}

impl Client {
    fn new(address: SocketAddr, body: &str) -> Self {
        let stream = TcpStream::connect(address).unwrap();
        stream.set_nodelay(true).unwrap();
        let request = format!(
            "POST /processes/convert/execution HTTP/1.1\r\nHost: {address}\r\nContent-Type: application/json\r\nContent-Length: {}\r\n\r\n{body}",
            body.len()
        );
        let reader = BufReader::new(stream.try_clone().unwrap());
        Client { writer: stream, reader, request: request.into_bytes(), body: Vec::new() }
    }

    /// Asks once; gives the length of the answer.
    fn ask(&mut self) -> usize {
        self.writer.write_all(&self.request).unwrap();
        let (mut line, mut length) = (String::new(), 0);
        loop {
            line.clear();
            self.reader.read_line(&mut line).unwrap();
            let lower = line.to_ascii_lowercase();
            assert!(!lower.starts_with("http/") || lower.contains(" 200 "), "{line}");
            if let Some(n) = lower.strip_prefix("content-length:") {
                length = n.trim().parse().unwrap();
            }
            if line.trim().is_empty() {
                break;
            }
        }
        self.body.resize(length, 0);
        self.reader.read_exact(&mut self.body).unwrap();
        length
    }
}

/// Requests a second of all connections together.
fn rate(address: SocketAddr, body: &str, seconds: f64) -> f64 {
    let begun = Instant::now();
    let counts: Vec<u64> = std::thread::scope(|scope| {
        let each = |_| {
            scope.spawn(|| {
                let mut client = Client::new(address, body);
                let mut count = 0u64;
                while begun.elapsed().as_secs_f64() < seconds {
                    client.ask();
                    count += 1;
                }
                count
            })
        };
        let threads: Vec<_> = (0..CONNECTIONS).map(each).collect();
        threads.into_iter().map(|t| t.join().unwrap()).collect()
    });
    counts.iter().sum::<u64>() as f64 / begun.elapsed().as_secs_f64()
}

/// How long answers take, milliseconds, where so many a second are asked in even steps; sorted.
fn latencies(address: SocketAddr, body: &str, per_second: f64) -> Vec<f64> {
    let pause = Duration::from_secs_f64(CONNECTIONS as f64 / per_second);
    let mut all: Vec<f64> = std::thread::scope(|scope| {
        let each = |_| {
            scope.spawn(|| {
                let mut client = Client::new(address, body);
                let begun = Instant::now();
                let mut out = Vec::new();
                let mut due = begun;
                while begun.elapsed().as_secs_f64() < SECONDS {
                    if let Some(wait) = due.checked_duration_since(Instant::now()) {
                        std::thread::sleep(wait);
                    }
                    client.ask();
                    // From when it was due: a server that stalls does not hide it.
                    out.push(due.elapsed().as_secs_f64() * 1e3);
                    due += pause;
                }
                out
            })
        };
        let threads: Vec<_> = (0..CONNECTIONS).map(each).collect();
        threads.into_iter().flat_map(|t| t.join().unwrap()).collect()
    });
    all.sort_by(f64::total_cmp);
    all
}

/// Kilobytes of memory that this process has.
fn memory_kb() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|l| l.strip_prefix("VmRSS:"));
    line.and_then(|l| l.split_whitespace().next()?.parse().ok()).unwrap_or(0)
}

fn served() -> (SocketAddr, impl FnOnce()) {
    let (ready, address) = mpsc::channel();
    let ends = Arc::new(AtomicBool::new(false));
    let end = ends.clone();
    let options = Options::at(([127, 0, 0, 1], 0).into());
    let thread = std::thread::spawn(move || {
        serve(&options, |b| ready.send(b.address).unwrap(), move || end.load(Ordering::SeqCst)).unwrap();
    });
    let stop = move || {
        ends.store(true, Ordering::SeqCst);
        thread.join().unwrap();
    };
    (address.recv().unwrap(), stop)
}

/// A handler that answers a constant.
fn constant(answer: String) -> SocketAddr {
    let (ready, address) = mpsc::channel();
    std::thread::spawn(move || {
        let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().unwrap();
        runtime.block_on(async {
            let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
            ready.send(listener.local_addr().unwrap()).unwrap();
            let handler = move |_: axum::body::Bytes| {
                let answer = answer.clone();
                async move { answer }
            };
            let router = axum::Router::new().route("/processes/convert/execution", post(handler));
            axum::serve(listener, router).await.unwrap();
        });
    });
    address.recv().unwrap()
}

/// What the library does with the same text in one thread: positions a second.
fn by_the_library(body: &str) -> f64 {
    let document: serde_json::Value = serde_json::from_str(body).unwrap();
    let to = document["inputs"]["to"].as_str().unwrap().to_string();
    let catalogue = basilocus::geodesy::crs::Catalogue::embedded();
    let from = catalogue.get(4326).unwrap();
    let to = catalogue.find_one(&to).unwrap();
    let operation = basilocus::geodesy::operation::Operation::between(&from, &to, None).unwrap();
    let begun = Instant::now();
    let mut positions = 0;
    while begun.elapsed().as_secs_f64() < SECONDS {
        let document: serde_json::Value = serde_json::from_str(body).unwrap();
        let list = document["inputs"]["positions"].as_array().unwrap();
        let column = |at: usize| list.iter().map(|p| p[at].as_f64().unwrap()).collect::<Vec<f64>>();
        let (mut x, mut y) = (column(0), column(1));
        let mut z = vec![f64::NAN; x.len()];
        operation.apply(&mut x, &mut y, &mut z);
        let out: Vec<[f64; 2]> =
            x.iter().zip(&y).map(|(x, y)| [(x * 1e4).round() / 1e4, (y * 1e4).round() / 1e4]).collect();
        std::hint::black_box(serde_json::to_string(&out).unwrap());
        positions += out.len();
    }
    positions as f64 / begun.elapsed().as_secs_f64()
}

fn main() {
    let arguments: Vec<String> = std::env::args().collect();
    let requests: u64 = arguments
        .iter()
        .position(|a| a == "--requests")
        .and_then(|i| arguments.get(i + 1)?.parse().ok())
        .unwrap_or(100_000);
    let (address, stop) = served();
    let answer_length = Client::new(address, SINGLE).ask();
    let floor = constant("x".repeat(answer_length));
    println!("Served: {CONNECTIONS} connections of a client in this process, one request under way on each");
    let mut ratios = Vec::new();
    let (mut ours, mut floors) = (Vec::new(), Vec::new());
    for _ in 0..ROUNDS {
        let (a, b) = (rate(address, SINGLE, SECONDS), rate(floor, SINGLE, SECONDS));
        ours.push(a);
        floors.push(b);
        ratios.push(b / a);
    }
    for list in [&mut ratios, &mut ours, &mut floors] {
        list.sort_by(f64::total_cmp);
    }
    let middle = ROUNDS / 2;
    println!(
        "  a position a request: {:.0} a second; a constant {:.0}; {:.2} times as long",
        ours[middle], floors[middle], ratios[middle]
    );
    let took = latencies(address, SINGLE, ours[middle] / 2.0);
    let at = |share: f64| took[((took.len() - 1) as f64 * share) as usize];
    println!(
        "  at half of that: {:.2} ms in the middle, {:.2} ms of 99 in 100, {:.2} ms at most",
        at(0.5),
        at(0.99),
        at(1.0)
    );
    let positions: Vec<String> = (0..10_000).map(|i| format!("[{},{}]", -123.8 + f64::from(i) * 1e-5, 46.2)).collect();
    let batch = format!("{{\"inputs\":{{\"positions\":[{}],\"to\":\"EPSG:32610\"}}}}", positions.join(","));
    let batches = rate(address, &batch, SECONDS) * positions.len() as f64;
    let library = by_the_library(&batch);
    println!(
        "  10,000 positions a request: {batches:.0} positions a second on all cores; the library with the same text on one {library:.0}; {:.2} of it",
        batches / library
    );
    let before = memory_kb();
    let mut client = Client::new(address, SINGLE);
    for _ in 0..requests {
        client.ask();
    }
    println!("  memory: {} kB before and {} kB after {requests} requests", before, memory_kb());
    drop(client);
    stop();
}
