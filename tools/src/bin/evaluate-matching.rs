//! How good the matching is: generated addresses, clean and dirty, against an invented country whose truth is known.
//!
//! usage: `cargo run --release -p basilocus-tools --bin evaluate-matching [SEED [TOWNS [ROWS]]]`
//! The country and the dirt are described in `tools/src/invented.rs` and `tools/src/dirt.rs`.

use anyhow::{Result, anyhow};
use basilocus_address::matching::{LEVELS, find_in};
use basilocus_address::normal;
use basilocus_address::reference::{PlaceEntry, PostcodeEntry};
use basilocus_address::{AddressInput, Builder, Entry, Level, MatchOptions, Matcher, Outcome, Reference, grammar};
use basilocus_tools::dirt::{self, KINDS, Row};
use basilocus_tools::invented::{Country, Size, word};
use basilocus_tools::judge::{self, Verdict};
use basilocus_tools::outside::{self, OUTSIDE};
use basilocus_tools::random::Random;
use std::time::Instant;

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1).map(|a| a.parse::<usize>());
    let mut argument = |default: usize| arguments.next().unwrap_or(Ok(default));
    let (seed, towns, rows) = (argument(2)? as u64, argument(400)?, argument(20_000)?);
    let country = Country::new(seed, Size { towns, streets: 50, houses: 50, withheld: 0, ranges: 0 });
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("evaluation.reference");
    let mut builder = Builder::new(&grammar::us::GRAMMAR);
    country.build(&mut builder).map_err(|e| anyhow!(e))?;
    builder.write(&path)?;
    let reference = Reference::open(&path)?;
    let matcher = Matcher::new(&reference, MatchOptions::default());
    println!("seed {seed}: {towns} towns, {} streets, {} houses", country.streets.len(), country.streets.len() * 50);
    println!(
        "{:<24} {:>7} {:>8} {:>8} {:>12} {:>11} {:>9}",
        "kind of dirt", "rows", "right %", "aside %", "wrong>=80 %", "coarser %", "rows/s"
    );
    let mut everything: Vec<Verdict> = Vec::new();
    let mut random = Random::new(seed ^ 77);
    let mut run = |name: &str, list: Vec<Row>| {
        if std::env::var("ONLY").is_ok_and(|only| only != name) {
            return Vec::new();
        }
        let started = Instant::now();
        let verdicts = judge::all(&matcher, &country, &list);
        print(name, &verdicts, started.elapsed().as_secs_f64());
        if std::env::var_os("SHOW").is_some_and(|s| s == name) {
            show(&matcher, &list, &verdicts);
        }
        everything.extend(&verdicts);
        verdicts
    };
    run("none (clean)", (0..rows).map(|_| dirt::row(&country, &[], &mut random)).collect());
    let mut single = Vec::new();
    for kind in KINDS {
        let list = (0..rows / 4).map(|_| dirt::row(&country, &[kind], &mut random)).collect();
        single.extend(run(&format!("{kind:?}"), list));
    }
    print("one kind, all", &single, f64::NAN);
    for n in [2, 3] {
        let list = (0..rows)
            .map(|_| {
                let kinds = dirt::several(n, &mut random);
                dirt::row(&country, &kinds, &mut random)
            })
            .collect();
        run(&format!("{n} kinds"), list);
    }
    run("town alone", (0..rows / 4).map(|_| dirt::town(&country, &mut random)).collect());
    let gone = run("street not there", (0..rows).map(|_| dirt::absent(&country, false, &mut random)).collect());
    let lost = run("street and town not there", (0..rows).map(|_| dirt::absent(&country, true, &mut random)).collect());
    for (name, verdicts) in [("street", &gone), ("street and town", &lost)] {
        let finer =
            verdicts.iter().filter(|v| v.confidence >= 80 && v.level.is_some_and(|l| l < Level::Locality)).count();
        println!(
            "{name} not there, placed finer than the locality at 80 or more: {:.3} %",
            share(finer, verdicts.len())
        );
    }
    println!("\nconfidence    rows   right %  (at its level, over all rows above)");
    for from in (0..=100).rev().step_by(5) {
        let band: Vec<&Verdict> = everything
            .iter()
            .filter(|v| v.level.is_some() && (from..from + 5).contains(&usize::from(v.confidence)))
            .collect();
        if !band.is_empty() {
            let right = band.iter().filter(|v| v.right).count();
            println!("{from:>3} to {:<3} {:>8} {:>8.2}", (from + 4).min(100), band.len(), share(right, band.len()));
        }
    }
    outside(&reference, &matcher, &country, rows, &mut random);
    gaps(seed, rows)?;
    gazetteer(seed)?;
    world(seed)?;
    odd_texts(&matcher);
    Ok(())
}

/// Addresses outside the reference by kind, and whole tables of which more and more rows are.
fn outside(reference: &Reference, matcher: &Matcher, country: &Country, rows: usize, random: &mut Random) {
    println!(
        "\noutside the reference       rows  finer than the postcode at 80 or more %   at 50 or more %   wrong at 80 %"
    );
    for kind in OUTSIDE {
        let list: Vec<Row> = (0..rows / 4).map(|_| outside::row(country, kind, random)).collect();
        let verdicts = judge::all(matcher, country, &list);
        let finer = |least: u8| {
            let is = |v: &&Verdict| v.confidence >= least && !v.right && v.level.is_some_and(|l| l < Level::Postcode);
            share(verdicts.iter().filter(is).count(), verdicts.len())
        };
        let wrong = verdicts.iter().filter(|v| v.confidence >= 80 && !v.right).count();
        println!(
            "{:<24} {:>7} {:>42.3} {:>17.2} {:>15.3}",
            format!("{kind:?}"),
            list.len(),
            finer(80),
            finer(50),
            share(wrong, list.len())
        );
        if std::env::var_os("SHOW").is_some_and(|s| s == format!("{kind:?}").as_str()) {
            for (row, _) in list.iter().zip(&verdicts).filter(|(_, v)| v.confidence >= 80 && !v.right).take(40) {
                if let Outcome::Matched(m) = matcher.find(&row.input()) {
                    let typed =
                        [&row.whole, &row.street, &row.locality, &row.region, &row.postcode].map(String::as_str);
                    println!("  {} -> {} {} [{}]", typed.join("|"), m.best.confidence, m.best.address, m.best.parts);
                }
            }
        }
    }
    for outside_share in [0, 10, 50, 100] {
        let list: Vec<Row> = (0..rows)
            .map(|_| {
                if random.below(100) < outside_share {
                    let kind = *random.pick(&OUTSIDE);
                    return outside::row(country, kind, random);
                }
                let n = [0, 1, 1, 1, 2, 2, 3][random.below(7)];
                let kinds = dirt::several(n, random);
                dirt::row(country, &kinds, random)
            })
            .collect();
        let verdicts = judge::table(reference, country, &list);
        let wrong = verdicts.iter().filter(|v| v.confidence >= 80 && !v.right).count();
        println!("\n{outside_share} % outside: {:.3} % of {rows} rows wrong at 80 or more", share(wrong, rows));
        println!("confidence    rows   right %   promised %");
        for from in (0..=100).rev().step_by(5) {
            let band: Vec<&Verdict> = verdicts
                .iter()
                .filter(|v| v.level.is_some() && (from..from + 5).contains(&usize::from(v.confidence)))
                .collect();
            if !band.is_empty() {
                let right = band.iter().filter(|v| v.right).count();
                let promised = band.iter().map(|v| f64::from(v.confidence)).sum::<f64>() / band.len() as f64;
                println!(
                    "{from:>3} to {:<3} {:>8} {:>9.2} {promised:>11.1}",
                    (from + 4).min(100),
                    band.len(),
                    share(right, band.len())
                );
            }
        }
    }
}

/// How often the truth lies within the radius, level by level.
fn radii(name: &str, verdicts: &[Verdict]) {
    for (level, words) in LEVELS {
        let here: Vec<bool> =
            verdicts.iter().filter(|v| v.level == Some(*level)).filter_map(|v| v.within_radius).collect();
        if here.len() >= 20 {
            let inside = here.iter().filter(|i| **i).count();
            println!("{name}, {words}: within the radius {:.2} % of {}", share(inside, here.len()), here.len());
        }
    }
}

fn share(part: usize, all: usize) -> f64 {
    100.0 * part as f64 / all.max(1) as f64
}

fn print(name: &str, verdicts: &[Verdict], seconds: f64) {
    let n = verdicts.len();
    let count = |f: &dyn Fn(&Verdict) -> bool| share(verdicts.iter().filter(|v| f(v)).count(), n);
    println!(
        "{name:<24} {n:>7} {:>8.2} {:>8.2} {:>12.3} {:>11.2} {:>9.0}",
        count(&|v| v.at_house),
        count(&|v| v.level.is_none()),
        count(&|v| v.level.is_some() && !v.right && v.confidence >= 80),
        count(&|v| v.level.is_some_and(|l| l > Level::StreetRange)),
        n as f64 / seconds
    );
}

/// Some rows that are not at their house.
fn show(matcher: &Matcher, rows: &[Row], verdicts: &[Verdict]) {
    for (row, _) in rows.iter().zip(verdicts).filter(|(_, v)| !v.at_house).take(400) {
        let truth = row.truth.as_ref().map(|t| format!("{} {} ({})", t.number, t.street, t.postcode));
        let typed = [&row.whole, &row.street, &row.locality, &row.region, &row.postcode].map(String::as_str).join("|");
        let got = match matcher.find(&row.input()) {
            Outcome::Matched(m) => format!(
                "{} {} {} [{}] {}",
                m.best.level.name(),
                m.best.confidence,
                m.best.address,
                m.best.parts,
                m.best.changes.join("; ")
            ),
            Outcome::SetAside { reason, .. } => reason,
        };
        println!("  {typed}\n    truth {}\n    got   {got}", truth.unwrap_or_default());
    }
}

/// Houses that are not in the reference, between others that are; streets that are there as ranges of numbers only.
fn gaps(seed: u64, rows: usize) -> Result<()> {
    let country = Country::new(seed ^ 9, Size { towns: 200, streets: 50, houses: 50, withheld: 60, ranges: 100 });
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("gaps.reference");
    let mut builder = Builder::new(&grammar::us::GRAMMAR);
    country.build(&mut builder).map_err(|e| anyhow!(e))?;
    builder.write(&path)?;
    let reference = Reference::open(&path)?;
    let matcher = Matcher::new(&reference, MatchOptions::default());
    let mut random = Random::new(seed ^ 99);
    let one: Vec<Row> = (0..rows)
        .map(|_| {
            let kinds = dirt::several(1, &mut random);
            dirt::row(&country, &kinds, &mut random)
        })
        .collect();
    println!("\n6 % of the houses not in the reference, 10 % of the streets as ranges of numbers only");
    let verdicts = judge::all(&matcher, &country, &one);
    print("one kind", &verdicts, f64::NAN);
    for (level, name) in
        [(Level::AddressPoint, "address point"), (Level::StreetRange, "street range"), (Level::Street, "street")]
    {
        let here: Vec<Verdict> = verdicts.iter().filter(|v| v.level == Some(level)).copied().collect();
        print(&format!("  level {name}"), &here, f64::NAN);
    }
    let coarse: Vec<Row> = (0..rows).map(|_| dirt::row(&country, &[], &mut random)).collect();
    radii("gaps", &verdicts);
    for (finest, _) in &LEVELS[4..7] {
        let options = MatchOptions { finest: *finest, ..Default::default() };
        radii("asked coarser", &judge::all(&Matcher::new(&reference, options), &country, &coarse));
    }
    Ok(())
}

/// Towns and postcodes only: 42,000 rows against a gazetteer of that size.
fn gazetteer(seed: u64) -> Result<()> {
    const PLACES: usize = 42_000;
    let mut random = Random::new(seed ^ 5);
    let mut builder = Builder::new(&grammar::us::GRAMMAR);
    let regions: Vec<&str> = grammar::us::GRAMMAR.regions.iter().map(|(code, _)| *code).collect();
    let mut rows = Vec::new();
    for i in 0..PLACES {
        let (name, region) = (word(&mut random, 3), regions[i * regions.len() / PLACES]);
        let postcode = format!("{:05}", 1000 + i * 2);
        let (lon, lat) = (-124.0 + 0.2 * (i % 280) as f64, 26.0 + 0.14 * (i / 280) as f64);
        builder
            .add(&Entry::Place(PlaceEntry {
                name: name.clone(),
                region: region.into(),
                lon,
                lat,
                ..Default::default()
            }))
            .and_then(|()| {
                builder.add(&Entry::Postcode(PostcodeEntry {
                    postcode: postcode.clone(),
                    locality: name.clone(),
                    region: region.into(),
                    lon,
                    lat,
                    ..Default::default()
                }))
            })
            .map_err(|e| anyhow!(e))?;
        rows.push((name, region, postcode, lon, lat));
    }
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("gazetteer.reference");
    builder.write(&path)?;
    let reference = Reference::open(&path)?;
    let matcher = Matcher::new(&reference, MatchOptions::default());
    let started = Instant::now();
    let right = rows
        .iter()
        .filter(|(locality, region, postcode, lon, lat)| {
            let input = AddressInput { locality, region, postcode, ..Default::default() };
            matches!(matcher.find(&input), Outcome::Matched(m) if (m.best.lon - lon).abs() < 1e-6 && (m.best.lat - lat).abs() < 1e-6)
        })
        .count();
    println!(
        "\ntowns and postcodes only: {right} of {PLACES} placed right in {:.2} s on one core",
        started.elapsed().as_secs_f64()
    );
    Ok(())
}

/// Places of a world of many countries, whose names have letters of many languages and are often those of others.
fn world(seed: u64) -> Result<()> {
    const COUNTRIES: [&str; 24] = [
        "AM", "AT", "BE", "BR", "CH", "CL", "CO", "CZ", "DK", "EG", "FI", "GR", "HU", "IN", "JP", "KE", "MX", "NO",
        "PL", "RO", "SE", "TR", "VN", "ZA",
    ];
    const PLACES: usize = 120_000;
    const MARKS: [(&str, &str); 8] =
        [("a", "á"), ("e", "é"), ("o", "ö"), ("u", "ü"), ("s", "ş"), ("c", "č"), ("l", "ł"), ("n", "ñ")];
    let mut random = Random::new(seed ^ 17);
    let mut builder = Builder::of_country("US").ok_or_else(|| anyhow!("a country"))?;
    let mut rows: Vec<(String, String, &str, f64, f64)> = Vec::new();
    let mut seen = std::collections::HashSet::new();
    while rows.len() < PLACES {
        let i = rows.len();
        let country = COUNTRIES[i % COUNTRIES.len()];
        let region = word(&mut Random::new((i % COUNTRIES.len() * 31 + i / COUNTRIES.len() % 16) as u64 ^ seed), 3);
        let mut name = match random.below(8) {
            // A name that a place of another country has.
            0 if i > 100 => rows[random.below(i)].0.clone(),
            1 => format!("{} {}", word(&mut random, 1), word(&mut random, 2)),
            _ => word(&mut random, 3),
        };
        if random.chance(400) {
            let (plain, marked) = *random.pick(&MARKS);
            name = name.replacen(plain, marked, 1);
        }
        if !seen.insert((normal::words(&name), country)) {
            continue;
        }
        let (lon, lat) = (
            -170.0 + 14.0 * (i % 24) as f64 + random.below(1000) as f64 * 0.012,
            -60.0 + random.below(12_000) as f64 * 0.01,
        );
        let place = PlaceEntry { name: name.clone(), region: region.clone(), lon, lat, ..Default::default() };
        builder.add_in(country, &Entry::Place(place)).map_err(|e| anyhow!(e.to_string()))?;
        rows.push((name, region, country, lon, lat));
    }
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("world.reference");
    builder.write(&path)?;
    let references = Reference::open_all(&path)?;
    let options = MatchOptions { others: 0, ..Default::default() };
    println!("\na gazetteer of {PLACES} places of {} countries", COUNTRIES.len());
    let plain = |text: &str| normal::title(&normal::words(text));
    type Shape<'a> = (&'a str, &'a dyn Fn(&str, &str, &str) -> String);
    let shapes: [Shape; 4] = [
        ("as they are", &|name, region, country| format!("{name}, {region}, {country}")),
        ("in capitals", &|name, region, country| format!("{name}, {region}, {country}").to_uppercase()),
        ("without accents", &|name, region, country| format!("{}, {}, {country}", plain(name), plain(region))),
        ("of another country", &|name, region, _| format!("{name}, {region}, SG")),
    ];
    for (shape, text) in shapes {
        let (mut right, mut elsewhere) = (0, 0);
        for (name, region, country, lon, lat) in rows.iter().step_by(6) {
            let whole = text(name, region, country);
            let input = AddressInput { whole: &whole, ..Default::default() };
            if let Outcome::Matched(m) = find_in(&references, &options, &input) {
                let is_there = (m.best.lon - lon).abs() < 1e-6 && (m.best.lat - lat).abs() < 1e-6;
                right += usize::from(is_there);
                elsewhere += usize::from((!is_there || shape == "of another country") && m.best.confidence >= 80);
            }
        }
        let n = rows.iter().step_by(6).count();
        println!(
            "  town, region, country {shape}: {:.2} % found, {:.3} % at 80 or more elsewhere",
            share(right, n),
            share(elsewhere, n)
        );
    }
    Ok(())
}

fn odd_texts(matcher: &Matcher) {
    let long = "x".repeat(10_240);
    println!("\nodd texts");
    for text in ["", "🐟🐟 12 🐟", "شارع النورس ١٢", "רחוב 12", "Ул. Цапли 12", "鷺通り 12", &long]
    {
        let shown: String = text.chars().take(20).collect();
        match matcher.find(&AddressInput { whole: text, ..Default::default() }) {
            Outcome::Matched(m) => println!("  {shown}: {} {}", m.best.level.name(), m.best.address),
            Outcome::SetAside { reason, .. } => println!("  {shown}: {reason}"),
        }
    }
}
