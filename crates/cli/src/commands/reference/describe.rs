//! `reference describe`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::text;
use anyhow::Result;
use basilocus::lookup::ReferenceQuestion;
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Describe>("describe", "reference-describe");

/// Tell what is inside a reference, and what looks wrong in it
#[derive(Debug, Parser)]
struct Describe {
    /// The reference
    #[command(flatten)]
    question: ReferenceQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Describe {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { text::reference(&report) })?;
        Ok(Done::Fine)
    }
}
