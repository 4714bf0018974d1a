//! Positions of a block of rows.

use super::evidence::{said_by_header, words_of};
use super::foreign::Foreign;
use super::numbers::Numbers;
use super::parts::Axis;
use super::source::{Found, Height, Source, find, needs_height};
use super::zones::Zones;
use super::{Positions, Search, is_like_wgs84, shapes};
use crate::Error;
use crate::engine::{Account, Columns, Coordinates, PlacedFrom, Rows, middle, put};
use arrow_array::RecordBatch;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::notation::{
    self, AxisOrder, DecimalMark, Known, Notation, NotationError, NotationErrorKind, Reading,
};
use basilocus_table::batch::{Points, cell_text};
use basilocus_table::geometry::{Geometries, Geometry};
use basilocus_table::{Reason, role};
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

/// A reader of positions.
#[derive(Debug, Clone)]
pub(crate) struct PositionReader {
    pub(super) source: Source,
    height: Option<Height>,
    zones: Option<Zones>,
    /// What is known of how a column of whole positions is written.
    pub(super) known: Known,
    /// Whether rows without a geometry stay.
    pub(super) keeps_empty: bool,
    /// What is missing from the numbers of each column, as their headers say it.
    rests: [f64; 2],
    /// The decimal mark of columns of numbers, once all rows have settled it.
    pub(super) decimal: Option<DecimalMark>,
    pub(crate) crs: Crs,
    /// How the columns were read, in words.
    pub(crate) interpretation: Vec<String>,
    /// Brings positions that say their own system to this one.
    foreign: Arc<Foreign>,
    pub(super) names: (String, String),
    pub(super) in_degrees: bool,
}

/// A row without a usable position.
struct Unusable {
    class: Reason,
    reason: String,
}

/// Rows by the notation they were read in.
type Notations = BTreeMap<&'static str, u64>;

impl PositionReader {
    /// Finds the columns and the system.
    pub(crate) fn new(
        plan: &Positions,
        finder: &Search,
        columns: &Columns,
        sample: &Rows,
        path: &Path,
    ) -> Result<Self, Error> {
        let Found { source, crs, height, zones, mut interpretation } = find(plan, finder, columns, sample, path)?;
        let known = match &source {
            Source::OneColumn(list) if list.len() == 1 => {
                let header = columns.get(list[0]).map_or("", |c| c.name());
                let known = said_by_header(header, plan.order);
                if plan.order.is_none() {
                    interpretation.extend(words_of(header, &known));
                }
                known
            }
            _ => Known { order: plan.order.unwrap_or_default(), ..Known::default() },
        };
        let in_degrees = matches!(&crs.horizontal().kind, Kind::Geographic { unit, .. } if unit.degrees == 1.0);
        let name = |at: usize| columns.get(at).map_or(String::new(), |c| c.name().to_string());
        let names = match &source {
            Source::Columns { x, y } => (name(*x), name(*y)),
            Source::Parts { x, y } => {
                let joined = |axis: &Axis| axis.columns.iter().map(|at| name(*at)).collect::<Vec<_>>().join("\", \"");
                (joined(x), joined(y))
            }
            Source::OneColumn(list) => {
                let joined = list.iter().map(|at| name(*at)).collect::<Vec<_>>().join("\", \"");
                (joined.clone(), joined)
            }
            Source::Shapes(c) => (name(*c), name(*c)),
            Source::Geometry => ("geometry".into(), "geometry".into()),
        };
        let mut rests = [0.0; 2];
        if let (Source::Columns { .. }, false) = (&source, in_degrees) {
            for (rest, name) in rests.iter_mut().zip([&names.0, &names.1]) {
                if let Some((_, said)) = role::rest_in_header(name) {
                    *rest = said;
                    interpretation.push(format!("numbers in \"{name}\" are cut to their last digits: {said} is added"));
                }
            }
        }
        let foreign = Arc::new(Foreign::new(finder.clone(), crs.clone()));
        Ok(PositionReader {
            source,
            height,
            zones,
            known,
            keeps_empty: false,
            rests,
            decimal: None,
            crs,
            interpretation,
            foreign,
            names,
            in_degrees,
        })
    }

    /// The step with what was found; none where the system has no text, or the geometry of the source was taken, which says
    /// all of it itself.
    pub(super) fn pinned(&self, said: &Positions, columns: &Columns) -> Option<Positions> {
        let names = |list: &[usize]| {
            let names: Option<Vec<&str>> = list.iter().map(|at| columns.get(*at).map(|c| c.name())).collect();
            names.map(|n| n.join(","))
        };
        let (x, y, coordinates) = match &self.source {
            Source::Geometry => return None,
            Source::Columns { x, y } => (names(&[*x]), names(&[*y]), None),
            Source::Parts { x, y } => (names(&x.columns), names(&y.columns), None),
            Source::OneColumn(list) => (None, None, names(list)),
            Source::Shapes(at) => (None, None, names(&[*at])),
        };
        let from = crate::coordinates::system::text_of(&self.crs).ok()?;
        let z = self.height.and_then(|h| names(&[h.column]));
        Some(Positions { from: Some(from), x, y, z, coordinates, order: said.order })
    }

    /// Whether the columns hold the coordinates as they are.
    pub(super) fn are_whole(&self) -> bool {
        self.rests == [0.0; 2]
    }

    /// Names of the x and y columns.
    pub(super) fn names(&self) -> &(String, String) {
        &self.names
    }

    /// What positions are made of.
    pub(super) fn origin(&self) -> PlacedFrom {
        match self.source {
            Source::Columns { .. } => PlacedFrom::Columns,
            Source::Parts { .. } | Source::OneColumn(_) => PlacedFrom::OneColumn,
            Source::Shapes(_) | Source::Geometry => PlacedFrom::Geometry,
        }
    }

    /// The column of lines and polygons that becomes the geometry.
    pub(super) fn column_of_shapes(&self) -> Option<usize> {
        match self.source {
            Source::Shapes(at) => Some(at),
            _ => None,
        }
    }

    /// The columns in which the coordinates of the geometry, or of its middles, stand as well, as we write them ourselves: by
    /// their names, and by the first rows. Heights are one of them where longitudes and latitudes are.
    pub(super) fn mirrored_in(&self, columns: &Columns, sample: &Rows) -> Vec<String> {
        if !matches!(self.source, Source::Shapes(_) | Source::Geometry) {
            return Vec::new();
        }
        let (places, _) = self.read(sample, &mut Account::new(sample.len()));
        // The last digit that is written.
        let close = |axis: usize| if axis < 2 && self.crs.is_geographic() { 1e-8 } else { 1e-3 };
        let is_there = |axis: usize, name: &str| {
            let Some(at) = columns.position(name) else { return false };
            let written = Numbers::of(sample.records(), at);
            let mut rows = (0..sample.len()).filter(|row| places[axis][*row].is_finite()).peekable();
            rows.peek().is_some()
                && rows.all(|row| written.get(row).is_some_and(|v| (v - places[axis][row]).abs() <= close(axis)))
        };
        let names = self.crs.column_names();
        match is_there(0, names[0]) && is_there(1, names[1]) {
            true => {
                (0..3).filter(|axis| *axis < 2 || is_there(2, names[2])).map(|axis| names[axis].to_string()).collect()
            }
            false => Vec::new(),
        }
    }

    /// Whether the geometry stays as the source has it.
    pub(super) fn takes_geometry_as_it_is(&self) -> bool {
        matches!(self.source, Source::Geometry) && self.height.is_none()
    }

    /// Whether the positions have heights.
    pub(super) fn has_heights(&self, columns: &Columns, sample: &Rows) -> bool {
        let in_geometry = || match self.source {
            Source::Geometry => columns.has_heights(),
            // Written positions may say a height behind the other two.
            Source::OneColumn(_) => {
                let ([.., z], _) = self.read(sample, &mut Account::new(sample.len()));
                z.iter().any(|z| z.is_finite())
            }
            _ => false,
        };
        self.height.is_some() || in_geometry()
    }

    /// Name of the column of heights, where they stand in one.
    pub(super) fn height_name(&self, columns: &Columns) -> Option<String> {
        self.height.as_ref().and_then(|h| columns.get(h.column)).map(|c| c.name().to_string())
    }

    /// The positions of rows, NaN for those that are set aside, and the notations that they were read in.
    pub(crate) fn read(&self, rows: &Rows, account: &mut Account) -> (Coordinates, Notations) {
        let n = rows.len();
        let mut out: Coordinates = [vec![f64::NAN; n], vec![f64::NAN; n], vec![f64::NAN; n]];
        let mut notations = Notations::new();
        let records = rows.records();
        match &self.source {
            Source::Geometry => self.read_geometry(records, &mut out, account),
            Source::Shapes(c) => drop(self.read_shapes(records, *c, &mut out, account)),
            Source::Columns { x, y } => self.read_columns(records, (*x, *y), &mut out, &mut notations, account),
            Source::Parts { x, y } => self.read_parts(records, (x, y), &mut out, &mut notations, account),
            Source::OneColumn(list) => {
                for row in 0..n {
                    match self.whole(&joined_text(records, list, row)) {
                        Ok((x, y, z, how)) => {
                            put(&mut out, row, (x, y, z));
                            *notations.entry(how).or_default() += 1;
                        }
                        Err(e) => account.set_aside(row, e.class, e.reason),
                    }
                }
            }
        }
        if self.in_degrees && !matches!(self.source, Source::Geometry | Source::Shapes(_)) {
            account.counts.turned += turn(&mut out[0]);
        }
        if let Some(height) = self.height {
            read_heights(records, height, self.decimal, &mut out[2], account);
        }
        if needs_height(&self.crs) {
            for (row, z) in out[2].iter().enumerate() {
                let is_placed = !self.keeps_empty || out[0][row].is_finite();
                if account.is_in_use(row) && z.is_nan() && is_placed {
                    let reason = format!("the row has no height, which {} needs", self.crs.title());
                    account.set_aside(row, Reason::NO_HEIGHT, reason);
                }
            }
        }
        for row in (0..n).filter(|row| !account.is_in_use(*row)) {
            put(&mut out, row, (f64::NAN, f64::NAN, None));
        }
        (out, notations)
    }

    fn read_geometry(&self, records: &RecordBatch, out: &mut Coordinates, account: &mut Account) {
        let points = Points::of(records);
        let shapes = Geometries::of(records);
        for row in 0..records.num_rows() {
            let point = points.as_ref().and_then(|p| p.get(row));
            match point.or_else(|| middle(&shapes.as_ref()?.get(row)?, self.in_degrees)) {
                Some((x, y, z)) => {
                    put(out, row, (x, y, z));
                    self.check(row, (x, y), account);
                }
                None if self.keeps_empty => account.counts.without_geometry += 1,
                None if shapes.is_some() => {
                    account.set_aside(row, Reason::NO_GEOMETRY, "the row has no geometry, or an empty one");
                }
                None => {
                    account.set_aside(row, Reason::NO_GEOMETRY, "the row has no geometry; a point is expected");
                }
            }
        }
    }

    /// The middles of lines and polygons, and these.
    pub(super) fn read_shapes(
        &self,
        records: &RecordBatch,
        at: usize,
        out: &mut Coordinates,
        account: &mut Account,
    ) -> Vec<Option<Geometry>> {
        let mut geometries = Vec::with_capacity(records.num_rows());
        for row in 0..records.num_rows() {
            let geometry = match shapes::read(records, at, row) {
                Ok(Some(g)) => {
                    if let Some((x, y, z)) = middle(&g, self.in_degrees) {
                        put(out, row, (x, y, z));
                        self.check(row, (x, y), account);
                    }
                    Some(g)
                }
                Ok(None) => {
                    let reason = format!("column \"{}\" is empty; a geometry is expected", self.names.0);
                    account.set_aside(row, Reason::NO_COORDINATES, reason);
                    None
                }
                Err(e) => {
                    account.set_aside(row, Reason::NOT_A_COORDINATE, format!("column \"{}\": {e}", self.names.0));
                    None
                }
            };
            geometries.push(geometry);
        }
        geometries
    }

    fn read_columns(
        &self,
        records: &RecordBatch,
        (x, y): (usize, usize),
        out: &mut Coordinates,
        notations: &mut Notations,
        account: &mut Account,
    ) {
        let (cx, cy) = (Numbers::of(records, x), Numbers::of(records, y));
        for row in 0..records.num_rows() {
            match (self.number(&cx, row, &self.names.0, false), self.number(&cy, row, &self.names.1, true)) {
                (Ok((x, how)), Ok((y, _))) => {
                    let (x, y) = (x + self.rests[0], y + self.rests[1]);
                    let other = self.zones.as_ref().and_then(|z| z.refusal(records, row, &self.crs.title()));
                    if let Some(reason) = other {
                        account.set_aside(row, Reason::OTHER_ZONE, reason);
                        continue;
                    }
                    put(out, row, (x, y, None));
                    match how {
                        Some(how) => *notations.entry(how).or_default() += 1,
                        None if self.decimal.is_none() => cx.count_marks(row, &mut account.counts.marks),
                        None => {}
                    }
                    self.check(row, (x, y), account);
                }
                (Err(e), _) | (_, Err(e)) => account.set_aside(row, e.class, e.reason),
            }
        }
    }

    fn read_parts(
        &self,
        records: &RecordBatch,
        (x, y): (&Axis, &Axis),
        out: &mut Coordinates,
        notations: &mut Notations,
        account: &mut Account,
    ) {
        for row in 0..records.num_rows() {
            let angle = |axis: &Axis, name: &str, is_y: bool| {
                if let Some(at) = axis.lacks(records, row) {
                    let empty = records.schema_ref().field(at).name();
                    let reason = format!("column \"{empty}\" is empty; it is a part of the {}", self.axis(is_y));
                    return Err(Unusable { class: Reason::NO_COORDINATES, reason });
                }
                let text = axis.text(records, row);
                notation::read_angle(&text, is_y).map_err(|e| unusable(name, &text, &e, true))
            };
            match (angle(x, &self.names.0, false), angle(y, &self.names.1, true)) {
                (Ok(x), Ok(y)) => {
                    put(out, row, (x.degrees, y.degrees, None));
                    *notations.entry(x.notation.name()).or_default() += 1;
                    self.check(row, (x.degrees, y.degrees), account);
                }
                (Err(e), _) | (_, Err(e)) => account.set_aside(row, e.class, e.reason),
            }
        }
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
                Err(e) => match notation::read_known(text, Known { order: AxisOrder::Reject, ..self.known }) {
                    Ok(r) if r.notation.is_whole() => return self.code(text, &r),
                    _ => return Err(unusable(&self.names.0, text, &e, false)),
                },
            }
        }
        let r = notation::read_known(text, self.known).map_err(|e| unusable(&self.names.0, text, &e, true))?;
        self.code(text, &r)
    }

    /// A reading in this reader's system.
    fn code(&self, text: &str, r: &Reading) -> Result<(f64, f64, Option<f64>, &'static str), Unusable> {
        let refused = |reason: String| Unusable {
            class: Reason::NOT_A_COORDINATE,
            reason: format!("column \"{}\": \"{text}\" {reason}", self.names.0),
        };
        let own = self.crs.horizontal();
        let on_wgs84 = r.notation.is_wgs84_grid();
        let source = match r.crs {
            Some(code) => Some(code),
            None if !own.is_geographic() => Some(4326),
            None => None,
        };
        if source.is_none() && on_wgs84 && !is_like_wgs84(own) {
            return Err(refused(format!(
                "is a grid on the WGS 84 ellipsoid, and `from` is {}: say `from` EPSG:4326, or the projected system of that zone",
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

    /// A coordinate of a column: a number, or an angle in any notation where the system is in degrees.
    fn number(
        &self,
        column: &Numbers,
        row: usize,
        name: &str,
        is_y: bool,
    ) -> Result<(f64, Option<&'static str>), Unusable> {
        let marked = self.decimal.and_then(|mark| column.get_marked(row, mark));
        if let Some(v) = marked.or_else(|| column.get(row)) {
            return Ok((v, None));
        }
        let text = column.text(row);
        if text.trim().is_empty() {
            return Err(Unusable {
                class: Reason::NO_COORDINATES,
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
            |_| Unusable { class: Reason::NOT_A_COORDINATE, reason: String::new() },
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
    fn check(&self, row: usize, (x, y): (f64, f64), account: &mut Account) {
        if !self.in_degrees {
            return;
        }
        if !(y.abs() <= 90.0) {
            let hint = if x.abs() <= 90.0 && y.abs() <= 180.0 {
                "; are longitude and latitude swapped?"
            } else {
                "; check the value, or the system that was said"
            };
            let reason = format!("column \"{}\": latitude {y} is outside −90…90{hint}", self.names.1);
            account.set_aside(row, Reason::LATITUDE_OUT_OF_RANGE, reason);
        } else if !(x.abs() <= 360.0) {
            let reason = format!(
                "column \"{}\": longitude {x} is outside −180…180 (and 0…360); check the value, or the system that was said",
                self.names.0
            );
            account.set_aside(row, Reason::LONGITUDE_OUT_OF_RANGE, reason);
        }
    }
}

/// Brings longitudes beyond 180° into −180…180. Gives how many.
fn turn(longitudes: &mut [f64]) -> u64 {
    let mut turned = 0;
    for x in longitudes.iter_mut().filter(|x| x.abs() > 180.0 && x.abs() <= 360.0) {
        *x -= 360f64.copysign(*x);
        turned += 1;
    }
    turned
}

/// The texts of columns that make a position together.
pub(super) fn joined_text(records: &RecordBatch, columns: &[usize], row: usize) -> String {
    match columns {
        [one] => cell_text(records.column(*one), row),
        several => {
            let texts = several.iter().map(|c| cell_text(records.column(*c), row));
            texts.map(|t| t.trim().to_string()).filter(|t| !t.is_empty()).collect::<Vec<_>>().join(" ")
        }
    }
}

fn read_heights(
    records: &RecordBatch,
    height: Height,
    decimal: Option<DecimalMark>,
    out: &mut [f64],
    account: &mut Account,
) {
    let heights = Numbers::of(records, height.column);
    let name = records.schema_ref().field(height.column).name();
    for (row, slot) in out.iter_mut().enumerate() {
        let text = heights.text(row);
        if text.trim().is_empty() {
            continue;
        }
        match decimal.and_then(|mark| heights.get_marked(row, mark)).or_else(|| heights.get(row)) {
            Some(v) => *slot = v,
            None => match notation::read_number(&text) {
                Ok(v) => *slot = v,
                Err(_) if height.is_found => {}
                Err(e) => {
                    let why = unusable(name, &text, &e, false);
                    account.set_aside(row, why.class, why.reason);
                }
            },
        }
    }
}

fn unusable(column: &str, text: &str, e: &NotationError, angles: bool) -> Unusable {
    if text.trim().is_empty() {
        return Unusable {
            class: Reason::NO_COORDINATES,
            reason: format!("column \"{column}\" is empty; a position is expected"),
        };
    }
    let class = match e.kind {
        NotationErrorKind::Ambiguous => Reason::AMBIGUOUS_COORDINATE,
        NotationErrorKind::LatitudeOutOfRange => Reason::LATITUDE_OUT_OF_RANGE,
        NotationErrorKind::LongitudeOutOfRange => Reason::LONGITUDE_OUT_OF_RANGE,
        _ => Reason::NOT_A_COORDINATE,
    };
    let remedy = match (e.kind, angles) {
        (NotationErrorKind::Ambiguous, _) => "",
        (_, true) => "; a number, or degrees (and minutes, seconds) are expected",
        (_, false) => "; a number is expected",
    };
    Unusable { class, reason: format!("column \"{column}\": {e}{remedy}") }
}
