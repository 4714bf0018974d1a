//! `draw`

use super::{Definition, Perform, json};
use crate::Done;
use crate::flags::in_text;
use crate::progress::Bar;
use crate::text::thousands;
use crate::{signals, text};
use anyhow::Result;
use basilocus::drawing::{DrawPlan, DrawReport, draw};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Draw>("draw", "draw");

/// A map of layers and grids: a picture (PNG, SVG), or a page for a browser (HTML)
#[derive(Debug, Parser)]
struct Draw {
    /// What to draw
    #[command(flatten)]
    plan: DrawPlan,
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// No progress bar
    #[arg(long)]
    no_progress: bool,
}

impl Perform for Draw {
    fn perform(self) -> Result<Done> {
        let report = draw(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

pub(super) fn words(r: &DrawReport) -> String {
    let mut out = String::new();
    for line in &r.interpretation {
        let _ = writeln!(out, "  read as    {}", in_text(line));
    }
    let _ = writeln!(out, "  map        in {}", r.crs);
    for layer in &r.layers {
        let rest = match layer.without_place {
            0 => String::new(),
            n => format!("; {} rows without a place on the map", thousands(n)),
        };
        let _ = writeln!(out, "  layer      {}: {} {}{rest}", layer.name, thousands(layer.drawn), layer.what);
    }
    for notice in &r.notices {
        let _ = writeln!(out, "  note       {}", in_text(notice));
    }
    for output in &r.outputs {
        let _ = writeln!(out, "  wrote      {}", output.display());
    }
    out
}
