//! What is inside an address reference, and what looks wrong in it.

use crate::Error;
use basilocus_address::Reference;
use basilocus_address::reference::LocalityCoverage;
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
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ReferenceReport {
    /// The file.
    pub file: PathBuf,
    /// Country code.
    pub country: String,
    /// Address points, each once.
    pub address_points: usize,
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
    pub bytes: usize,
    /// Rows of the sources that were the same address point as another.
    pub folded: u64,
    /// What looks wrong in it.
    pub doubts: Vec<String>,
    /// Doubts beyond those that are told.
    pub more_doubts: usize,
}

/// What a reference has of a locality.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct LocalityReport {
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
        let reference = Reference::open(&self.file)?;
        reference.verify()?;
        let d = reference.describe();
        Ok(ReferenceReport {
            file: self.file.clone(),
            country: d.country,
            address_points: d.points,
            segments: d.segments,
            streets: d.streets,
            names: d.names,
            postcodes: d.postcodes,
            places: d.places.into_iter().map(|(kind, n)| (kind.to_string(), n)).collect(),
            areas: d.areas,
            extras: d.attributes,
            localities: d.localities.into_iter().map(LocalityReport::of).collect(),
            bytes: d.bytes,
            folded: d.folded,
            doubts: d.doubts,
            more_doubts: d.more_doubts,
        })
    }
}

impl LocalityReport {
    fn of(l: LocalityCoverage) -> Self {
        LocalityReport {
            name: l.name,
            region: l.region,
            parent: l.parent,
            streets: l.streets,
            address_points: l.points,
            segments: l.segments,
        }
    }
}
