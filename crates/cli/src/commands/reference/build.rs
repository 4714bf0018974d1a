//! `reference build`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::signals;
use crate::text;
use anyhow::Result;
use basilocus::addresses::reference::{BuildPlan, build, mapping_template, write_mapping_template};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Build>("build", "reference-build");

/// Build a reference from address points, street segments, postcodes, places and areas
#[derive(Debug, Parser)]
struct Build {
    /// What to build
    #[command(flatten)]
    plan: BuildPlan,
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

impl Perform for Build {
    fn perform(self) -> Result<Done> {
        match self.plan.mapping_template.as_deref() {
            None => {}
            Some(file) if basilocus::formats::is_standard(file) => {
                text::print(&mapping_template(&self.plan)?)?;
                return Ok(Done::Fine);
            }
            Some(file) => {
                write_mapping_template(&self.plan, file)?;
                text::print(&format!("  wrote      {}\n", file.display()))?;
                return Ok(Done::Fine);
            }
        }
        let report = build(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { text::build(&report) })?;
        let clean = report.set_aside.is_empty() && report.doubts.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}
