//! `terrain grid`

use super::words::{Summary, height};
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::text::thousands;
use crate::{signals, text};
use anyhow::Result;
use basilocus::terrain::{GridBy, GridPlan, GridReport, grid_of};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Grid>("grid", "terrain-grid");

/// Points to a grid of heights; says first whether their spacing is uniform
#[derive(Debug, Parser)]
struct Grid {
    /// What to do
    #[command(flatten)]
    plan: GridPlan,
    /// Exit status 3 where a doubt is raised or a row set aside
    #[arg(long)]
    strict: bool,
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// No progress bar
    #[arg(long)]
    no_progress: bool,
}

impl Perform for Grid {
    fn perform(self) -> Result<Done> {
        let report = grid_of(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        let clean = report.doubts.is_empty() && report.set_aside.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &GridReport) -> String {
    let by = match r.by {
        GridBy::Lattice => "each point gives its cell its height",
        GridBy::Triangles => "heights of the triangles between points; none outside of them",
        _ => "means of the points in a cell",
    };
    Summary::default()
        .interpreted(&r.interpretation)
        .line("spacing", text::spacing_words(&r.spacing))
        .line(
            "grid",
            format_args!(
                "{} columns, {} rows, cells of {} by {}, {}; {by}",
                r.columns, r.rows, r.cell[0], r.cell[1], r.crs
            ),
        )
        .line(
            "heights",
            format_args!(
                "{} known, {} not; {} to {}",
                thousands(r.heights.known),
                thousands(r.heights.unknown),
                height(r.heights.lowest),
                height(r.heights.highest)
            ),
        )
        .line(
            "ledger",
            format_args!(
                "{} rows in = {} used + {} repeated + {} set aside",
                thousands(r.rows_in),
                thousands(r.rows_used),
                thousands(r.rows_repeated),
                thousands(r.set_aside.values().sum())
            ),
        )
        .set_aside(&r.set_aside)
        .end(&r.doubts, &r.notices, &r.outputs)
}
