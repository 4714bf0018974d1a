//! `calc units`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::text;
use anyhow::Result;
use basilocus::lookup::{InUnit, UnitsQuestion, UnitsReport};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Units>("units", "calc-units");

/// A length, area or angle in other units, the two feet kept apart
#[derive(Debug, Parser)]
struct Units {
    /// The number with its unit
    #[command(flatten)]
    question: UnitsQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Units {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report, &self.question.value) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &UnitsReport, typed: &str) -> String {
    if let Some(unit) = &r.area {
        let row = |o: &InUnit| {
            vec![figures(o.value), o.plural.clone(), figures(o.square_metres.unwrap_or_default()), o.source.clone()]
        };
        let rows: Vec<Vec<String>> = r.others.iter().map(row).collect();
        let head = format!("{typed} {} ({} m² each)\n", unit.plural(), figures(unit.square_metres));
        return head + &text::table(&["value", "unit", "m² in one", "by"], &rows);
    }
    let Some(unit) = &r.length else {
        let rows: Vec<Vec<String>> =
            r.others.iter().map(|o| vec![figures(o.value), o.unit.clone(), o.source.clone()]).collect();
        return format!("{typed} {}\n{}", r.unit, text::table(&["value", "unit", "by"], &rows));
    };
    let rows: Vec<Vec<String>> = r
        .others
        .iter()
        .map(|o| vec![figures(o.value), o.plural.clone(), figures(o.metres.unwrap_or_default()), o.source.clone()])
        .collect();
    let mut out = format!("{typed} {} ({} m each)\n", unit.plural(), figures(unit.metres));
    out.push_str(&text::table(&["value", "unit", "metres in one", "by"], &rows));
    if let Some(other) = &r.other_foot {
        let _ = writeln!(
            out,
            "taken as {} it would be {} m, {} beside",
            other.plural(),
            figures(r.value * other.metres),
            length((r.value * (other.metres - unit.metres)).abs())
        );
    }
    out
}

/// A number with ten figures that count.
fn figures(v: f64) -> String {
    if v == 0.0 || !v.is_finite() {
        return v.to_string();
    }
    let decimals = (9 - v.abs().log10().floor() as i32).clamp(0, 15) as usize;
    let text = format!("{v:.decimals$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_string() } else { text }
}

fn length(metres: f64) -> String {
    if metres >= 1000.0 {
        format!("{:.3} km", metres / 1000.0)
    } else if metres >= 1.0 {
        format!("{metres:.3} m")
    } else {
        format!("{:.3} mm", metres * 1000.0)
    }
}
