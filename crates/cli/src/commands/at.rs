//! `at`

use super::{Definition, Perform, json};
use crate::Done;
use crate::flags::in_text;
use crate::text::{self, short_length};
use anyhow::Result;
use basilocus::accuracy_words;
use basilocus::lookup::{SpotQuestion, SpotReport, SpotSystem};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<At>("at", "at");

/// One coordinate typed by hand: how it was read, and the same spot in other notations and systems
#[derive(Debug, Parser)]
struct At {
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// The coordinate
    #[command(flatten)]
    question: SpotQuestion,
}

impl Perform for At {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report, !self.question.to.is_empty()) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &SpotReport, systems_said: bool) -> String {
    let mut out = String::new();
    let _ = writeln!(out, "read as      {} ({})", r.reading, r.read_as);
    if let Some(cell) = r.cell_m {
        let across = short_length(cell);
        let _ = writeln!(out, "             a code names a cell; this is its centre, the cell is {across} across");
    }
    let because = match (r.crs_said, r.crs == "EPSG:4326") {
        (true, _) => "",
        (false, true) => ", because --from says nothing else",
        (false, false) => ", because the text says so",
    };
    let _ = writeln!(out, "in           {}{because}", r.crs_title);
    if r.accuracy_m != Some(0.0) {
        let _ =
            writeln!(out, "to WGS 84    by {}; accuracy {}", r.operation.name, accuracy_words(r.operation.accuracy_m));
        for note in &r.operation.notes {
            let _ = writeln!(out, "note         {}", in_text(note));
        }
    }
    let _ = writeln!(out, "\nthe same spot in WGS 84");
    for w in &r.notations {
        let what = if w.notation.is_cell() { "cell" } else { "last digit" };
        let _ = writeln!(out, "  {:<43} {:<42} {what}: {}", w.notation.words(), w.text, short_length(w.last_digit_m));
    }
    if let Some(z) = &r.zone {
        let band = z.band.map(String::from).unwrap_or_default();
        let _ = writeln!(
            out,
            "  zone {}{band}, central meridian {}°, from {}° to {}°",
            z.number, z.central_meridian, z.west, z.east
        );
    }
    if let Some(s) = &r.sheet {
        let _ = writeln!(out, "  international map sheet 1:1,000,000 {}", s.number);
    }
    if !r.systems.is_empty() {
        let _ = writeln!(out, "\nin other systems (easting or longitude first)");
        out.push_str(&systems(&r.systems));
        for s in r.systems.iter().filter(|_| systems_said) {
            let _ = writeln!(out, "  {} by {}", s.code, s.operation);
            for note in &s.notes {
                let _ = writeln!(out, "    note: {}", in_text(note));
            }
        }
    }
    out
}

fn systems(list: &[SpotSystem]) -> String {
    let heights = list.iter().any(|s| s.z.is_some());
    let row = |s: &SpotSystem| {
        let d = if s.is_geographic { 7 } else { 2 };
        let mut row = vec![s.code.clone(), s.name.clone(), format!("{:.d$}", s.x), format!("{:.d$}", s.y)];
        if heights {
            row.push(s.z.map_or(String::new(), |z| format!("{z:.3}")));
        }
        row.push(s.unit.clone());
        row.push(accuracy_words(s.accuracy_m).replace(" (a conversion, no change of datum)", ""));
        row
    };
    let mut header = vec!["code", "name", "x", "y"];
    if heights {
        header.push("z");
    }
    header.extend(["unit", "accuracy"]);
    text::table(&header, &list.iter().map(row).collect::<Vec<_>>())
}
