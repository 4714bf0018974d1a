//! The address nearest to each position, and the areas around it.

#[cfg_attr(not(feature = "services"), path = "service_left_out.rs")]
mod service;

use super::geocode::service_plan::ServicePlan;
use super::{Bound, Settled, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Column, Columns, Coordinates, Rows, Setting, Settling};
use arrow_array::{ArrayRef, Float64Array, StringArray};
use arrow_schema::{DataType, SchemaRef};
use basilocus_address::Reference;
use basilocus_address::nearest::Nearest as Found;
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use serde::{Deserialize, Serialize};
use service::Service;
use std::path::PathBuf;
use std::sync::Arc;

/// Metres beyond which an address is none, where the plan does not say.
const FAR_M: f64 = 1000.0;

/// The nearest address to each position, and the areas around it.
///
/// ```
/// use basilocus::addresses::reference::{BuildPlan, build};
/// use basilocus::formats::Format;
/// use basilocus::steps::{Nearest, Positions};
/// use basilocus::{Cancel, Layer};
///
/// let folder = tempfile::tempdir()?;
/// let (points, reference) = (folder.path().join("points.csv"), folder.path().join("town.reference"));
/// std::fs::write(&points, "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.8,46.2\n")?;
/// let plan = BuildPlan { sources: vec![points], output: reference.clone(), ..Default::default() };
/// build(&plan, &Cancel::default(), &())?;
///
/// let out = folder.path().join("out.csv");
/// let places = "place,lon,lat\nSlip,-123.8001,46.2\n";
/// Layer::from_reader(places.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .nearest(Nearest { reference: vec![reference], ..Default::default() })
///     .write(&out)?
///     .run()?;
/// assert!(std::fs::read_to_string(out)?.contains("12 Heron Ln"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
#[serde(deny_unknown_fields)]
pub struct Nearest {
    /// Address reference; may be given several times, and the nearest address of all is taken
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE", required_unless_present = "service"))]
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub reference: Vec<PathBuf>,
    /// Farther addresses are none, metres; 1000 unless said
    #[cfg_attr(feature = "arguments", arg(long = "most", value_name = "METRES"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_m: Option<f64>,
    /// File that keeps the answers of the service; beside the output unless said
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "FILE.sqlite", requires = "service", help_heading = "Service")
    )]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub remember: Option<PathBuf>,
    /// A service to ask for positions that no reference has an address near
    #[cfg_attr(feature = "arguments", command(flatten))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub service: Option<ServicePlan>,
}

impl Step for Nearest {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let mut references = Vec::new();
        for path in &self.reference {
            references.extend(Reference::open_all(path)?);
        }
        if references.is_empty() && self.service.is_none() {
            return Err(Error::Usage("no address reference is said; name one with `reference`, or a service".into()));
        }
        let most_m = self.most_m.unwrap_or(FAR_M);
        if !(most_m > 0.0 && most_m.is_finite()) {
            return Err(Error::Usage(format!("`most_m` {most_m}: a distance above zero is expected")));
        }
        let placed = columns
            .placed()
            .ok_or_else(|| Error::NoPosition { path: setting.source().to_path_buf(), names: columns.names() })?;
        let operation = Operation::between(&placed.crs, &Catalogue::embedded().get(4326)?, None)?;
        let mut attributes: Vec<String> = Vec::new();
        for name in references.iter().flat_map(Reference::attribute_names) {
            if !attributes.contains(&name) {
                attributes.push(name);
            }
        }
        let text = |name: &str, longest| Column::added(name, DataType::Utf8).with_longest(longest);
        let number = |name: &str, digits| Column::added(name, DataType::Float64).with_digits(digits);
        let added = [
            text("nearest_address", 42),
            text("nearest_level", 16),
            number("nearest_distance_m", 1),
            text("nearest_side", 16),
            number("nearest_lon", 7),
            number("nearest_lat", 7),
        ];
        for mut column in added.into_iter().chain(attributes.iter().map(|a| text(&format!("inside_{a}"), 16))) {
            column.field = column.field.clone().with_name(columns.free_name(column.name(), None));
            columns.push(column);
        }
        setting.interpret(format!("the nearest address within {most_m} m of each position"));
        let service = match &self.service {
            Some(plan) => {
                let file = self.kept_at(setting)?;
                Some(Service::new(plan, file, setting.day)?)
            }
            None => None,
        };
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Finding { references, most_m, operation, attributes, schema, service }))
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn is_dear(&self) -> bool {
        true
    }

    fn each_path(&mut self, each: &mut dyn FnMut(&mut PathBuf)) {
        self.reference.iter_mut().for_each(&mut *each);
        self.remember.iter_mut().for_each(&mut *each);
        if let Some(service) = &mut self.service {
            service.secret_file.iter_mut().for_each(each);
        }
    }

    fn written(&self) -> Vec<(PathBuf, &'static str)> {
        self.remember.iter().map(|r| (r.clone(), "the file of answers")).collect()
    }
}

impl Nearest {
    /// The file that keeps the answers of the service: the one that was said, else one beside the output.
    fn kept_at(&self, setting: &Setting) -> Result<PathBuf, Error> {
        let of_output = || setting.beside.map(super::geocode::service::beside);
        self.remember.clone().or_else(of_output).ok_or_else(|| {
            Error::Usage("`service` without an output: say with `remember` which file keeps the answers".into())
        })
    }
}

struct Finding {
    references: Vec<Reference>,
    most_m: f64,
    operation: Operation,
    attributes: Vec<String>,
    schema: SchemaRef,
    service: Option<Service>,
}

impl Work for Finding {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let added = self.columns(rows.positions());
        rows.with_added(&self.schema, added)
    }

    fn survey(&self) -> Option<&'static str> {
        self.service.as_ref().filter(|s| s.is_open()).map(|_| "finding what to ask of the service")
    }

    fn look(&self, rows: &Rows) {
        let Some(service) = &self.service else { return };
        let [mut x, mut y, mut z] = rows.positions();
        self.operation.apply(&mut x, &mut y, &mut z);
        for (lon, lat) in x.into_iter().zip(y).filter(|(x, y)| x.is_finite() && y.is_finite()) {
            // First what is known here.
            if self.known(lon, lat).is_none() {
                service.take(lon, lat);
            }
        }
    }

    fn settle(&mut self, setting: &Settling) -> Result<Settled, Error> {
        match &mut self.service {
            None => Ok(Settled::default()),
            Some(service) => Ok(Settled { notices: service.ask(setting)?, ..Default::default() }),
        }
    }
}

impl Finding {
    /// The columns for positions; empty where no address is near.
    fn columns(&self, [mut x, mut y, mut z]: Coordinates) -> Vec<ArrayRef> {
        self.operation.apply(&mut x, &mut y, &mut z);
        let placed: Vec<Option<(f64, f64)>> =
            (0..x.len()).map(|i| (x[i].is_finite() && y[i].is_finite()).then(|| (x[i], y[i]))).collect();
        let found: Vec<Option<Found>> =
            placed.iter().map(|at| at.and_then(|(lon, lat)| self.nearest(lon, lat))).collect();
        let text = |f: &dyn Fn(&Found) -> String| {
            Arc::new(found.iter().map(|n| n.as_ref().map(f)).collect::<StringArray>()) as ArrayRef
        };
        let number = |f: &dyn Fn(&Found) -> f64| {
            Arc::new(found.iter().map(|n| n.as_ref().map(f)).collect::<Float64Array>()) as ArrayRef
        };
        let mut arrays = vec![
            text(&|n| n.address.clone()),
            text(&|n| n.level.name().into()),
            number(&|n| (n.distance_m * 10.0).round() / 10.0),
            Arc::new(found.iter().map(|n| n.as_ref().and_then(|n| n.side).map(|s| s.name())).collect::<StringArray>())
                as ArrayRef,
            number(&|n| n.lon),
            number(&|n| n.lat),
        ];
        let inside: Vec<Vec<(String, String)>> = placed
            .iter()
            .map(|at| {
                at.map_or_else(Vec::new, |(lon, lat)| {
                    self.references.iter().flat_map(|r| r.attributes_at(lon, lat)).collect()
                })
            })
            .collect();
        for attribute in &self.attributes {
            let column = inside.iter().map(|list| list.iter().find(|(n, _)| n == attribute).map(|(_, v)| v.as_str()));
            arrays.push(Arc::new(column.collect::<StringArray>()));
        }
        arrays
    }

    fn nearest(&self, lon: f64, lat: f64) -> Option<Found> {
        let answered = || self.service.as_ref()?.nearest(lon, lat, self.most_m);
        self.known(lon, lat).or_else(answered)
    }

    /// The nearest address that a reference has.
    fn known(&self, lon: f64, lat: f64) -> Option<Found> {
        self.references
            .iter()
            .filter_map(|r| r.nearest(lon, lat, self.most_m))
            .min_by(|a, b| a.distance_m.total_cmp(&b.distance_m))
    }
}
