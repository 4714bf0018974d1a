//! Lengths and areas that stand in a column: whether they are those of the ground, or of a map that stretches it.

use super::first_rows::FirstRows;
use super::{Ending, Finding, Scene, Seen, Watch};
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::area;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Geometries;
use basilocus_table::batch::cell_text;
use basilocus_table::geometry::{Geometry, Position};
use std::sync::{Mutex, PoisonError};

/// Rows that are measured: more say nothing else.
const LOOKED_AT: usize = 200;
/// Fewer may agree by chance.
const LEAST: usize = 3;
/// The share of them that have to agree.
const SHARE: f64 = 0.9;
/// A column is that of a plane where it differs by no more than this share.
const EQUAL: f64 = 2e-3;
/// A plane is wrong where it differs by more from the ground.
const WRONG: f64 = 0.01;
/// EPSG code of the web's Mercator.
const WEB: u32 = 3857;

/// Units that such columns are kept in: square metres, hectares, square kilometres; metres, kilometres.
const AREA_UNITS: [f64; 3] = [1.0, 1e-4, 1e-6];
const LENGTH_UNITS: [f64; 2] = [1.0, 1e-3];

/// The same shape measured in several ways: on the ground, in the plane of its system, in that of the web's Mercator.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Measured {
    ground: f64,
    planes: [f64; 2],
}

/// A column of measures.
#[derive(Debug)]
struct Column {
    name: String,
    place: usize,
}

/// A shape with what the columns say of it.
#[derive(Debug)]
struct Shape {
    measured: Measured,
    /// Values above zero, a column each.
    values: Vec<Option<f64>>,
}

struct Watching {
    crs: Crs,
    to_degrees: Operation,
    to_web: Operation,
    ellipsoid: Ellipsoid,
    columns: Vec<Column>,
    shapes: Mutex<FirstRows<Shape>>,
}

/// A watcher for a layer of lines or polygons.
pub(super) fn watch(scene: &Scene) -> Option<Box<dyn Watch>> {
    let crs = scene.shapes_in.clone()?;
    let to_degrees = Operation::to_degrees(&crs).ok()?;
    let to_web = Operation::between(&crs, &Catalogue::embedded().get(WEB).ok()?, None).ok()?;
    let ellipsoid = crs.datum()?.ellipsoid.clone();
    let columns = scene.columns.names().into_iter().enumerate().filter(|(_, name)| is_measure(name));
    let columns = columns.map(|(place, name)| Column { name, place }).collect();
    let shapes = Mutex::new(FirstRows::of(LOOKED_AT));
    Some(Box::new(Watching { crs, to_degrees, to_web, ellipsoid, columns, shapes }))
}

/// Whether a name says an area or a length of shapes.
fn is_measure(name: &str) -> bool {
    let name = name.to_lowercase();
    ["area", "leng", "perim", "fläche", "länge", "surface", "superficie", "longueur"]
        .iter()
        .any(|part| name.contains(part))
        || matches!(name.as_str(), "shape_len" | "len" | "len_m" | "ha" | "hectares")
}

impl Watch for Watching {
    fn rows(&self, seen: &Seen) {
        let records = seen.rows.records();
        let Some(geometries) = Geometries::of(records) else { return };
        let mut shapes = self.shapes.lock().unwrap_or_else(PoisonError::into_inner);
        for (row, number) in seen.rows.source_rows().iter().enumerate() {
            if !shapes.wants(*number) {
                continue;
            }
            let Some(measured) = geometries.get(row).and_then(|g| self.measured(&g)) else { continue };
            let value = |c: &Column| cell_text(records.column(c.place), row).trim().parse::<f64>().ok();
            let values = self.columns.iter().map(|c| value(c).filter(|v| *v > 0.0 && v.is_finite())).collect();
            shapes.add(*number, Shape { measured, values });
        }
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        let shapes = self.shapes.lock().unwrap_or_else(PoisonError::into_inner);
        let values = |at: usize| -> Vec<(f64, Measured)> {
            shapes.iter().filter_map(|shape| Some((shape.values[at]?, shape.measured))).collect()
        };
        let planes = [self.crs.title(), "the web's Mercator".to_string()];
        let found = self.columns.iter().enumerate().find_map(|(at, column)| {
            let values = values(at);
            of_a_plane(&values).map(|(plane, times)| (column, values.len() as u64, plane, times))
        });
        if let Some((column, rows, plane, times)) = found {
            let whose = if plane == 0 && self.crs.is_geographic() {
                "degrees, not metres".to_string()
            } else {
                format!("measures of the plane of {}, {times:.3} times those on the ground", planes[plane])
            };
            return Some(Finding {
                column: Some(column.name.clone()),
                rows,
                message: format!("\"{}\" holds {whose}", column.name),
                mend: "measure anew on the ellipsoid with `measure`, and leave the column out".into(),
            });
        }
        let times = middle(shapes.iter().map(|shape| shape.measured.planes[0] / shape.measured.ground))?;
        (scene.shapes_in_output && self.crs.code == Some(WEB) && (times - 1.0).abs() > WRONG).then(|| Finding {
            column: None,
            rows: shapes.len() as u64,
            message: format!(
                "lines or polygons go out in {}: whoever measures them there gets {times:.2} times what is on the ground",
                self.crs.title()
            ),
            mend: "send them in a system to measure in (`crs advise`), or say so to whoever gets them".into(),
        })
    }
}

impl Watching {
    /// A polygon's area or a line's length, in all ways.
    fn measured(&self, geometry: &Geometry) -> Option<Measured> {
        // Each line or ring with its sign: holes are taken off.
        fn rings(polygon: &[Vec<Position>]) -> impl Iterator<Item = (&[Position], f64)> {
            polygon.iter().enumerate().map(|(at, ring)| (ring.as_slice(), if at == 0 { 1.0 } else { -1.0 }))
        }
        let (lines, closed): (Vec<(&[Position], f64)>, bool) = match geometry {
            Geometry::LineString(line) => (vec![(line, 1.0)], false),
            Geometry::MultiLineString(list) => (list.iter().map(|line| (line.as_slice(), 1.0)).collect(), false),
            Geometry::Polygon(polygon) => (rings(polygon).collect(), true),
            Geometry::MultiPolygon(list) => (list.iter().flat_map(|polygon| rings(polygon)).collect(), true),
            _ => return None,
        };
        let mut sum = Measured { ground: 0.0, planes: [0.0; 2] };
        for (line, sign) in lines {
            let plane: Vec<(f64, f64)> = line.iter().map(|p| (p.x, p.y)).collect();
            let brought = |operation: &Operation| -> Vec<(f64, f64)> {
                let (mut x, mut y): (Vec<f64>, Vec<f64>) = plane.iter().copied().unzip();
                let mut z = vec![0.0; x.len()];
                operation.apply(&mut x, &mut y, &mut z);
                x.into_iter().zip(y).collect()
            };
            let (degrees, web) = (brought(&self.to_degrees), brought(&self.to_web));
            if closed {
                let open = |points: &[(f64, f64)]| points[..points.len().saturating_sub(1)].to_vec();
                sum.ground += sign * area::ring(&self.ellipsoid, &open(&degrees)).area_m2.abs();
                sum.planes[0] += sign * planar_area(&plane);
                sum.planes[1] += sign * planar_area(&web);
            } else {
                sum.ground += area::path_length_m(&self.ellipsoid, &degrees);
                sum.planes[0] += planar_length(&plane);
                sum.planes[1] += planar_length(&web);
            }
        }
        let all = [sum.ground, sum.planes[0], sum.planes[1]];
        all.into_iter().all(|v| v > 0.0 && v.is_finite()).then_some(sum)
    }
}

fn planar_area(points: &[(f64, f64)]) -> f64 {
    // From the first position, so that large coordinates cost no digits.
    let Some((x0, y0)) = points.first() else { return 0.0 };
    let cross = |w: &[(f64, f64)]| (w[0].0 - x0) * (w[1].1 - y0) - (w[1].0 - x0) * (w[0].1 - y0);
    points.windows(2).map(cross).sum::<f64>().abs() / 2.0
}

fn planar_length(points: &[(f64, f64)]) -> f64 {
    points.windows(2).map(|w| (w[1].0 - w[0].0).hypot(w[1].1 - w[0].1)).sum()
}

/// In which plane nearly all values were measured, where that is not true to the ground, and how many times too large they are;
/// `None` where they are true, or say something else.
fn of_a_plane(values: &[(f64, Measured)]) -> Option<(usize, f64)> {
    if values.len() < LEAST {
        return None;
    }
    let units = AREA_UNITS.iter().chain(&LENGTH_UNITS);
    let share = |measure: &dyn Fn(&Measured) -> f64, unit: f64| {
        let fits = |(value, m): &&(f64, Measured)| (value / (measure(m) * unit) - 1.0).abs() <= EQUAL;
        values.iter().filter(fits).count() as f64 / values.len() as f64
    };
    let agree = |measure: &dyn Fn(&Measured) -> f64| units.clone().any(|unit| share(measure, *unit) >= SHARE);
    if agree(&|m| m.ground) {
        return None;
    }
    let plane = (0..2).find(|plane| agree(&|m| m.planes[*plane]))?;
    let times = middle(values.iter().map(|(_, m)| m.planes[plane] / m.ground))?;
    ((times - 1.0).abs() > WRONG).then_some((plane, times))
}

fn middle(values: impl Iterator<Item = f64>) -> Option<f64> {
    let mut sorted: Vec<f64> = values.collect();
    sorted.sort_by(f64::total_cmp);
    sorted.get(sorted.len() / 2).copied()
}
