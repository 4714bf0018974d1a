//! `reference build` and `reference describe`

use super::{cancel_on_interrupt, json};
use crate::Done;
use crate::args::ReferenceCommand;
use crate::progress::Bar;
use crate::text;
use anyhow::Result;
use basilocus::address::Reference;
use basilocus::addresses::reference::{BuildPlan, build};
use serde_json::{Value, json as object};

/// Builds or describes a reference.
pub fn run(command: &ReferenceCommand) -> Result<Done> {
    match command {
        ReferenceCommand::Build {
            sources,
            output,
            from,
            country,
            mapping,
            overwrite,
            strict,
            json: as_json,
            no_progress,
        } => {
            let plan = BuildPlan {
                sources: sources.clone(),
                output: output.clone(),
                from: from.clone(),
                country: Some(country.clone()),
                mapping: mapping.clone(),
                overwrite: *overwrite,
            };
            let report = build(&plan, &cancel_on_interrupt(), &Bar::new(!no_progress))?;
            text::print(&if *as_json { json(&report)? } else { text::build(&report) })?;
            Ok(if *strict && !(report.set_aside.is_empty() && report.doubts.is_empty()) {
                Done::NotClean
            } else {
                Done::Fine
            })
        }
        ReferenceCommand::Describe { file, json: as_json } => {
            let reference = Reference::open(file)?;
            reference.verify()?;
            let d = reference.describe();
            if *as_json {
                let localities: Vec<Value> = d
                    .localities
                    .iter()
                    .map(|l| {
                        object!({
                            "name": l.name, "region": l.region, "in": l.parent, "streets": l.streets,
                            "address_points": l.points, "segments": l.segments,
                        })
                    })
                    .collect();
                let places: serde_json::Map<String, Value> =
                    d.places.iter().map(|(kind, n)| (kind.to_string(), object!(n))).collect();
                text::print(&json(&object!({
                    "file": file, "country": d.country, "address_points": d.points, "segments": d.segments, "streets": d.streets, "names": d.names,
                    "postcodes": d.postcodes, "places": places, "areas": d.areas, "extras": d.attributes, "localities": localities, "bytes": d.bytes, "folded": d.folded, "doubts": d.doubts, "more_doubts": d.more_doubts,
                }))?)?;
            } else {
                text::print(&text::describe(&d, file))?;
            }
            Ok(Done::Fine)
        }
    }
}
