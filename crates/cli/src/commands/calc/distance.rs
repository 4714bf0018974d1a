//! `calc distance`

use super::numbers::thousands;
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::text;
use anyhow::Result;
use basilocus::lookup::{DistanceQuestion, DistanceReport};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Distance>("distance", "calc-distance");

/// The shortest line between two positions on the ellipsoid, and the line of constant bearing
#[derive(Debug, Parser)]
struct Distance {
    /// The two positions
    #[command(flatten)]
    question: DistanceQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Distance {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &DistanceReport) -> String {
    let mut out = String::new();
    for end in [&r.a, &r.b] {
        let _ = writeln!(out, "  {}: {} ({})", end.text, end.reading, end.read_as);
    }
    let m = r.distance_m;
    let _ = writeln!(out, "on the ellipsoid {}", r.ellipsoid);
    let _ = writeln!(
        out,
        "  distance         {} m ({} ft, {} ftUS, {} nautical miles)",
        thousands(m, 4),
        thousands(m / 0.3048, 2),
        thousands(m * 3937.0 / 1200.0, 2),
        thousands(m / 1852.0, 4)
    );
    let _ = writeln!(
        out,
        "  azimuth          {} at the first, {} at the second in the direction of travel",
        azimuth(r.azimuth_deg),
        azimuth(r.final_azimuth_deg)
    );
    let _ = writeln!(out, "  azimuth back     {}", azimuth(r.final_azimuth_deg + 180.0));
    let (bearing, along) = (azimuth(r.rhumb_azimuth_deg), thousands(r.rhumb_distance_m, 4));
    let _ = writeln!(out, "  constant bearing {bearing} over {along} m");
    out
}

fn azimuth(deg: f64) -> String {
    format!("{:.6}°", deg.rem_euclid(360.0))
}
