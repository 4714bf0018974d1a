//! Places rows: reads positions from columns of numbers or of written positions, or takes the geometry.
//!
//! | module | what is in it |
//! |---|---|
//! | `source` | which columns hold the positions, and in which system they are |
//! | `parts` | a latitude or longitude in several columns |
//! | `zones` | zones beside eastings and northings |
//! | `shapes` | lines and polygons in a column of well-known text |
//! | `reader` | positions of a block |
//! | `foreign` | positions that say a system of their own |
//! | `numbers` | columns of numbers, whatever their type |

mod evidence;
mod foreign;
mod numbers;
mod parts;
mod reader;
mod shapes;
mod source;
mod zones;

pub(crate) use reader::PositionReader;
pub(crate) use source::has_position_roles;

use super::{Bound, Settled, Step, Work};
use crate::Error;
use crate::coordinates::finder::Finder;
use crate::engine::{Account, Column, Columns, Placed, PlacedFrom, Rows, Setting, Settling, points};
use arrow_array::Float64Array;
use arrow_schema::SchemaRef;
use basilocus_formats::{ColumnStyle, Format};
use basilocus_geodesy::crs::{Area, Crs};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::notation::AxisOrder;
use basilocus_geodesy::operation::Operation;
use basilocus_table::geometry::geometry_field;
use evidence::Evidence;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

/// Where positions are. Columns that are not said are found from headers and values.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args), command(next_help_heading = "Coordinates"))]
#[serde(deny_unknown_fields)]
pub struct Positions {
    /// System of the coordinates: a code such as EPSG:4326 (with heights EPSG:4326+5773 or EPSG:4326+ellipsoidal), a
    /// name, a .prj, .wkt or .toml file, or local; that of the file unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// Column with longitude or easting; several for degrees, minutes, seconds and hemisphere: A,B,C
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub x: Option<String>,
    /// Column with latitude or northing; several as for x
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub y: Option<String>,
    /// Column with height
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub z: Option<String>,
    /// Column that holds the whole position; several that make one together: A,B,C
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coordinates: Option<String>,
    /// Which number comes first in a whole position that does not say, or in GML whose system's axes are not known
    #[cfg_attr(feature = "arguments", arg(long, value_name = "latitude-first|longitude-first"))]
    #[serde(default, with = "crate::plan::named", skip_serializing_if = "Option::is_none")]
    pub order: Option<AxisOrder>,
}

/// What a table's positions are made of where two columns of numbers are not all: lines and polygons, or angles in several
/// columns; in words.
pub(crate) fn in_several_columns(columns: &Columns, sample: &Rows) -> Option<String> {
    let names = |list: &[usize]| -> String {
        let quoted = list.iter().filter_map(|at| columns.get(*at)).map(|c| format!("\"{}\"", c.name()));
        quoted.collect::<Vec<_>>().join(" ")
    };
    if columns.geometry().is_some() {
        return None;
    }
    if let Some(at) = shapes::find(columns, sample) {
        return Some(format!("lines or polygons in the column {} as well-known text", names(&[at])));
    }
    let (x, y) = parts::find(columns, sample)?;
    let hemisphere = |axis: &parts::Axis| axis.hemisphere.map_or(String::new(), |h| format!(" ({h} by the header)"));
    Some(format!(
        "longitudes in {}{}, latitudes in {}{}",
        names(&x.columns),
        hemisphere(&x),
        names(&y.columns),
        hemisphere(&y)
    ))
}

/// Columns of minutes, seconds or hemispheres beside the two that positions are read from, which seem to be degrees alone.
fn left_out_parts(reader: &PositionReader, columns: &Columns, sample: &Rows) -> Vec<String> {
    if reader.origin() != PlacedFrom::Columns || !reader.crs.is_geographic() {
        return Vec::new();
    }
    let (x, y) = reader.names();
    let parts = parts::find(columns, sample).map(|(x, y)| [x.columns, y.columns].concat()).unwrap_or_default();
    let names: Vec<String> = parts.iter().filter_map(|at| columns.get(*at)).map(|c| c.name().to_string()).collect();
    match names.contains(x) && names.contains(y) {
        true => names.into_iter().filter(|name| name != x && name != y).collect(),
        false => Vec::new(),
    }
}

impl Positions {
    /// Positions in a system, their columns to be found.
    ///
    /// # Errors
    /// Where the text names no system.
    ///
    /// ```
    /// use basilocus::steps::Positions;
    ///
    /// assert!(Positions::in_system("EPSG:4326").is_ok());
    /// assert!(Positions::in_system("EPSG:1").is_err());
    /// ```
    pub fn in_system(crs: &str) -> Result<Self, Error> {
        crate::coordinates::system::find(crs)?;
        Ok(Positions { from: Some(crs.to_string()), ..Default::default() })
    }

    /// The same, from columns of these names.
    pub fn in_columns(self, x: impl Into<String>, y: impl Into<String>) -> Self {
        Positions { x: Some(x.into()), y: Some(y.into()), ..self }
    }
}

impl Step for Positions {
    fn bind(&self, mut columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        setting.find_roles(&mut columns)?;
        let sample = setting.sample()?.clone();
        let mut reader = PositionReader::new(self, &setting.finder, &columns, &sample, setting.source())?;
        // After rows were put together positions are read once more, as they were.
        let known = &mut setting.decisions.interpretation;
        let new = reader.interpretation.iter().filter(|line| !known.contains(line)).cloned().collect::<Vec<_>>();
        known.extend(new);
        reader.keeps_empty = reader.origin() == PlacedFrom::Geometry
            && reader.column_of_shapes().is_none()
            && !setting.outputs.is_empty()
            && setting.outputs.iter().all(|o| o.holds_null_geometry());
        setting.decisions.positions = reader.pinned(self, &columns);
        setting.decisions.left_out_parts = left_out_parts(&reader, &columns, &sample);
        let is_open = reader.is_open(&sample);
        if let Some(near) = near(&reader, &sample) {
            setting.finder = Arc::new(setting.finder.around(near));
        }
        let with_heights = reader.has_heights(&columns, &sample);
        let mirrored = reader.mirrored_in(&columns, &sample);
        if let Some(at) = reader.column_of_shapes() {
            columns.remove(at);
            let style = ColumnStyle { digits: None, longest: None };
            let field = geometry_field(None);
            columns.push(Column { field, style, shown_digits: None, role: None, added: false, is_open: false });
        }
        let placed = Placed {
            crs: reader.crs.clone(),
            first_crs: reader.crs.clone(),
            origin: reader.origin(),
            in_columns: reader.origin() == PlacedFrom::Columns && reader.are_whole(),
            mirrored,
            names: reader.names().clone(),
            is_written: false,
            may_lack: reader.keeps_empty,
            height_name: reader.height_name(&columns),
        };
        columns.place(placed, with_heights)?;
        if columns.has_shapes() {
            tell_of_shapes(setting);
        }
        let place = Place {
            schema: columns.schema(),
            with_heights,
            takes_geometry: reader.takes_geometry_as_it_is(),
            reader,
            is_open,
            evidence: Mutex::default(),
        };
        Ok(Bound::blocks(columns, place))
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn each_path(&mut self, each: &mut dyn FnMut(&mut PathBuf)) {
        super::to::each_system_file(self.from.as_mut(), each);
    }
}

/// What becomes of lines and polygons in outputs that have no place for them.
fn tell_of_shapes(setting: &mut Setting) {
    let writes = |formats: &[Format]| setting.outputs.iter().any(|o| formats.contains(o));
    let (text, middles) = (writes(&[Format::Delimited, Format::Xlsx]), writes(&[Format::Dbf]));
    if text {
        setting.note(
            "lines and polygons are written as well-known text in the column \"geometry\"; coordinate columns are those of their middle",
        );
    }
    if middles {
        setting.note("a DBF has no place for lines and polygons: the coordinates of their middle are written");
    }
}

/// Where the positions of a sample are, without the hundredth at either end of each axis, so that a few wrong values do
/// not hide which region the data is in. `None` where that is not within reach of the system's area of use.
fn near(reader: &PositionReader, sample: &Rows) -> Option<Area> {
    let (found, _) = reader.read(sample, &mut Account::new(sample.len()));
    let degrees = Operation::to_degrees(&reader.crs).ok()?;
    let [mut x, mut y, mut z] = found;
    degrees.apply(&mut x, &mut y, &mut z);
    let axis = |mut v: Vec<f64>| {
        v.retain(|v| v.is_finite());
        v.sort_by(f64::total_cmp);
        let last = v.len().checked_sub(1)?;
        Some((v[last / 100], v[last - last / 100]))
    };
    let ((west, east), (south, north)) = (axis(x)?, axis(y)?);
    let area = Area { west_deg: west, south_deg: south, east_deg: east, north_deg: north, description: String::new() };
    let use_area = &reader.crs.area;
    (use_area.contains(area.west_deg, area.south_deg) && use_area.contains(area.east_deg, area.north_deg))
        .then_some(area)
}

/// Whether the ellipsoid of a system is that of WGS 84, or GRS 1980, which is a tenth of a millimetre beside it.
pub(crate) fn is_like_wgs84(crs: &Crs) -> bool {
    let e = Ellipsoid::wgs84();
    crs.datum().is_some_and(|d| {
        (d.ellipsoid.semi_major_m - e.semi_major_m).abs() < 1e-3
            && (d.ellipsoid.semi_minor_m() - e.semi_minor_m()).abs() < 1e-3
    })
}

struct Place {
    reader: PositionReader,
    schema: SchemaRef,
    with_heights: bool,
    /// Whether the geometry of the source stays as it is; otherwise its column is made.
    takes_geometry: bool,
    /// Whether how positions are written is not known yet.
    is_open: bool,
    evidence: Mutex<Evidence>,
}

impl Place {
    /// Lines and polygons of a column of text in the place of that column.
    fn take_shapes(&self, rows: Rows, at: usize, account: &mut Account) -> Result<Rows, Error> {
        let n = rows.len();
        let mut middles = [vec![f64::NAN; n], vec![f64::NAN; n], vec![f64::NAN; n]];
        let geometries = self.reader.read_shapes(rows.records(), at, &mut middles, account);
        let mut columns = rows.records().columns().to_vec();
        columns.remove(at);
        columns.push(shapes::column(&geometries));
        let mut rows = rows.with_columns(&self.schema, columns)?;
        rows.forget_placed();
        rows.set_middles(Some(Arc::new(middles)));
        Ok(rows)
    }
}

impl Work for Place {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        if let Some(at) = self.reader.column_of_shapes() {
            return self.take_shapes(rows, at, account);
        }
        let (found, notations) = self.reader.read(&rows, account);
        for (notation, n) in notations {
            *account.counts.notations.entry(notation).or_default() += n;
        }
        let mut columns = rows.records().columns().to_vec();
        let shapes = rows.shapes().is_some();
        if self.takes_geometry {
            let mut rows = rows.with_columns(&self.schema, columns)?;
            rows.set_middles(shapes.then(|| Arc::new(found)));
            return Ok(rows);
        }
        let [x, y, z] = found.map(Float64Array::from);
        let geometry = points(&x, &y, self.with_heights.then_some(&z));
        match basilocus_table::batch::spatial_index(rows.records().schema_ref()) {
            Some(at) => columns[at] = geometry,
            None => columns.push(geometry),
        }
        let mut rows = rows.with_columns(&self.schema, columns)?;
        rows.forget_placed();
        Ok(rows)
    }

    fn survey(&self) -> Option<&'static str> {
        self.is_open.then_some("reading how coordinates are written")
    }

    fn look(&self, rows: &Rows) {
        let counts = self.reader.count_evidence(rows);
        self.evidence.lock().unwrap_or_else(PoisonError::into_inner).merge(&counts);
    }

    fn settle(&mut self, _: &Settling) -> Result<Settled, Error> {
        self.is_open = false;
        let evidence = std::mem::take(self.evidence.get_mut().unwrap_or_else(PoisonError::into_inner));
        Ok(Settled { read_as: self.reader.settle(&evidence), ..Default::default() })
    }
}

/// The search for operations of positions that say their own system.
pub(crate) type Search = Arc<Finder>;
