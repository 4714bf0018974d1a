//! `terrain profile`

use super::words::{Summary, height};
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::text::thousands;
use crate::{signals, text};
use anyhow::Result;
use basilocus::terrain::{LineProfile, ProfilePlan, ProfileReport, profile};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Profile>("profile", "terrain-profile");

/// Heights along lines
#[derive(Debug, Parser)]
struct Profile {
    /// What to do
    #[command(flatten)]
    plan: ProfilePlan,
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// No progress bar
    #[arg(long)]
    no_progress: bool,
}

impl Perform for Profile {
    fn perform(self) -> Result<Done> {
        let report = profile(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &ProfileReport) -> String {
    let row = |l: &LineProfile| {
        let [low, high] = l.range.map_or(["unknown".into(), "unknown".into()], |r| r.map(height));
        vec![
            l.name.clone(),
            format!("{:.2}", l.length_m),
            thousands(l.places),
            thousands(l.unknown),
            low,
            high,
            height(l.rise),
            height(l.fall),
        ]
    };
    let rows: Vec<Vec<String>> = r.lines.iter().take(MOST_SHOWN).map(row).collect();
    let mut summary = Summary::default()
        .interpreted(&r.interpretation)
        .table(&["line", "length, m", "places", "unknown", "lowest", "highest", "rise", "fall"], &rows);
    if r.lines.len() > MOST_SHOWN {
        summary = summary.line("lines", format_args!("and {} more", thousands((r.lines.len() - MOST_SHOWN) as u64)));
    }
    summary.end(&[], &r.notices, &r.outputs)
}

/// Lines that are shown one by one.
const MOST_SHOWN: usize = 20;
