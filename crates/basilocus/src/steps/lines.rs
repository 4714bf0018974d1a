//! Points in their order, or in that of a column, as one line or polygon, or as one for each value of a column.

use super::{Bound, Collect, Collected, Step, Wish};
use crate::Error;
use crate::engine::{Column, Columns, Rows, Setting};
use arrow_array::{ArrayRef, BinaryArray, Int64Array, StringArray};
use arrow_schema::DataType;
use basilocus_table::batch::cell_text;
use basilocus_table::counted::{counted, is_or_are, of_number};
use basilocus_table::geometry::{Geometry, Position, geometry_field, wkb};
use basilocus_table::{Batch, Reason, SetAsideRow};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;

/// Points in their order become lines.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::{Lines, Positions};
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.geojson");
/// let levee = "levee,seq,lon,lat\nNorth,2,-123.7,46.1\nNorth,1,-123.8,46.2\n";
/// let lines = Lines { by: Some("levee".into()), order: Some("seq".into()) };
/// let report = Layer::from_reader(levee.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .lines(lines)
///     .write(&out)?
///     .run()?;
/// assert_eq!((report.rows_in, report.rows_out, report.joined), (2, 1, 1));
/// assert!(std::fs::read_to_string(out)?.contains("\"LineString\",\"coordinates\":[[-123.8,46.2],[-123.7,46.1]]"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Lines {
    /// Column with a value for each line; without it all points are one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// Column that gives the order of the points; without it that of the rows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<String>,
}

/// Points in their order become polygons, which are closed.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::{Polygons, Positions};
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let corners = "field,lon,lat\nF,0,0\nF,1,0\nF,1,1\n";
/// Layer::from_reader(corners.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .polygons(Polygons { by: Some("field".into()), ..Default::default() })
///     .write(&out)?
///     .run()?;
/// assert!(std::fs::read_to_string(out)?.contains("POLYGON ((0 0, 1 0, 1 1, 0 0))"), "the last side is added");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Polygons {
    /// Column with a value for each polygon; without it all points are one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// Column that gives the order of the points; without it that of the rows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<String>,
}

impl Step for Lines {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        Joining::bind(Shape { least: 2, name: "line" }, &self.by, &self.order, columns, setting)
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }
}

impl Step for Polygons {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        Joining::bind(Shape { least: 3, name: "polygon" }, &self.by, &self.order, columns, setting)
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }
}

/// What is made of points.
#[derive(Clone, Copy)]
struct Shape {
    /// Positions that it needs.
    least: usize,
    name: &'static str,
}

/// A line in the making.
struct Line {
    /// Texts of its first row; a column that another row has another text in is none of the line's.
    texts: Vec<String>,
    first_row: u64,
    positions: Vec<Joint>,
}

/// A position on its way into a line.
struct Joint {
    position: Position,
    /// Text of the column that gives the order.
    order: String,
    source_row: u64,
}

/// Points on their way into lines.
struct Joining {
    shape: Shape,
    by: Option<usize>,
    order: Option<usize>,
    columns: Columns,
    /// Places of all columns but that of the geometry.
    places: Vec<usize>,
    /// For each of them, whether it has one value within every line so far.
    common: Vec<bool>,
    lines: Vec<Line>,
    index: HashMap<String, usize>,
    /// Rows as they were read, of lines that may be too short to be one.
    first_texts: HashMap<u64, Vec<String>>,
}

impl Joining {
    fn bind(
        shape: Shape,
        by: &Option<String>,
        order: &Option<String>,
        columns: Columns,
        setting: &mut Setting,
    ) -> Result<Bound, Error> {
        let column = |name: &Option<String>| name.as_deref().map(|n| columns.require(n, setting.source())).transpose();
        let (by, order) = (column(by)?, column(order)?);
        let places: Vec<usize> = (0..columns.len()).filter(|i| Some(*i) != columns.geometry()).collect();
        let common = vec![true; places.len()];
        let (lines, index, first_texts) = Default::default();
        Ok(Bound::All(Box::new(Joining { shape, by, order, columns, places, common, lines, index, first_texts })))
    }

    /// The lines that are long enough; the rows of the others are set aside.
    fn shapes(&mut self, set_aside: &mut Vec<SetAsideRow>) -> Result<Vec<(Line, Geometry)>, Error> {
        let mut shapes = Vec::new();
        for mut line in std::mem::take(&mut self.lines) {
            if let Some(c) = self.order {
                sort(&mut line.positions).map_err(|(row, text)| {
                    Error::Data(format!(
                        "`lines.order` {}: row {row} has \"{text}\", where all others of its {} have numbers; mend it, or leave the option out",
                        self.name(c),
                        self.shape.name
                    ))
                })?;
            }
            if line.positions.len() < self.shape.least {
                set_aside.extend(line.positions.iter().map(|p| self.too_short(&line, p.source_row)));
                continue;
            }
            let mut list: Vec<Position> = line.positions.iter().map(|p| p.position).collect();
            let (first, last) = (list[0], list[list.len() - 1]);
            let closes = self.shape.least > 2;
            if closes && (first.x, first.y) != (last.x, last.y) {
                list.push(first);
            }
            let geometry = if closes { Geometry::Polygon(vec![list]) } else { Geometry::LineString(list) };
            shapes.push((line, geometry));
        }
        Ok(shapes)
    }

    fn name(&self, at: usize) -> &str {
        self.columns.get(at).map_or("", |c| c.name())
    }

    /// A row of a line with too few positions.
    fn too_short(&self, line: &Line, row: u64) -> SetAsideRow {
        let Shape { least, name } = self.shape;
        let of = self.by.map_or(String::new(), |c| {
            let at = self.places.iter().position(|i| *i == c).unwrap_or(0);
            format!(" of {} \"{}\"", self.name(c), line.texts[at])
        });
        SetAsideRow {
            source_row: row,
            class: Reason::named(format!("too few positions for a {name}")),
            reason: format!(
                "the {name}{of} has {} of the {least} or more positions that are expected",
                line.positions.len()
            ),
            values: self.first_texts.get(&row).cloned().unwrap_or_default(),
        }
    }

    /// The columns that lines have: those with one value each, how many positions, and the geometry.
    fn line_columns(&self) -> Result<Columns, Error> {
        let mut out = Columns::default();
        for (at, common) in self.places.iter().zip(&self.common) {
            if let Some(c) = self.columns.get(*at).filter(|_| *common) {
                let text = Column::added(c.name(), DataType::Utf8);
                out.push(Column { role: c.role, added: false, is_open: true, ..text });
            }
        }
        let free = out.free_name("positions", None);
        out.push(Column { added: false, is_open: true, ..Column::added(free, DataType::Int64) });
        let system = self.columns.placed().and_then(|p| crate::coordinates::system::text_of(&p.crs).ok());
        out.push(Column {
            added: false,
            field: geometry_field(system.as_deref()),
            ..Column::added("geometry", DataType::Binary)
        });
        Ok(out)
    }
}

impl Collect for Joining {
    fn take(&mut self, rows: Rows) -> Result<(), Error> {
        let [x, y, z] = rows.positions();
        let text = |c: usize, row: usize| cell_text(rows.records().column(c), row);
        for row in 0..rows.len() {
            let key = self.by.map_or(String::new(), |c| text(c, row));
            let texts: Vec<String> = self.places.iter().map(|c| text(*c, row)).collect();
            let number = rows.source_rows()[row];
            let lines = &mut self.lines;
            let at = *self.index.entry(key).or_insert_with(|| {
                lines.push(Line { texts: texts.clone(), first_row: number, positions: Vec::new() });
                lines.len() - 1
            });
            let line = &mut self.lines[at];
            for (same, (a, b)) in self.common.iter_mut().zip(line.texts.iter().zip(&texts)) {
                *same &= a == b;
            }
            // A line may be too short to be one: then its rows are set aside as they were read.
            if line.positions.len() < 3 {
                let as_read = rows.set_aside(row, Reason::NO_GEOMETRY, String::new());
                self.first_texts.insert(number, as_read.values);
            }
            let order = self.order.map_or(String::new(), |c| text(c, row));
            line.positions.push(Joint { position: Position::xyz(x[row], y[row], z[row]), order, source_row: number });
        }
        Ok(())
    }

    fn give(mut self: Box<Self>) -> Result<Collected, Error> {
        let mut set_aside = Vec::new();
        let shapes = self.shapes(&mut set_aside)?;
        set_aside.sort_by_key(|r| r.source_row);
        let positions: usize = shapes.iter().map(|(l, _)| l.positions.len()).sum();
        let name = self.shape.name;
        let mut notices = vec![format!(
            "{} {} the {} of {}",
            counted(positions as u64, "row"),
            is_or_are(positions as u64),
            of_number(positions as u64, "position"),
            counted(shapes.len() as u64, name)
        )];
        let differ: Vec<&str> =
            self.places.iter().zip(&self.common).filter(|(_, c)| !**c).map(|(at, _)| self.name(*at)).collect();
        if !differ.is_empty() {
            notices.push(format!("columns whose values differ within a {name} are left out: {}", differ.join(", ")));
        }
        let columns = self.line_columns()?;
        let kept = (0..self.places.len()).filter(|i| self.common[*i]);
        let mut arrays: Vec<ArrayRef> = kept
            .map(|i| {
                let texts = shapes.iter().map(|(l, _)| Some(l.texts[i].as_str()).filter(|t| !t.is_empty()));
                Arc::new(texts.collect::<StringArray>()) as ArrayRef
            })
            .collect();
        arrays.push(Arc::new(shapes.iter().map(|(l, _)| Some(l.positions.len() as i64)).collect::<Int64Array>()));
        arrays.push(Arc::new(shapes.iter().map(|(_, g)| Some(wkb::write(g))).collect::<BinaryArray>()));
        let batch = Batch::new(columns.schema(), arrays, shapes.iter().map(|(l, _)| l.first_row).collect())
            .map_err(|e| Error::Defect(format!("the lines do not make a table: {e}")))?;
        Ok(Collected { columns, batch, set_aside, joined: (positions - shapes.len()) as u64, notices })
    }
}

/// Sorts positions by numbers where all are, else by text; equal ones stay in their order.
///
/// # Errors
/// The row and text of the one that is no number among numbers.
fn sort(list: &mut [Joint]) -> Result<(), (u64, String)> {
    let number = |t: &str| t.trim().parse::<f64>().ok().filter(|v| v.is_finite());
    let numbers = list.iter().filter(|j| number(&j.order).is_some()).count();
    if numbers == list.len() {
        list.sort_by(|a, b| number(&a.order).unwrap_or(0.0).total_cmp(&number(&b.order).unwrap_or(0.0)));
    } else if numbers * 2 > list.len() {
        let odd = list.iter().find(|j| number(&j.order).is_none());
        return Err(odd.map_or((0, String::new()), |j| (j.source_row, j.order.clone())));
    } else {
        list.sort_by(|a, b| a.order.cmp(&b.order));
    }
    Ok(())
}
