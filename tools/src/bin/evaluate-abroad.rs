//! How good the matching is in countries of other grammars: houses of the reference with slips, and addresses that look like
//! them and are not there.
//!
//! usage: `cargo run --release -p basilocus-tools --bin evaluate-abroad [SEED [TOWNS [ROWS]]]`; `SHOW=DE:Compass` prints what
//! is wrong of a kind.

use anyhow::{Result, anyhow};
use basilocus_address::{Builder, MatchOptions, Matcher, Reference, grammar};
use basilocus_tools::abroad::{Country, INSIDE, LANGUAGES, OUTSIDE};
use basilocus_tools::random::Random;

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1).map(|a| a.parse::<usize>());
    let mut argument = |default: usize| arguments.next().unwrap_or(Ok(default));
    let (seed, towns, rows) = (argument(2)? as u64, argument(300)?, argument(5000)?);
    let shown = std::env::var("SHOW").unwrap_or_default();
    println!("seed {seed}: {towns} towns of 60 streets; {rows} rows of each kind");
    println!("{:<24} {:>10} {:>12} {:>12}", "country, kind", "at house %", "wrong>=95 %", "wrong>=80 %");
    for language in &LANGUAGES {
        let country = Country::new(language, seed, towns, 60);
        let folder = tempfile::tempdir()?;
        let path = folder.path().join("abroad.reference");
        let grammar = grammar::of_country(language.country).ok_or_else(|| anyhow!("a grammar"))?;
        let mut builder = Builder::new(grammar);
        country.build(&mut builder).map_err(|e| anyhow!(e))?;
        builder.write(&path)?;
        let reference = Reference::open(&path)?;
        let matcher = Matcher::new(&reference, MatchOptions { others: 0, ..Default::default() });
        for kind in INSIDE.iter().chain(&OUTSIDE) {
            let mut random = Random::new(seed ^ 41);
            let (mut at_house, mut wrong, mut surely) = (0, 0, 0);
            let mut left = 12;
            for _ in 0..rows {
                let row = country.row(*kind, &mut random);
                let (verdict, candidate) = country.judge(&matcher, &row);
                at_house += usize::from(verdict.at_house);
                let is_wrong = verdict.wrong.is_some_and(|c| c >= 80);
                wrong += usize::from(is_wrong);
                surely += usize::from(verdict.wrong.is_some_and(|c| c >= 95));
                let asked = shown == format!("{}:{kind:?}", language.country);
                if asked && left > 0 && (is_wrong || INSIDE.contains(kind) && !verdict.at_house) {
                    left -= 1;
                    let said = candidate.map_or("set aside".into(), |c| {
                        format!("{} {} {} [{}]", c.level.name(), c.confidence, c.address, c.changes.join("; "))
                    });
                    println!("    {} -> {said}", row.text);
                }
            }
            let share = |n: usize| 100.0 * n as f64 / rows as f64;
            let name = format!("{}, {kind:?}", language.country);
            println!("{name:<24} {:>10.2} {:>12.3} {:>12.3}", share(at_house), share(surely), share(wrong));
        }
    }
    Ok(())
}
