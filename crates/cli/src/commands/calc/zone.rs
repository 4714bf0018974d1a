//! `calc zone`

use crate::Done;
use crate::commands::{Definition, Perform, json};
use crate::text;
use anyhow::Result;
use basilocus::lookup::{ZoneAsked, ZoneQuestion, ZoneReport};
use clap::Parser;
use std::fmt::Write;

pub(super) const COMMAND: Definition = Definition::reporting::<Zone>("zone", "calc-zone");

/// The UTM zone of a longitude or position, or the limits of a zone
#[derive(Debug, Parser)]
struct Zone {
    /// What to find
    #[command(flatten)]
    question: ZoneQuestion,
    /// Print one report object
    #[arg(long)]
    json: bool,
}

impl Perform for Zone {
    fn perform(self) -> Result<Done> {
        let report = self.question.report()?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(Done::Fine)
    }
}

fn words(r: &ZoneReport) -> String {
    let limits = format!(
        "central meridian {}, from {} to {}\n",
        longitude(r.central_meridian),
        longitude(r.west),
        longitude(r.east)
    );
    let mut out = match r.lon {
        None => format!("UTM zone {}: {limits}", r.zone),
        Some(lon) => {
            let lat = r.lat.map_or(String::new(), |l| format!(", latitude {l}°"));
            let side = if lon < r.central_meridian { "west" } else { "east" };
            format!(
                "{}{lat} is in UTM zone {}: {limits}  from there {:.6}° {side} of the central meridian\n",
                longitude(lon),
                r.zone,
                (lon - r.central_meridian).abs()
            )
        }
    };
    match (r.asked, &r.band) {
        (ZoneAsked::Position, band) => {
            let letter = band.as_ref().map_or('-', |b| b.letter);
            let _ = writeln!(out, "  band       {letter}; in WGS 84 {}", r.crs.join(", "));
        }
        (_, band) => {
            // N and S are a hemisphere to most people and a band to some: both are said.
            if let Some(b) = band {
                let also = match b.letter {
                    'N' => "; N also stands for the northern hemisphere",
                    'S' => "; S also stands for the southern hemisphere",
                    _ => "",
                };
                let (south, north) = (latitude(b.south), latitude(b.north));
                let _ = writeln!(out, "  band {}     from {south} to {north}{also}", b.letter);
            }
            if let [north, south] = &r.crs[..] {
                let _ = writeln!(out, "  in WGS 84  {north} (north), {south} (south)");
            }
        }
    }
    match r.asked {
        ZoneAsked::Zone if (31..=37).contains(&r.zone) => out.push_str(
            "  note       between 56° and 64° N zone 32 reaches from 3° to 12° E; from 72° N on there are 31, 33, 35 and 37 only\n",
        ),
        ZoneAsked::Longitude if r.lon.is_some_and(|l| (0.0..42.0).contains(&l)) => out
            .push_str("  note       in south-west Norway and around Svalbard zones differ: say the latitude too\n"),
        _ => {}
    }
    out
}

fn longitude(deg: f64) -> String {
    let d = (deg + 180.0).rem_euclid(360.0) - 180.0;
    let d = if d == -180.0 && deg > 0.0 { 180.0 } else { d };
    // The modulus leaves a digit of noise.
    let d = (d * 1e9).round() / 1e9;
    format!("{}° {}", d.abs(), if d < 0.0 { 'W' } else { 'E' })
}

fn latitude(deg: f64) -> String {
    format!("{}° {}", deg.abs(), if deg < 0.0 { 'S' } else { 'N' })
}
