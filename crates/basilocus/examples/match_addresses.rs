//! Builds a small address reference and matches dirty addresses against it.
//!
//! `cargo run -p basilocus --example match_addresses`

use basilocus::address::reference::{PlaceEntry, PointEntry};
use basilocus::address::{AddressInput, Builder, Entry, MatchOptions, Matcher, Outcome, Reference, grammar};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut builder = Builder::new(&grammar::us::GRAMMAR);
    for number in [12, 14, 18] {
        builder.add(&Entry::Point(PointEntry {
            number: number.to_string(),
            street: "Heron Lane".into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            postcode: "97981".into(),
            lon: -123.8 + f64::from(number) * 1e-4,
            lat: 46.2,
            ..Default::default()
        }))?;
    }
    builder.add(&Entry::Place(PlaceEntry {
        name: "Ternport".into(),
        region: "OR".into(),
        lon: -123.8,
        lat: 46.2,
        ..Default::default()
    }))?;
    let path = std::env::temp_dir().join(format!("basilocus-example-{}.reference", std::process::id()));
    builder.write(&path)?;
    let reference = Reference::open(&path)?;
    let matcher = Matcher::new(&reference, MatchOptions::default());
    for text in ["14 Herron Ln, Trenport OR 97981", "16 Heron Ln, Ternport", "Ternport, WA"] {
        match matcher.find(&AddressInput { whole: text, ..Default::default() }) {
            Outcome::Matched(m) => println!(
                "{text}\n  {} ({}, confidence {}) {}",
                m.best.address,
                m.best.level.name(),
                m.best.confidence,
                m.best.changes.join("; ")
            ),
            Outcome::SetAside { reason, .. } => println!("{text}\n  set aside: {reason}"),
        }
    }
    std::fs::remove_file(path)?;
    Ok(())
}
