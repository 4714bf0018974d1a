//! Matching 100,000 dirty rows against 1,000,000 address points, opening that reference, and how sure the
//! confidence is: of the rows at each confidence, the share that is right.

use crate::Random;
use basilocus::address::reference::PointEntry;
use basilocus::address::{AddressInput, Builder, Entry, MatchOptions, Matcher, Outcome, Reference, grammar};
use std::time::Instant;

const TOWNS: usize = 400;
const STREETS: usize = 50;
const HOUSES: usize = 50;
const ROWS: usize = 100_000;

struct Row {
    whole: String,
    lon: f64,
    lat: f64,
}

pub fn run() {
    let mut random = Random(23);
    let names: Vec<String> = (0..9000).map(|_| word(&mut random, 2)).collect();
    let towns: Vec<String> = (0..TOWNS).map(|_| word(&mut random, 3)).collect();
    let types = ["St", "Ave", "Rd", "Ln", "Dr", "Ct", "Way", "Pl"];
    let directions = ["", "", "", "N ", "S ", "E ", "W "];
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = folder.path().join("bench.reference");
    let started = Instant::now();
    let mut builder = Builder::new(&grammar::us::GRAMMAR);
    let mut truth: Vec<(u32, String, usize, f64, f64)> = Vec::new();
    for (t, town) in towns.iter().enumerate() {
        for s in 0..STREETS {
            let street = format!(
                "{}{} {}",
                directions[random.below(directions.len())],
                names[random.below(names.len())],
                types[random.below(types.len())]
            );
            for h in 0..HOUSES {
                let number = 100 + 7 * h as u32 + random.below(6) as u32;
                let lon = -124.0 + 0.05 * (t % 20) as f64 + 0.0009 * (s % 10) as f64 + 0.00001 * h as f64;
                let lat = 44.0 + 0.05 * (t / 20) as f64 + 0.0009 * (s / 10) as f64 + 0.000005 * h as f64;
                let entry = PointEntry {
                    number: number.to_string(),
                    street: street.clone(),
                    locality: town.clone(),
                    region: "OR".into(),
                    postcode: format!("{:05}", 97000 + t),
                    lon,
                    lat,
                };
                builder.add(&Entry::Point(entry)).expect("usable");
                if random.below(10) == 0 && truth.len() < ROWS {
                    truth.push((number, street.clone(), t, lon, lat));
                }
            }
        }
    }
    builder.write(&path).expect("written");
    let points = TOWNS * STREETS * HOUSES;
    println!(
        "geocode, {points} address points: built in {:.1} s, {:.1} bytes a point",
        started.elapsed().as_secs_f64(),
        std::fs::metadata(&path).map_or(0.0, |m| m.len() as f64) / points as f64
    );
    let mut opening: Vec<f64> = (0..9)
        .map(|_| {
            let started = Instant::now();
            let reference = Reference::open(&path).expect("opens");
            assert!(reference.is_locality(&towns[0].to_uppercase()));
            started.elapsed().as_secs_f64()
        })
        .collect();
    opening.sort_by(f64::total_cmp);
    println!("  open and one look-up: {:.3} ms", opening[4] * 1e3);
    let reference = Reference::open(&path).expect("opens");
    let rows: Vec<Row> = truth
        .iter()
        .map(|(n, street, t, lon, lat)| Row {
            whole: dirty(*n, street, &towns[*t], 97000 + t, &mut random),
            lon: *lon,
            lat: *lat,
        })
        .collect();
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let mut results: Vec<(u8, bool)> = Vec::new();
    for round in 0..2 {
        let started = Instant::now();
        results = std::thread::scope(|scope| {
            let handles: Vec<_> = rows
                .chunks(rows.len().div_ceil(threads))
                .map(|part| scope.spawn(|| match_rows(&reference, part)))
                .collect();
            handles.into_iter().flat_map(|h| h.join().expect("no panic")).collect()
        });
        let seconds = started.elapsed().as_secs_f64();
        println!(
            "  {} {} dirty rows on {threads} threads: {:.0} rows a second",
            if round == 0 { "first pass," } else { "second pass," },
            rows.len(),
            rows.len() as f64 / seconds
        );
    }
    println!("  confidence  rows    right (same address point)");
    for band in [(100, 101), (95, 100), (90, 95), (80, 90), (70, 80), (60, 70), (1, 60)] {
        let here: Vec<bool> =
            results.iter().filter(|(c, _)| (band.0..band.1).contains(&u32::from(*c))).map(|(_, r)| *r).collect();
        if !here.is_empty() {
            println!(
                "  {:>3}–{:<3}    {:>6}    {:.2} %",
                band.0,
                band.1 - 1,
                here.len(),
                100.0 * here.iter().filter(|r| **r).count() as f64 / here.len() as f64
            );
        }
    }
    let aside = results.iter().filter(|(c, _)| *c == 0).count();
    let right = results.iter().filter(|(_, r)| *r).count();
    println!(
        "  set aside {aside}, right {right} of {} ({:.2} %)",
        results.len(),
        100.0 * right as f64 / results.len() as f64
    );
}

fn match_rows(reference: &Reference, rows: &[Row]) -> Vec<(u8, bool)> {
    let matcher = Matcher::new(reference, MatchOptions::default());
    rows.iter()
        .map(|row| match matcher.find(&AddressInput { whole: &row.whole, ..Default::default() }) {
            Outcome::Matched(m) => {
                (m.best.confidence.max(1), (m.best.lon - row.lon).abs() < 1e-6 && (m.best.lat - row.lat).abs() < 1e-6)
            }
            Outcome::SetAside { .. } => (0, false),
        })
        .collect()
}

/// A made-up name of two or three syllables.
fn word(random: &mut Random, syllables: usize) -> String {
    const ONSETS: [&str; 20] =
        ["b", "br", "c", "d", "f", "g", "gr", "h", "k", "l", "m", "n", "p", "r", "s", "st", "t", "tr", "v", "w"];
    const ENDS: [&str; 15] =
        ["a", "el", "en", "er", "ick", "in", "o", "on", "or", "all", "am", "ard", "eck", "ill", "ow"];
    let mut out = String::new();
    for _ in 0..syllables {
        out.push_str(ONSETS[random.below(ONSETS.len())]);
        out.push_str(ENDS[random.below(ENDS.len())]);
    }
    let mut chars = out.chars();
    chars.next().map_or(String::new(), |c| c.to_uppercase().collect::<String>() + chars.as_str())
}

/// One or two kinds of dirt on every row: a letter swapped, dropped, doubled or changed in street or town, a type
/// left out or spelt out, a wrong digit in the postcode, no postcode, a unit, no commas, capitals.
fn dirty(number: u32, street: &str, town: &str, postcode: usize, random: &mut Random) -> String {
    let (mut street, mut town, mut postcode) = (street.to_string(), town.to_string(), postcode.to_string());
    let mut commas = true;
    let mut capitals = false;
    for _ in 0..=random.below(2) {
        match random.below(10) {
            0..=2 => street = misspelt(&street, random),
            3 => town = misspelt(&town, random),
            4 => street = street.rsplit_once(' ').map_or(street.clone(), |(a, _)| a.to_string()),
            5 => {
                street = street
                    .replace(" St", " Street")
                    .replace(" Ave", " Av")
                    .replace(" Rd", " Road")
                    .replace("N ", "North ")
            }
            6 if !postcode.is_empty() => {
                let at = 3 + random.below(2);
                postcode.replace_range(at..=at, &random.below(10).to_string());
            }
            7 => postcode.clear(),
            8 => street.push_str(&format!(" Apt {}", 1 + random.below(40))),
            _ => {
                commas = random.below(2) == 0;
                capitals = !commas;
            }
        }
    }
    let text = if commas {
        format!("{number} {street}, {town}, OR {postcode}")
    } else {
        format!("{number} {street} {town} OR {postcode}")
    };
    if capitals { text.to_uppercase() } else { text }
}

fn misspelt(text: &str, random: &mut Random) -> String {
    let mut letters: Vec<char> = text.chars().collect();
    // Within the longest word, which is the name.
    let start = text.split(' ').max_by_key(|w| w.len()).and_then(|w| text.find(w)).unwrap_or(0);
    let length = text.split(' ').map(str::len).max().unwrap_or(1);
    let at = start + random.below(length);
    match random.below(4) {
        0 if at + 1 < start + length => letters.swap(at, at + 1),
        1 => {
            letters.remove(at);
        }
        2 => letters.insert(at, letters[at]),
        _ => letters[at] = char::from(b'a' + random.below(26) as u8),
    }
    letters.into_iter().collect()
}
