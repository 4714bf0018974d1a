//! What is inside an address reference, and what looks wrong in it.

use crate::Error;
use basilocus_address::Reference;
use basilocus_address::reference::{Description, LocalityCoverage};
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// A reference.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ReferenceQuestion {
    /// The reference
    pub file: PathBuf,
}

/// What is inside.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ReferenceReport {
    /// The file.
    #[serde(serialize_with = "crate::report::path_text::one")]
    pub file: PathBuf,
    /// Countries, by their ISO 3166 codes.
    pub countries: Vec<String>,
    /// Address points, each once.
    pub address_points: usize,
    /// Units of houses.
    pub units: usize,
    /// Street segments.
    pub segments: usize,
    /// Streets, one a name and locality.
    pub streets: usize,
    /// Different names of streets.
    pub names: usize,
    /// Postcodes.
    pub postcodes: usize,
    /// Places that are no localities: how many of each kind.
    pub places: BTreeMap<String, usize>,
    /// Areas.
    pub areas: usize,
    /// Attributes of areas, which can be asked for as extras.
    pub extras: Vec<String>,
    /// Coverage by locality.
    pub localities: Vec<LocalityReport>,
    /// Bytes of the file.
    pub bytes: u64,
    /// Rows of the sources that were the same address point as another.
    pub folded: u64,
    /// What looks wrong in it, worst first.
    pub doubts: Vec<String>,
    /// Doubts beyond those that are told.
    pub more_doubts: usize,
}

/// What a reference has of a locality.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct LocalityReport {
    /// ISO 3166 code of its country.
    pub country: String,
    /// Its name.
    pub name: String,
    /// Its region.
    pub region: String,
    /// What it lies in.
    #[serde(rename = "in")]
    pub parent: String,
    /// Streets.
    pub streets: u64,
    /// Address points.
    pub address_points: u64,
    /// Street segments.
    pub segments: u64,
}

impl ReferenceQuestion {
    /// Opens the reference, checks it and counts.
    ///
    /// # Errors
    /// Where the file is no reference, is damaged or cannot be read.
    pub fn report(&self) -> Result<ReferenceReport, Error> {
        let mut report = ReferenceReport { file: self.file.clone(), ..Default::default() };
        for reference in Reference::open_all(&self.file)? {
            reference.verify()?;
            report.add(reference.describe());
        }
        // With the table of its countries.
        report.bytes = std::fs::metadata(&self.file).map_or(report.bytes, |m| m.len());
        Ok(report)
    }
}

impl ReferenceReport {
    /// Adds what is inside of one country.
    fn add(&mut self, d: Description) {
        self.address_points += d.points;
        self.units += d.units;
        self.segments += d.segments;
        self.streets += d.streets;
        self.names += d.names;
        self.postcodes += d.postcodes;
        // Areas that do not say their country are in each.
        self.areas = self.areas.max(d.areas);
        for (kind, n) in d.places {
            *self.places.entry(kind.to_string()).or_default() += n;
        }
        for extra in d.attributes {
            if !self.extras.contains(&extra) {
                self.extras.push(extra);
            }
        }
        self.localities.extend(d.localities.into_iter().map(|l| LocalityReport::of(&d.country, l)));
        self.folded += d.folded;
        self.bytes += d.bytes as u64;
        self.doubts.extend(d.doubts);
        self.more_doubts += d.more_doubts;
        self.countries.push(d.country);
    }
}

impl LocalityReport {
    fn of(country: &str, l: LocalityCoverage) -> Self {
        LocalityReport {
            country: country.to_string(),
            name: l.name,
            region: l.region,
            parent: l.parent,
            streets: l.streets,
            address_points: l.points,
            segments: l.segments,
        }
    }
}
