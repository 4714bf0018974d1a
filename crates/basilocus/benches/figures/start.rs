//! What a short command pays: looking up a system, and reading one coordinate.

use std::hint::black_box;
use std::time::Instant;

pub fn run() {
    let catalogue = basilocus::geodesy::crs::Catalogue::embedded();
    let codes: Vec<u32> = catalogue.codes().collect();
    let started = Instant::now();
    for code in &codes {
        black_box(catalogue.get(*code).ok());
    }
    println!(
        "start\n  look-up of a system by its code: {:.2} µs (mean over all {})",
        started.elapsed().as_secs_f64() * 1e6 / codes.len() as f64,
        codes.len()
    );
    let started = Instant::now();
    black_box(catalogue.search("utm 10 north wgs"));
    println!("  search by words over all systems: {:.2} ms", started.elapsed().as_secs_f64() * 1e3);
    // The command lies beside the benchmarks' folder when it has been built.
    let command = std::env::current_exe().ok().and_then(|p| Some(p.parent()?.parent()?.join("basilocus")));
    if let Some(command) = command.filter(|c| c.exists()) {
        let mut times: Vec<f64> = (0..15)
            .filter_map(|_| {
                let started = Instant::now();
                std::process::Command::new(&command).args(["at", "46.2 -123.8"]).output().ok()?;
                Some(started.elapsed().as_secs_f64())
            })
            .collect();
        times.sort_by(f64::total_cmp);
        let mut floor: Vec<f64> = (0..15)
            .filter_map(|_| {
                let started = Instant::now();
                std::process::Command::new("true").output().ok()?;
                Some(started.elapsed().as_secs_f64())
            })
            .collect();
        floor.sort_by(f64::total_cmp);
        println!(
            "  `basilocus at \"46.2 -123.8\"` from start to exit: {:.2} ms (a process that does nothing: {:.2} ms)",
            times[times.len() / 2] * 1e3,
            floor[floor.len() / 2] * 1e3
        );
    }
}
