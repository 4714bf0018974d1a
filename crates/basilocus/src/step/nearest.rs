//! The address nearest to each position, and the areas around it.

use crate::Error;
use crate::plan::NearestPlan;
use arrow_array::{ArrayRef, Float64Array, StringArray};
use arrow_schema::{DataType, Field};
use basilocus_address::Reference;
use basilocus_address::nearest::Nearest;
use basilocus_formats::ColumnStyle;
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;
use std::sync::Arc;

/// Metres beyond which an address is none, where the plan does not say.
const MOST_M: f64 = 1000.0;

/// A compiled step.
pub(crate) struct NearestStep {
    references: Vec<Reference>,
    most_m: f64,
    operation: Operation,
    names: Vec<String>,
    attributes: Vec<String>,
    pub(crate) understood: String,
}

impl NearestStep {
    pub(crate) fn new(plan: &NearestPlan, source: &Crs, taken: &mut Vec<String>) -> Result<Self, Error> {
        let references = plan.reference.iter().map(|p| Reference::open(p)).collect::<Result<Vec<_>, _>>()?;
        if references.is_empty() {
            return Err(Error::Plan("no address reference is said; name one with --reference".into()));
        }
        let most_m = plan.most_m.unwrap_or(MOST_M);
        if !(most_m > 0.0 && most_m.is_finite()) {
            return Err(Error::Plan(format!("--most {most_m}: a distance above zero is expected")));
        }
        let mut attributes: Vec<String> = Vec::new();
        for name in references.iter().flat_map(Reference::attribute_names) {
            if !attributes.contains(&name) {
                attributes.push(name);
            }
        }
        let wanted =
            ["nearest_address", "nearest_level", "nearest_distance_m", "nearest_side", "nearest_lon", "nearest_lat"]
                .map(String::from)
                .into_iter()
                .chain(attributes.iter().map(|a| format!("inside_{a}")));
        let mut names = Vec::new();
        for name in wanted {
            let free = super::free_name(&name, taken);
            taken.push(free.clone());
            names.push(free);
        }
        Ok(NearestStep {
            references,
            most_m,
            operation: Operation::between(source, &Catalogue::embedded().get(4326)?, None)?,
            names,
            attributes,
            understood: format!("the nearest address within {most_m} m of each position"),
        })
    }

    pub(crate) fn fields(&self) -> Vec<(Field, ColumnStyle)> {
        self.names
            .iter()
            .enumerate()
            .map(|(i, name)| match i {
                2 => (Field::new(name, DataType::Float64, true), ColumnStyle { digits: Some(1), longest: None }),
                4 | 5 => (Field::new(name, DataType::Float64, true), ColumnStyle { digits: Some(7), longest: None }),
                _ => (
                    Field::new(name, DataType::Utf8, true),
                    ColumnStyle { digits: None, longest: Some(if i == 0 { 42 } else { 16 }) },
                ),
            })
            .collect()
    }

    /// The columns for positions in the source's system; empty where no address is near, or the row is not kept.
    pub(crate) fn columns(&self, start: &[Vec<f64>; 3], keep: &[bool]) -> Vec<(Field, ArrayRef)> {
        let [mut x, mut y, mut z] = start.clone();
        self.operation.apply(&mut x, &mut y, &mut z);
        let placed: Vec<Option<(f64, f64)>> =
            (0..x.len()).map(|i| (keep[i] && x[i].is_finite() && y[i].is_finite()).then(|| (x[i], y[i]))).collect();
        let found: Vec<Option<Nearest>> =
            placed.iter().map(|at| at.and_then(|(lon, lat)| self.nearest(lon, lat))).collect();
        let text = |f: &dyn Fn(&Nearest) -> String| {
            Arc::new(found.iter().map(|n| n.as_ref().map(f)).collect::<StringArray>()) as ArrayRef
        };
        let number = |f: &dyn Fn(&Nearest) -> f64| {
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
        self.fields().into_iter().map(|(f, _)| f).zip(arrays).collect()
    }

    fn nearest(&self, lon: f64, lat: f64) -> Option<Nearest> {
        self.references
            .iter()
            .filter_map(|r| r.nearest(lon, lat, self.most_m))
            .min_by(|a, b| a.distance_m.total_cmp(&b.distance_m))
    }
}
