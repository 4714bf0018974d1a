//! `calc distortion`

use super::numbers::{on_the_map, square_metres, thousands};
use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::coordinates::measure::Range;
use basilocus::lookup::{DistortionQuestion, DistortionReport};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Distortion>("distortion", "calc-distortion");

/// What a projection does to lengths, angles and areas at a position or over a layer
#[derive(Debug, Parser)]
struct Distortion {
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// The positions and the system
    #[command(flatten)]
    question: DistortionQuestion,
}

impl Perform for Distortion {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &DistortionReport) -> String {
    let d = &r.distortion;
    let mut out = String::new();
    for n in r.interpretation.iter().take(12) {
        let _ = writeln!(out, "  {}", in_text(n));
    }
    let outside = if d.outside > 0 { format!("; at {} it gives no numbers", d.outside) } else { String::new() };
    let (points, of) = (text::thousands(d.points as u64), text::thousands(d.of as u64));
    let _ = writeln!(out, "{} at {points} of {of} positions{outside}", d.crs);
    let row = |name: &str, v: Range, digits: usize| {
        let number = |v: f64| format!("{v:.digits$}");
        vec![name.to_string(), number(v.smallest), number(v.mean), number(v.largest)]
    };
    out.push_str(&text::table(
        &["", "smallest", "mean", "largest"],
        &[
            row("scale along the meridian", d.meridian_scale, 9),
            row("scale along the parallel", d.parallel_scale, 9),
            row("area scale", d.area_scale, 9),
            row("convergence, true to grid north (degrees)", d.convergence_deg, 6),
            row("angular distortion (degrees)", d.angular_distortion_deg, 6),
        ],
    ));
    let _ = writeln!(out, "  lengths    off by up to {:.1} ppm (mm a kilometre)", d.length_error_ppm);
    if let Some(m) = &r.measures {
        let polygon =
            if m.points > 2 { format!(", the polygon {} m²", square_metres(m.area_m2)) } else { String::new() };
        let line = thousands(m.length_m, 3);
        let _ = writeln!(out, "  true       the line through the positions in their order {line} m{polygon}");
        on_the_map(&mut out, m);
    }
    for doubt in &r.doubts {
        let _ = writeln!(out, "  doubt      {}: {}; {}", doubt.id, in_text(&doubt.message), in_text(&doubt.mend));
    }
    out
}
