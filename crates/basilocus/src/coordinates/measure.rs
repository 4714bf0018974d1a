//! Measures over tables of points: true against map length and area, distortion, which system they could be in.

use crate::Error;
use crate::coordinates::system;
use crate::engine::{Cancel, Chain, Run};
use crate::plan::LayerPlan;
use crate::steps::{Positions, StepPlan};
use basilocus_geodesy::crs::{Area, Crs, Detected, Kind, detect};
use basilocus_geodesy::geodesic::area;
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::projection::Distortion;
use serde::Serialize;
use std::collections::BTreeMap;

/// The points of a table.
#[derive(Debug, Clone, PartialEq)]
pub struct PointTable {
    /// Longitude or easting, in the table's system.
    pub x: Vec<f64>,
    /// Latitude or northing.
    pub y: Vec<f64>,
    /// Their rows in the source.
    pub source_rows: Vec<u64>,
    /// The system.
    pub crs: Crs,
    /// How the table was read.
    pub interpretation: Vec<String>,
    /// Rows without a usable position, by reason.
    pub set_aside: BTreeMap<String, u64>,
}

/// Reads the points of a table or layer.
///
/// # Errors
/// Those of reading a table, and [`Error::Usage`] where no row has a position.
///
/// ```
/// use basilocus::Cancel;
/// use basilocus::coordinates::measure::{measure, read_points};
/// use basilocus::plan::LayerPlan;
/// use basilocus::steps::Positions;
///
/// let folder = tempfile::tempdir()?;
/// let file = folder.path().join("corners.csv");
/// std::fs::write(&file, "lon,lat\n5,60\n6,60\n6,61\n")?;
/// let layer = LayerPlan::new(&file).with(Positions::in_system("EPSG:4326")?);
/// let points = read_points(&layer, &Cancel::default())?;
/// let field = measure(&points.degrees()?, &points.crs, None)?;
/// assert!(field.counter_clockwise && field.area_m2 > 3.0e9);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn read_points(layer: &LayerPlan, cancel: &Cancel) -> Result<PointTable, Error> {
    let mut plan = layer.clone();
    if !plan.steps.iter().any(|s| matches!(s, StepPlan::Positions(_))) {
        plan.steps.push(Positions::default().into());
    }
    let run = Run::quiet(cancel);
    let mut chain = Chain::open(&plan, &run)?;
    chain.survey(&run)?;
    let crs = chain.columns().placed().map(|p| p.crs.clone());
    let crs = crs.ok_or_else(|| Error::Usage("the table has no positions".into()))?;
    let mut table = PointTable {
        x: Vec::new(),
        y: Vec::new(),
        source_rows: Vec::new(),
        crs,
        interpretation: chain.decisions.interpretation.clone(),
        set_aside: BTreeMap::new(),
    };
    chain.each(&run, "reading", &Ok, &mut |part| {
        let [x, y, _] = part.rows.positions();
        table.x.extend(x);
        table.y.extend(y);
        table.source_rows.extend(part.rows.source_rows());
        for row in part.set_aside {
            *table.set_aside.entry(row.class.to_string()).or_default() += 1;
        }
        Ok(())
    })?;
    if table.x.is_empty() {
        return Err(Error::Data(format!("{}: no row has a usable position", layer.source.display())));
    }
    Ok(table)
}

impl PointTable {
    /// Longitudes and latitudes in degrees on the table's datum, from Greenwich; positions outside the domain are left
    /// out.
    ///
    /// # Errors
    /// Where the system has no datum.
    pub fn degrees(&self) -> Result<Vec<(f64, f64)>, Error> {
        let op = Operation::to_degrees(&self.crs)?;
        let (mut x, mut y, mut z) = (self.x.clone(), self.y.clone(), vec![0.0; self.x.len()]);
        op.apply(&mut x, &mut y, &mut z);
        Ok(x.into_iter().zip(y).filter(|(x, y)| x.is_finite() && y.is_finite()).collect())
    }

    /// Limits of the points in degrees.
    ///
    /// # Errors
    /// Where the system has no datum.
    pub fn area(&self) -> Result<Area, Error> {
        let all = self.degrees()?;
        let fold = |f: fn(f64, f64) -> f64, axis: fn(&(f64, f64)) -> f64| all.iter().map(axis).reduce(f).unwrap_or(0.0);
        Ok(Area {
            west_deg: fold(f64::min, |p| p.0),
            south_deg: fold(f64::min, |p| p.1),
            east_deg: fold(f64::max, |p| p.0),
            north_deg: fold(f64::max, |p| p.1),
            description: "the extent of the table".into(),
        })
    }

    /// The systems in which these numbers fall into a place, and how many of the points were looked at: a few hundred,
    /// evenly over the table.
    pub fn detect(&self, place: &Area) -> (Vec<Detected>, usize) {
        let step = self.x.len().div_ceil(400).max(1);
        let points: Vec<(f64, f64)> = self.x.iter().copied().zip(self.y.iter().copied()).step_by(step).collect();
        (detect(&points, place), points.len())
    }
}

/// A polygon or line through positions in their order, on the ellipsoid and on a map.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Measures {
    /// Corners.
    pub points: usize,
    /// Area on the ellipsoid, square metres.
    pub area_m2: f64,
    /// Perimeter of the polygon: geodesics, metres.
    pub perimeter_m: f64,
    /// Length of the line without the closing side, metres.
    pub length_m: f64,
    /// Whether the corners run counter-clockwise.
    pub counter_clockwise: bool,
    /// The ellipsoid.
    pub ellipsoid: String,
    /// What a map gives.
    pub on_map: Option<MapMeasures>,
}

/// The same on a map.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct MapMeasures {
    /// The projected system.
    pub crs: String,
    /// Area of the polygon with straight sides on the map, square metres.
    pub area_m2: f64,
    /// Perimeter on the map, metres.
    pub perimeter_m: f64,
    /// Length of the line on the map, metres.
    pub length_m: f64,
    /// Map area over true area.
    pub area_ratio: f64,
    /// Map length over true length of the line.
    pub length_ratio: f64,
}

/// Measures a polygon through positions in degrees on the datum of a system; with `map`, on a projected system too.
///
/// # Errors
/// [`Error::Usage`] for fewer than two positions, or a map that is not projected or does not cover them.
pub fn measure(degrees: &[(f64, f64)], crs: &Crs, map: Option<&Crs>) -> Result<Measures, Error> {
    if degrees.len() < 2 {
        return Err(Error::Usage("two positions or more are needed for a length, three for an area".into()));
    }
    let datum = crs.datum().ok_or_else(|| Error::Usage(format!("{} has no datum", crs.title())))?;
    let ring = area::ring(&datum.ellipsoid, degrees);
    let length_m = area::path_length_m(&datum.ellipsoid, degrees);
    let on_map = match map {
        None => None,
        Some(map) => {
            let Kind::Projected { unit, .. } = &map.horizontal().kind else {
                return Err(Error::Usage(format!("`on` {}: a projected system is expected", map.title())));
            };
            let greenwich = geographic_on_greenwich(crs)?;
            let op = Operation::between(&greenwich, map.horizontal(), None)?;
            let mut points = Vec::with_capacity(degrees.len());
            for (lon, lat) in degrees {
                let (x, y, _) = op
                    .apply_one(*lon, *lat, 0.0)
                    .ok_or_else(|| Error::Usage(format!("{lon}, {lat} is outside the domain of {}", map.title())))?;
                points.push((x * unit.metres, y * unit.metres));
            }
            let side = |a: &(f64, f64), b: &(f64, f64)| (b.0 - a.0).hypot(b.1 - a.1);
            let line: f64 = points.windows(2).map(|w| side(&w[0], &w[1])).sum();
            let closing = side(&points[points.len() - 1], &points[0]);
            // About the first corner, so that large coordinates cost no digits.
            let (x0, y0) = points[0];
            let twice: f64 = points
                .iter()
                .zip(points.iter().cycle().skip(1))
                .map(|(a, b)| (a.0 - x0) * (b.1 - y0) - (b.0 - x0) * (a.1 - y0))
                .sum();
            let map_area = twice.abs() / 2.0;
            Some(MapMeasures {
                crs: map.title(),
                area_m2: map_area,
                perimeter_m: line + closing,
                length_m: line,
                area_ratio: map_area / ring.area_m2.abs(),
                length_ratio: line / length_m,
            })
        }
    };
    Ok(Measures {
        points: degrees.len(),
        area_m2: ring.area_m2.abs(),
        perimeter_m: ring.perimeter_m,
        length_m,
        counter_clockwise: ring.area_m2 > 0.0,
        ellipsoid: datum.ellipsoid.name.clone(),
        on_map,
    })
}

/// The geographic system of a system in degrees on Greenwich.
fn geographic_on_greenwich(crs: &Crs) -> Result<Crs, Error> {
    let geographic =
        crs.geographic().ok_or_else(|| Error::Usage(format!("{} has no geographic system", crs.title())))?;
    let Kind::Geographic { datum, unit } = &geographic.kind else {
        return Ok(geographic);
    };
    if datum.prime_meridian_deg == 0.0 && unit.degrees == 1.0 {
        return Ok(geographic);
    }
    let suffix = format!(" {}", datum.prime_meridian);
    let mut datum = datum.clone();
    datum.name = datum.name.strip_suffix(&suffix).unwrap_or(&datum.name).to_string();
    datum.prime_meridian = "Greenwich".into();
    datum.prime_meridian_deg = 0.0;
    let unit = basilocus_geodesy::unit::AngularUnit::degree();
    Ok(Crs { code: None, kind: Kind::Geographic { datum, unit }, ..geographic })
}

/// Smallest, mean and largest of a quantity.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Range {
    /// Smallest.
    pub smallest: f64,
    /// Mean.
    pub mean: f64,
    /// Largest.
    pub largest: f64,
}

/// What a projection does over a layer.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct Distortions {
    /// The projected system.
    pub crs: String,
    /// Points looked at.
    pub points: usize,
    /// Points of the layer.
    pub of: usize,
    /// Points where the projection gives no numbers.
    pub outside: usize,
    /// Scale along the meridian.
    pub meridian_scale: Range,
    /// Scale along the parallel.
    pub parallel_scale: Range,
    /// Grid convergence: from true north to grid north, degrees clockwise.
    pub convergence_deg: Range,
    /// Area scale.
    pub area_scale: Range,
    /// Angular distortion, degrees.
    pub angular_distortion_deg: Range,
    /// Largest error of a length, parts per million (millimetres a kilometre).
    pub length_error_ppm: f64,
}

/// Distortion over positions in degrees on the datum of the projected system.
///
/// At most 20,000 of them are looked at, evenly over the list.
///
/// # Errors
/// [`Error::Usage`] where the system is not projected or gives no numbers for any of them.
pub fn distortion(degrees: &[(f64, f64)], map: &Crs) -> Result<Distortions, Error> {
    let (Some(projection), Some(datum)) = (map.projection()?, map.datum()) else {
        return Err(Error::Usage(format!("`on` {}: a projected system is expected", map.title())));
    };
    let step = degrees.len().div_ceil(20_000).max(1);
    let looked: Vec<&(f64, f64)> = degrees.iter().step_by(step).collect();
    let found: Vec<Distortion> = looked
        .iter()
        .filter_map(|(lon, lat)| projection.distortion(&datum.ellipsoid, lon - datum.prime_meridian_deg, *lat))
        .collect();
    if found.is_empty() {
        return Err(Error::Usage(format!("{} gives no numbers for any of the positions", map.title())));
    }
    let range = |f: fn(&Distortion) -> f64| {
        let mut r = Range { smallest: f64::INFINITY, mean: 0.0, largest: f64::NEG_INFINITY };
        for d in &found {
            let v = f(d);
            r.smallest = r.smallest.min(v);
            r.largest = r.largest.max(v);
            r.mean += v / found.len() as f64;
        }
        r
    };
    Ok(Distortions {
        crs: map.title(),
        points: found.len(),
        of: degrees.len(),
        outside: looked.len() - found.len(),
        meridian_scale: range(|d| d.meridian_scale),
        parallel_scale: range(|d| d.parallel_scale),
        convergence_deg: range(|d| d.convergence_deg),
        area_scale: range(|d| d.area_scale),
        angular_distortion_deg: range(|d| d.angular_distortion_deg),
        length_error_ppm: found
            .iter()
            .map(|d| (d.largest_scale - 1.0).abs().max((d.smallest_scale - 1.0).abs()) * 1e6)
            .fold(0.0, f64::max),
    })
}

/// A system for an option, with its evidence left out.
///
/// # Errors
/// Those of [`system::find`].
pub fn projected(text: &str) -> Result<Crs, Error> {
    let crs = system::find(text)?.crs;
    if matches!(crs.horizontal().kind, Kind::Projected { .. }) {
        Ok(crs)
    } else {
        Err(Error::Usage(format!("{} is a {} system; a projected one is expected", crs.title(), crs.kind_name())))
    }
}
