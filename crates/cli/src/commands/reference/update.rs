//! `reference update`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::signals;
use crate::text;
use anyhow::Result;
use basilocus::addresses::reference::{UpdatePlan, update};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Update>("update", "reference-build");

/// Add, replace and withdraw addresses of a reference without its old sources
#[derive(Debug, Parser)]
struct Update {
    /// What to update
    #[command(flatten)]
    plan: UpdatePlan,
    /// Exit status 3 where a row is set aside
    #[arg(long)]
    strict: bool,
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// No progress bar
    #[arg(long)]
    no_progress: bool,
}

impl Perform for Update {
    fn perform(self) -> Result<Done> {
        let report = update(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { text::build(&report) })?;
        let clean = report.set_aside.is_empty() && report.doubts.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}
