//! Where data should be: a place in words or numbers, or wherever another layer or a reference of addresses lies.

use super::place::{self, Place};
use crate::Error;
use crate::drawing::DegreeBounds;
use crate::engine::{Cancel, Chain, Run, source};
use crate::plan::LayerPlan;
use crate::steps::Positions;
use basilocus_address::Reference;
use basilocus_draw::scene::united;
use basilocus_geodesy::crs::{Area, Catalogue};
use basilocus_geodesy::operation::Operation;
use std::path::Path;
use std::sync::Arc;

/// What is within so many kilometres of a single position is where it should be.
const AROUND_KM: f64 = 50.0;
/// Limits are widened by that share of their size, as people say them roughly.
const ROUGHLY: f64 = 0.02;
/// What lies beside another layer by that share of its size is where it should be.
const BESIDE: f64 = 0.25;
/// And by no less than so many kilometres.
const LEAST_KM: f64 = 2.0;

/// Where data should be, and what tells it of each row.
#[derive(Debug, Clone)]
pub(crate) struct Expectation {
    pub place: Place,
    /// The reference of addresses that said it; it knows the towns that rows name.
    pub references: Arc<[Reference]>,
}

impl Expectation {
    fn of(place: Place) -> Self {
        Expectation { place, references: Arc::new([]) }
    }
}

/// Reads where data should be: the path of a layer, table or reference, else a place as [`place::find`] reads it; widened by a margin.
///
/// # Errors
/// [`Error::Usage`] for words that are no place, and those of reading the layer.
pub(crate) fn find(text: &str, cancel: &Cancel) -> Result<Expectation, Error> {
    let path = Path::new(text);
    if path.is_file() {
        return match Reference::open_all(path) {
            Ok(references) => {
                let place = of_bounds(path, references.iter().filter_map(Reference::extent).reduce(united))?;
                Ok(Expectation { place, references: references.into() })
            }
            Err(basilocus_address::Error::NotAReference { .. }) => of_layer(path, cancel).map(Expectation::of),
            Err(e) => Err(e.into()),
        };
    }
    let place = place::find(text).map_err(|e| Error::Usage(format!("`expect`: {e}; or the path of a layer")))?;
    if place.is_point() {
        let words = format!("within {AROUND_KM} km of {}", place.words);
        return Ok(Expectation::of(Place { area: place.widened(AROUND_KM), words }));
    }
    Ok(Expectation::of(Place { area: with_margin(&place.area, ROUGHLY, 0.0), ..place }))
}

fn of_layer(path: &Path, cancel: &Cancel) -> Result<Place, Error> {
    let carried = source::open(path, &Default::default())?.about().crs.clone();
    let from = carried.unwrap_or_else(|| "EPSG:4326".into());
    let plan = LayerPlan::new(path).with(Positions { from: Some(from), ..Default::default() });
    let run = Run::quiet(cancel);
    let mut chain = Chain::open(&plan, &run)?;
    chain.survey(&run)?;
    let columns = chain.columns();
    let crs = columns
        .placed()
        .map(|p| p.crs.clone())
        .ok_or_else(|| Error::NoPosition { path: path.to_path_buf(), names: columns.names() })?;
    let way = Operation::between(crs.horizontal(), &Catalogue::embedded().get(4326)?, None)?;
    let mut bounds = DegreeBounds::default();
    chain.each(&run, "looking for the place", &Ok, &mut |part| {
        let [mut x, mut y, mut z] = part.rows.positions();
        way.apply(&mut x, &mut y, &mut z);
        for (x, y) in x.iter().zip(&y).filter(|(x, y)| x.is_finite() && y.is_finite()) {
            bounds.add([*x, *y]);
        }
        Ok(())
    })?;
    of_bounds(path, bounds.bounds())
}

fn of_bounds(path: &Path, bounds: Option<[f64; 4]>) -> Result<Place, Error> {
    let [west_deg, south_deg, east_deg, north_deg] =
        bounds.ok_or_else(|| Error::Data(format!("`expect` {}: no row has a position", path.display())))?;
    let area = Area { west_deg, south_deg, east_deg, north_deg, description: String::new() };
    let words = format!(
        "where {} lies ({west_deg:.4}° to {east_deg:.4}° longitude, {south_deg:.4}° to {north_deg:.4}° latitude)",
        path.display()
    );
    Ok(Place { area: with_margin(&area, BESIDE, LEAST_KM), words })
}

/// Limits a share of their size farther out, and by no less than so many kilometres.
fn with_margin(area: &Area, share: f64, least_km: f64) -> Area {
    let wide = (area.east_deg - area.west_deg).rem_euclid(360.0) * share;
    let high = (area.north_deg - area.south_deg) * share;
    let km = 1.0 / 111.2;
    let narrow = area.south_deg.abs().max(area.north_deg.abs()).min(89.0).to_radians().cos();
    let (wide, high) = (wide.max(least_km * km / narrow), high.max(least_km * km));
    let covers_all = (area.east_deg - area.west_deg) + 2.0 * wide >= 360.0;
    let around = |lon: f64| (lon + 180.0).rem_euclid(360.0) - 180.0;
    let [west_deg, east_deg] =
        if covers_all { [-180.0, 180.0] } else { [around(area.west_deg - wide), around(area.east_deg + wide)] };
    Area {
        west_deg,
        south_deg: (area.south_deg - high).max(-90.0),
        east_deg,
        north_deg: (area.north_deg + high).min(90.0),
        description: area.description.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::addresses::reference::{BuildPlan, build};

    #[test]
    fn a_place_is_widened_by_what_people_mean_by_it() {
        let found = |text: &str| find(text, &Cancel::default()).unwrap().place;
        let box_ = found("-124,46,-123,47");
        assert!((box_.area.west_deg + 124.02).abs() < 1e-9 && (box_.area.north_deg - 47.02).abs() < 1e-9);
        let point = found("46.2N 123.8W");
        assert!(point.area.contains(-123.8, 46.6) && !point.area.contains(-123.8, 46.7), "{point:?}");
        assert!(point.words.starts_with("within 50 km of"));
        // Across the 180th meridian.
        let fiji = found("177,-19,-178,-16");
        assert!(
            fiji.area.contains(179.9, -17.0) && fiji.area.contains(-179.0, -17.0) && !fiji.area.contains(0.0, -17.0)
        );
        let message = find("Atlantis", &Cancel::default()).unwrap_err().to_string();
        assert!(message.contains("`expect`") && message.contains("the path of a layer"), "{message}");
    }

    #[test]
    fn a_reference_says_where_its_addresses_are() {
        let folder = tempfile::tempdir().unwrap();
        let (points, reference) = (folder.path().join("points.csv"), folder.path().join("town.reference"));
        let table = "number,street,locality,region,lon,lat\n12,Heron Ln,Ternport,OR,-123.81,46.19\n14,Heron Ln,Ternport,OR,-123.80,46.21\n";
        std::fs::write(&points, table).unwrap();
        let plan = BuildPlan { sources: vec![points], output: reference.clone(), ..Default::default() };
        build(&plan, &Cancel::default(), &()).unwrap();
        let found = find(reference.to_str().unwrap(), &Cancel::default()).unwrap();
        let place = found.place;
        assert_eq!(found.references.len(), 1);
        assert!(place.area.contains(-123.805, 46.2) && !place.area.contains(-123.6, 46.2), "{place:?}");
    }

    #[test]
    fn a_layer_says_where_others_should_be() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("gates.csv");
        std::fs::write(&file, "id,lon,lat\n1,-123.9,46.1\n2,-123.7,46.3\n").unwrap();
        let place = find(file.to_str().unwrap(), &Cancel::default()).unwrap().place;
        assert!(
            (place.area.west_deg + 123.95).abs() < 1e-6 && (place.area.north_deg - 46.35).abs() < 1e-6,
            "{place:?}"
        );
        assert!(place.words.contains("gates.csv"));
    }
}
