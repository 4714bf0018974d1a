//! The figures that the project promises, each as a ratio to a floor that runs beside it in the same process.
//!
//! `cargo bench -p basilocus` prints them; nothing here passes or fails, because machines are noisy. Single parts:
//! `cargo bench -p basilocus -- kernels|geodesics|convert|formats|reading|geocode|terrain|start`, and `--rows N` for another size of the table.

mod convert;
mod formats;
mod geocode;
mod geodesics;
mod kernels;
mod measure;
mod start;
mod terrain;

pub(crate) use measure::paired;

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|a| a != "--bench").collect();
    if let Some(at) = arguments.iter().position(|a| a == "--child") {
        convert::child(&arguments[at + 1..]);
        return;
    }
    let wanted = |name: &str| {
        let parts: Vec<&String> =
            arguments.iter().filter(|a| !a.starts_with("--") && a.parse::<u64>().is_err()).collect();
        parts.is_empty() || parts.iter().any(|p| *p == name)
    };
    let rows = arguments
        .iter()
        .position(|a| a == "--rows")
        .and_then(|i| arguments.get(i + 1))
        .and_then(|n| n.parse().ok())
        .unwrap_or(1_000_000);
    if wanted("kernels") {
        kernels::run();
    }
    if wanted("geodesics") {
        geodesics::run();
    }
    if wanted("convert") {
        convert::run(rows);
    }
    if wanted("formats") {
        formats::run(rows);
    }
    if wanted("reading") {
        formats::reading(rows);
    }
    if wanted("geocode") {
        geocode::run();
    }
    if wanted("terrain") {
        terrain::run(rows);
    }
    if wanted("start") {
        start::run();
    }
    measure::compare_with_last();
}

/// A small linear generator, so that the data is the same everywhere.
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        self.0 >> 33
    }

    fn unit(&mut self) -> f64 {
        self.next() as f64 / (1u64 << 31) as f64
    }
}
