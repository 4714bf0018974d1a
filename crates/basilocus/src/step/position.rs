//! Reads positions from columns of numbers, from a column of written positions, or from geometry.

use crate::Error;
use crate::finder::Finder;
use crate::plan::PositionPlan;
use arrow_array::{Array, Float64Array, Int64Array, StringArray};
use arrow_schema::SchemaRef;
use basilocus_geodesy::crs::{Catalogue, Crs, Heights, Kind};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::notation::{self, AxisOrder, Notation, NotationError, OrderEvidence, Reading};
use basilocus_geodesy::operation::Operation;
use basilocus_table::batch::{Points, cell_text, point_crs, point_index, spatial_index};
use basilocus_table::geometry::{Geometries, Geometry};
use basilocus_table::{Batch, Role};
use std::collections::{BTreeMap, HashMap};
use std::path::Path;
use std::sync::{Arc, Mutex};

/// Where positions are.
#[derive(Debug, Clone)]
enum Source {
    Columns { x: usize, y: usize },
    Whole(usize),
    Geometry,
}

/// A reader of positions.
#[derive(Debug, Clone)]
pub(crate) struct PositionReader {
    source: Source,
    z: Option<usize>,
    order: AxisOrder,
    pub(crate) crs: Crs,
    /// How the columns were understood, in words.
    pub(crate) understood: Vec<String>,
    /// Brings positions that say their own system to this one.
    foreign: Arc<Foreign>,
    names: (String, String),
    in_degrees: bool,
}

/// Operations from the systems that single positions say they are in.
#[derive(Debug)]
struct Foreign {
    finder: Arc<Finder>,
    target: Crs,
    known: Mutex<HashMap<u32, Result<Operation, String>>>,
}

impl Foreign {
    /// A position of another geographic system in this one.
    fn bring(&self, code: u32, lon: f64, lat: f64) -> Result<(f64, f64), String> {
        let mut known = self.known.lock().unwrap_or_else(|e| e.into_inner());
        let operation = known.entry(code).or_insert_with(|| {
            let source = Catalogue::embedded().get(code).map_err(|e| e.to_string())?;
            self.finder.find(&source, &self.target).map_err(|e| e.to_string())
        });
        match operation {
            Ok(op) => op.apply_one(lon, lat, 0.0).map(|(x, y, _)| (x, y)).ok_or_else(|| {
                format!("the position is {}", op.refusal(lon, lat, 0.0).unwrap_or_else(|| "outside the domain".into()))
            }),
            Err(e) => Err(e.clone()),
        }
    }
}

/// A row without a usable position.
pub(crate) struct Unusable {
    pub class: &'static str,
    pub reason: String,
}

/// Positions of a batch; a row without one has NaN in x and y, and its reason in `unusable`.
#[derive(Default)]
pub(crate) struct Positions {
    pub x: Vec<f64>,
    pub y: Vec<f64>,
    pub z: Vec<f64>,
    pub unusable: Vec<Option<Unusable>>,
    /// Rows by the notation they were read in.
    pub notations: BTreeMap<&'static str, u64>,
    /// Rows whose numbers have a comma, and rows that have a point and no comma.
    pub marks: (u64, u64),
}

/// Whether a table has anything that looks like positions.
pub(crate) fn has_position_roles(roles: &[Option<Role>]) -> bool {
    let has = |role| roles.contains(&Some(role));
    has(Role::Longitude) && has(Role::Latitude) || has(Role::Easting) && has(Role::Northing) || has(Role::Coordinates)
}

/// The position that stands for a geometry: a point itself, else the middle of its bounds.
fn middle(geometry: &Geometry) -> Option<(f64, f64, Option<f64>)> {
    if let Geometry::Point(p) = geometry {
        return Some((p.x, p.y, Some(p.z).filter(|z| !z.is_nan()))).filter(|(x, y, _)| x.is_finite() && y.is_finite());
    }
    geometry.bounds().map(|[w, s, e, n]| (w + (e - w) / 2.0, s + (n - s) / 2.0, None))
}

impl PositionReader {
    /// Finds the columns and the system.
    pub(crate) fn new(
        plan: &PositionPlan,
        finder: &Arc<Finder>,
        schema: &SchemaRef,
        roles: &[Option<Role>],
        path: &Path,
    ) -> Result<Self, Error> {
        let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
        let column = |wanted: &str| {
            names
                .iter()
                .position(|n| n == wanted)
                .or_else(|| names.iter().position(|n| n.eq_ignore_ascii_case(wanted)))
                .ok_or_else(|| Error::NoColumn {
                    path: path.to_path_buf(),
                    wanted: wanted.to_string(),
                    names: names.iter().filter(|n| *n != basilocus_table::POINT_COLUMN).cloned().collect(),
                })
        };
        let with_role = |role: Role| roles.iter().position(|r| *r == Some(role));
        let stated = match &plan.from {
            Some(text) => Some(crate::system::find(text)?),
            None => None,
        };
        let mut evidence: Vec<String> = stated.iter().flat_map(|s| s.evidence.iter().cloned()).collect();
        let stated = stated.map(|s| s.crs);
        let plane = stated.as_ref().is_some_and(|c| !c.is_geographic());
        let degrees = with_role(Role::Longitude).zip(with_role(Role::Latitude));
        let lengths = with_role(Role::Easting).zip(with_role(Role::Northing));
        let mut said = true;
        let source = match (&plan.x, &plan.y, &plan.coordinates) {
            (Some(_), _, Some(_)) | (_, Some(_), Some(_)) => {
                return Err(Error::Plan(
                    "--coordinates and --x/--y exclude each other: a position is in one column or in two".into(),
                ));
            }
            (Some(x), Some(y), None) => {
                let (x, y) = (column(x)?, column(y)?);
                if x == y {
                    return Err(Error::Plan(format!(
                        "--x and --y name the same column \"{}\"; all points would lie on a diagonal line (slip-02)",
                        names[x]
                    )));
                }
                Source::Columns { x, y }
            }
            (Some(_), None, None) | (None, Some(_), None) => {
                return Err(Error::Plan("--x and --y go together: one of them is missing".into()));
            }
            (None, None, Some(c)) => Source::Whole(column(c)?),
            (None, None, None) => {
                said = false;
                if spatial_index(schema).is_some() {
                    Source::Geometry
                } else if let (Some((x, y)), true, None) = (degrees, plane, lengths) {
                    return Err(Error::Plan(format!(
                        "{}: columns \"{}\" and \"{}\" look like degrees, but --from is {} ({}): say the system that they are in, or name the columns with --x and --y (slip-04)",
                        path.display(),
                        names[x],
                        names[y],
                        plan.from.as_deref().unwrap_or(""),
                        stated.as_ref().map_or(String::new(), Crs::unit_words),
                    )));
                } else if let Some((x, y)) = if plane { lengths.or(degrees) } else { degrees.or(lengths) } {
                    // A table may have both; the system that was stated says which are meant.
                    Source::Columns { x, y }
                } else if let Some(c) = with_role(Role::Coordinates) {
                    Source::Whole(c)
                } else {
                    return Err(Error::NoPosition { path: path.to_path_buf(), names });
                }
            }
        };
        let what = match &source {
            Source::Columns { x, y } => format!("columns \"{}\" and \"{}\"", names[*x], names[*y]),
            Source::Whole(c) => format!("column \"{}\"", names[*c]),
            Source::Geometry => "the geometry".into(),
        };
        let carried = match source {
            Source::Geometry if stated.is_none() => point_crs(schema),
            _ => None,
        };
        let crs = match (stated, carried) {
            (Some(crs), _) => crs,
            (None, Some(text)) => {
                let found = crate::system::find(&text)?;
                evidence.extend(found.evidence);
                found.crs
            }
            (None, None) if finder.own_source().is_some() => {
                finder.own_source().cloned().unwrap_or_else(|| Crs::local("local grid", None))
            }
            (None, None) => {
                let hint = match &source {
                    Source::Columns { x, .. } if roles.get(*x) == Some(&Some(Role::Longitude)) => {
                        "; the values look like degrees"
                    }
                    Source::Columns { .. } => {
                        "; the values are too large for degrees, so it is a projected system: search it with `crs find`"
                    }
                    _ => "",
                };
                return Err(Error::NoCrs { path: path.to_path_buf(), what, hint: hint.into() });
            }
        };
        // A plane coordinate that is read as degrees is wrong and looks right only to a program.
        crs.projection()?;
        let order = crate::typed::order(plan.order.as_deref())?;
        if matches!(source, Source::Whole(_)) && matches!(crs.kind, Kind::Geocentric { .. }) {
            return Err(Error::Plan(format!("{what}: X, Y and Z of {} are read from three columns", crs.title())));
        }
        let z = match &plan.z {
            Some(z) => Some(column(z)?),
            None if needs_height(&crs) && !matches!(source, Source::Geometry) => {
                let found = with_role(Role::Height);
                if found.is_none() && matches!(source, Source::Columns { .. }) {
                    return Err(Error::Plan(format!("{} has heights; say their column with --z", crs.title())));
                }
                found
            }
            None => None,
        };
        let in_degrees = matches!(&crs.horizontal().kind, Kind::Geographic { unit, .. } if unit.degrees == 1.0);
        let (x_name, y_name) = match &source {
            Source::Columns { x, y } => (names[*x].clone(), names[*y].clone()),
            Source::Whole(c) => (names[*c].clone(), names[*c].clone()),
            Source::Geometry => ("geometry".into(), "geometry".into()),
        };
        let mut understood = vec![format!(
            "positions from {what}{}, in {} ({})",
            if said { "" } else { " (found)" },
            crs.title(),
            crs.unit_words()
        )];
        understood.extend(evidence.into_iter().map(|e| format!("system: {e}")));
        let foreign =
            Arc::new(Foreign { finder: finder.clone(), target: crs.clone(), known: Mutex::new(HashMap::new()) });
        Ok(PositionReader { source, z, order, crs, understood, foreign, names: (x_name, y_name), in_degrees })
    }

    /// Names of the x and y columns.
    pub(crate) fn column_names(&self) -> (&str, &str) {
        (&self.names.0, &self.names.1)
    }

    /// Whether positions stand in two columns.
    pub(crate) fn is_from_columns(&self) -> bool {
        matches!(self.source, Source::Columns { .. })
    }

    /// Whether positions are those of the layer's geometry.
    pub(crate) fn is_from_geometry(&self) -> bool {
        matches!(self.source, Source::Geometry)
    }

    /// Whether geometry carries heights.
    pub(crate) fn has_z(&self, schema: &SchemaRef) -> bool {
        self.z.is_some()
            || (matches!(self.source, Source::Geometry)
                && point_index(schema).is_some_and(
                    |i| matches!(schema.field(i).data_type(), arrow_schema::DataType::Struct(f) if f.len() > 2),
                ))
    }

    /// Reads the positions of a batch.
    pub(crate) fn read(&self, batch: &Batch) -> Positions {
        let n = batch.len();
        let mut out = Positions {
            x: vec![f64::NAN; n],
            y: vec![f64::NAN; n],
            z: vec![f64::NAN; n],
            unusable: (0..n).map(|_| None).collect(),
            notations: BTreeMap::new(),
            marks: (0, 0),
        };
        match &self.source {
            Source::Geometry => {
                let points = Points::of(&batch.records);
                let shapes = Geometries::of(&batch.records);
                for row in 0..n {
                    let point = points.as_ref().and_then(|p| p.get(row));
                    match point.or_else(|| middle(&shapes.as_ref()?.get(row)?)) {
                        Some((x, y, z)) => {
                            (out.x[row], out.y[row], out.z[row]) = (x, y, z.unwrap_or(f64::NAN));
                            self.check(row, &mut out);
                        }
                        None => {
                            out.unusable[row] = Some(Unusable {
                                class: "no coordinates",
                                reason: if shapes.is_some() {
                                    "the row has no geometry, or an empty one".into()
                                } else {
                                    "the row has no geometry; a point is expected".into()
                                },
                            })
                        }
                    }
                }
            }
            Source::Columns { x, y } => {
                let (cx, cy) = (Numbers::of(batch, *x), Numbers::of(batch, *y));
                for row in 0..n {
                    match (self.number(&cx, row, &self.names.0, false), self.number(&cy, row, &self.names.1, true)) {
                        (Ok((x, how)), Ok((y, _))) => {
                            (out.x[row], out.y[row]) = (x, y);
                            match how {
                                Some(how) => *out.notations.entry(how).or_default() += 1,
                                None => cx.count_marks(row, &mut out.marks),
                            }
                            self.check(row, &mut out);
                        }
                        (Err(e), _) | (_, Err(e)) => out.unusable[row] = Some(e),
                    }
                }
            }
            Source::Whole(c) => {
                for row in 0..n {
                    let text = batch.text(*c, row);
                    match self.whole(&text) {
                        Ok((x, y, z, how)) => {
                            (out.x[row], out.y[row]) = (x, y);
                            out.z[row] = z.unwrap_or(f64::NAN);
                            *out.notations.entry(how).or_default() += 1;
                        }
                        Err(e) => out.unusable[row] = Some(e),
                    }
                }
            }
        }
        if let Some(z) = self.z {
            let cz = Numbers::of(batch, z);
            let name = batch.records.schema().field(z).name().clone();
            for row in 0..n {
                let text = cz.text(row);
                if text.trim().is_empty() {
                    continue;
                }
                match cz.get(row) {
                    Some(v) => out.z[row] = v,
                    None => match notation::read_number(&text) {
                        Ok(v) => out.z[row] = v,
                        Err(e) => {
                            out.unusable[row] = out.unusable[row].take().or(Some(unusable(&name, &text, &e, false)))
                        }
                    },
                }
            }
        }
        if needs_height(&self.crs) {
            for row in 0..n {
                if out.unusable[row].is_none() && out.z[row].is_nan() {
                    out.unusable[row] = Some(Unusable {
                        class: "no height",
                        reason: format!("the row has no height, which {} needs", self.crs.title()),
                    });
                }
            }
        }
        for row in 0..n {
            if out.unusable[row].is_some() {
                (out.x[row], out.y[row]) = (f64::NAN, f64::NAN);
            }
        }
        out
    }

    /// A whole position: x, y, perhaps a height, and how it was read.
    fn whole(&self, text: &str) -> Result<(f64, f64, Option<f64>, &'static str), Unusable> {
        let unit = match &self.crs.horizontal().kind {
            Kind::Geographic { .. } => None,
            Kind::Projected { unit, .. } => Some(unit.metres),
            _ => Some(1.0),
        };
        if let Some(unit_m) = unit {
            match notation::well_known_text::point(text) {
                Some(Ok(p)) => return Ok((p.x, p.y, p.z, Notation::WellKnownText.name())),
                Some(Err(e)) => return Err(unusable(&self.names.0, text, &e, false)),
                None => {}
            }
            match notation::easting_northing::read(text, unit_m) {
                Ok(r) => return Ok((r.easting, r.northing, None, "easting-northing")),
                // A grid code says its own system; anything else is no easting and northing.
                Err(e) => match notation::read(text, AxisOrder::Reject) {
                    Ok(r) if r.notation.is_whole() => return self.code(text, &r),
                    _ => return Err(unusable(&self.names.0, text, &e, false)),
                },
            }
        }
        let r = notation::read(text, self.order).map_err(|e| unusable(&self.names.0, text, &e, true))?;
        self.code(text, &r)
    }

    /// A reading in this reader's system.
    fn code(&self, text: &str, r: &Reading) -> Result<(f64, f64, Option<f64>, &'static str), Unusable> {
        let refused = |reason: String| Unusable {
            class: "not a coordinate",
            reason: format!("column \"{}\": \"{text}\" {reason}", self.names.0),
        };
        let own = self.crs.horizontal();
        let on_wgs84 = matches!(r.notation, Notation::Utm | Notation::Mgrs);
        let source = match r.crs {
            Some(code) => Some(code),
            None if !own.is_geographic() => Some(4326),
            None => None,
        };
        if source.is_none() && on_wgs84 && !is_like_wgs84(own) {
            return Err(refused(format!(
                "is a grid on the WGS 84 ellipsoid, and --from is {}: say --from EPSG:4326, or the projected system of that zone",
                own.title()
            )));
        }
        let (x, y) = match source {
            Some(code) if own.code != Some(code) => self.foreign.bring(code, r.lon_deg, r.lat_deg).map_err(refused)?,
            _ => {
                let unit = match &own.kind {
                    Kind::Geographic { unit, .. } => unit.degrees,
                    _ => 1.0,
                };
                (r.lon_deg / unit, r.lat_deg / unit)
            }
        };
        Ok((x, y, r.height_m, r.notation.name()))
    }

    /// Whether the order of the numbers in a column of whole positions is open: nobody said it, and some rows do not
    /// say it by themselves.
    pub(crate) fn order_is_open(&self, sample: &Batch) -> bool {
        match self.source {
            Source::Whole(c) if self.order == AxisOrder::Reject && self.crs.is_geographic() => {
                (0..sample.len()).any(|r| notation::order_evidence(&sample.text(c, r)) != OrderEvidence::None)
            }
            _ => false,
        }
    }

    /// Counts what the rows of a batch say about the order.
    pub(crate) fn count_orders(&self, batch: &Batch, counts: &mut OrderCounts) {
        let Source::Whole(c) = self.source else {
            return;
        };
        for row in 0..batch.len() {
            match notation::order_evidence(&batch.text(c, row)) {
                OrderEvidence::None => {}
                OrderEvidence::Either => counts.either += 1,
                OrderEvidence::Only(AxisOrder::LatitudeFirst) => counts.latitude_first += 1,
                OrderEvidence::Only(_) => counts.longitude_first += 1,
            }
        }
    }

    /// Settles the order by the evidence of all rows, where it is one-sided and some row needs it.
    pub(crate) fn settle_order(&mut self, counts: &OrderCounts) {
        let (order, words, evidence) = match (counts.latitude_first, counts.longitude_first) {
            (n, 0) if n > 0 => (AxisOrder::LatitudeFirst, "latitude first", n),
            (0, n) if n > 0 => (AxisOrder::LongitudeFirst, "longitude first", n),
            _ => return,
        };
        if counts.either == 0 {
            return;
        }
        self.order = order;
        self.understood.push(format!(
            "{words} in \"{}\": {evidence} of its rows allow no other order, none contradicts, and {} rows could be either",
            self.names.0, counts.either
        ));
    }

    /// A coordinate of a column: a number, or an angle in any notation where the system is in degrees.
    fn number(
        &self,
        column: &Numbers,
        row: usize,
        name: &str,
        is_y: bool,
    ) -> Result<(f64, Option<&'static str>), Unusable> {
        if let Some(v) = column.get(row) {
            return Ok((v, None));
        }
        let text = column.text(row);
        if text.trim().is_empty() {
            return Err(Unusable {
                class: "no coordinates",
                reason: format!("column \"{name}\" is empty; a {} is expected", self.axis(is_y)),
            });
        }
        let number = notation::read_number(&text);
        if let Ok(v) = number {
            return Ok((v, None));
        }
        if self.in_degrees {
            return match notation::read_angle(&text, is_y) {
                Ok(angle) => Ok((angle.degrees, Some(angle.notation.name()))),
                Err(e) => Err(unusable(name, &text, &e, true)),
            };
        }
        Err(number.map_or_else(
            |e| unusable(name, &text, &e, false),
            |_| Unusable { class: "not a coordinate", reason: String::new() },
        ))
    }

    fn axis(&self, is_y: bool) -> &'static str {
        match (self.crs.is_geographic(), is_y) {
            (true, false) => "longitude",
            (true, true) => "latitude",
            (false, false) => "number (easting or x)",
            (false, true) => "number (northing or y)",
        }
    }

    /// Numbers that no place on Earth has.
    fn check(&self, row: usize, out: &mut Positions) {
        if !self.in_degrees {
            return;
        }
        let (x, y) = (out.x[row], out.y[row]);
        if !(y.abs() <= 90.0) {
            let hint = if x.abs() <= 90.0 && y.abs() <= 180.0 {
                "; are longitude and latitude swapped?"
            } else {
                "; check the value, or the system said with --from"
            };
            out.unusable[row] = Some(Unusable {
                class: "latitude out of range",
                reason: format!("column \"{}\": latitude {y} is outside −90…90{hint}", self.names.1),
            });
        } else if !(x.abs() <= 360.0) {
            out.unusable[row] = Some(Unusable {
                class: "longitude out of range",
                reason: format!(
                    "column \"{}\": longitude {x} is outside −180…180 (and 0…360); check the value, or the system said with --from",
                    self.names.0
                ),
            });
        }
    }
}

/// What the rows of a column say about the order of latitude and longitude.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct OrderCounts {
    pub latitude_first: u64,
    pub longitude_first: u64,
    pub either: u64,
}

impl OrderCounts {
    pub(crate) fn merge(&mut self, other: &OrderCounts) {
        self.latitude_first += other.latitude_first;
        self.longitude_first += other.longitude_first;
        self.either += other.either;
    }
}

/// Whether a system cannot be computed without heights.
fn needs_height(crs: &Crs) -> bool {
    matches!(crs.kind, Kind::Geocentric { .. }) || crs.heights() != Heights::None
}

/// Whether the ellipsoid of a system is that of WGS 84, or GRS 1980, which is a tenth of a millimetre beside it.
pub(crate) fn is_like_wgs84(crs: &Crs) -> bool {
    let e = Ellipsoid::wgs84();
    crs.datum().is_some_and(|d| {
        (d.ellipsoid.semi_major_m - e.semi_major_m).abs() < 1e-3
            && (d.ellipsoid.semi_minor_m() - e.semi_minor_m()).abs() < 1e-3
    })
}

fn unusable(column: &str, text: &str, e: &NotationError, angles: bool) -> Unusable {
    if text.trim().is_empty() {
        return Unusable {
            class: "no coordinates",
            reason: format!("column \"{column}\" is empty; a position is expected"),
        };
    }
    let class = if !e.readings.is_empty() || e.problem.contains("readings") {
        "ambiguous coordinate"
    } else if e.problem.contains("latitude") && e.problem.contains("outside") {
        "latitude out of range"
    } else {
        "not a coordinate"
    };
    let remedy = match (class, angles) {
        ("ambiguous coordinate", _) => "",
        (_, true) => "; a number, or degrees (and minutes, seconds) are expected",
        (_, false) => "; a number is expected",
    };
    Unusable { class, reason: format!("column \"{column}\": {e}{remedy}") }
}

/// A column of numbers, whatever its type.
enum Numbers<'a> {
    Real(&'a Float64Array),
    Whole(&'a Int64Array),
    Text(&'a StringArray),
    Other(&'a arrow_array::ArrayRef),
}

impl<'a> Numbers<'a> {
    fn of(batch: &'a Batch, column: usize) -> Self {
        let array = batch.records.column(column);
        let any = array.as_any();
        if let Some(a) = any.downcast_ref() {
            Numbers::Real(a)
        } else if let Some(a) = any.downcast_ref() {
            Numbers::Whole(a)
        } else if let Some(a) = any.downcast_ref() {
            Numbers::Text(a)
        } else {
            Numbers::Other(array)
        }
    }

    #[inline]
    fn get(&self, row: usize) -> Option<f64> {
        match self {
            Numbers::Real(a) if a.is_valid(row) => Some(a.value(row)).filter(|v| v.is_finite()),
            Numbers::Whole(a) if a.is_valid(row) => Some(a.value(row) as f64),
            Numbers::Text(a) if a.is_valid(row) => {
                let text = a.value(row);
                // "inf", "nan" and "infinity" parse as numbers but are none here; they all begin with a letter.
                if text.as_bytes().first().is_some_and(|b| b.is_ascii_digit() || matches!(b, b'-' | b'.' | b'+')) {
                    text.parse().ok().filter(|v: &f64| v.is_finite())
                } else {
                    None
                }
            }
            _ => None,
        }
    }

    /// Counts whether a text has a comma or a point.
    fn count_marks(&self, row: usize, marks: &mut (u64, u64)) {
        if let Numbers::Text(a) = self {
            let bytes = a.value(row).as_bytes();
            if bytes.contains(&b',') {
                marks.0 += 1;
            } else if bytes.contains(&b'.') {
                marks.1 += 1;
            }
        }
    }

    fn text(&self, row: usize) -> String {
        match self {
            Numbers::Text(a) if a.is_valid(row) => a.value(row).to_string(),
            Numbers::Real(a) if a.is_valid(row) => a.value(row).to_string(),
            Numbers::Other(a) => cell_text(a, row),
            _ => String::new(),
        }
    }
}
