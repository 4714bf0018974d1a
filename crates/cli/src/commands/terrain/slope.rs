//! `terrain slope`

use super::words::Summary;
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::{signals, text};
use anyhow::Result;
use basilocus::terrain::{SlopePlan, SlopeReport, slope};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Slope>("slope", "terrain-slope");

/// Steepness of a grid, and on request which way it falls
#[derive(Debug, Parser)]
struct Slope {
    /// What to do
    #[command(flatten)]
    plan: SlopePlan,
    /// Exit status 3 where a doubt is raised
    #[arg(long)]
    strict: bool,
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// No progress bar
    #[arg(long)]
    no_progress: bool,
}

impl Perform for Slope {
    fn perform(self) -> Result<Done> {
        let report = slope(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        let clean = report.doubts.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &SlopeReport) -> String {
    Summary::default()
        .interpreted(&r.interpretation)
        .line("grid", format_args!("{} columns, {} rows", r.size[0], r.size[1]))
        .steepness(&r.steepness)
        .end(&r.doubts, &r.notices, &r.outputs)
}
