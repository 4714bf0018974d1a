//! `terrain triangulate`

use super::words::Summary;
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::text::thousands;
use crate::{signals, text};
use anyhow::Result;
use basilocus::terrain::{TriangulatePlan, TriangulateReport, triangles_of};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Triangulate>("triangulate", "terrain-triangulate");

/// Points to triangles, as polygons with heights
#[derive(Debug, Parser)]
struct Triangulate {
    /// What to do
    #[command(flatten)]
    plan: TriangulatePlan,
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

impl Perform for Triangulate {
    fn perform(self) -> Result<Done> {
        let report = triangles_of(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        let clean = report.doubts.is_empty() && report.set_aside.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &TriangulateReport) -> String {
    let left_out =
        if r.too_long > 0 { format!("; {} with a longer edge left out", thousands(r.too_long)) } else { String::new() };
    let lines =
        if r.break_lines > 0 { format!(", edges along {} lines", thousands(r.break_lines)) } else { String::new() };
    Summary::default()
        .interpreted(&r.interpretation)
        .line("triangles", format_args!("{}{lines}{left_out}", thousands(r.triangles)))
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
