//! `crs detect`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::lookup::{DetectQuestion, DetectReport, DetectedSystem};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Detect>("detect", "crs-detect");

/// Which systems a table's numbers could be in, if its places are known
#[derive(Debug, Parser)]
struct Detect {
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// The table and the place
    #[command(flatten)]
    question: DetectQuestion,
}

impl Perform for Detect {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &DetectReport) -> String {
    let mut out = format!("{}\n", r.file.display());
    for u in &r.interpretation {
        let _ = writeln!(out, "  read as    {}", in_text(u));
    }
    let within = r.within_km.map_or(String::new(), |km| format!(", within {km} km"));
    let _ = writeln!(out, "  near       {}{within}", r.near);
    if r.looked_at < r.points {
        let _ = writeln!(
            out,
            "  looked at  {} of {} positions, evenly over the table",
            text::thousands(r.looked_at as u64),
            text::thousands(r.points as u64)
        );
    }
    if r.systems.is_empty() {
        out.push_str(
            "  in no system of the catalogue do these numbers fall there: a local grid? (see `basilocus fit`)\n",
        );
        return out;
    }
    let rows: Vec<Vec<String>> = r.systems.iter().map(row).collect();
    let _ = writeln!(out, "\nthese numbers could be");
    out.push_str(&text::table(&["code", "name", "unit", "there", "middle (lon, lat)", "if"], &rows));
    if r.found > r.systems.len() {
        let _ = writeln!(out, "and {} more; --most N shows them", r.found - r.systems.len());
    }
    out.push_str(
        "systems on other datums put them some 100 m beside each other; only a known point tells them apart\n",
    );
    out
}

fn row(s: &DetectedSystem) -> Vec<String> {
    let mut how = Vec::new();
    match s.unit_m {
        Some(1.0) => how.push("the numbers in metres"),
        Some(0.3048) => how.push("the numbers in international feet"),
        Some(_) => how.push("the numbers in US survey feet"),
        None => {}
    }
    if s.swapped {
        how.push("northing or latitude first");
    }
    if s.in_area_of_use < 0.9 {
        how.push("outside its area of use");
    }
    vec![
        s.code.clone(),
        s.name.clone(),
        s.unit.clone(),
        format!("{:.0} %", s.share * 100.0),
        format!("{:.4}, {:.4}", s.lon, s.lat),
        how.join("; "),
    ]
}
