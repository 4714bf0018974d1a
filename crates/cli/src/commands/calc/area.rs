//! `calc area`

use super::numbers::{on_the_map, square_metres, thousands};
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::lookup::{AreaQuestion, AreaReport};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Area>("area", "calc-area");

/// International acre: 4840 square yards.
const ACRE_M2: f64 = 4_046.856_422_4;
/// Positions whose reading is told one by one.
const MOST_TOLD: usize = 12;

/// Area and perimeter on the ellipsoid of the polygon through positions in their order
#[derive(Debug, Parser)]
struct Area {
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// The positions
    #[command(flatten)]
    question: AreaQuestion,
}

impl Perform for Area {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &AreaReport) -> String {
    let m = &r.measures;
    let mut out = String::new();
    if r.interpretation.len() <= MOST_TOLD {
        for n in &r.interpretation {
            let _ = writeln!(out, "  {}", in_text(n));
        }
    }
    let _ = writeln!(out, "polygon through {} positions in their order, on the ellipsoid {}", m.points, m.ellipsoid);
    let _ = writeln!(
        out,
        "  area       {} m² ({} ha, {} acres, {} km²)",
        square_metres(m.area_m2),
        thousands(m.area_m2 / 1e4, 4),
        thousands(m.area_m2 / ACRE_M2, 4),
        thousands(m.area_m2 / 1e6, 6)
    );
    let _ = writeln!(
        out,
        "  perimeter  {} m; the line without the closing side {} m",
        thousands(m.perimeter_m, 3),
        thousands(m.length_m, 3)
    );
    let _ = writeln!(out, "  corners    run {}", if m.counter_clockwise { "counter-clockwise" } else { "clockwise" });
    on_the_map(&mut out, m);
    for d in &r.doubts {
        let _ = writeln!(out, "  doubt      {}: {}; {}", d.id, in_text(&d.message), in_text(&d.mend));
    }
    out
}
