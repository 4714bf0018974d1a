//! Chooses rows by the areas that they lie in, and gives them values of their area.
//!
//! One rule decides where a row is: a point by itself, a line or polygon by the middle of its bounds. A point on the edge
//! of an area counts to one of the areas that meet there and to no other: a ray to the east crosses each edge once, its
//! lower end included and its upper end not. So the parts of areas that cover a region without gaps add up to the whole.

use super::condition::Condition;
use super::{Bound, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Column, Columns, Rows, Setting, is_in_degrees, source};
use arrow_array::{ArrayRef, StringArray};
use arrow_schema::{DataType, SchemaRef};
use basilocus_formats::InputOptions;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use basilocus_table::counted;
use basilocus_table::geometry::{Geometries, Geometry, Position, antimeridian};
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Areas that rows must lie in.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::{Inside, Positions};
///
/// let folder = tempfile::tempdir()?;
/// let (areas, out) = (folder.path().join("districts.geojson"), folder.path().join("out.csv"));
/// let ring = "[[[-124,46],[-123,46],[-123,47],[-124,47],[-124,46]]]";
/// let district = format!(r#"{{"type":"Feature","properties":{{"name":"North"}},"geometry":{{"type":"Polygon","coordinates":{ring}}}}}"#);
/// std::fs::write(&areas, format!(r#"{{"type":"FeatureCollection","features":[{district}]}}"#))?;
/// let gates = "gate,lon,lat\nA,-123.8,46.2\nB,-120.1,46.1\n";
/// let inside = Inside { areas, take: vec!["name".into()], ..Default::default() };
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .then(inside)
///     .write(&out)?
///     .run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "gate,lon,lat,name\nA,-123.8,46.2,North\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Inside {
    /// A layer of polygons; rows inside one of them are chosen.
    pub areas: PathBuf,
    /// The system of the areas, where their file carries none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// Its layer, where the file has several.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub layer: Option<String>,
    /// Which of the areas count: conditions as for values of rows; all of them hold.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub choose: Vec<String>,
    /// Columns of the areas that rows inside take.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub take: Vec<String>,
}

/// An area with the values that rows in it take.
struct Area {
    /// Its place in the file: of areas that overlap the first counts.
    number: usize,
    /// West, south, east, north.
    bounds: [f64; 4],
    rings: Vec<Vec<Position>>,
    values: Vec<String>,
}

/// The areas of a file.
struct Areas {
    /// By western edge, so that a search may end early.
    list: Vec<Area>,
    crs: Crs,
    in_degrees: bool,
    /// Names of the columns that rows take.
    names: Vec<String>,
    /// Rows of the file that are no usable polygons.
    unusable: u64,
}

/// The system of positions.
pub(super) fn system_of<'a>(columns: &'a Columns, setting: &Setting) -> Result<&'a Crs, Error> {
    columns.placed().map(|p| &p.crs).ok_or_else(|| {
        Error::Usage(format!(
            "{}: rows without positions lie in no area; say where their coordinates are with `x` and `y`",
            setting.source().display()
        ))
    })
}

impl Step for Inside {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let areas = self.read()?;
        let operation = Operation::between(system_of(&columns, setting)?, &areas.crs, None)?;
        let count = areas.list.len();
        setting.interpret(format!(
            "rows inside {} of {}{}",
            counted(count as u64, "area"),
            self.areas.display(),
            match areas.unusable {
                0 => String::new(),
                1 => ", without a row of it that is no usable polygon".into(),
                n => format!(", without {n} rows of it that are no usable polygons"),
            }
        ));
        for name in &areas.names {
            let free = columns.free_name(name, None);
            columns.push(Column::added(free, DataType::Utf8).with_longest(20));
        }
        let schema = columns.schema();
        let (taken, in_degrees) = (areas.names.len(), areas.in_degrees);
        Ok(Bound::blocks(columns, Choosing { areas: areas.list, taken, operation, in_degrees, schema }))
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn each_path(&mut self, each: &mut dyn FnMut(&mut PathBuf)) {
        each(&mut self.areas);
        super::to::each_system_file(self.from.as_mut(), each);
    }
}

impl Inside {
    /// Reads the areas.
    fn read(&self) -> Result<Areas, Error> {
        let file: &Path = &self.areas;
        let mut reader = source::open(file, &InputOptions { layer: self.layer.clone(), ..Default::default() })?;
        let schema = reader.schema();
        let columns = Columns::of_source(&schema, true);
        let choose: Vec<Condition> =
            self.choose.iter().map(|c| Condition::read(c, "`choose`", &columns, file)).collect::<Result<_, _>>()?;
        let take: Vec<usize> = self.take.iter().map(|t| columns.require(t, file)).collect::<Result<_, _>>()?;
        let carried = basilocus_table::batch::point_crs(&schema);
        if let (Some(carried), Some(said)) = (&carried, &self.from) {
            return Err(Error::Usage(format!(
                "`inside_from` {said}: the areas of {} carry their system ({carried})",
                file.display()
            )));
        }
        let system = carried.or_else(|| self.from.clone()).ok_or_else(|| {
            Error::Usage(format!(
                "{}: areas without a known reference system; say it with `inside_from`",
                file.display()
            ))
        })?;
        let crs = crate::coordinates::system::find(&system)?.crs;
        let in_degrees = is_in_degrees(&crs);
        let (mut list, mut chosen, mut unusable) = (Vec::new(), 0u64, 0u64);
        source::each_batch(reader.as_mut(), &mut |decoded| {
            unusable += decoded.set_aside.len() as u64;
            let batch = decoded.batch;
            let shapes = Geometries::of(batch.records());
            for row in (0..batch.len()).filter(|row| choose.iter().all(|c| c.holds(batch.records(), *row))) {
                chosen += 1;
                let shape = shapes.as_ref().and_then(|s| s.get(row));
                // An area across the 180° meridian has two sides.
                let shape = if in_degrees { shape.and_then(|s| antimeridian::cut(&s)) } else { shape };
                match shape.and_then(rings) {
                    Some(rings) => {
                        let values = take.iter().map(|c| batch.text(*c, row)).collect();
                        list.push(Area::new(list.len(), rings, values));
                    }
                    None => unusable += 1,
                }
            }
            Ok(())
        })?;
        if list.is_empty() {
            let there =
                if chosen > 0 { "none of the chosen rows is a polygon" } else { "no area has the values of `choose`" };
            return Err(Error::Usage(format!("`inside` {}: {there}", file.display())));
        }
        list.sort_by(|a, b| a.bounds[0].total_cmp(&b.bounds[0]));
        let names = take.iter().filter_map(|c| columns.get(*c)).map(|c| c.name().to_string()).collect();
        Ok(Areas { list, crs, in_degrees, names, unusable })
    }
}

/// All rings of a polygon or of several.
fn rings(geometry: Geometry) -> Option<Vec<Vec<Position>>> {
    match geometry {
        Geometry::Polygon(rings) => Some(rings),
        Geometry::MultiPolygon(list) => Some(list.into_iter().flatten().collect()),
        _ => None,
    }
}

impl Area {
    fn new(number: usize, rings: Vec<Vec<Position>>, values: Vec<String>) -> Self {
        let bounds = Geometry::MultiLineString(rings.clone()).bounds().unwrap_or([f64::NAN; 4]);
        Area { number, bounds, rings, values }
    }
}

struct Choosing {
    areas: Vec<Area>,
    /// Columns that rows take.
    taken: usize,
    /// To the system of the areas.
    operation: Operation,
    /// Whether that is in degrees.
    in_degrees: bool,
    schema: SchemaRef,
}

impl Work for Choosing {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let [mut x, mut y, mut z] = rows.positions();
        self.operation.apply(&mut x, &mut y, &mut z);
        if self.in_degrees {
            x.iter_mut().for_each(|x| *x = antimeridian::turned(*x));
        }
        let found: Vec<Option<&Area>> = (0..rows.len())
            .map(|row| {
                let found = area_of(&self.areas, x[row], y[row]);
                // On the 180° meridian a place is on both sides.
                let other_side = self.in_degrees && x[row].abs() == 180.0;
                found.or_else(|| if other_side { area_of(&self.areas, -x[row], y[row]) } else { None })
            })
            .collect();
        for (row, _) in found.iter().enumerate().filter(|(_, area)| area.is_none()) {
            account.leave_out(row, Reason::OUTSIDE_THE_AREAS);
        }
        let taken: Vec<ArrayRef> = (0..self.taken)
            .map(|i| {
                Arc::new(found.iter().map(|a| a.map(|a| a.values[i].as_str())).collect::<StringArray>()) as ArrayRef
            })
            .collect();
        rows.with_added(&self.schema, taken)
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
            Area::new(number, rings, Vec::new())
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
