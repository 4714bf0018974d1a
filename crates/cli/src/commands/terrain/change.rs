//! `terrain change`

use super::words::{Summary, amount};
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::{signals, text};
use anyhow::Result;
use basilocus::terrain::{ChangePlan, ChangeReport, change};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Change>("change", "terrain-change");

/// What was lost and gained between two grids, of all and in areas
#[derive(Debug, Parser)]
struct Change {
    /// What to do
    #[command(flatten)]
    plan: ChangePlan,
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

impl Perform for Change {
    fn perform(self) -> Result<Done> {
        let report = change(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        let clean = report.doubts.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &ChangeReport) -> String {
    let mut summary = Summary::default()
        .interpreted(&r.interpretation)
        .line("lost", format_args!("{} m³ on {} m²", amount(r.lost_m3), amount(r.lost_m2)))
        .line("gained", format_args!("{} m³ on {} m²", amount(r.gained_m3), amount(r.gained_m2)))
        .line("net", format_args!("{} m³; both are known on {} m²", amount(r.net_m3), amount(r.known_area_m2)));
    if let Some(e) = &r.net_error_m3 {
        summary = summary.line(
            "error",
            format_args!(
                "of the net {} m³ if each height errs by itself, {} m³ if all of a survey err together",
                amount(e.independent_m3),
                amount(e.common_m3)
            ),
        );
    }
    summary.areas(&r.areas, "gained", "lost").end(&r.doubts, &r.notices, &r.outputs)
}
