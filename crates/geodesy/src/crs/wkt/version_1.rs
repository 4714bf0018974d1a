//! Well-known text, version 1 (OGC 01-009, as written into GeoPackage and `.prj` files).

use super::{names, quoted};
use crate::crs::{Crs, Datum, Kind};
use crate::error::Error;
use crate::projection::Parameter;
use std::fmt::Write;

/// The definition of a system in WKT 1.
///
/// Axis order in the text is easting/longitude first, as the coordinates of this library are.
///
/// # Errors
/// [`Error::Wkt`] for heights above the ellipsoid, which this version has no form for.
///
/// ```
/// use basilocus_geodesy::crs::{Catalogue, wkt};
/// let text = wkt::wkt1(&Catalogue::embedded().get(4326)?)?;
/// assert!(text.starts_with("GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\""));
/// # Ok::<(), basilocus_geodesy::Error>(())
/// ```
pub fn wkt1(crs: &Crs) -> Result<String, Error> {
    let id = authority(crs.code);
    Ok(match &crs.kind {
        Kind::Geographic { datum, unit } => geographic(&crs.name, datum, &unit.name, unit.degrees.to_radians(), &id),
        Kind::Projected { datum, base, method, parameters, unit } => {
            let base_text =
                geographic(&base.name, datum, &base.unit.name, base.unit.degrees.to_radians(), &authority(base.code));
            let mut text =
                format!("PROJCS[{},{base_text},PROJECTION[{}]", quoted(&crs.name), quoted(&names::wkt1_method(method)));
            for (name, value) in &parameters.0 {
                // Angles are written in the unit of the base system, as OGC 01-009 section 7.3.8 has it.
                let angle = Parameter::from_name(name).is_some_and(Parameter::is_angle);
                let value = if angle { value / base.unit.degrees } else { *value };
                let name = Parameter::from_name(name).map_or(name.as_str(), |p| names::wkt1_parameter(p, name));
                let _ = write!(text, ",PARAMETER[{},{value}]", quoted(name));
            }
            let axes = match crs.axes.as_str() {
                "east,north" => ["east", "north"],
                _ => names::axes_of_method(method),
            };
            let axis = |direction: &str| match direction {
                "west" => "AXIS[\"Westing\",WEST]",
                "south" => "AXIS[\"Southing\",SOUTH]",
                "north" => "AXIS[\"Northing\",NORTH]",
                _ => "AXIS[\"Easting\",EAST]",
            };
            let _ =
                write!(text, ",UNIT[{},{}],{},{}{id}]", quoted(&unit.name), unit.metres, axis(axes[0]), axis(axes[1]));
            text
        }
        Kind::Geocentric { datum } => format!(
            "GEOCCS[{},{},{},UNIT[\"metre\",1],AXIS[\"X\",OTHER],AXIS[\"Y\",OTHER],AXIS[\"Z\",NORTH]{id}]",
            quoted(&crs.name),
            datum_text(datum, crs.code.is_none()),
            meridian_text(datum, 1.0)
        ),
        Kind::Vertical { datum_name, unit } => {
            let (axis, direction) = if crs.axes == "down" { ("Depth", "DOWN") } else { ("Up", "UP") };
            format!(
                "VERT_CS[{},VERT_DATUM[{},2005],UNIT[{},{}],AXIS[\"{axis}\",{direction}]{id}]",
                quoted(&crs.name),
                quoted(datum_name),
                quoted(&unit.name),
                unit.metres
            )
        }
        Kind::Compound { horizontal, vertical } => {
            format!("COMPD_CS[{},{},{}{id}]", quoted(&crs.name), wkt1(horizontal)?, wkt1(vertical)?)
        }
        Kind::Engineering { unit } => format!(
            "LOCAL_CS[{0},LOCAL_DATUM[{0},32767],UNIT[{1},{2}],AXIS[\"Easting\",EAST],AXIS[\"Northing\",NORTH]]",
            quoted(&crs.name),
            quoted(unit.as_ref().map_or("metre", |u| &u.name)),
            unit.as_ref().map_or(1.0, |u| u.metres)
        ),
        Kind::ThreeDimensional { .. } => {
            return Err(Error::Wkt {
                what: crs.title(),
                problem: "WKT 1 has no form for heights above the ellipsoid; WKT 2 has".into(),
            });
        }
    })
}

fn authority(code: Option<u32>) -> String {
    code.map_or(String::new(), |code| format!(",AUTHORITY[\"EPSG\",\"{code}\"]"))
}

fn geographic(name: &str, datum: &Datum, unit: &str, radians: f64, authority: &str) -> String {
    format!(
        "GEOGCS[{},{},{},UNIT[\"{unit}\",{radians}],AXIS[\"Longitude\",EAST],AXIS[\"Latitude\",NORTH]{authority}]",
        quoted(name),
        datum_text(datum, authority.is_empty()),
        meridian_text(datum, radians.to_degrees())
    )
}

fn datum_text(datum: &Datum, own: bool) -> String {
    // A shift of the user's own is part of the definition; the registry's is not: it is one of several.
    let own = datum.shift.as_ref().filter(|_| own).map(|s| {
        let ([x, y, z], [rx, ry, rz]) = (s.helmert.translation_m, s.helmert.position_vector_arcsec());
        format!(",TOWGS84[{x},{y},{z},{rx},{ry},{rz},{}]", s.helmert.scale_ppm)
    });
    format!(
        "DATUM[{},SPHEROID[{},{},{}]{}]",
        quoted(&datum.name.replace(' ', "_")),
        quoted(&datum.ellipsoid.name),
        datum.ellipsoid.semi_major_m,
        datum.ellipsoid.inverse_flattening,
        own.unwrap_or_default()
    )
}

/// The prime meridian is written in the angular unit of the system.
fn meridian_text(datum: &Datum, unit_degrees: f64) -> String {
    format!("PRIMEM[{},{}]", quoted(&datum.prime_meridian), datum.prime_meridian_deg / unit_degrees)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::crs::Catalogue;
    use crate::crs::wkt::indented;

    #[test]
    fn projected_system_as_text() {
        let text = indented(&wkt1(&Catalogue::embedded().get(2269).unwrap()).unwrap());
        insta::assert_snapshot!(text, @r#"
        PROJCS["NAD83 / Oregon North (ft)",
          GEOGCS["NAD83",
            DATUM["North_American_Datum_1983",
              SPHEROID["GRS 1980",6378137,298.257222101]],
            PRIMEM["Greenwich",0],
            UNIT["degree",0.017453292519943295],
            AXIS["Longitude",EAST],
            AXIS["Latitude",NORTH],
            AUTHORITY["EPSG","4269"]],
          PROJECTION["Lambert_Conformal_Conic_2SP"],
          PARAMETER["latitude_of_origin",43.666666666666664],
          PARAMETER["central_meridian",-120.5],
          PARAMETER["standard_parallel_1",46],
          PARAMETER["standard_parallel_2",44.333333333333336],
          PARAMETER["false_easting",8202099.738],
          PARAMETER["false_northing",0],
          UNIT["foot",0.3048],
          AXIS["Easting",EAST],
          AXIS["Northing",NORTH],
          AUTHORITY["EPSG","2269"]]
        "#);
    }

    #[test]
    fn brackets_close_for_every_system() {
        let catalogue = Catalogue::embedded();
        for code in catalogue.codes() {
            let crs = catalogue.get(code).unwrap();
            let text = wkt1(&crs).unwrap();
            assert_eq!(text.matches('[').count(), text.matches(']').count(), "{code}");
            assert_eq!(text.matches('"').count() % 2, 0, "{code}");
        }
    }
}
