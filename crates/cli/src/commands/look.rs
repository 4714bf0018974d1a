//! `look`

use super::{Definition, Perform, json};
use crate::Done;
use crate::progress::Bar;
use crate::signals;
use crate::text;
use anyhow::Result;
use basilocus::doubts;
use basilocus::drawing::{DrawPlan, check_picture, draw};
use basilocus::plan::{InputPlan, LayerPlan};
use basilocus::steps::Positions;
use clap::Parser;
use std::path::PathBuf;

pub(super) const COMMAND: Definition = Definition::reporting::<Look>("look", "look");

/// Say what a file holds: layers, columns and their roles, first rows, system, extent, doubts
#[derive(Debug, Parser)]
struct Look {
    /// Files
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Rows to show
    #[arg(long, value_name = "N", default_value_t = 5)]
    rows: usize,
    /// Print one report object a file
    #[arg(long)]
    json: bool,
    /// Exit status 3 where a doubt is raised
    #[arg(long)]
    strict: bool,
    /// Where the data should be: limits in degrees, a place in words such as Oregon, a position, a layer or reference; what lies elsewhere
    /// is told with what would explain it
    #[arg(long, value_name = "W,S,E,N|PLACE|LAYER|REFERENCE", allow_hyphen_values = true)]
    expect: Option<String>,
    /// Draw the files too, in one map (.png, .svg, .html)
    #[arg(long, value_name = "FILE")]
    picture: Option<PathBuf>,
    /// System of coordinates where a file carries none, for --picture and --expect
    #[arg(long, value_name = "CRS")]
    from: Option<String>,
    /// Replace a picture that exists
    #[arg(long, requires = "picture")]
    overwrite: bool,
    /// Let a doubt pass: it is told, and --strict does not stop at it; several times
    #[arg(long, value_name = "DOUBT")]
    accept: Vec<String>,
    /// No progress bar
    #[arg(long)]
    no_progress: bool,
    /// How to read
    #[command(flatten)]
    input: InputPlan,
}

impl Perform for Look {
    fn perform(self) -> Result<Done> {
        let cancel = signals::cancel();
        let bar = Bar::new(!self.no_progress);
        let mut clean = true;
        let accepted = doubts::accepted(&self.accept)?;
        if let Some(picture) = &self.picture {
            check_picture(picture, self.overwrite)?;
        }
        for (i, file) in self.files.iter().enumerate() {
            let mut plans = Vec::new();
            let base = LayerPlan { input: self.input.clone(), expect: self.expect.clone(), ..LayerPlan::new(file) };
            let base = match &self.from {
                Some(from) => base.with(Positions { from: Some(from.clone()), ..Default::default() }),
                None => base,
            };
            // Layers that must be chosen to be read are all shown here.
            let layers = if self.input.layer.is_none() { basilocus::look::layers_to_choose(file)? } else { Vec::new() };
            if layers.is_empty() {
                plans.push(base);
            } else {
                for layer in layers {
                    let mut plan = base.clone();
                    plan.input.layer = Some(layer);
                    plans.push(plan);
                }
            }
            for (j, plan) in plans.iter().enumerate() {
                let mut report = basilocus::look(plan, self.rows, &cancel, &bar)?;
                doubts::accept(&mut report.doubts, &accepted);
                clean &= report.doubts.iter().all(|d| d.accepted);
                if self.json {
                    text::print(&json(&report)?)?;
                } else {
                    text::print(&format!("{}{}", if i + j > 0 { "\n" } else { "" }, text::look(&report)))?;
                }
            }
        }
        if let Some(picture) = self.picture {
            let plan = DrawPlan { from: self.from, overwrite: self.overwrite, ..DrawPlan::new(self.files, picture) };
            let drawn = draw(&plan, &cancel, &bar)?;
            if !self.json {
                text::print(&super::draw::words(&drawn))?;
            }
        }
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}
