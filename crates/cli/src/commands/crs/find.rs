//! `crs find`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::text;
use anyhow::Result;
use basilocus::lookup::{FindQuestion, FindReport};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Find>("find", "crs-find");

/// Find systems by code, name, place or words, in any order
#[derive(Debug, Parser)]
struct Find {
    /// What to find
    #[command(flatten)]
    question: FindQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Find {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &FindReport) -> String {
    let rows: Vec<Vec<String>> = r
        .systems
        .iter()
        .map(|s| {
            let area = s.area.chars().take(48).collect();
            vec![s.code.clone(), s.name.clone(), s.kind.clone(), s.unit.clone(), area]
        })
        .collect();
    let mut out = text::table(&["code", "name", "kind", "unit", "area of use"], &rows);
    if r.found > r.systems.len() {
        out.push_str(&format!("and {} more; add words, or --most N\n", r.found - r.systems.len()));
    }
    out
}
