//! `terrain contour`

use super::words::{Summary, height};
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::text::thousands;
use crate::{signals, text};
use anyhow::Result;
use basilocus::terrain::{ContourPlan, ContourReport, contours_of};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Contour>("contour", "terrain-contour");

/// Lines of one height, of a grid or of points
#[derive(Debug, Parser)]
struct Contour {
    /// What to do
    #[command(flatten)]
    plan: ContourPlan,
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

impl Perform for Contour {
    fn perform(self) -> Result<Done> {
        let report = contours_of(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        let clean = report.doubts.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &ContourReport) -> String {
    Summary::default()
        .interpreted(&r.interpretation)
        .line("heights", format_args!("{} to {}", height(r.range[0]), height(r.range[1])))
        .line(
            "lines",
            format_args!(
                "{} at {} heights, {} of them closed",
                thousands(r.lines),
                thousands(r.levels),
                thousands(r.closed)
            ),
        )
        .end(&r.doubts, &r.notices, &r.outputs)
}
