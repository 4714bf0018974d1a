//! `doubts`

use super::{Definition, Perform, json};
use crate::Done;
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::lookup::{DoubtExplained, DoubtsQuestion};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Doubts>("doubts", "doubts");

/// What each doubt looks for, an example, how to mend it
#[derive(Debug, Parser)]
struct Doubts {
    /// Which one
    #[command(flatten)]
    question: DoubtsQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Doubts {
    fn perform(self) -> Result<Done> {
        let doubts = self.question.report()?;
        let words = || doubts.iter().map(words).collect::<Vec<_>>().join("\n");
        text::print(&if self.json { json(&doubts)? } else { words() })?;
        Ok(Done::Fine)
    }
}

fn words(d: &DoubtExplained) -> String {
    let mend = in_text(&d.mend);
    format!(
        "{}\n  looks for  {}\n  example    {}\n  mend       {mend}\n",
        d.name,
        in_text(&d.looks_for),
        in_text(&d.example)
    )
}
