//! `crs advise`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::text;
use anyhow::Result;
use basilocus::lookup::{AdviceReport, AdviseQuestion, AdvisedSystem};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Advise>("advise", "crs-advise");

/// Which systems suit an area and a purpose, with the numbers that say so
#[derive(Debug, Parser)]
struct Advise {
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// The area and the purpose
    #[command(flatten)]
    question: AdviseQuestion,
}

impl Perform for Advise {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &AdviceReport) -> String {
    let mut out = format!("for {} in {}\n", r.purpose, r.words);
    let Some(best) = r.systems.first() else {
        out.push_str("  no system of the catalogue covers it\n");
        return out;
    };
    let rows: Vec<Vec<String>> = r.systems.iter().map(row).collect();
    out.push_str(&text::table(&["code", "name", "length error", "area error", "angle error", "grid north"], &rows));
    out.push_str("errors are the largest over the area; 1 ppm is 1 mm a kilometre, or 1 m² a square kilometre\n");
    if r.found > r.systems.len() {
        let _ = writeln!(out, "and {} more; --most N shows them", r.found - r.systems.len());
    }
    let _ = writeln!(out, "\nfirst: {}", best.name);
    for reason in &best.reasons {
        let _ = writeln!(out, "  because    {reason}");
    }
    if let Some(own) = r.systems.iter().find_map(|s| s.toml.as_ref()) {
        let _ = writeln!(out, "\nthe one of your own, to save as a .toml file and say with --to:\n");
        out.push_str(own);
    }
    out
}

fn row(s: &AdvisedSystem) -> Vec<String> {
    let number = |v: f64, unit: &str| if s.is_measured { format!("{}{unit}", short(v)) } else { String::new() };
    vec![
        s.code.clone().unwrap_or_else(|| "your own".into()),
        s.name.clone(),
        number(s.length_error_ppm, " ppm"),
        number(s.area_error_ppm, " ppm"),
        number(s.angular_distortion_deg, "°"),
        number(s.convergence_deg, "°"),
    ]
}

/// A number with three figures that count.
fn short(v: f64) -> String {
    if v >= 100.0 {
        text::thousands(v.round() as u64)
    } else if v >= 1.0 {
        format!("{v:.1}")
    } else if v < 0.0005 {
        "0".into()
    } else {
        format!("{v:.3}")
    }
}
