//! Matches addresses and writes what was found.
//!
//! | module | what is in it |
//! |---|---|
//! | `options` | what a plan says of matching, read and checked |
//! | `columns` | which columns hold the parts of an address |
//! | `work` | addresses of a block of rows |
//! | `service` | addresses that no reference places are asked of a service |
//! | `service_plan` | what a plan says of that service |
//! | `cache` | identical addresses are matched once |

mod cache;
mod columns;
mod left_over;
mod options;
#[cfg_attr(not(feature = "services"), path = "service_left_out.rs")]
pub(super) mod service;
pub(super) mod service_plan;
mod work;

pub use service_plan::ServicePlan;

use super::{Bound, Step};
use crate::Error;
use crate::engine::{Columns, Placed, PlacedFrom, ReviewFiles, Setting};
use basilocus_address::{Level, Reference, country};
use basilocus_geodesy::crs::Catalogue;
use serde::{Deserialize, Serialize};
use service::Service;
use std::path::{Path, PathBuf};
use work::Matching;

/// Extras that every reference gives; areas give more.
const EXTRAS: &[&str] = &["postcode", "extension", "locality", "region", "parent"];

/// Addresses to match. Columns that are not said are found from their headers.
///
/// ```
/// use basilocus::addresses::reference::{BuildPlan, build};
/// use basilocus::formats::Format;
/// use basilocus::steps::Geocode;
/// use basilocus::{Cancel, Layer};
///
/// let folder = tempfile::tempdir()?;
/// let (points, reference) = (folder.path().join("points.csv"), folder.path().join("town.reference"));
/// std::fs::write(&points, "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.8,46.2\n")?;
/// let plan = BuildPlan { sources: vec![points], output: reference.clone(), ..Default::default() };
/// build(&plan, &Cancel::default(), &())?;
///
/// let out = folder.path().join("out.csv");
/// let owners = "owner,address\nA,\"12 Heron Lane, Ternport OR\"\n";
/// Layer::from_reader(owners.as_bytes(), Format::Delimited)?
///     .geocode(Geocode { reference: vec![reference], ..Default::default() })?
///     .write(&out)?
///     .run()?;
/// assert!(std::fs::read_to_string(out)?.contains("address point"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
#[serde(deny_unknown_fields)]
pub struct Geocode {
    /// Address reference, made with `reference build`; may be given several times, and the best match of all is taken
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE", required_unless_present = "service"))]
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub reference: Vec<PathBuf>,
    /// Column with the whole address
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    /// Column with the house number
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub house_number: Option<String>,
    /// Column with what belongs to the house number (A, bis)
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub number_suffix: Option<String>,
    /// Column with the direction before the name of the street
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub street_direction: Option<String>,
    /// Column with the street
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub street: Option<String>,
    /// Column with the type of the street
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub street_type: Option<String>,
    /// Column with the direction behind the name of the street
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub street_direction_after: Option<String>,
    /// Column with the unit
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// Column with a second line of the address
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub second_line: Option<String>,
    /// Column with the locality
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub locality: Option<String>,
    /// Column with the region
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub region: Option<String>,
    /// Column with the postcode
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub postcode: Option<String>,
    /// Column with the country
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub country_column: Option<String>,
    /// Place nothing finer than: address-point, street-range, crossing, landmark, street, postcode, locality, region
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LEVEL", help_heading = "Matching"))]
    #[serde(default, with = "crate::plan::named", skip_serializing_if = "Option::is_none")]
    pub finest: Option<Level>,
    /// Set aside what is placed more coarsely; locality unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LEVEL", help_heading = "Matching"))]
    #[serde(default, with = "crate::plan::named", skip_serializing_if = "Option::is_none")]
    pub coarsest: Option<Level>,
    /// Place what is set aside in a second pass, at this level or a finer one
    #[cfg_attr(feature = "arguments", arg(long, value_name = "LEVEL", help_heading = "Matching"))]
    #[serde(default, with = "crate::plan::named", skip_serializing_if = "Option::is_none")]
    pub then: Option<Level>,
    /// Set aside what is less sure (0 to 100)
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", value_parser = clap::value_parser!(u8).range(0..=100), help_heading = "Matching"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub min_confidence: Option<u8>,
    /// Where the data is: of equal candidates the nearest is taken
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "LON,LAT|LOCALITY", allow_hyphen_values = true, help_heading = "Matching")
    )]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub near: Option<String>,
    /// Results must lie there: WEST,SOUTH,EAST,NORTH, a file of polygons, or the name of a locality, region or area
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "AREA", allow_hyphen_values = true, help_heading = "Matching")
    )]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within: Option<String>,
    /// Use the references of this country only
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COUNTRY", help_heading = "Matching"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub country: Option<String>,
    /// Metres between the line of a street and its buildings; 10 unless said
    #[cfg_attr(feature = "arguments", arg(long = "set-back", value_name = "METRES", help_heading = "Matching"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub set_back_m: Option<f64>,
    /// Further columns from the reference: postcode, extension, locality, region, parent, or attributes of its areas
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "COLUMNS", value_delimiter = ',', help_heading = "Matching")
    )]
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub extras: Vec<String>,
    /// List so many candidates with their scores in a column
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", default_value_t = 0, help_heading = "Matching"))]
    #[serde(default, skip_serializing_if = "crate::plan::is_default")]
    pub candidates: usize,
    /// Write the rows in doubt with their candidates to a workbook, to be answered there
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE.xlsx", help_heading = "Review"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub review: Option<PathBuf>,
    /// Review rows that are placed with a lower confidence too (0 to 100)
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", requires = "review", value_parser = clap::value_parser!(u8).range(0..=100), help_heading = "Review"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub review_below: Option<u8>,
    /// Take the answers of such a workbook; the other rows are not matched again
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "FILE.xlsx", conflicts_with = "review", help_heading = "Review")
    )]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub answers: Option<PathBuf>,
    /// Use the answers of earlier reviews and of the service that a file keeps, and keep new ones there; those of the service
    /// are kept beside the output unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE.sqlite", help_heading = "Review"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub remember: Option<PathBuf>,
    /// A service to ask for what no reference places
    #[cfg_attr(feature = "arguments", command(flatten))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub service: Option<ServicePlan>,
}

impl From<&Reference> for Geocode {
    /// Addresses matched against a reference that is open already; its file is opened once more.
    fn from(reference: &Reference) -> Self {
        Geocode { reference: vec![reference.path().to_path_buf()], ..Default::default() }
    }
}

impl Step for Geocode {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        setting.find_roles(&mut columns)?;
        let references = self.references()?;
        let (parts, words) = columns::find(self, &columns, setting.source())?;
        setting.decisions.addresses = columns::by_part(&parts, &columns);
        self.check_extras(&references)?;
        let others = self.candidates.max(if self.review.is_some() { 3 } else { 0 });
        let options = options::of(self, &references, others)?;
        let mut matching = Matching::new(self, references, options, parts);
        if let Some(plan) = &self.service {
            let file = self.kept_at(setting)?;
            let usual = self.usual_country(&matching)?;
            matching.ask_too(Service::new(plan, matching.options(), file, setting.day, usual)?);
        }
        let ahead = matching.look_ahead(setting.sample()?);
        // Where a whole address is said, it is meant to be all.
        if self.address.is_none() {
            setting.decisions.unused_columns = matching.left_over(setting.sample()?, &columns);
        }
        let told = matching.take_answers(self, setting.day)?.into_iter().chain(ahead);
        setting.interpret(format!("addresses from {words}"));
        for mut column in matching.columns() {
            let name = column.name().to_string();
            let free = columns.free_name(&name, None);
            if free != name {
                setting.note(format!(
                    "the column \"{name}\" of the match is called \"{free}\": the name is there already and stays"
                ));
            }
            column.field = column.field.clone().with_name(free);
            columns.push(column);
        }
        told.for_each(|t| setting.note(t));
        setting.decisions.review = self.review.as_deref().map(|workbook| ReviewFiles {
            workbook: workbook.to_path_buf(),
            store: store_of(workbook),
            fingerprint: matching.fingerprint(),
        });
        setting.decisions.asks_for_addresses = true;
        let crs = Catalogue::embedded().get(4326)?;
        // A geometry that the source has is replaced by the places that are found.
        let before = columns.geometry();
        before.map(|at| columns.remove(at));
        let placed = Placed {
            mirrored: Vec::new(),
            may_lack: false,
            height_name: None,
            first_crs: crs.clone(),
            crs,
            origin: PlacedFrom::Addresses,
            names: ("lon".into(), "lat".into()),
            in_columns: true,
            is_written: false,
        };
        columns.place(placed, false)?;
        let work = matching.ready(columns.schema(), before);
        Ok(Bound::Blocks { columns, work: Box::new(work) })
    }

    fn is_dear(&self) -> bool {
        true
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn each_path(&mut self, each: &mut dyn FnMut(&mut PathBuf)) {
        self.reference.iter_mut().for_each(&mut *each);
        [&mut self.review, &mut self.answers, &mut self.remember].into_iter().flatten().for_each(&mut *each);
        if let Some(service) = &mut self.service {
            service.secret_file.iter_mut().for_each(&mut *each);
            if !service.address.contains("://") {
                let mut path = PathBuf::from(&service.address);
                each(&mut path);
                service.address = path.to_string_lossy().into_owned();
            }
        }
    }

    fn written(&self) -> Vec<(PathBuf, &'static str)> {
        let workbook = self.review.iter().map(|w| (w.clone(), "the workbook for review"));
        let stores = [&self.review, &self.answers].into_iter().flatten().map(|w| (store_of(w), "what a review keeps"));
        let remembered = self.remember.iter().map(|r| (r.clone(), "the file of answers"));
        workbook.chain(stores).chain(remembered).collect()
    }
}

impl Geocode {
    /// The references, those of the country that was said.
    fn references(&self) -> Result<Vec<Reference>, Error> {
        if self.reference.is_empty() && self.service.is_none() {
            return Err(Error::Usage(
                "no address reference is said; name one with `reference` (make it with `reference build`)".into(),
            ));
        }
        let mut references = Vec::new();
        for path in &self.reference {
            references.extend(Reference::open_all(path)?);
        }
        if let Some(said) = &self.country {
            let wanted = country::code_of(said).ok_or_else(|| {
                Error::Usage(format!("`country` {said}: a code of ISO 3166 or the name of a country is expected"))
            })?;
            let mut there: Vec<&str> = references.iter().map(Reference::country).collect();
            there.dedup();
            if !there.contains(&wanted) && !self.reference.is_empty() {
                return Err(Error::Usage(format!(
                    "`country` {said}: no reference is of that country; there is {}",
                    there.join(", ")
                )));
            }
            references.retain(|r| r.country() == wanted);
        }
        Ok(references)
    }

    /// The file that keeps the answers of the service: the one that was said, else one beside the output.
    fn kept_at(&self, setting: &Setting) -> Result<PathBuf, Error> {
        if let Some(file) = &self.remember {
            return Ok(file.clone());
        }
        let output = setting.beside.ok_or_else(|| {
            Error::Usage("`service` without an output: say with `remember` which file keeps the answers".into())
        })?;
        Ok(service::beside(output))
    }

    /// The country of addresses that do not say theirs: the one that was said, else that of the references.
    fn usual_country(&self, matching: &Matching) -> Result<Option<&'static str>, Error> {
        match &self.country {
            Some(said) => Ok(country::code_of(said)),
            None => Ok(matching.only_country()),
        }
    }

    /// Whether the references give what is asked for.
    fn check_extras(&self, references: &[Reference]) -> Result<(), Error> {
        let mut known: Vec<String> = EXTRAS.iter().map(|e| e.to_string()).collect();
        for name in references.iter().flat_map(Reference::attribute_names) {
            if !known.contains(&name) {
                known.push(name);
            }
        }
        match self.extras.iter().find(|e| !known.contains(e)) {
            Some(bad) => Err(Error::Usage(format!("`extras` {bad}: the reference gives {}", known.join(", ")))),
            None => Ok(()),
        }
    }
}

/// The file that keeps answers and findings of a review, beside its workbook.
fn store_of(review: &Path) -> PathBuf {
    crate::paths::beside(review, "answers.sqlite")
}
