//! Well-known text, version 1 (OGC 01-009, as written into GeoPackage and `.prj` files).

use super::{Crs, Datum, Kind};
use crate::Error;
use std::fmt::Write;

/// The definition of a system in WKT 1.
///
/// Axis order in the text is easting/longitude first, as the coordinates of this library are.
///
/// # Errors
/// [`Error::KindNotImplemented`] for compound systems.
///
/// ```
/// use basilocus_geodesy::crs::{Catalogue, wkt};
/// let text = wkt::wkt1(&Catalogue::embedded().get(4326)?)?;
/// assert!(text.starts_with("GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\""));
/// # Ok::<(), basilocus_geodesy::Error>(())
/// ```
pub fn wkt1(crs: &Crs) -> Result<String, Error> {
    let authority = format!(",AUTHORITY[\"EPSG\",\"{}\"]", crs.code);
    Ok(match &crs.kind {
        Kind::Geographic { datum, unit } => {
            geographic(&crs.name, datum, &unit.name, unit.degrees.to_radians(), &authority)
        }
        Kind::Projected { datum, base_code, method, parameters, unit } => {
            let base = super::Catalogue::embedded().get(*base_code)?;
            let Kind::Geographic { unit: base_unit, .. } = &base.kind else {
                return Err(Error::Parameter {
                    crs: crs.title(),
                    parameter: "base".into(),
                    problem: "is not geographic".into(),
                });
            };
            let base_text = geographic(
                &base.name,
                datum,
                &base_unit.name,
                base_unit.degrees.to_radians(),
                &format!(",AUTHORITY[\"EPSG\",\"{base_code}\"]"),
            );
            let mut text = format!("PROJCS[\"{}\",{base_text},PROJECTION[\"{method}\"]", crs.name);
            for (name, value) in &parameters.0 {
                // Angles are written in the unit of the base system, as OGC 01-009 section 7.3.8 has it.
                let angle = ["latitude", "longitude", "meridian", "parallel", "azimuth", "angle"]
                    .iter()
                    .any(|w| name.to_lowercase().contains(w));
                let value = if angle { value / base_unit.degrees } else { *value };
                let _ = write!(text, ",PARAMETER[\"{name}\",{value}]");
            }
            let _ = write!(
                text,
                ",UNIT[\"{}\",{}],AXIS[\"Easting\",EAST],AXIS[\"Northing\",NORTH]{authority}]",
                unit.name, unit.metres
            );
            text
        }
        Kind::Geocentric { datum } => format!(
            "GEOCCS[\"{}\",{},{},UNIT[\"metre\",1],AXIS[\"X\",OTHER],AXIS[\"Y\",OTHER],AXIS[\"Z\",NORTH]{authority}]",
            crs.name,
            datum_text(datum),
            meridian_text(datum, 1.0)
        ),
        Kind::Vertical { datum_name, unit } => format!(
            "VERT_CS[\"{}\",VERT_DATUM[\"{datum_name}\",2005],UNIT[\"{}\",{}],AXIS[\"Up\",UP]{authority}]",
            crs.name, unit.name, unit.metres
        ),
        Kind::Compound { .. } => {
            return Err(Error::KindNotImplemented { crs: crs.title(), kind: "compound" });
        }
    })
}

fn geographic(name: &str, datum: &Datum, unit: &str, radians: f64, authority: &str) -> String {
    format!(
        "GEOGCS[\"{name}\",{},{},UNIT[\"{unit}\",{radians}],AXIS[\"Longitude\",EAST],AXIS[\"Latitude\",NORTH]{authority}]",
        datum_text(datum),
        meridian_text(datum, radians.to_degrees())
    )
}

fn datum_text(datum: &Datum) -> String {
    format!(
        "DATUM[\"{}\",SPHEROID[\"{}\",{},{}]]",
        datum.name.replace(' ', "_"),
        datum.ellipsoid.name,
        datum.ellipsoid.semi_major_m,
        datum.ellipsoid.inverse_flattening
    )
}

/// The prime meridian is written in the angular unit of the system.
fn meridian_text(datum: &Datum, unit_degrees: f64) -> String {
    format!("PRIMEM[\"{}\",{}]", datum.prime_meridian, datum.prime_meridian_deg / unit_degrees)
}

/// Breaks a WKT text into indented lines for reading.
pub fn indented(wkt: &str) -> String {
    let (mut out, mut depth, mut quoted) = (String::new(), 0usize, false);
    let mut rest = wkt.chars().peekable();
    while let Some(c) = rest.next() {
        match c {
            '"' => quoted = !quoted,
            '[' if !quoted => depth += 1,
            ']' if !quoted => depth = depth.saturating_sub(1),
            _ => {}
        }
        out.push(c);
        let keyword_follows = c == ',' && !quoted && rest.peek().is_some_and(|n| n.is_ascii_uppercase()) && {
            let mut ahead = rest.clone();
            ahead.find(|n| !n.is_ascii_uppercase() && *n != '_') == Some('[')
        };
        if keyword_follows {
            let _ = write!(out, "\n{:width$}", "", width = depth * 2);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::crs::Catalogue;

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
            if let Ok(text) = wkt1(&crs) {
                assert_eq!(text.matches('[').count(), text.matches(']').count(), "{code}");
                assert_eq!(text.matches('"').count() % 2, 0, "{code}");
            } else {
                assert_eq!(crs.kind_name(), "compound");
            }
        }
    }
}
