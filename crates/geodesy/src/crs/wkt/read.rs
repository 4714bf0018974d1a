//! Reads a system from well-known text of either version.

use super::tree::{self, Node, Value};
use crate::crs::{Area, Base, Crs, Datum, Kind, Shift};
use crate::datum::{Helmert, RotationConvention};
use crate::ellipsoid::Ellipsoid;
use crate::error::Error;
use crate::projection::{Parameter, Parameters};
use crate::unit::{AngularUnit, LinearUnit};

/// A system as a text defines it.
#[derive(Debug, Clone, PartialEq)]
pub struct Definition {
    /// The system; it has no code of its own, whatever the text claims.
    pub crs: Crs,
    /// EPSG code that the text claims.
    pub claimed_code: Option<u32>,
}

/// Keywords that a definition begins with.
pub(super) const KEYWORDS: &[&str] = &[
    "GEOGCS",
    "GEOGCRS",
    "GEOGRAPHICCRS",
    "PROJCS",
    "PROJCRS",
    "PROJECTEDCRS",
    "GEOCCS",
    "GEODCRS",
    "GEODETICCRS",
    "VERT_CS",
    "VERTCS",
    "VERTCRS",
    "VERTICALCRS",
    "COMPD_CS",
    "COMPOUNDCRS",
    "BOUNDCRS",
    "LOCAL_CS",
    "ENGCRS",
    "ENGINEERINGCRS",
];

const UNITS: &[&str] = &["UNIT", "ANGLEUNIT", "LENGTHUNIT", "SCALEUNIT"];
const GEOGRAPHIC: &[&str] = &["GEOGCS", "GEOGCRS", "GEOGRAPHICCRS", "BASEGEOGCRS", "BASEGEODCRS", "GEODCRS"];

/// Reads a definition.
///
/// # Errors
/// [`Error::Wkt`] with what is wrong and where.
///
/// ```
/// use basilocus_geodesy::crs::{Catalogue, wkt};
/// let oregon = Catalogue::embedded().get(2269)?;
/// let back = wkt::read(&wkt::wkt2(&oregon)?)?;
/// assert_eq!(back.claimed_code, Some(2269));
/// assert_eq!(back.crs.projection()?, oregon.projection()?);
/// # Ok::<(), basilocus_geodesy::Error>(())
/// ```
pub fn read(text: &str) -> Result<Definition, Error> {
    let wrong = |problem: String| Error::Wkt { what: "the WKT".into(), problem };
    let node = tree::parse(text).map_err(wrong)?;
    let claimed_code =
        code(if node.keyword == "BOUNDCRS" { inner(&node, "SOURCECRS").unwrap_or(&node) } else { &node });
    Ok(Definition { crs: system(&node).map_err(wrong)?, claimed_code })
}

fn inner<'a>(node: &'a Node, keyword: &str) -> Option<&'a Node> {
    node.child(&[keyword])?.values.iter().find_map(|v| match v {
        Value::Node(n) => Some(n),
        _ => None,
    })
}

fn system(node: &Node) -> Result<Crs, String> {
    if node.keyword == "BOUNDCRS" {
        return bound(node);
    }
    let name = node.name().ok_or_else(|| format!("{} has no name", node.keyword))?.trim().to_string();
    let crs = |kind: Kind, axes: String| Crs { code: None, name: name.clone(), kind, area: area(node), axes };
    match node.keyword.as_str() {
        "PROJCS" | "PROJCRS" | "PROJECTEDCRS" => projected(node, &crs),
        "GEOCCS" => Ok(crs(Kind::Geocentric { datum: datum(node, &AngularUnit::degree())? }, axes(node))),
        "GEODCRS" | "GEODETICCRS" if is_cartesian(node) => {
            Ok(crs(Kind::Geocentric { datum: datum(node, &AngularUnit::degree())? }, axes(node)))
        }
        "GEOGCS" | "GEOGCRS" | "GEOGRAPHICCRS" | "GEODCRS" | "GEODETICCRS" => {
            let unit = angular_unit(node)?;
            let flat = crs(Kind::Geographic { datum: datum(node, &unit)?, unit }, horizontal_axes(node));
            Ok(match third_axis(node)? {
                None => flat,
                Some(unit) => crs(Kind::ThreeDimensional { horizontal: Box::new(flat), unit }, axes(node)),
            })
        }
        "VERT_CS" | "VERTCS" | "VERTCRS" | "VERTICALCRS" => {
            let datum = node
                .child(&["VERT_DATUM", "VDATUM", "VRF", "VERTICALDATUM", "DATUM"])
                .and_then(Node::name)
                .unwrap_or(&name)
                .replace('_', " ");
            let unit = linear_unit(node)?.unwrap_or_else(LinearUnit::metre);
            let down = axes(node).contains("down");
            Ok(crs(Kind::Vertical { datum_name: datum, unit }, if down { "down".into() } else { "up".into() }))
        }
        "COMPD_CS" | "COMPOUNDCRS" => {
            let parts: Vec<&Node> = node
                .values
                .iter()
                .filter_map(|v| match v {
                    Value::Node(n) if KEYWORDS.contains(&n.keyword.as_str()) => Some(n),
                    _ => None,
                })
                .collect();
            match parts.as_slice() {
                [h, v] => {
                    let (h, v) = (with_own_code(h)?, with_own_code(v)?);
                    if h.datum().is_none() || !matches!(v.kind, Kind::Vertical { .. }) {
                        return Err("a compound system is a horizontal and a vertical one, in this order".into());
                    }
                    Ok(crs(Kind::Compound { horizontal: Box::new(h), vertical: Box::new(v) }, String::new()))
                }
                _ => Err(format!("a compound system has two parts; this one has {}", parts.len())),
            }
        }
        "LOCAL_CS" | "ENGCRS" | "ENGINEERINGCRS" => Ok(crs(Kind::Engineering { unit: linear_unit(node)? }, axes(node))),
        other => Err(format!(
            "it begins with {other}; a geographic, projected, geocentric, vertical or compound system is expected"
        )),
    }
}

/// A part of a compound system keeps the code that it claims: vertical systems are known by nothing else.
fn with_own_code(node: &Node) -> Result<Crs, String> {
    let mut crs = system(node)?;
    if matches!(crs.kind, Kind::Vertical { .. }) {
        crs.code = code(node).filter(|c| crate::crs::Catalogue::embedded().get(*c).is_ok());
    }
    Ok(crs)
}

fn projected(node: &Node, crs: &dyn Fn(Kind, String) -> Crs) -> Result<Crs, String> {
    let base_node = node.child(GEOGRAPHIC).ok_or("the geographic system under the projection is missing")?;
    let base_unit = angular_unit(base_node)?;
    let datum = datum(base_node, &base_unit)?;
    let unit = linear_unit(node)?.unwrap_or_else(LinearUnit::metre);
    let second = node.child(&["CONVERSION"]);
    let at = second.unwrap_or(node);
    let method = at
        .child(&["PROJECTION", "METHOD"])
        .and_then(Node::name)
        .ok_or("the projection method is missing (PROJECTION or METHOD)")?
        .to_string();
    let mut parameters = Vec::new();
    for p in at.children(&["PARAMETER"]) {
        let name = p.name().ok_or_else(|| format!("a PARAMETER without a name (at character {})", p.at))?;
        let value =
            p.number(1).ok_or_else(|| format!("the parameter \"{name}\" has no number (at character {})", p.at))?;
        let known = Parameter::from_name(name);
        let is_length = known.is_some_and(Parameter::is_length);
        let is_number = known.is_some_and(Parameter::is_number);
        let own_unit = p.child(UNITS).and_then(|u| u.number(1));
        let value = match (own_unit, second.is_some()) {
            _ if is_number => value,
            (Some(factor), _) if is_length => value * factor / unit.metres,
            (Some(factor), _) => snapped(value * exact_degrees(factor)),
            (None, false) if !is_length => snapped(value * base_unit.degrees),
            (None, _) if is_length => value,
            (None, _) => snapped(value),
        };
        parameters.push((name.to_string(), value));
    }
    // Some writers leave the co-latitude of Krovak's cone axis to the azimuth of the plane; nothing else is implied.
    let base = Base { code: None, name: base_node.name().unwrap_or("").to_string(), unit: base_unit };
    let kind = Kind::Projected { datum, base, method, parameters: Parameters(parameters), unit };
    let flat = crs(kind, horizontal_axes(node));
    Ok(match third_axis(node)? {
        None => flat,
        Some(unit) => crs(Kind::ThreeDimensional { horizontal: Box::new(flat), unit }, axes(node)),
    })
}

/// A system with a transformation to WGS 84 of its own.
fn bound(node: &Node) -> Result<Crs, String> {
    let source = inner(node, "SOURCECRS").ok_or("BOUNDCRS has no SOURCECRS")?;
    let mut crs = system(source)?;
    let target = inner(node, "TARGETCRS").ok_or("BOUNDCRS has no TARGETCRS")?;
    let target_datum = system(target)?.datum().map(|d| d.name.clone()).unwrap_or_default();
    if !is_wgs84(&target_datum) {
        return Err(format!("BOUNDCRS leads to {target_datum}; only shifts to WGS 84 are read"));
    }
    let t = node.child(&["ABRIDGEDTRANSFORMATION"]).ok_or("BOUNDCRS has no ABRIDGEDTRANSFORMATION")?;
    let method = t.child(&["METHOD"]).and_then(Node::name).unwrap_or("");
    let plain = crate::projection::plain(method);
    let convention = if plain.contains("coordinateframe") {
        RotationConvention::CoordinateFrame
    } else if plain.contains("positionvector") || plain.contains("geocentrictranslation") {
        RotationConvention::PositionVector
    } else {
        return Err(format!("the method \"{method}\" of BOUNDCRS is not read; three or seven parameters are"));
    };
    let value = |name: &str, standard: f64| {
        t.children(&["PARAMETER"])
            .find(|p| p.name().is_some_and(|n| crate::projection::plain(n) == name))
            .map_or(Some(0.0), |p| {
                let factor = p.child(UNITS).and_then(|u| u.number(1)).map_or(1.0, |f| f / standard);
                // The factor is printed with fewer digits than it has.
                let factor = if (factor - 1.0).abs() < 1e-9 { 1.0 } else { factor };
                p.number(1).map(|v| v * factor)
            })
            .ok_or_else(|| format!("the parameter {name} of BOUNDCRS has no number"))
    };
    let second = (1.0f64 / 3600.0).to_radians();
    let helmert = Helmert {
        translation_m: [
            value("xaxistranslation", 1.0)?,
            value("yaxistranslation", 1.0)?,
            value("zaxistranslation", 1.0)?,
        ],
        rotation_arcsec: [
            value("xaxisrotation", second)?,
            value("yaxisrotation", second)?,
            value("zaxisrotation", second)?,
        ],
        scale_ppm: value("scaledifference", 1e-6)?,
        convention,
    };
    set_shift(&mut crs, Shift { helmert, accuracy_m: None });
    Ok(crs)
}

fn set_shift(crs: &mut Crs, shift: Shift) {
    match &mut crs.kind {
        Kind::Geographic { datum, .. } | Kind::Projected { datum, .. } | Kind::Geocentric { datum } => {
            datum.shift = Some(shift);
        }
        Kind::ThreeDimensional { horizontal, .. } | Kind::Compound { horizontal, .. } => set_shift(horizontal, shift),
        _ => {}
    }
}

fn is_wgs84(datum: &str) -> bool {
    let plain = crate::projection::plain(datum);
    plain.contains("wgs84") || plain.contains("wgs1984") || plain.contains("worldgeodeticsystem1984")
}

fn datum(node: &Node, unit: &AngularUnit) -> Result<Datum, String> {
    let d = node
        .child(&["DATUM", "GEODETICDATUM", "TRF", "ENSEMBLE"])
        .ok_or_else(|| format!("the datum of {} is missing", node.name().unwrap_or(&node.keyword)))?;
    let e = d.child(&["SPHEROID", "ELLIPSOID"]).ok_or("the ellipsoid (SPHEROID or ELLIPSOID) is missing")?;
    let semi_major = e.number(1).ok_or("the ellipsoid has no semi-major axis")?;
    let inverse_flattening = e.number(2).ok_or("the ellipsoid has no inverse flattening")?;
    let semi_major_m = semi_major * e.child(UNITS).and_then(|u| u.number(1)).unwrap_or(1.0);
    if !(1e5..1e8).contains(&semi_major_m) {
        return Err(format!("the semi-major axis of the ellipsoid is {semi_major_m} m; the Earth's is about 6378137"));
    }
    if inverse_flattening != 0.0 && !(50.0..1e5).contains(&inverse_flattening) {
        return Err(format!(
            "the inverse flattening is {inverse_flattening}; about 298, or 0 for a sphere, is expected"
        ));
    }
    let (prime_meridian, prime_meridian_deg) = match node.child(&["PRIMEM", "PRIMEMERIDIAN"]) {
        None => ("Greenwich".to_string(), 0.0),
        Some(p) => {
            let value = p.number(1).ok_or("the prime meridian has no longitude")?;
            let own = p.child(UNITS).and_then(|u| u.number(1)).map(exact_degrees);
            (p.name().unwrap_or("").to_string(), snapped(value * own.unwrap_or(unit.degrees)))
        }
    };
    let shift = d.child(&["TOWGS84"]).map(|t| {
        let v = |i: usize| t.number(i).unwrap_or(0.0);
        Shift {
            helmert: Helmert {
                translation_m: [v(0), v(1), v(2)],
                rotation_arcsec: [v(3), v(4), v(5)],
                scale_ppm: v(6),
                convention: RotationConvention::PositionVector,
            },
            accuracy_m: None,
        }
    });
    Ok(Datum {
        name: d.name().unwrap_or("").replace('_', " "),
        ellipsoid: Ellipsoid::new(e.name().unwrap_or(""), semi_major_m, inverse_flattening),
        prime_meridian,
        prime_meridian_deg,
        shift,
    })
}

/// Degrees in an angle of so many radians; the usual units are printed with fewer digits than they have.
fn exact_degrees(radians: f64) -> f64 {
    let degrees = radians.to_degrees();
    [1.0, 0.9, 1.0 / 60.0, 1.0 / 3600.0, 1f64.to_degrees()]
        .into_iter()
        .find(|exact| (degrees / exact - 1.0).abs() < 1e-9)
        .unwrap_or(degrees)
}

/// An angle that is a third or a sixtieth of a degree, printed with 13 to 15 digits, is that fraction.
fn snapped(degrees: f64) -> f64 {
    let fine = (degrees * 3600.0 * 1e6).round() / (3600.0 * 1e6);
    if (fine - degrees).abs() < 1e-12 { fine } else { degrees }
}

fn unit_node(node: &Node) -> Option<&Node> {
    node.child(UNITS).or_else(|| node.child(&["AXIS"]).and_then(|a| a.child(UNITS)))
}

fn angular_unit(node: &Node) -> Result<AngularUnit, String> {
    let Some(u) = unit_node(node) else {
        return Ok(AngularUnit::degree());
    };
    let radians = u.number(1).ok_or_else(|| format!("a unit without a size (at character {})", u.at))?;
    let degrees = exact_degrees(radians);
    if !(degrees > 1e-6 && degrees < 400.0) {
        return Err(format!("the unit of angle is {radians} radians; a degree is 0.0174532925199433"));
    }
    let name = u.name().unwrap_or("degree");
    Ok(AngularUnit { name: if degrees == 1.0 { "degree".into() } else { name.to_lowercase() }, degrees })
}

fn linear_unit(node: &Node) -> Result<Option<LinearUnit>, String> {
    let Some(u) = unit_node(node) else {
        return Ok(None);
    };
    let metres = u.number(1).ok_or_else(|| format!("a unit without a size (at character {})", u.at))?;
    if !(metres > 1e-6 && metres < 1e6) {
        return Err(format!("the unit of length is {metres} m"));
    }
    Ok(Some(crate::unit::length_of(u.name().unwrap_or("unit"), metres)))
}

fn is_cartesian(node: &Node) -> bool {
    let said = node.child(&["CS"]).and_then(|cs| match cs.values.first() {
        Some(Value::Word(w)) => Some(w.eq_ignore_ascii_case("cartesian")),
        _ => None,
    });
    said.unwrap_or(false)
}

/// Unit of the third axis, where there is one.
fn third_axis(node: &Node) -> Result<Option<LinearUnit>, String> {
    let Some(axis) = node.children(&["AXIS"]).nth(2) else {
        return Ok(None);
    };
    match axis.child(UNITS) {
        None => Ok(Some(LinearUnit::metre())),
        Some(u) => {
            let metres = u.number(1).ok_or_else(|| format!("a unit without a size (at character {})", u.at))?;
            Ok(Some(crate::unit::length_of(u.name().unwrap_or("unit"), metres)))
        }
    }
}

fn directions(node: &Node) -> Vec<String> {
    node.children(&["AXIS"])
        .filter_map(|a| match a.values.get(1) {
            Some(Value::Word(w)) => Some(w.to_ascii_lowercase()),
            Some(Value::Text(t)) => Some(t.to_ascii_lowercase()),
            _ => None,
        })
        .collect()
}

fn axes(node: &Node) -> String {
    directions(node).join(",")
}

fn horizontal_axes(node: &Node) -> String {
    directions(node).into_iter().take(2).collect::<Vec<_>>().join(",")
}

/// The limits of a BBOX, wherever it stands; the Earth where there is none.
fn area(node: &Node) -> Area {
    let whole =
        Area { west_deg: -180.0, south_deg: -90.0, east_deg: 180.0, north_deg: 90.0, description: String::new() };
    let usage = node.child(&["USAGE"]).unwrap_or(node);
    let description = usage.child(&["AREA"]).and_then(Node::name).unwrap_or("").to_string();
    match usage.child(&["BBOX"]) {
        Some(b) => match (b.number(0), b.number(1), b.number(2), b.number(3)) {
            (Some(south_deg), Some(west_deg), Some(north_deg), Some(east_deg)) => {
                Area { west_deg, south_deg, east_deg, north_deg, description }
            }
            _ => Area { description, ..whole },
        },
        None => Area { description, ..whole },
    }
}

fn code(node: &Node) -> Option<u32> {
    node.children(&["AUTHORITY", "ID"])
        .find(|n| n.name().is_some_and(|a| a.eq_ignore_ascii_case("EPSG")))
        .and_then(|n| n.number(1))
        .filter(|v| *v > 0.0 && *v < 1e6 && v.fract() == 0.0)
        .map(|v| v as u32)
}
