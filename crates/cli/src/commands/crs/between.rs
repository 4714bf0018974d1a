//! `crs between`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::accuracy_words;
use basilocus::lookup::{BetweenQuestion, BetweenReport, WayReport, WayState};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Between>("between", "crs-between");

/// The ways between two systems, best first: accuracy, grid files, epochs
#[derive(Debug, Parser)]
struct Between {
    /// The two systems
    #[command(flatten)]
    question: BetweenQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Between {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report, self.question.most) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &BetweenReport, most: usize) -> String {
    let mut out = format!("{} → {}\n", r.from, r.to);
    if let Some(near) = &r.near {
        let _ = writeln!(out, "  near       {near}");
    }
    if r.is_conversion {
        out.push_str("  a conversion only: both are on the same datum, and nothing is lost\n");
    } else if r.ways.is_empty() {
        out.push_str("  no way is known\n");
    } else {
        let rows: Vec<Vec<String>> = r.ways.iter().take(most).enumerate().map(|(i, w)| row(i + 1, w)).collect();
        out.push_str(&text::whole_table(&["", "accuracy", "area holds", "way", "grid files", ""], &rows));
        if r.ways.len() > most {
            let _ = writeln!(out, "and {} more; --most N shows them", r.ways.len() - most);
        }
    }
    if let Some(taken) = &r.operation {
        let _ = writeln!(out, "\ntaken: {}", taken.way.name);
        let _ = writeln!(out, "  accuracy   {}", accuracy_words(taken.way.accuracy_m));
        if let Some(a) = taken.grid_accuracy_m {
            let _ = writeln!(out, "  here       {a:.3} m, as the grid file states");
        }
        for step in &taken.way.steps {
            let _ = writeln!(out, "  step       {step}");
        }
        for note in &taken.way.notes {
            let _ = writeln!(out, "  note       {}", in_text(note));
        }
    }
    if let Some(error) = &r.error {
        let _ = writeln!(out, "\nnone is taken: {}", in_text(error));
    }
    out
}

fn row(number: usize, w: &WayReport) -> Vec<String> {
    let there = |present: bool| if present { "there" } else { "missing" };
    let grids: Vec<String> = w.grids.iter().map(|g| format!("{} ({})", g.file, there(g.present))).collect();
    let state = match w.state {
        WayState::Taken => "taken",
        WayState::GridMissing => "grid missing",
        WayState::EpochMissing => "needs --epoch",
        _ => "",
    };
    vec![
        number.to_string(),
        w.accuracy_m.map_or("not stated".into(), |a| format!("{a} m")),
        if w.holds_area { "yes" } else { "no" }.into(),
        w.name.clone(),
        grids.join(", "),
        state.into(),
    ]
}
