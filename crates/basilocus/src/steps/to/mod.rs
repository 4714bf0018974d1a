//! Brings positions to other systems, and writes coordinates in columns.
//!
//! The first system is that of the geometry from here on; each gives coordinate columns. Lines and polygons go with all
//! their vertices; the columns are those of their middle.

mod target;

use super::{Bound, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Columns, Coordinates, Placed, PlacedFrom, Rows, Setting, TakenOperation, points};
use arrow_array::{ArrayRef, BinaryArray, Float64Array};
use arrow_schema::SchemaRef;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::notation::Notation;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use basilocus_table::batch::spatial_index;
use basilocus_table::geometry::{Geometry, wkb};
use serde::{Deserialize, Serialize};
use std::path::PathBuf;
use std::sync::Arc;
use target::Target;

/// Target systems, and how coordinates are written.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::{Positions, To};
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,lon,lat\nA,-123.8,46.2\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .then(To { notation: Some("mgrs".parse()?), digits: Some(3), ..To::system("EPSG:4326")? })
///     .write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "gate,lon,lat,mgrs\nA,-123.8,46.2,10TDS382165\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args), command(next_help_heading = "Writing"))]
#[serde(deny_unknown_fields)]
pub struct To {
    /// Target system; several give columns in each, the first is that of the geometry
    #[cfg_attr(feature = "arguments", arg(long = "to", value_name = "CRS"))]
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub systems: Vec<String>,
    /// How positions are written: decimal-degrees, degrees-minutes, degrees-minutes-seconds, packed, or in one column
    /// utm, mgrs, iso-6709, well-known-text, geo-uri, geohash, open-location-code, georef, gars, maidenhead, great-britain-grid,
    /// irish-grid
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NOTATION"))]
    #[serde(default, with = "crate::plan::named", skip_serializing_if = "Option::is_none")]
    pub notation: Option<Notation>,
    /// Decimals of coordinates; of a grid code, its digits or characters
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub digits: Option<usize>,
    /// Names of the coordinate columns: easting/longitude, northing/latitude, height; of several systems one after the other
    #[cfg_attr(feature = "arguments", arg(long, value_name = "A,B[,C]", value_delimiter = ','))]
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<String>,
    /// Put the new coordinates in the place of the columns that the old ones were read from
    #[cfg_attr(feature = "arguments", arg(long))]
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub replace: bool,
}

/// Which columns a target writes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum ColumnsWanted {
    /// Those of the first target, which the plan may name.
    First,
    /// Those of a further target, named after its system.
    Further,
    /// None: the coordinates are needed, or are there already.
    None,
}

impl To {
    /// One target system.
    ///
    /// # Errors
    /// Where the text names no system.
    pub fn system(crs: &str) -> Result<Self, Error> {
        crate::coordinates::system::find(crs)?;
        Ok(To { systems: vec![crs.to_string()], ..Default::default() })
    }

    /// The systems that are said, each once; the geometry's own where none is.
    fn wanted(&self, source: &Crs, setting: &mut Setting) -> Result<Vec<Crs>, Error> {
        let mut wanted: Vec<Crs> = Vec::new();
        for text in &self.systems {
            let found = crate::coordinates::system::find(text)?;
            found.evidence.into_iter().for_each(|e| setting.interpret(format!("system {text}: {e}")));
            if !wanted.iter().any(|w| w.is_same(&found.crs)) {
                wanted.push(found.crs);
            }
        }
        if wanted.is_empty() {
            // A local grid is of use to nobody else: its coordinates go where the fitted transformation leads.
            let own = setting.finder.own_target().filter(|_| source.datum().is_none());
            wanted.push(own.unwrap_or(source).clone());
        }
        Ok(wanted)
    }

    /// Whether the coordinates in the geometry's own system need no columns, because they stand somewhere already.
    fn are_there(&self, placed: &Placed, crs: &Crs, setting: &Setting) -> bool {
        let own = crs.is_same(&placed.crs) && self.notation.is_none();
        match placed.origin {
            // The match's own columns hold them.
            PlacedFrom::Addresses => own && placed.in_columns,
            _ if !self.systems.is_empty() || !self.columns.is_empty() => false,
            PlacedFrom::Geometry => {
                own && !setting.outputs.is_empty() && setting.outputs.iter().all(|o| o.holds_geometry())
            }
            PlacedFrom::Columns | PlacedFrom::OneColumn => own && placed.in_columns,
        }
    }
}

impl Step for To {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let placed = columns.placed().cloned().ok_or_else(|| {
            Error::Usage(format!(
                "{}: rows without positions have no coordinates; say where they are with `x` and `y`",
                setting.source().display()
            ))
        })?;
        let source = placed.crs.clone();
        let wanted = self.wanted(&source, setting)?;
        // Where the data is decides between regional transformations: its own extent where it is known, else the area
        // of the first plane system.
        if setting.finder.near().is_none() {
            let plane = wanted.iter().find(|c| !c.is_geographic()).unwrap_or(&source);
            setting.finder = Arc::new(setting.finder.around(plane.area.clone()));
        }
        // What stands in the columns already is written there anew: it could differ from the geometry in any row.
        let is_own = |c: &Crs| c.is_same(&source) && self.notation.is_none() && self.columns.is_empty();
        let anew = !placed.mirrored.is_empty()
            && matches!(wanted.as_slice(), [own] if is_own(own) && !self.are_there(&placed, own, setting));
        let taken_out = match (self.replace, anew) {
            (_, true) => take_out_columns(&mut columns, &placed.mirrored),
            (true, _) => take_out_columns(&mut columns, &[placed.names.0.clone(), placed.names.1.clone()]),
            _ => Vec::new(),
        };
        let mut at = taken_out.first().copied().unwrap_or(columns.len());
        let mut targets = Vec::new();
        let several = wanted.len() > 1;
        let mut said = self.columns.as_slice();
        for (i, crs) in wanted.into_iter().enumerate() {
            let kind = match (self.are_there(&placed, &crs, setting), i) {
                (true, _) => ColumnsWanted::None,
                (false, 0) => ColumnsWanted::First,
                (false, _) => ColumnsWanted::Further,
            };
            let (target, added) = Target::new(&source, crs, self, (kind, several), &mut said, &columns, setting)?;
            for column in added {
                columns.insert(at, column);
                at += 1;
            }
            let fitted = setting.finder.fitted(&source, &target.crs).map(Arc::new);
            setting.decisions.operations.push(TakenOperation { fitted, ..target.taken(&source) });
            targets.push(target);
        }
        // A name for a height that there is none of is no mistake.
        if said.len() > usize::from(!several && self.columns.len() == 3) {
            let written: Vec<&str> = targets.iter().flat_map(|t| &t.columns).map(String::as_str).collect();
            return Err(Error::Usage(format!(
                "`columns` names {} columns; {} are written: {}",
                self.columns.len(),
                written.len(),
                written.join(", ")
            )));
        }
        if let (Some(digits), true) = (self.digits, targets.iter().all(|t| t.columns.is_empty())) {
            return Err(Error::Usage(format!(
                "`digits` {digits}: they are those of coordinates in columns, and none is written; say `to` or `notation`, or leave them out"
            )));
        }
        let first = &targets[0];
        let moves = !first.crs.is_same(&source);
        let with_heights = columns.has_heights() || targets.iter().any(|t| t.operation.moves_heights());
        let rebuilds = moves || with_heights != columns.has_heights();
        if rebuilds {
            let in_columns = !first.columns.is_empty() || placed.in_columns && !moves;
            columns.place(Placed { crs: first.crs.clone(), in_columns, ..placed }, with_heights)?;
        }
        columns.set_written();
        let written_at = at - targets.iter().map(|t| t.columns.len()).sum::<usize>();
        let schema = columns.schema();
        Ok(Bound::blocks(columns, Bringing { targets, schema, taken_out, written_at, rebuilds, with_heights }))
    }

    fn takes_rows_without_position(&self) -> bool {
        true
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
        self.systems.iter_mut().for_each(|s| each_system_file(Some(s), each));
    }
}

/// Takes out columns of coordinates. Gives their places, the first one first.
fn take_out_columns(columns: &mut Columns, names: &[String]) -> Vec<usize> {
    let mut places: Vec<usize> = names
        .iter()
        .filter_map(|name| columns.position(name))
        .filter(|at| columns.get(*at).is_some_and(|c| !c.is_geometry()))
        .collect();
    places.sort_unstable();
    places.dedup();
    places.iter().rev().for_each(|at| {
        columns.remove(*at);
    });
    places
}

/// A system may be said by a file.
pub(crate) fn each_system_file(text: Option<&mut String>, each: &mut dyn FnMut(&mut PathBuf)) {
    let Some(text) = text.filter(|t| crate::coordinates::system::has_file_ending(t)) else { return };
    let mut path = PathBuf::from(&*text);
    each(&mut path);
    *text = path.to_string_lossy().into_owned();
}

struct Bringing {
    targets: Vec<Target>,
    schema: SchemaRef,
    /// Places of the columns that go.
    taken_out: Vec<usize>,
    /// Place of the first new column, once those are gone.
    written_at: usize,
    /// Whether the geometry is another one afterwards.
    rebuilds: bool,
    with_heights: bool,
}

impl Work for Bringing {
    fn apply(&self, mut rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let start = rows.positions();
        let (mut written, mut first): (Vec<ArrayRef>, Option<[Float64Array; 3]>) = (Vec::new(), None);
        for target in &self.targets {
            let [mut x, mut y, mut z] = start.clone();
            target.operation.apply(&mut x, &mut y, &mut z);
            for row in 0..rows.len() {
                let is_placed = start[0][row].is_finite();
                if !(x[row].is_finite() && y[row].is_finite()) && is_placed && account.is_in_use(row) {
                    let reason = target.refused(start[0][row], start[1][row], start[2][row]);
                    account.set_aside(row, Reason::CANNOT_BE_TRANSFORMED, reason);
                }
            }
            let place = [x, y, z].map(Float64Array::from);
            let columns = target.columns(&place);
            target.without_text(&place, columns.first(), account);
            written.extend(columns);
            first.get_or_insert(place);
        }
        let mut columns = rows.records().columns().to_vec();
        if let (true, Some(place), Some(at)) = (self.rebuilds, first, spatial_index(rows.records().schema_ref())) {
            rows.keep_placed();
            if rows.shapes().is_some() {
                columns[at] = brought(&self.targets[0], &rows, account);
                let middles: Coordinates = place.map(|axis| axis.values().to_vec());
                rows.set_middles(Some(Arc::new(middles)));
            } else {
                let [x, y, z] = &place;
                columns[at] = points(x, y, self.with_heights.then_some(z));
            }
        }
        self.taken_out.iter().rev().for_each(|at| {
            columns.remove(*at);
        });
        let behind = columns.split_off(self.written_at);
        columns.extend(written);
        columns.extend(behind);
        rows.with_columns(&self.schema, columns)
    }
}

/// Lines and polygons in the system of a target; a row of which a single vertex cannot be brought there is set aside.
fn brought(target: &Target, rows: &Rows, account: &mut Account) -> ArrayRef {
    let Some(shapes) = rows.shapes() else { return Arc::new(BinaryArray::from(vec![None::<&[u8]>; rows.len()])) };
    let mut moved: Vec<Option<Geometry>> =
        (0..rows.len()).map(|row| if account.is_in_use(row) { shapes.get(row) } else { None }).collect();
    let bad = bring_shapes(&target.operation, &mut moved);
    for (row, (x, y, z)) in bad {
        account.set_aside(row, Reason::CANNOT_BE_TRANSFORMED, format!("a vertex of it: {}", target.refused(x, y, z)));
    }
    Arc::new(moved.iter().map(|g| g.as_ref().map(wkb::write)).collect::<BinaryArray>())
}

/// Moves all vertices, a whole block at a time. Gives the rows with a vertex that has no place there, and that vertex.
pub(crate) fn bring_shapes(operation: &Operation, shapes: &mut [Option<Geometry>]) -> Vec<(usize, (f64, f64, f64))> {
    let (mut x, mut y, mut z) = (Vec::new(), Vec::new(), Vec::new());
    for g in shapes.iter().flatten() {
        g.each_position(&mut |p| {
            x.push(p.x);
            y.push(p.y);
            z.push(p.z);
        });
    }
    operation.apply(&mut x, &mut y, &mut z);
    let (mut at, mut bad) = (0, Vec::new());
    for (row, slot) in shapes.iter_mut().enumerate() {
        let Some(g) = slot else { continue };
        let mut refused = None;
        g.each_position_mut(&mut |p| {
            if !(x[at].is_finite() && y[at].is_finite()) && refused.is_none() {
                refused = Some((p.x, p.y, p.z));
            }
            // A height is there where there was one, or where the operation gives one to what had one.
            (p.x, p.y) = (x[at], y[at]);
            if !p.z.is_nan() {
                p.z = z[at];
            }
            at += 1;
        });
        bad.extend(refused.map(|p| (row, p)));
    }
    bad
}

impl Target {
    /// The operation as reports and doubts know it.
    pub(crate) fn taken(&self, source: &Crs) -> TakenOperation {
        TakenOperation {
            target: self.crs.clone(),
            operation: self.operation.clone(),
            report: self.report(source),
            worth: self.worth((self.crs.area.south_deg + self.crs.area.north_deg) / 2.0),
            fitted: None,
        }
    }
}
