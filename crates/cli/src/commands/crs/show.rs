//! `crs show`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::text;
use anyhow::Result;
use basilocus::coordinates::system;
use basilocus::geodesy::crs::wkt;
use basilocus::lookup::{ShowQuestion, ShowReport};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Show>("show", "crs-show");

/// Show a system with every parameter in words
#[derive(Debug, Parser)]
struct Show {
    /// The system
    #[command(flatten)]
    question: ShowQuestion,
    /// Print its WKT alone, of version 1 unless 2 is said
    #[arg(long, value_name = "VERSION", num_args = 0..=1, default_missing_value = "1", value_parser = clap::value_parser!(u8).range(1..=2))]
    wkt: Option<u8>,
    /// Print it alone in the short form, a start for a system of one's own
    #[arg(long, conflicts_with = "wkt")]
    toml: bool,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Show {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&match self.wkt {
            Some(2) => wkt::wkt2(&report.crs)? + "\n",
            Some(_) => wkt::wkt1(&report.crs)? + "\n",
            None if self.toml => system::to_toml(&report.crs)?,
            None if self.json => json(&report)?,
            None => words(&report),
        })?;
        Ok(Done::Fine)
    }
}

fn words(r: &ShowReport) -> String {
    let mut evidence = r.evidence.clone();
    if !r.others.is_empty() {
        evidence.push(format!("with the same numbers: {}", r.others.join("; ")));
    }
    text::crs(&r.crs, &evidence, r.wkt.as_deref())
}
