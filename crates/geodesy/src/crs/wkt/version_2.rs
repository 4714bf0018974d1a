//! Well-known text, version 2 (ISO 19162:2019).

use super::{names, quoted};
use crate::crs::{Crs, Datum, Kind};
use crate::error::Error;
use crate::projection::Parameter;
use crate::unit::{AngularUnit, LinearUnit};
use std::fmt::Write;

/// The definition of a system in WKT 2.
///
/// Axes are written in the order of the registry where it is known, easting or longitude first elsewhere; the
/// coordinates of this library are easting or longitude first whatever the text says.
///
/// # Errors
/// None today; a `Result` because kinds may come that the standard has no form for.
///
/// ```
/// use basilocus_geodesy::crs::{Catalogue, wkt};
/// let text = wkt::wkt2(&Catalogue::embedded().get(2269)?)?;
/// assert!(text.contains("METHOD[\"Lambert Conic Conformal (2SP)\"]"));
/// # Ok::<(), basilocus_geodesy::Error>(())
/// ```
pub fn wkt2(crs: &Crs) -> Result<String, Error> {
    Ok(match (&crs.kind, own_shift(crs)) {
        (Kind::Geographic { datum, .. } | Kind::Projected { datum, .. }, Some(shift)) => {
            // A shift of the user's own is written with the system that it is for.
            let parameter = |name: &str, value: f64, unit: &str| format!(",PARAMETER[{},{value},{unit}]", quoted(name));
            let ([x, y, z], [rx, ry, rz]) = (shift.translation_m, shift.position_vector_arcsec());
            let metre = "LENGTHUNIT[\"metre\",1]";
            let second = "ANGLEUNIT[\"arc-second\",4.84813681109536E-06]";
            let mut parameters = String::new();
            for (name, value) in [("X-axis translation", x), ("Y-axis translation", y), ("Z-axis translation", z)] {
                parameters.push_str(&parameter(name, value, metre));
            }
            for (name, value) in [("X-axis rotation", rx), ("Y-axis rotation", ry), ("Z-axis rotation", rz)] {
                parameters.push_str(&parameter(name, value, second));
            }
            parameters.push_str(&parameter(
                "Scale difference",
                shift.scale_ppm,
                "SCALEUNIT[\"parts per million\",1E-06]",
            ));
            let wgs84 = crate::crs::Catalogue::embedded().get(4326)?;
            format!(
                "BOUNDCRS[SOURCECRS[{}],TARGETCRS[{}],ABRIDGEDTRANSFORMATION[{},METHOD[\"Position Vector transformation (geog2D domain)\"]{parameters}]]",
                plain_wkt2(crs),
                plain_wkt2(&wgs84),
                quoted(&format!("{} to WGS 84", datum.name)),
            )
        }
        _ => plain_wkt2(crs),
    })
}

fn own_shift(crs: &Crs) -> Option<&crate::datum::Helmert> {
    let base = match &crs.kind {
        Kind::Projected { base, .. } => base.code,
        _ => crs.code,
    };
    crs.datum().filter(|_| base.is_none()).and_then(|d| d.shift.as_ref()).map(|s| &s.helmert)
}

fn plain_wkt2(crs: &Crs) -> String {
    let name = quoted(&crs.name);
    let id = id(crs.code);
    match &crs.kind {
        Kind::Geographic { datum, unit } => {
            format!("GEOGCRS[{name},{},{}{id}]", datum_text(datum, unit), ellipsoidal(crs, unit, None))
        }
        Kind::Projected { datum, base, method, parameters, unit } => {
            let mut text = format!(
                "PROJCRS[{name},BASEGEOGCRS[{},{}{}],CONVERSION[{name},METHOD[{}]",
                quoted(&base.name),
                datum_text(datum, &base.unit),
                super::version_2::id(base.code),
                quoted(&names::wkt2_method(method, parameters))
            );
            for (name, value) in &parameters.0 {
                let Some(p) = Parameter::from_name(name) else {
                    continue;
                };
                let unit = if p.is_length() {
                    length_unit(unit)
                } else if p.is_number() {
                    "SCALEUNIT[\"unity\",1]".into()
                } else {
                    angle_unit(&AngularUnit::degree())
                };
                let _ =
                    write!(text, ",PARAMETER[{},{value},{unit}]", quoted(names::wkt2_parameter(method, parameters, p)));
            }
            text + &format!("],{}{id}]", cartesian(crs, unit))
        }
        Kind::Geocentric { datum } => format!(
            "GEODCRS[{name},{},CS[Cartesian,3],AXIS[\"(X)\",geocentricX,ORDER[1]],AXIS[\"(Y)\",geocentricY,ORDER[2]],AXIS[\"(Z)\",geocentricZ,ORDER[3]],LENGTHUNIT[\"metre\",1]{id}]",
            datum_text(datum, &AngularUnit::degree())
        ),
        Kind::Vertical { datum_name, unit } => {
            let axis = if crs.axes == "down" { "\"depth (D)\",down" } else { "\"gravity-related height (H)\",up" };
            format!(
                "VERTCRS[{name},VDATUM[{}],CS[vertical,1],AXIS[{axis}],{}{id}]",
                quoted(datum_name),
                length_unit(unit)
            )
        }
        Kind::Compound { horizontal, vertical } => {
            format!("COMPOUNDCRS[{name},{},{}{id}]", plain_wkt2(horizontal), plain_wkt2(vertical))
        }
        Kind::ThreeDimensional { horizontal, unit: height } => match &horizontal.kind {
            Kind::Geographic { datum, unit } => {
                format!("GEOGCRS[{name},{},{}{id}]", datum_text(datum, unit), ellipsoidal(crs, unit, Some(height)))
            }
            // A projected system with a third axis: ISO 19162:2019, section 9.
            _ => {
                let text = plain_wkt2(horizontal);
                let three = text.replacen(&quoted(&horizontal.name), &name, 1).replacen(
                    "CS[Cartesian,2]",
                    "CS[Cartesian,3]",
                    1,
                );
                let at = three.rfind(",ID[").unwrap_or(three.len() - 1);
                let (head, _) = three.split_at(at);
                format!("{head},AXIS[\"ellipsoidal height (h)\",up,ORDER[3],{}]]", length_unit(height))
            }
        },
        Kind::Engineering { unit } => {
            let unit = unit.clone().unwrap_or_else(LinearUnit::metre);
            format!("ENGCRS[{name},EDATUM[{name}],{}]", cartesian(crs, &unit))
        }
    }
}

fn id(code: Option<u32>) -> String {
    code.map_or(String::new(), |code| format!(",ID[\"EPSG\",{code}]"))
}

fn angle_unit(unit: &AngularUnit) -> String {
    format!("ANGLEUNIT[{},{}]", quoted(&unit.name), unit.degrees.to_radians())
}

fn length_unit(unit: &LinearUnit) -> String {
    format!("LENGTHUNIT[{},{}]", quoted(&unit.name), unit.metres)
}

fn datum_text(datum: &Datum, unit: &AngularUnit) -> String {
    format!(
        "DATUM[{},ELLIPSOID[{},{},{},LENGTHUNIT[\"metre\",1]]],PRIMEM[{},{},{}]",
        quoted(&datum.name),
        quoted(&datum.ellipsoid.name),
        datum.ellipsoid.semi_major_m,
        datum.ellipsoid.inverse_flattening,
        quoted(&datum.prime_meridian),
        datum.prime_meridian_deg / unit.degrees,
        angle_unit(unit)
    )
}

fn axes(crs: &Crs) -> Vec<String> {
    let known: Vec<String> = crs.axes.split(',').map(str::trim).filter(|a| !a.is_empty()).map(String::from).collect();
    match &crs.kind {
        _ if known.len() == 2 => known,
        Kind::Projected { method, .. } => names::axes_of_method(method).map(String::from).to_vec(),
        _ => vec!["east".into(), "north".into()],
    }
}

fn ellipsoidal(crs: &Crs, unit: &AngularUnit, height: Option<&LinearUnit>) -> String {
    let mut out = format!("CS[ellipsoidal,{}]", if height.is_some() { 3 } else { 2 });
    for (i, direction) in axes(crs.horizontal()).iter().enumerate() {
        let name = if matches!(direction.as_str(), "north" | "south") {
            "geodetic latitude (Lat)"
        } else {
            "geodetic longitude (Lon)"
        };
        let _ = write!(out, ",AXIS[\"{name}\",{direction},ORDER[{}],{}]", i + 1, angle_unit(unit));
    }
    if let Some(height) = height {
        let _ = write!(out, ",AXIS[\"ellipsoidal height (h)\",up,ORDER[3],{}]", length_unit(height));
    }
    out
}

fn cartesian(crs: &Crs, unit: &LinearUnit) -> String {
    let mut out = "CS[Cartesian,2]".to_string();
    let axes = axes(crs);
    // Systems over a pole have both axes towards the same direction: the first one is the easting there.
    let polar = axes[0] == axes[1];
    for (i, direction) in axes.iter().enumerate() {
        let name = match direction.as_str() {
            _ if polar => ["easting (E)", "northing (N)"][i],
            "north" => "northing (N)",
            "south" => "southing (X)",
            "west" => "westing (Y)",
            _ => "easting (E)",
        };
        let _ = write!(out, ",AXIS[\"{name}\",{direction},ORDER[{}],{}]", i + 1, length_unit(unit));
    }
    out
}
