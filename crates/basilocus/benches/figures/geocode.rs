//! Building a reference of an invented country, opening it, and matching dirty and clean rows against it, beside a floor:
//! the same texts put into normal form and looked up in a map of the clean addresses, which finds none of the dirty ones.
//! Times are those of the processor, on all cores.
//!
//! 1,000,000 address points; 10,000,000 where the command line has the word `large`.

use basilocus::address::{Builder, MatchOptions, Matcher, Outcome, Reference, grammar, normal};
use basilocus_tools::dirt::{self, Row};
use basilocus_tools::invented::{Country, Size};
use basilocus_tools::random::Random;
use std::collections::HashMap;
use std::time::Instant;

const ROWS: usize = 100_000;

pub fn run() {
    figures(400);
    if std::env::args().any(|a| a == "large") {
        figures(4000);
    }
}

fn figures(towns: usize) {
    let country = Country::new(23, Size { towns, streets: 50, houses: 50, withheld: 0, ranges: 0 });
    let points = country.streets.len() * country.size.houses;
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = folder.path().join("bench.reference");
    let before = peak();
    let started = Instant::now();
    let mut builder = Builder::new(&grammar::us::GRAMMAR);
    country.build(&mut builder).expect("usable");
    builder.write(&path).expect("written");
    let seconds = started.elapsed().as_secs_f64();
    drop(builder);
    println!(
        "geocode, {points} address points: built in {seconds:.1} s ({:.0} points a second, their making included), {:.1} bytes a point, {} MB of memory for it",
        points as f64 / seconds,
        std::fs::metadata(&path).map_or(0.0, |m| m.len() as f64) / points as f64,
        peak().saturating_sub(before)
    );
    let mut opening: Vec<f64> = (0..9)
        .map(|_| {
            let started = Instant::now();
            let reference = Reference::open(&path).expect("opens");
            assert!(reference.is_locality(&country.towns[0].name.to_uppercase()));
            started.elapsed().as_secs_f64()
        })
        .collect();
    opening.sort_by(f64::total_cmp);
    println!("  open and one look-up: {:.3} ms", opening[4] * 1e3);
    let reference = Reference::open(&path).expect("opens");
    let mut random = Random::new(7);
    let dirty: Vec<Row> = (0..ROWS)
        .map(|i| {
            let kinds = dirt::several(1 + i % 2, &mut random);
            dirt::row(&country, &kinds, &mut random)
        })
        .collect();
    let plain: Vec<Row> = (0..ROWS).map(|_| dirt::row(&country, &[], &mut random)).collect();
    let clean: HashMap<String, u32> = country
        .streets
        .iter()
        .map(|s| (normal::words(&format!("{} {} {}", s.first, s.text(), country.towns[s.town].name)), s.first))
        .collect();
    let options = MatchOptions { others: 0, ..Default::default() };
    for round in ["first pass", "second pass"] {
        for (what, rows) in [("with one or two kinds of dirt", &dirty), ("clean", &plain)] {
            let (floor, _) = timed(rows, |row| {
                let input = row.input();
                let text = if input.whole.is_empty() { input.street } else { input.whole };
                usize::from(clean.contains_key(&normal::words(text)))
            });
            let started = Instant::now();
            let (seconds, matched) = timed(rows, |row| {
                let matcher = Matcher::borrowing(&reference, &options);
                usize::from(matches!(matcher.find(&row.input()), Outcome::Matched(_)))
            });
            println!(
                "  {round}, {ROWS} rows {what}: {:.2} s of the processor, {:.1} times the floor; {:.0} rows a second on all cores, {:.1} µs a row; {matched} matched",
                seconds,
                seconds / floor,
                ROWS as f64 / started.elapsed().as_secs_f64(),
                1e6 * seconds / ROWS as f64
            );
        }
    }
}

/// Seconds of the processor that this process has had; wall time where the system does not say.
fn processor() -> f64 {
    static STARTED: std::sync::OnceLock<Instant> = std::sync::OnceLock::new();
    let wall = STARTED.get_or_init(Instant::now).elapsed().as_secs_f64();
    // Nanoseconds that each thread has run; a thread that has ended is in none of them, so this is asked from within.
    let text = std::fs::read_to_string("/proc/thread-self/schedstat").unwrap_or_default();
    text.split(' ').next().and_then(|t| t.parse::<f64>().ok()).map_or(wall, |ns| ns * 1e-9)
}

/// Seconds of the processor and the sum of what `work` gives for all rows, on all cores.
fn timed(rows: &[Row], work: impl Fn(&Row) -> usize + Sync) -> (f64, usize) {
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let one = |part: &[Row]| {
        let before = processor();
        let sum = part.iter().map(&work).sum::<usize>();
        (processor() - before, sum)
    };
    std::thread::scope(|scope| {
        let handles: Vec<_> =
            rows.chunks(rows.len().div_ceil(threads)).map(|part| scope.spawn(move || one(part))).collect();
        let parts = handles.into_iter().map(|h| h.join().expect("no panic"));
        parts.fold((0.0, 0), |(seconds, sum), (s, n)| (seconds + s, sum + n))
    })
}

/// Most memory that this process has had, in megabytes; 0 where the system does not say.
fn peak() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|l| l.strip_prefix("VmHWM:"));
    line.and_then(|l| l.trim().trim_end_matches(" kB").parse::<u64>().ok()).unwrap_or(0) / 1024
}
