//! Positions of a block of rows.

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
    self, AxisOrder, DecimalMark, Known, MarkEvidence, Notation, NotationError, NotationErrorKind, OrderEvidence,
    Reading,
};
use basilocus_table::batch::{Points, cell_text};
use basilocus_table::counted::{counted, is_or_are};
use basilocus_table::geometry::{Geometries, Geometry};
use basilocus_table::{Reason, role};
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

/// A reader of positions.
#[derive(Debug, Clone)]
pub(crate) struct PositionReader {
    source: Source,
    height: Option<Height>,
    zones: Option<Zones>,
    /// What is known of how a column of whole positions is written.
    known: Known,
    /// Whether rows without a geometry stay.
    pub(super) keeps_empty: bool,
    /// What is missing from the numbers of each column, as their headers say it.
    rests: [f64; 2],
    /// The decimal mark of columns of numbers, once all rows have settled it.
    decimal: Option<DecimalMark>,
    pub(crate) crs: Crs,
    /// How the columns were read, in words.
    pub(crate) interpretation: Vec<String>,
    /// Brings positions that say their own system to this one.
    foreign: Arc<Foreign>,
    names: (String, String),
    in_degrees: bool,
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

    /// The columns in which the middles of lines and polygons stand already, as we write them beside the geometry.
    pub(super) fn columns_of_middles(&self, columns: &Columns, sample: &Rows) -> Option<(String, String)> {
        let Source::Shapes(at) = self.source else { return None };
        let [x, y, ..] = self.crs.column_names();
        let (x, y) = (columns.position(x)?, columns.position(y)?);
        let n = sample.len();
        let mut middles: Coordinates = [vec![f64::NAN; n], vec![f64::NAN; n], vec![f64::NAN; n]];
        self.read_shapes(sample.records(), at, &mut middles, &mut Account::new(n));
        let written = [x, y].map(|at| Numbers::of(sample.records(), at));
        // Half of the last digit that is written.
        let close = if self.crs.is_geographic() { 1e-8 } else { 1e-3 };
        let mut rows = (0..n).filter(|row| middles[0][*row].is_finite()).peekable();
        let are_there = rows.peek().is_some()
            && rows.all(|row| {
                let is_same =
                    |axis: usize| written[axis].get(row).is_some_and(|v| (v - middles[axis][row]).abs() <= close);
                is_same(0) && is_same(1)
            });
        let name = |at: usize| columns.get(at).map(|c| c.name().to_string());
        if are_there { Some((name(x)?, name(y)?)) } else { None }
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

    /// Whether how a column of whole positions is written is open: nobody said it, and some rows do not say it by
    /// themselves.
    pub(crate) fn is_open(&self, sample: &Rows) -> bool {
        let list = match &self.source {
            Source::OneColumn(list) => list,
            Source::Columns { x, y } if !self.in_degrees => {
                let columns = [*x, *y].map(|at| Numbers::of(sample.records(), at));
                return columns.iter().any(|c| (0..sample.len()).any(|row| c.has_open_marks(row)));
            }
            _ => return false,
        };
        let text = |row| joined_text(sample.records(), list, row);
        let order = self.known.order == AxisOrder::Reject && self.crs.is_geographic();
        (0..sample.len()).any(|row| {
            let text = text(row);
            order && notation::order_evidence(&text) != OrderEvidence::None
                || self.known.notation.is_none() && notation::notation_evidence(&text).is_open
        })
    }

    /// What rows say about how they are written.
    pub(super) fn count_evidence(&self, rows: &Rows) -> Evidence {
        let mut counts = Evidence::default();
        let list = match &self.source {
            Source::OneColumn(list) => list,
            Source::Columns { x, y } => {
                for column in [*x, *y].map(|at| Numbers::of(rows.records(), at)) {
                    (0..rows.len()).for_each(|row| counts.add_marks(column.marks(row)));
                }
                return counts;
            }
            _ => return counts,
        };
        for row in 0..rows.len() {
            let text = joined_text(rows.records(), list, row);
            match notation::order_evidence(&text) {
                OrderEvidence::None => {}
                OrderEvidence::Either => counts.either += 1,
                OrderEvidence::Only(AxisOrder::LatitudeFirst) => counts.latitude_first += 1,
                OrderEvidence::Only(_) => counts.longitude_first += 1,
            }
            let evidence = notation::notation_evidence(&text);
            counts.open += u64::from(evidence.is_open);
            counts.bands += u64::from(evidence.utm_band);
            if let Some(notation) = evidence.notation {
                *counts.notations.entry(notation).or_default() += 1;
            }
        }
        counts
    }

    /// Settles how the column is written by the evidence of all rows, where it is one-sided and some row needs it. Gives
    /// what to tell.
    pub(super) fn settle(&mut self, counts: &Evidence) -> Vec<String> {
        let told = [self.settle_order(counts), self.settle_notation(counts), self.settle_marks(counts)];
        told.into_iter().flatten().collect()
    }

    fn settle_marks(&mut self, counts: &Evidence) -> Option<String> {
        let (decimal, mark, thousands, evidence) = match (counts.decimal_commas, counts.decimal_points) {
            (n, 0) if n > 0 => (DecimalMark::Comma, "comma", "point", n),
            (0, n) if n > 0 => (DecimalMark::Point, "point", "comma", n),
            _ => return None,
        };
        if counts.open_marks == 0 {
            return None;
        }
        self.decimal = Some(decimal);
        Some(format!(
            "in \"{}\" and \"{}\" a {mark} begins the decimals and a {thousands} parts thousands: {} of theirs {}, none contradicts, and {} could be either",
            self.names.0,
            self.names.1,
            counted(evidence, "number"),
            if evidence == 1 { "allows nothing else" } else { "allow nothing else" },
            counts.open_marks
        ))
    }

    fn settle_order(&mut self, counts: &Evidence) -> Option<String> {
        let (order, words, evidence) = match (counts.latitude_first, counts.longitude_first) {
            (n, 0) if n > 0 => (AxisOrder::LatitudeFirst, "latitude first", n),
            (0, n) if n > 0 => (AxisOrder::LongitudeFirst, "longitude first", n),
            _ => return None,
        };
        if counts.either == 0 || self.known.order != AxisOrder::Reject {
            return None;
        }
        self.known.order = order;
        Some(format!(
            "{words} in \"{}\": {evidence} of its rows {} no other order, none contradicts, and {} could be either",
            self.names.0,
            if evidence == 1 { "allows" } else { "allow" },
            counted(counts.either, "row")
        ))
    }

    fn settle_notation(&mut self, counts: &Evidence) -> Option<String> {
        if counts.open == 0 || self.known.notation.is_some() {
            return None;
        }
        let mut all = counts.notations.iter();
        let (Some((notation, rows)), None) = (all.next(), all.next()) else { return None };
        if *notation == Notation::Utm {
            self.known.utm_bands = counts.bands > 0;
            return self.known.utm_bands.then(|| {
                format!(
                    "letters behind zones in \"{}\" are bands, S among them: others than N and S are in {}",
                    self.names.0,
                    counted(counts.bands, "row")
                )
            });
        }
        if !notation.needs_naming() {
            return None;
        }
        self.known.notation = Some(*notation);
        Some(format!(
            "{} in \"{}\": {rows} of its rows {} of no other notation, none contradicts, and {} could be of several or none",
            notation.words(),
            self.names.0,
            is_or_are(*rows),
            counted(counts.open, "row")
        ))
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
fn joined_text(records: &RecordBatch, columns: &[usize], row: usize) -> String {
    match columns {
        [one] => cell_text(records.column(*one), row),
        several => {
            let texts = several.iter().map(|c| cell_text(records.column(*c), row));
            texts.map(|t| t.trim().to_string()).filter(|t| !t.is_empty()).collect::<Vec<_>>().join(" ")
        }
    }
}

/// What the rows of a column say about how they are written.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Evidence {
    pub latitude_first: u64,
    pub longitude_first: u64,
    pub either: u64,
    /// Rows that can only be of one code, by that.
    pub notations: BTreeMap<Notation, u64>,
    /// Rows of UTM whose letter is a band.
    pub bands: u64,
    /// Rows that cannot be read by themselves.
    pub open: u64,
    /// Numbers whose decimal mark can only be a comma, only a point, and either.
    pub decimal_commas: u64,
    pub decimal_points: u64,
    pub open_marks: u64,
}

impl Evidence {
    fn add_marks(&mut self, marks: MarkEvidence) {
        match marks {
            MarkEvidence::None => {}
            MarkEvidence::Either => self.open_marks += 1,
            MarkEvidence::Only(DecimalMark::Comma) => self.decimal_commas += 1,
            MarkEvidence::Only(DecimalMark::Point) => self.decimal_points += 1,
        }
    }

    pub(super) fn merge(&mut self, other: &Evidence) {
        self.latitude_first += other.latitude_first;
        self.longitude_first += other.longitude_first;
        self.either += other.either;
        self.bands += other.bands;
        self.open += other.open;
        self.decimal_commas += other.decimal_commas;
        self.decimal_points += other.decimal_points;
        self.open_marks += other.open_marks;
        for (notation, rows) in &other.notations {
            *self.notations.entry(*notation).or_default() += rows;
        }
    }
}

/// What the header of a column of whole positions says of them; what the user says of the order counts more.
fn said_by_header(header: &str, order: Option<AxisOrder>) -> Known {
    let said = match role::order_in_header(header) {
        Some(true) => AxisOrder::LatitudeFirst,
        Some(false) => AxisOrder::LongitudeFirst,
        None => AxisOrder::Reject,
    };
    let notation = Notation::of_header(header).or_else(|| Notation::of_header(&role::core_of(header)));
    Known { order: order.unwrap_or(said), notation, utm_bands: false }
}

fn words_of(header: &str, known: &Known) -> Option<String> {
    let order = match known.order {
        AxisOrder::LatitudeFirst => "latitude first",
        AxisOrder::LongitudeFirst => "longitude first",
        AxisOrder::Reject => return None,
    };
    Some(format!("{order}, as the header \"{header}\" says"))
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
