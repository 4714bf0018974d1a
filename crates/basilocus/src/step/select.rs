//! Chooses rows: by the areas that they lie in, by values, by an extent.
//!
//! One rule decides where a row is: a point by itself, a line or polygon by the middle of its bounds. A point on the edge
//! of an area counts to one of the areas that meet there and to no other: a ray to the east crosses each edge once, its
//! lower end included and its upper end not. So the parts of areas that cover a region without gaps add up to the whole.

use crate::Error;
use crate::plan::SelectPlan;
use crate::source::open;
use arrow_array::{ArrayRef, StringArray};
use arrow_schema::{DataType, Field, SchemaRef};
use basilocus_formats::{ColumnStyle, InputOptions};
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;
use basilocus_table::Batch;
use basilocus_table::geometry::{Geometries, Geometry, Position};
use std::path::Path;
use std::sync::Arc;

/// Why a row is not in the selection, in the order in which it is asked.
pub(crate) const OTHER_VALUE: &str = "another value";
const OUTSIDE_EXTENT: &str = "outside the extent";
const OUTSIDE_AREAS: &str = "outside the areas";

/// An area with the values that rows in it take.
struct Area {
    /// Its place in the file: of areas that overlap the first counts.
    number: usize,
    /// West, south, east, north.
    bounds: [f64; 4],
    rings: Vec<Vec<Position>>,
    values: Vec<String>,
}

/// A compiled selection.
pub(crate) struct Select {
    /// By western edge, so that a search may end early.
    areas: Option<Vec<Area>>,
    /// From the source to the system of the areas.
    to_areas: Option<Operation>,
    extent: Option<([f64; 4], Operation)>,
    /// Column, and the values of which one is wanted.
    values: Vec<(usize, Vec<String>)>,
    names: Vec<String>,
    pub(crate) understood: Vec<String>,
}

/// `COLUMN=VALUE`, several values parted by `|`.
fn wanted(text: &str, flag: &str, names: &[String], path: &Path) -> Result<(usize, Vec<String>), Error> {
    let (column, values) = text
        .split_once('=')
        .ok_or_else(|| Error::Plan(format!("{flag} {text}: COLUMN=VALUE is expected, several values parted by |")))?;
    let at = column_of(column.trim(), names, path)?;
    Ok((at, values.split('|').map(|v| v.trim().to_string()).collect()))
}

fn column_of(column: &str, names: &[String], path: &Path) -> Result<usize, Error> {
    names
        .iter()
        .position(|n| n == column)
        .or_else(|| names.iter().position(|n| n.eq_ignore_ascii_case(column)))
        .ok_or_else(|| Error::NoColumn {
            path: path.to_path_buf(),
            wanted: column.to_string(),
            names: names.iter().filter(|n| *n != basilocus_table::POINT_COLUMN).cloned().collect(),
        })
}

impl Select {
    pub(crate) fn new(
        plan: &SelectPlan,
        source: Option<&Crs>,
        schema: &SchemaRef,
        path: &Path,
        taken: &mut Vec<String>,
    ) -> Result<Self, Error> {
        let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
        let values = plan.values.iter().map(|v| wanted(v, "--value", &names, path)).collect::<Result<_, _>>()?;
        let placed = || {
            source.ok_or_else(|| {
                Error::Plan(format!(
                    "{}: rows without positions lie in no area; say where their coordinates are with --x and --y",
                    path.display()
                ))
            })
        };
        let mut out =
            Select { areas: None, to_areas: None, extent: None, values, names: Vec::new(), understood: Vec::new() };
        for v in &plan.values {
            out.understood.push(format!("rows whose {}", v.replacen('=', " is ", 1).replace('|', " or ")));
        }
        if let Some(text) = &plan.extent {
            let edges: Vec<f64> = text.split(',').filter_map(|p| p.trim().parse().ok()).collect();
            let [w, s, e, n] = edges[..] else {
                return Err(Error::Plan(format!("--extent {text}: WEST,SOUTH,EAST,NORTH in degrees is expected")));
            };
            if !(s < n && (-90.0..=90.0).contains(&s) && (-90.0..=90.0).contains(&n)) {
                return Err(Error::Plan(format!(
                    "--extent {text}: the south has to lie below the north, both in degrees"
                )));
            }
            out.extent = Some(([w, s, e, n], Operation::between(placed()?, &Catalogue::embedded().get(4326)?, None)?));
            out.understood.push(format!("rows between {w} and {e} east, {s} and {n} north"));
        }
        let Some(file) = &plan.inside else {
            if !plan.take.is_empty() || !plan.choose.is_empty() {
                return Err(Error::Plan("--take and --where are about areas; name their file with --inside".into()));
            }
            return Ok(out);
        };
        let mut reader = open(file, &InputOptions { layer: plan.inside_layer.clone(), ..Default::default() })?;
        let schema = reader.schema();
        let area_names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
        let choose: Vec<(usize, Vec<String>)> =
            plan.choose.iter().map(|c| wanted(c, "--where", &area_names, file)).collect::<Result<_, _>>()?;
        let take: Vec<usize> = plan.take.iter().map(|t| column_of(t, &area_names, file)).collect::<Result<_, _>>()?;
        let system = basilocus_table::batch::point_crs(&schema).ok_or_else(|| {
            Error::Plan(format!(
                "{}: areas without a known reference system; write it into the file first",
                file.display()
            ))
        })?;
        let system = crate::system::find(&system)?.crs;
        let decoder = reader.decoder();
        let (mut areas, mut chosen, mut failed, mut none) = (Vec::new(), 0u64, None, 0u64);
        reader.read(&mut |block| {
            let batch = match decoder.decode(block) {
                Ok(d) => {
                    none += d.set_aside.len() as u64;
                    d.batch
                }
                Err(e) => {
                    failed = Some(Error::from(e));
                    return false;
                }
            };
            let shapes = Geometries::of(&batch.records);
            for row in 0..batch.len() {
                if !choose.iter().all(|(c, values)| values.contains(&batch.text(*c, row))) {
                    continue;
                }
                chosen += 1;
                let values: Vec<String> = take.iter().map(|c| batch.text(*c, row)).collect();
                let rings = match shapes.as_ref().and_then(|s| s.get(row)) {
                    Some(Geometry::Polygon(rings)) => rings,
                    Some(Geometry::MultiPolygon(list)) => list.into_iter().flatten().collect(),
                    _ => {
                        none += 1;
                        continue;
                    }
                };
                let bounds = Geometry::MultiLineString(rings.clone()).bounds().unwrap_or([f64::NAN; 4]);
                areas.push(Area { number: areas.len(), bounds, rings, values });
            }
            true
        })?;
        if let Some(e) = failed {
            return Err(e);
        }
        if areas.is_empty() {
            let there =
                if chosen > 0 { "none of the chosen rows is a polygon" } else { "no area has the values of --where" };
            return Err(Error::Plan(format!("--inside {}: {there}", file.display())));
        }
        out.understood.push(format!(
            "rows inside {} of {}{}",
            if areas.len() == 1 { "1 area".to_string() } else { format!("{} areas", areas.len()) },
            file.display(),
            if none > 0 { format!(", without {none} rows of it that are no usable polygons") } else { String::new() }
        ));
        areas.sort_by(|a, b| a.bounds[0].total_cmp(&b.bounds[0]));
        out.areas = Some(areas);
        out.to_areas = Some(Operation::between(placed()?, &system, None)?);
        for c in take {
            let free = super::free_name(&area_names[c], taken);
            taken.push(free.clone());
            out.names.push(free);
        }
        Ok(out)
    }

    /// The columns that rows take from areas.
    pub(crate) fn fields(&self) -> Vec<(Field, ColumnStyle)> {
        let style = || ColumnStyle { digits: None, longest: Some(20) };
        self.names.iter().map(|n| (Field::new(n, DataType::Utf8, true), style())).collect()
    }

    /// Whether a row has the values that are wanted.
    pub(crate) fn has_values(&self, batch: &Batch, row: usize) -> bool {
        self.values.iter().all(|(c, values)| values.iter().any(|v| v == batch.text(*c, row).trim()))
    }

    /// Takes rows from `keep` that lie elsewhere, and says so; gives the columns that the others take.
    pub(crate) fn by_place(
        &self,
        start: &[Vec<f64>; 3],
        keep: &mut [bool],
        left_out: &mut dyn FnMut(&'static str),
    ) -> Vec<(Field, ArrayRef)> {
        if let Some(([w, s, e, n], operation)) = &self.extent {
            let [mut x, mut y, mut z] = start.clone();
            operation.apply(&mut x, &mut y, &mut z);
            for row in (0..keep.len()).filter(|r| keep[*r]).collect::<Vec<_>>() {
                // An extent may lie across the antimeridian.
                let east = if w <= e { *w <= x[row] && x[row] <= *e } else { x[row] >= *w || x[row] <= *e };
                if !(east && *s <= y[row] && y[row] <= *n) {
                    keep[row] = false;
                    left_out(OUTSIDE_EXTENT);
                }
            }
        }
        let (Some(areas), Some(operation)) = (&self.areas, &self.to_areas) else { return Vec::new() };
        let [mut x, mut y, mut z] = start.clone();
        operation.apply(&mut x, &mut y, &mut z);
        let mut found: Vec<Option<&Area>> = vec![None; keep.len()];
        for row in 0..keep.len() {
            if !keep[row] {
                continue;
            }
            found[row] = area_of(areas, x[row], y[row]);
            if found[row].is_none() {
                keep[row] = false;
                left_out(OUTSIDE_AREAS);
            }
        }
        self.fields()
            .into_iter()
            .enumerate()
            .map(|(i, (field, _))| {
                let texts: StringArray = found.iter().map(|a| a.map(|a| a.values[i].as_str())).collect();
                (field, Arc::new(texts) as ArrayRef)
            })
            .collect()
    }
}

/// The area of a position.
fn area_of(areas: &[Area], x: f64, y: f64) -> Option<&Area> {
    areas
        .iter()
        .take_while(|a| a.bounds[0] <= x)
        .filter(|a| x <= a.bounds[2] && a.bounds[1] <= y && y <= a.bounds[3] && is_inside(&a.rings, x, y))
        .min_by_key(|a| a.number)
}

/// Whether a ray to the east crosses the edges an odd number of times; holes count as edges too.
fn is_inside(rings: &[Vec<Position>], x: f64, y: f64) -> bool {
    let mut inside = false;
    for ring in rings {
        for w in ring.windows(2) {
            // An edge is looked at from its lower end, so that two areas that share it see the same crossing.
            let (a, b) = if w[0].y <= w[1].y { (&w[0], &w[1]) } else { (&w[1], &w[0]) };
            if a.y <= y && y < b.y && x < a.x + (y - a.y) / (b.y - a.y) * (b.x - a.x) {
                inside = !inside;
            }
        }
    }
    inside
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_table::geometry::wkt;

    fn rings(text: &str) -> Vec<Vec<Position>> {
        match wkt::read(text).unwrap() {
            Geometry::Polygon(rings) => rings,
            g => panic!("{g:?}"),
        }
    }

    #[test]
    fn a_point_on_an_edge_is_in_one_area() {
        // Four squares around 1 1, with odd vertices on the shared edges.
        let squares = [
            rings("POLYGON ((0 0, 1 0, 1 0.3, 1 1, 0 1, 0 0))"),
            rings("POLYGON ((1 0, 2 0, 2 1, 1 1, 1 0.3, 1 0))"),
            rings("POLYGON ((0 1, 1 1, 1 2, 0 2, 0 1))"),
            rings("POLYGON ((1 1, 2 1, 2 2, 1 2, 1 1))"),
        ];
        for (x, y) in [(1.0, 1.0), (1.0, 0.5), (1.0, 0.3), (0.5, 1.0), (1.5, 1.0), (1.0, 1.7), (0.2, 0.2), (1.9, 1.9)] {
            assert_eq!(squares.iter().filter(|r| is_inside(r, x, y)).count(), 1, "{x} {y}");
        }
    }

    #[test]
    fn of_areas_that_overlap_the_first_of_the_file_counts() {
        let area = |number, text: &str| {
            let rings = rings(text);
            Area { number, bounds: Geometry::Polygon(rings.clone()).bounds().unwrap(), rings, values: Vec::new() }
        };
        // Sorted by western edge, as a selection has them: the second of the file begins farther west.
        let areas = [area(1, "POLYGON ((0 0, 9 0, 9 9, 0 9, 0 0))"), area(0, "POLYGON ((4 0, 9 0, 9 9, 4 9, 4 0))")];
        assert_eq!(area_of(&areas, 5.0, 5.0).map(|a| a.number), Some(0));
        assert_eq!(area_of(&areas, 1.0, 5.0).map(|a| a.number), Some(1));
        assert!(area_of(&areas, 10.0, 5.0).is_none());
    }

    #[test]
    fn holes_are_outside() {
        let r = rings("POLYGON ((0 0, 10 0, 10 10, 0 10, 0 0), (4 4, 4 6, 6 6, 6 4, 4 4))");
        assert!(is_inside(&r, 2.0, 5.0) && !is_inside(&r, 5.0, 5.0) && !is_inside(&r, 11.0, 5.0));
    }
}
