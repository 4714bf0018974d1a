//! The way from one reference system to another: found once, applied to whole columns.

mod transformation;

pub use transformation::Transformation;

use crate::crs::{Area, Crs, Datum, Kind};
use crate::datum::{Helmert, geocentric};
use crate::ellipsoid::Ellipsoid;
use crate::error::Error;
use crate::projection::Projection;

/// Rows that go through all steps before the next rows start: three columns of this length fit the first cache.
const CHUNK: usize = 1024;

/// Frames whose shift is taken as zero because both follow the international frame agree to this many metres.
const ASSUMED_ACCURACY_M: f64 = 2.0;

/// One step of an operation.
#[derive(Debug, Clone, PartialEq)]
enum Step {
    /// Multiply longitude and latitude, then add to the longitude: unit and prime meridian to degrees and Greenwich.
    ToDegrees {
        degrees_per_unit: f64,
        prime_meridian_deg: f64,
    },
    /// The inverse of `ToDegrees`.
    FromDegrees {
        degrees_per_unit: f64,
        prime_meridian_deg: f64,
    },
    Multiply(f64),
    Unproject(Projection),
    Project(Projection),
    ToGeocentric(Ellipsoid),
    FromGeocentric(Ellipsoid),
    Helmert {
        helmert: Helmert,
        inverse: bool,
    },
    /// Positions outside −90…90 latitude become NaN; longitudes are brought into −180…180.
    CheckDegrees,
}

/// A coordinate operation (ISO 19111), ready to apply.
#[derive(Debug, Clone, PartialEq)]
pub struct Operation {
    name: String,
    accuracy_m: f64,
    steps: Vec<Step>,
    step_names: Vec<String>,
    notes: Vec<String>,
    moves_heights: bool,
}

impl Operation {
    /// The best operation from one system to another.
    ///
    /// `near` is where the data is; without it the overlap of the two areas of use decides which regional
    /// transformation is best.
    ///
    /// # Errors
    /// [`Error::MethodNotImplemented`] and [`Error::KindNotImplemented`] for systems that cannot be computed yet,
    /// [`Error::NoTransformation`] where no way between the datums is known.
    ///
    /// ```
    /// use basilocus_geodesy::{crs::Catalogue, operation::Operation};
    /// let catalogue = Catalogue::embedded();
    /// let way = Operation::between(&catalogue.get(32026)?, &catalogue.get(2269)?, None)?;
    /// assert_eq!(way.accuracy_m(), Some(12.0));
    /// assert!(way.name().contains("western states"));
    /// # Ok::<(), basilocus_geodesy::Error>(())
    /// ```
    pub fn between(source: &Crs, target: &Crs, near: Option<&Area>) -> Result<Self, Error> {
        let from_datum = datum_of(source)?;
        let to_datum = datum_of(target)?;
        let mut op = Operation {
            name: String::new(),
            accuracy_m: 0.0,
            steps: Vec::new(),
            step_names: Vec::new(),
            notes: Vec::new(),
            moves_heights: false,
        };

        // Into longitude and latitude on Greenwich, or X, Y, Z.
        op.enter(source, from_datum)?;
        let geocentric_in = matches!(source.kind, Kind::Geocentric { .. });
        let geocentric_out = matches!(target.kind, Kind::Geocentric { .. });
        op.moves_heights = geocentric_in || geocentric_out;

        let overlap =
            near.cloned().or_else(|| intersection(&source.area, &target.area)).unwrap_or_else(|| source.area.clone());
        let way = transformation::best(from_datum, to_datum, &overlap)?;
        let helmerts: Vec<_> = way.steps.iter().filter(|(h, _)| !h.is_null()).cloned().collect();
        // Frames that are taken as equal keep their longitudes and latitudes: the ellipsoids of WGS 84 and GRS 1980
        // differ by a tenth of a millimetre, and a change of that size would only look like a transformation.
        let alike = (from_datum.ellipsoid.semi_major_m - to_datum.ellipsoid.semi_major_m).abs() < 1e-3
            && (from_datum.ellipsoid.semi_minor_m() - to_datum.ellipsoid.semi_minor_m()).abs() < 1e-3;
        let shifts = !helmerts.is_empty() || !alike;
        if !geocentric_in && (shifts || geocentric_out) {
            op.push(
                Step::ToGeocentric(from_datum.ellipsoid.clone()),
                format!("geographic to geocentric on {}", from_datum.ellipsoid.name),
            );
        }
        for (helmert, inverse) in helmerts {
            let words = helmert_words(&helmert, inverse);
            op.push(Step::Helmert { helmert, inverse }, words);
        }
        if !geocentric_out && (shifts || geocentric_in) {
            op.push(
                Step::FromGeocentric(to_datum.ellipsoid.clone()),
                format!("geocentric to geographic on {}", to_datum.ellipsoid.name),
            );
        }
        op.leave(target, to_datum)?;
        op.accuracy_m = way.accuracy_m;
        op.notes = way.notes;
        op.name = match (way.name.is_empty(), source.code == target.code) {
            (_, true) => "none: source and target are the same system".into(),
            (true, _) => format!("conversion from {} to {}", source.name, target.name),
            (false, _) => way.name,
        };
        op.cancel();
        Ok(op)
    }

    fn enter(&mut self, crs: &Crs, datum: &Datum) -> Result<(), Error> {
        match &crs.kind {
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
            _ => {}
        }
        Ok(())
    }

    fn leave(&mut self, crs: &Crs, datum: &Datum) -> Result<(), Error> {
        match &crs.kind {
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

    fn push(&mut self, step: Step, words: String) {
        self.steps.push(step);
        self.step_names.push(words);
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

    /// Takes out pairs of steps that undo each other, so that a system to itself changes no bit.
    fn cancel(&mut self) {
        let undoes = |a: &Step, b: &Step| match (a, b) {
            (Step::Unproject(p), Step::Project(q)) => p == q,
            (Step::ToGeocentric(p), Step::FromGeocentric(q)) => p == q,
            (Step::FromGeocentric(p), Step::ToGeocentric(q)) => p == q,
            (
                Step::ToDegrees { degrees_per_unit: d, prime_meridian_deg: m },
                Step::FromDegrees { degrees_per_unit: e, prime_meridian_deg: n },
            ) => d == e && m == n,
            (Step::Multiply(a), Step::Multiply(b)) => a * b == 1.0 || *b == 1.0 / a,
            _ => false,
        };
        let mut i = 0;
        while i + 1 < self.steps.len() {
            if undoes(&self.steps[i], &self.steps[i + 1]) {
                self.steps.drain(i..i + 2);
                self.step_names.drain(i..i + 2);
                i = i.saturating_sub(1);
            } else {
                i += 1;
            }
        }
    }

    /// What the operation is called: the transformation's name, or that it is a conversion only.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Accuracy in metres; 0 for a conversion, which is exact by definition; `None` where nobody states one.
    pub fn accuracy_m(&self) -> Option<f64> {
        Some(self.accuracy_m).filter(|a| a.is_finite())
    }

    /// The steps in words, in order.
    pub fn steps(&self) -> Vec<&str> {
        self.step_names.iter().map(String::as_str).filter(|s| !s.is_empty()).collect()
    }

    /// What a careful user should know: assumed shifts, better ways that this version cannot take.
    pub fn notes(&self) -> &[String] {
        &self.notes
    }

    /// Whether heights are computed (a geocentric system takes part). Otherwise the `z` column is not touched:
    /// heights of a two-dimensional system have no stated surface, so none is moved.
    pub fn moves_heights(&self) -> bool {
        self.moves_heights
    }

    /// Applies the operation in place to columns of easting/longitude, northing/latitude and height, in the
    /// units of the source; results are in the units of the target.
    ///
    /// A position that cannot be computed (NaN, latitude beyond ±90, outside a projection's domain) is NaN in
    /// `x` and `y` afterwards. `z` is used and changed only where [`Operation::moves_heights`] says so.
    ///
    /// # Panics
    /// If the three slices differ in length.
    pub fn apply(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
        assert!(x.len() == y.len() && y.len() == z.len(), "columns of different length");
        let mut heights = [0.0; CHUNK];
        for ((x, y), z) in x.chunks_mut(CHUNK).zip(y.chunks_mut(CHUNK)).zip(z.chunks_mut(CHUNK)) {
            let z = if self.moves_heights {
                z
            } else {
                // The surface of the ellipsoid: transformations between two-dimensional systems ignore height.
                let surface = &mut heights[..x.len()];
                surface.fill(0.0);
                surface
            };
            for step in &self.steps {
                step.apply(x, y, z);
            }
        }
    }

    /// One position; `None` where it cannot be computed.
    pub fn apply_one(&self, x: f64, y: f64, z: f64) -> Option<(f64, f64, f64)> {
        let (mut x, mut y, mut z) = ([x], [y], [z]);
        self.apply(&mut x, &mut y, &mut z);
        (x[0].is_finite() && y[0].is_finite()).then_some((x[0], y[0], z[0]))
    }
}

impl Step {
    fn apply(&self, x: &mut [f64], y: &mut [f64], z: &mut [f64]) {
        match self {
            Step::ToDegrees { degrees_per_unit, prime_meridian_deg } => {
                for x in x.iter_mut() {
                    *x = crate::projection::wrap_deg(*x * degrees_per_unit + prime_meridian_deg);
                }
                y.iter_mut().for_each(|y| *y *= degrees_per_unit);
            }
            Step::FromDegrees { degrees_per_unit, prime_meridian_deg } => {
                for x in x.iter_mut() {
                    *x = crate::projection::wrap_deg(*x - prime_meridian_deg) / degrees_per_unit;
                }
                y.iter_mut().for_each(|y| *y /= degrees_per_unit);
            }
            Step::Multiply(factor) => x.iter_mut().chain(y.iter_mut()).for_each(|v| *v *= factor),
            Step::Unproject(p) => p.inverse_batch(x, y),
            Step::Project(p) => p.forward_batch(x, y),
            Step::ToGeocentric(e) => geocentric::from_geographic_batch(e, x, y, z),
            Step::FromGeocentric(e) => geocentric::to_geographic_batch(e, x, y, z),
            Step::Helmert { helmert, inverse: false } => helmert.forward_batch(x, y, z),
            Step::Helmert { helmert, inverse: true } => helmert.inverse_batch(x, y, z),
            Step::CheckDegrees => {
                for (x, y) in x.iter_mut().zip(y.iter_mut()) {
                    if y.abs() <= 90.0 && x.abs() <= 360.0 {
                        *x = crate::projection::wrap_deg(*x);
                    } else {
                        (*x, *y) = (f64::NAN, f64::NAN);
                    }
                }
            }
        }
    }
}

fn datum_of(crs: &Crs) -> Result<&Datum, Error> {
    crs.datum().ok_or_else(|| Error::KindNotImplemented { crs: crs.title(), kind: crs.kind_name() })
}

fn projection_words(crs: &Crs) -> String {
    match &crs.kind {
        Kind::Projected { method, .. } => format!("{} of {}", method.replace('_', " "), crs.name),
        _ => crs.name.clone(),
    }
}

fn helmert_words(h: &Helmert, inverse: bool) -> String {
    let [x, y, z] = h.translation_m;
    let mut text = if h.is_translation() {
        format!("geocentric translation {x}, {y}, {z} m")
    } else {
        let [rx, ry, rz] = h.rotation_arcsec;
        let convention = match h.convention {
            crate::datum::RotationConvention::PositionVector => "position vector",
            crate::datum::RotationConvention::CoordinateFrame => "coordinate frame",
        };
        format!("Helmert transformation ({convention}) {x}, {y}, {z} m; {rx}, {ry}, {rz}″; {} ppm", h.scale_ppm)
    };
    if inverse {
        text.push_str(", inverse");
    }
    text
}

fn intersection(a: &Area, b: &Area) -> Option<Area> {
    if a.contains_area(b) {
        return Some(b.clone());
    }
    if b.contains_area(a) || a.west_deg > a.east_deg || b.west_deg > b.east_deg {
        return Some(a.clone());
    }
    let area = Area {
        west_deg: a.west_deg.max(b.west_deg),
        south_deg: a.south_deg.max(b.south_deg),
        east_deg: a.east_deg.min(b.east_deg),
        north_deg: a.north_deg.min(b.north_deg),
        description: String::new(),
    };
    (area.west_deg < area.east_deg && area.south_deg < area.north_deg).then_some(area)
}
