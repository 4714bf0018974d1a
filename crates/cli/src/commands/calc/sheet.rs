//! `calc sheet`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::geodesy::notation::{self, Notation};
use basilocus::lookup::{SheetFound, SheetQuestion, SheetReport};
use basilocus::table::counted;
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Sheet>("sheet", "calc-sheet");

/// The map sheets that a position is on, and the position on the sheet
#[derive(Debug, Parser)]
struct Sheet {
    /// The position
    #[command(flatten)]
    question: SheetQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Sheet {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &SheetReport) -> String {
    let mut out = String::new();
    for told in &r.interpretation {
        let _ = writeln!(out, "{}", in_text(told));
    }
    for note in &r.notes {
        let _ = writeln!(out, "  note       {}", in_text(note));
    }
    let rows: Vec<Vec<String>> = r.sheets.iter().map(row).collect();
    out.push_str(&text::table(
        &["series", "sheet", "west", "south", "east", "north", "on it (from west, from south)"],
        &rows,
    ));
    for (notation, text) in [(Notation::Mgrs, &r.mgrs), (Notation::Utm, &r.utm)] {
        if let Some(text) = text {
            let _ = writeln!(out, "  {:<10} {text}", notation.name());
        }
    }
    for path in &r.outputs {
        let written = r.sheets.iter().filter(|s| s.in_degrees).count();
        let _ = writeln!(out, "  wrote      {} ({})", path.display(), counted(written as u64, "polygon"));
    }
    out
}

fn row(s: &SheetFound) -> Vec<String> {
    let limit = |v: f64| match notation::print_angle(v, false, Notation::DecimalDegrees, 6) {
        Some(text) if s.in_degrees => text.trim_end_matches('0').trim_end_matches('.').to_string(),
        _ => v.to_string(),
    };
    let on_it = match (s.from_west, s.from_south) {
        (Some(x), Some(y)) => format!("{:.1} %, {:.1} %", x * 100.0, y * 100.0),
        _ => String::new(),
    };
    let [west, south, east, north] = [s.west, s.south, s.east, s.north].map(limit);
    vec![s.series.clone(), s.sheet.clone(), west, south, east, north, on_it]
}
