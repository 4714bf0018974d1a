//! Chooses a way and turns it into steps.

use super::step::Step;
use super::transformation::Shift;
use super::way::{self, Way, ellipsoid_of, on_greenwich};
use super::{HeightRule, MissedWay, Operation, Search, Via};
use crate::crs::{Catalogue, Crs, Datum, Heights, Kind};
use crate::datum::{Helmert, RotationConvention};
use crate::ellipsoid::Ellipsoid;
use crate::error::Error;

fn datum_of(crs: &Crs) -> Result<&Datum, Error> {
    crs.datum().ok_or_else(|| match &crs.kind {
        Kind::Engineering { .. } => Error::LocalGrid { crs: crs.name.clone() },
        _ => Error::NoPositions { crs: crs.title(), code: crs.code },
    })
}

pub(super) fn ways_between(source: &Crs, target: &Crs, search: &Search) -> Result<Vec<Way>, Error> {
    let area = search
        .near
        .cloned()
        .or_else(|| source.area.overlap(&target.area).filter(|both| both.share_of_earth() > 0.0))
        .unwrap_or_else(|| source.area.clone());
    // Grads and longitudes from other meridians are steps of their own; the datum itself is what counts here.
    let (from, to) = (on_greenwich(datum_of(source)?), on_greenwich(datum_of(target)?));
    Ok(way::ways(&from, &to, &area, search.grids, search.via))
}

/// The way to take, and the better one that is missed for want of a grid file.
fn choose(source: &Crs, target: &Crs, search: &Search) -> Result<(Way, Option<MissedWay>), Error> {
    let ways = ways_between(source, target, search)?;
    let titles = || (source.title(), target.title());
    let wanted: Vec<&Way> = match search.via {
        None => ways.iter().collect(),
        Some(via) => ways.iter().filter(|w| w.legs.is_empty() || is_wanted(w, via)).collect(),
    };
    if let (true, Some(via)) = (wanted.is_empty() && !ways.is_empty(), search.via) {
        let (from, to) = titles();
        let via = match via {
            Via::Named(text) => text.clone(),
            Via::Own(t) => t.name.clone(),
        };
        return Err(Error::NoSuchWay { from, to, via, ways: ways.iter().take(8).map(|w| w.name.clone()).collect() });
    }
    let Some(chosen) = wanted.iter().copied().find(|w| w.has_its_grids()) else {
        if let Some(w) = wanted.first() {
            return Err(missing(w, search));
        }
        let (from, to) = (datum_of(source)?, datum_of(target)?);
        return Err(Error::NoTransformation { from_datum: from.name.clone(), to_datum: to.name.clone() });
    };
    if search.via.is_some()
        && let Some(w) = wanted.first().filter(|w| !w.has_its_grids() && w.legs.len() == 1)
    {
        // The way that was named is known and cannot be taken.
        return Err(missing(w, search));
    }
    let better = wanted
        .iter()
        .take_while(|w| !std::ptr::eq(**w, chosen))
        .find(|w| !w.has_its_grids() && w.holds_area && w.accuracy_m < chosen.accuracy_m);
    if let (Some(better), true) = (better, search.strict) {
        return Err(missing(better, search));
    }
    let missed = better.map(|w| MissedWay {
        name: w.name.clone(),
        accuracy_m: w.accuracy_m,
        grids: w.grids.iter().filter(|(_, there)| !there).map(|(name, _)| name.clone()).collect(),
    });
    if chosen.needs_epoch && search.epoch.is_none() {
        let (from, to) = titles();
        let otherwise = wanted
            .iter()
            .find(|w| !w.needs_epoch && w.has_its_grids() && w.accuracy_m.is_finite())
            .map(|w| (w.name.clone(), w.accuracy_m));
        return Err(Error::EpochNeeded {
            from,
            to,
            operation: chosen.name.clone(),
            accuracy_m: chosen.accuracy_m,
            otherwise,
        });
    }
    if let Some(required_m) = search.require_accuracy_m
        && !(chosen.accuracy_m <= required_m)
    {
        let (from, to) = titles();
        return Err(Error::NotAccurateEnough {
            from,
            to,
            required_m,
            best: chosen.name.clone(),
            accuracy_m: Some(chosen.accuracy_m).filter(|a| a.is_finite()),
            hint: missed.filter(|m| m.accuracy_m <= required_m).map(|m| {
                format!(
                    "with the grid file {} it would be {} m; it was not found {}",
                    m.grids.join(" and "),
                    m.accuracy_m,
                    search.grids.place()
                )
            }),
        });
    }
    Ok((chosen.clone(), missed))
}

fn missing(way: &Way, search: &Search) -> Error {
    let names: Vec<&str> = way.grids.iter().filter(|(_, there)| !there).map(|(n, _)| n.as_str()).collect();
    Error::GridMissing {
        grid: names.join(" and "),
        reason: format!("\"{}\" gives {} m with it", way.name, way.accuracy_m),
        place: search.grids.place(),
    }
}

/// Whether `--via` means this way: by its name, or by the system or datum in between.
fn is_wanted(way: &Way, via: &Via) -> bool {
    match via {
        Via::Own(t) => way.legs.iter().any(|l| l.transformation.name == t.name),
        Via::Named(text) => {
            let wanted = text.trim().to_lowercase();
            if way.name.to_lowercase() == wanted {
                return true;
            }
            let through = way.through().is_some_and(|datum| {
                datum.to_lowercase() == wanted
                    || Catalogue::embedded().find_one(text).is_ok_and(|c| c.datum().is_some_and(|d| d.name == datum))
            });
            through || way.legs.iter().any(|l| l.transformation.name.to_lowercase().contains(&wanted))
        }
    }
}

pub(super) fn find(source: &Crs, target: &Crs, search: &Search) -> Result<Operation, Error> {
    if source.is_same(target) {
        // Nothing is computed; the projection is still looked at, so that a system that cannot be used is named.
        source.projection()?;
        return Ok(Operation::empty("none: source and target are the same system".into(), 0.0));
    }
    let (from_datum, to_datum) = (datum_of(source)?, datum_of(target)?);
    let (way, missed) = choose(source, target, search)?;
    let name = match way.name.is_empty() {
        true => format!("conversion from {} to {}", source.name, target.name),
        false => way.name.clone(),
    };
    let mut b = Builder::new(name, way.accuracy_m);
    b.operation.notes = way.notes();
    b.operation.area = way
        .legs
        .iter()
        .filter_map(|l| l.transformation.area.clone())
        .min_by(|a, c| a.share_of_earth().total_cmp(&c.share_of_earth()));
    b.heights(source, target);
    b.enter(source, from_datum)?;
    b.source_height(source, target, search)?;
    for leg in &way.legs {
        b.leg(leg, search)?;
    }
    b.arrive(target, &to_datum.ellipsoid);
    b.target_height(source, target, search)?;
    b.leave(target, to_datum)?;
    if let Some(m) = &missed {
        b.operation.notes.push(format!(
            "the grid file {} would give {} m instead of {}; it was not found {}",
            m.grids.join(" and "),
            m.accuracy_m,
            Some(way.accuracy_m).filter(|a| a.is_finite()).map_or("no stated accuracy".into(), |a| format!("{a} m")),
            search.grids.place()
        ));
    }
    b.operation.assumed = way.legs.iter().any(|l| l.transformation.shift == Shift::Equal);
    b.operation.missed = missed;
    b.operation.cancel();
    Ok(b.operation)
}

pub(super) fn to_degrees(crs: &Crs) -> Result<Operation, Error> {
    let mut b = Builder::new(format!("conversion from {} to longitude and latitude", crs.name), 0.0);
    b.enter(crs, datum_of(crs)?)?;
    if b.geocentric {
        b.operation.heights = HeightRule::Moved;
        b.become_geographic();
    }
    Ok(b.operation)
}

struct Builder {
    operation: Operation,
    /// Whether positions are X, Y, Z at this point, and on which ellipsoid they are.
    geocentric: bool,
    ellipsoid: Ellipsoid,
}

impl Builder {
    fn new(name: String, accuracy_m: f64) -> Self {
        Builder { operation: Operation::empty(name, accuracy_m), geocentric: false, ellipsoid: Ellipsoid::wgs84() }
    }

    fn push(&mut self, step: Step, words: String) {
        self.operation.steps.push((step, words));
    }

    /// What becomes of heights.
    fn heights(&mut self, source: &Crs, target: &Crs) {
        let geocentric = |c: &Crs| matches!(c.kind, Kind::Geocentric { .. });
        let height = |c: &Crs| if c.heights() == Heights::None { "without heights" } else { "with heights" };
        self.operation.heights = match (source.heights(), target.heights()) {
            _ if geocentric(source) || geocentric(target) => HeightRule::Moved,
            (Heights::None, Heights::None) => HeightRule::Untouched,
            (Heights::None, _) | (_, Heights::None) => {
                self.operation.notes.push(format!(
                    "heights stay as they are: {} is a system {}, {} one {}",
                    source.name,
                    height(source),
                    target.name,
                    height(target)
                ));
                HeightRule::Untouched
            }
            (
                Heights::Level { datum_name: a, unit: u, depths: d, .. },
                Heights::Level { datum_name: b, unit: v, depths: e, .. },
            ) if a == b => HeightRule::Scaled(u.metres / v.metres * if d == e { 1.0 } else { -1.0 }),
            _ => HeightRule::Moved,
        };
    }

    /// Into longitude and latitude in degrees on Greenwich, or X, Y, Z.
    fn enter(&mut self, crs: &Crs, datum: &Datum) -> Result<(), Error> {
        self.ellipsoid = datum.ellipsoid.clone();
        match &crs.horizontal().kind {
            Kind::Geographic { unit, .. } => {
                self.push_degrees(unit.degrees, &unit.name, datum, true);
                self.push(Step::CheckDegrees, String::new());
            }
            Kind::Projected { unit, .. } => {
                if unit.metres != 1.0 {
                    self.push(Step::Multiply(unit.metres), format!("{} to metres", unit.plural()));
                }
                if let Some(projection) = crs.projection()? {
                    self.push(Step::Unproject(projection), format!("inverse of {}", projection_words(crs)));
                }
                self.push_degrees(1.0, "degree", datum, true);
            }
            _ => self.geocentric = true,
        }
        Ok(())
    }

    /// Heights of the source above its ellipsoid, metres.
    fn source_height(&mut self, source: &Crs, target: &Crs, search: &Search) -> Result<(), Error> {
        self.height(source, target, search, false)
    }

    fn target_height(&mut self, source: &Crs, target: &Crs, search: &Search) -> Result<(), Error> {
        self.height(target, source, search, true)
    }

    fn height(&mut self, crs: &Crs, other: &Crs, search: &Search, leaving: bool) -> Result<(), Error> {
        if self.operation.heights != HeightRule::Moved {
            return Ok(());
        }
        let (unit, level) = match crs.heights() {
            Heights::None => return Ok(()),
            Heights::Ellipsoid { unit } => (unit, None),
            Heights::Level { system, datum_name, unit, .. } => (unit, Some((system, datum_name))),
        };
        let depths = matches!(crs.heights(), Heights::Level { depths: true, .. });
        let factor = unit.metres * if depths { -1.0 } else { 1.0 };
        if !leaving && factor != 1.0 {
            self.push(Step::MultiplyHeight(factor), format!("heights from {} to metres", unit.plural()));
        }
        if let Some((system, datum_name)) = level {
            let own = system.code.into_iter();
            let names: Vec<String> = own
                .chain(Catalogue::embedded().vertical_of_datum(datum_name))
                .map(|code| format!("EPSG-{code}.gtx"))
                .collect();
            let mut found = None;
            for name in &names {
                if let Some(grid) =
                    search.grids.geoid(name).map_err(|problem| Error::GridUnusable { grid: name.clone(), problem })?
                {
                    found = Some((name.clone(), grid));
                    break;
                }
            }
            let Some((name, grid)) = found else {
                return Err(Error::GridMissing {
                    grid: names.first().cloned().unwrap_or_default(),
                    reason: format!(
                        "it holds the heights of {datum_name} above the ellipsoid; without it heights cannot be brought {} {}",
                        if leaving { "from" } else { "to" },
                        other.title()
                    ),
                    place: search.grids.place(),
                });
            };
            let words = if leaving {
                format!("heights above the ellipsoid to {datum_name} by the grid {name}")
            } else {
                format!("heights above {datum_name} to the ellipsoid by the grid {name}")
            };
            self.operation.grids.push(name.clone());
            self.operation.notes.push(format!("the grid {name} states no accuracy for its heights"));
            self.push(Step::Geoid { name, grid, inverse: leaving }, words);
        }
        if leaving && factor != 1.0 {
            self.push(Step::MultiplyHeight(1.0 / factor), format!("heights from metres to {}", unit.plural()));
        }
        Ok(())
    }

    /// One transformation of the way.
    fn leg(&mut self, leg: &way::Leg, search: &Search) -> Result<(), Error> {
        let next = ellipsoid_of(leg.target());
        let inverse = leg.inverse;
        match &leg.transformation.shift {
            Shift::Equal => self.become_alike(next),
            Shift::Helmert(h) if h.is_null() => self.become_alike(next),
            Shift::Helmert(h) => self.helmert(h.clone(), inverse, String::new(), next),
            Shift::TimeDependent(t) => {
                let epoch = search.epoch.unwrap_or(t.reference_epoch);
                self.helmert(t.at(epoch), inverse, format!(" at epoch {epoch}"), next);
            }
            Shift::Grid(name) => {
                let unusable = |problem: String| Error::GridUnusable { grid: name.clone(), problem };
                let grid = search.grids.shift(name).map_err(unusable)?.ok_or_else(|| Error::GridMissing {
                    grid: name.clone(),
                    reason: format!("\"{}\" is computed with it", leg.name()),
                    place: search.grids.place(),
                })?;
                self.become_geographic();
                let words = format!("NTv2 grid {name}{}", if inverse { ", inverse" } else { "" });
                self.operation.grids.push(name.clone());
                self.push(Step::Grid { name: name.clone(), grid, inverse }, words);
                self.ellipsoid = next;
            }
        }
        Ok(())
    }

    /// Frames that are taken as equal keep their longitudes and latitudes where their ellipsoids differ by a tenth of
    /// a millimetre only: a change of that size would only look like a transformation.
    fn become_alike(&mut self, next: Ellipsoid) {
        if !self.geocentric && !alike(&self.ellipsoid, &next) {
            self.become_geocentric();
        }
        self.ellipsoid = next;
    }

    fn helmert(&mut self, helmert: Helmert, inverse: bool, when: String, next: Ellipsoid) {
        self.become_geocentric();
        let words = format!("{}{when}", helmert_words(&helmert, inverse));
        self.push(Step::Helmert { helmert, inverse }, words);
        self.ellipsoid = next;
    }

    fn become_geocentric(&mut self) {
        if !self.geocentric {
            let words = format!("geographic to geocentric on {}", self.ellipsoid.name);
            self.push(Step::ToGeocentric(self.ellipsoid.clone()), words);
            self.geocentric = true;
        }
    }

    fn become_geographic(&mut self) {
        if self.geocentric {
            let words = format!("geocentric to geographic on {}", self.ellipsoid.name);
            self.push(Step::FromGeocentric(self.ellipsoid.clone()), words);
            self.geocentric = false;
        }
    }

    /// The target's form: X, Y, Z or degrees on its ellipsoid.
    fn arrive(&mut self, target: &Crs, ellipsoid: &Ellipsoid) {
        if matches!(target.kind, Kind::Geocentric { .. }) {
            if !self.geocentric {
                self.ellipsoid = ellipsoid.clone();
            }
            self.become_geocentric();
            return;
        }
        if !self.geocentric && !alike(&self.ellipsoid, ellipsoid) {
            self.become_geocentric();
        }
        self.ellipsoid = ellipsoid.clone();
        self.become_geographic();
    }

    fn leave(&mut self, crs: &Crs, datum: &Datum) -> Result<(), Error> {
        match &crs.horizontal().kind {
            Kind::Geographic { unit, .. } => self.push_degrees(unit.degrees, &unit.name, datum, false),
            Kind::Projected { unit, .. } => {
                self.push_degrees(1.0, "degree", datum, false);
                if let Some(projection) = crs.projection()? {
                    self.push(Step::Project(projection), projection_words(crs));
                }
                if unit.metres != 1.0 {
                    self.push(Step::Multiply(1.0 / unit.metres), format!("metres to {}", unit.plural()));
                }
            }
            _ => {}
        }
        Ok(())
    }

    fn push_degrees(&mut self, degrees_per_unit: f64, unit: &str, datum: &Datum, entering: bool) {
        let prime_meridian_deg = datum.prime_meridian_deg;
        if degrees_per_unit == 1.0 && prime_meridian_deg == 0.0 {
            return;
        }
        let mut words = Vec::new();
        if degrees_per_unit != 1.0 {
            words.push(if entering { format!("{unit}s to degrees") } else { format!("degrees to {unit}s") });
        }
        if prime_meridian_deg != 0.0 {
            words.push(format!(
                "longitude {} {}",
                if entering { "from the meridian of" } else { "to the meridian of" },
                datum.prime_meridian
            ));
        }
        let step = if entering {
            Step::ToDegrees { degrees_per_unit, prime_meridian_deg }
        } else {
            Step::FromDegrees { degrees_per_unit, prime_meridian_deg }
        };
        self.push(step, words.join(", "));
    }
}

fn alike(a: &Ellipsoid, b: &Ellipsoid) -> bool {
    (a.semi_major_m - b.semi_major_m).abs() < 1e-3 && (a.semi_minor_m() - b.semi_minor_m()).abs() < 1e-3
}

fn projection_words(crs: &Crs) -> String {
    match &crs.horizontal().kind {
        Kind::Projected { method, .. } => format!("{} of {}", method.replace('_', " "), crs.horizontal().name),
        _ => crs.name.clone(),
    }
}

fn helmert_words(h: &Helmert, inverse: bool) -> String {
    // Time-dependent parameters come with the noise of a product.
    let short = |v: f64| {
        let text = format!("{v:.9}");
        text.trim_end_matches('0').trim_end_matches('.').to_string()
    };
    let [x, y, z] = h.translation_m.map(short);
    let mut text = if h.is_translation() {
        format!("geocentric translation {x}, {y}, {z} m")
    } else {
        let [rx, ry, rz] = h.rotation_arcsec.map(short);
        let convention = match h.convention {
            RotationConvention::PositionVector => "position vector",
            RotationConvention::CoordinateFrame => "coordinate frame",
        };
        let scale = short(h.scale_ppm);
        format!("Helmert transformation ({convention}) {x}, {y}, {z} m; {rx}, {ry}, {rz}″; {scale} ppm")
    };
    if inverse {
        text.push_str(", inverse");
    }
    text
}
