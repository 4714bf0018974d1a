//! `terrain volume`

use super::words::{Summary, amount, height};
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::progress::Bar;
use crate::{signals, text};
use anyhow::Result;
use basilocus::terrain::{VolumePlan, VolumeReport, volume};
use clap::Parser;

pub(super) const COMMAND: Definition = Definition::reporting::<Volume>("volume", "terrain-volume");

/// What lies above and below a level, of the whole grid and in areas
#[derive(Debug, Parser)]
struct Volume {
    /// What to do
    #[command(flatten)]
    plan: VolumePlan,
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

impl Perform for Volume {
    fn perform(self) -> Result<Done> {
        let report = volume(&self.plan, &signals::cancel(), &Bar::new(!self.no_progress))?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        let clean = report.doubts.is_empty();
        Ok(if self.strict && !clean { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &VolumeReport) -> String {
    Summary::default()
        .interpreted(&r.interpretation)
        .line("above", format_args!("{}: {} m³ on {} m²", height(r.above), amount(r.volume_m3), amount(r.area_m2)))
        .line("below", format_args!("{} m³ over {} m²", amount(r.below_volume_m3), amount(r.below_area_m2)))
        .line("known", format_args!("{} m²", amount(r.known_area_m2)))
        .areas(&r.areas, "above", "below")
        .end(&r.doubts, &r.notices, &[])
}
