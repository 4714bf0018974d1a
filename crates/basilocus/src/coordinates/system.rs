//! Reference systems as people give them: a code, a name, a file of well-known text or of our own short form.
//!
//! The short form is TOML; angles are degrees, lengths are in `unit`:
//!
//! ```toml
//! basilocus_crs = 1
//! name = "Tern Estuary grid"
//! base = "EPSG:4267"
//! method = "Transverse Mercator"
//! unit = "US survey foot"
//!
//! [parameters]
//! "Latitude of natural origin" = 46
//! "Longitude of natural origin" = -123.8
//! "Scale factor at natural origin" = 0.99995
//! "False easting" = 50000
//! "False northing" = 0
//! ```

use crate::Error;
use basilocus_geodesy::crs::{Area, Base, Catalogue, Crs, Datum, Kind, Shift, recognise, wkt};
use basilocus_geodesy::datum::{Helmert, RotationConvention};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::projection::{Parameter, Parameters};
use basilocus_geodesy::unit::{AngularUnit, LinearUnit};
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// The version of the short form that is written.
pub const VERSION: u32 = 1;

/// A system with where it came from.
#[derive(Debug, Clone, PartialEq)]
pub struct System {
    /// The system.
    pub crs: Crs,
    /// How a text or file was recognised, line by line; empty for a code or name of the catalogue.
    pub evidence: Vec<String>,
    /// Systems of the catalogue with the same numbers.
    pub others: Vec<Crs>,
}

/// Finds the system that somebody means: a code or name of the catalogue, also in other words where one system fits
/// ([`Catalogue::meant`]), `local` for a grid that only a fitted
/// transformation ties to the Earth, a file (`.prj`, `.wkt`, `.toml`), or well-known text itself.
///
/// # Errors
/// [`Error::Geodesy`] with what is near in the catalogue; [`Error::SystemFile`] for a file that cannot be read.
pub fn find(text: &str) -> Result<System, Error> {
    let plain = |crs: Crs| System { crs, evidence: Vec::new(), others: Vec::new() };
    if wkt::looks_like(text) {
        return Ok(recognised(text)?);
    }
    if text.trim().eq_ignore_ascii_case("local") {
        return Ok(plain(Crs::local("local grid", None)));
    }
    match Catalogue::embedded().find_one(text) {
        Ok(crs) => Ok(plain(crs)),
        Err(e) => {
            if has_file_ending(text) || Path::new(text).is_file() {
                return read_file(Path::new(text));
            }
            let meant = Catalogue::embedded().meant(text).ok_or(e)?;
            Ok(System { crs: meant.crs, evidence: vec![meant.evidence], others: Vec::new() })
        }
    }
}

/// Whether a text ends as a file of a definition or transformation does; well-known text itself does not.
pub(crate) fn has_file_ending(text: &str) -> bool {
    let ending = Path::new(text).extension().map(|e| e.to_string_lossy().to_lowercase());
    matches!(ending.as_deref(), Some("prj" | "wkt" | "toml")) && !text.contains('[')
}

/// A text that [`find`] reads as the same system: its code, or its definition.
pub fn text_of(crs: &Crs) -> Result<String, Error> {
    let identifier = crs.identifier();
    if Catalogue::embedded().find_one(&identifier).is_ok() { Ok(identifier) } else { Ok(wkt::wkt2(crs)?) }
}

/// Reads a file of well-known text or of the short form.
///
/// # Errors
/// [`Error::SystemFile`].
pub fn read_file(path: &Path) -> Result<System, Error> {
    let bad = |problem: String| Error::SystemFile { path: path.to_path_buf(), problem };
    if !path.exists() {
        return Err(bad("there is no such file; check its name, or say a code or name of the catalogue".into()));
    }
    let length = std::fs::metadata(path).map_err(|e| bad(e.to_string()))?.len();
    if length > 1_000_000 {
        return Err(bad(format!("it has {length} bytes; a definition has a few thousand")));
    }
    let bytes = std::fs::read(path).map_err(|e| bad(e.to_string()))?;
    let text = String::from_utf8_lossy(&bytes);
    if wkt::looks_like(text.trim_start_matches('\u{feff}')) {
        return recognised(&text).map_err(|e| match e {
            basilocus_geodesy::Error::Wkt { problem, .. } => bad(problem),
            other => bad(other.to_string()),
        });
    }
    if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("toml")) {
        let form: Form = toml::from_str(&text).map_err(|e| bad(e.to_string().trim_end().to_string()))?;
        let crs = form.crs().map_err(bad)?;
        crs.projection()?;
        return Ok(System { crs, evidence: vec!["defined by the file".into()], others: Vec::new() });
    }
    Err(bad("it is neither well-known text nor a basilocus_crs file".into()))
}

fn recognised(text: &str) -> Result<System, basilocus_geodesy::Error> {
    let found = recognise(&wkt::read(text)?);
    Ok(System { crs: found.crs, evidence: found.evidence, others: found.others })
}

/// The short form.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Form {
    basilocus_crs: u32,
    name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    base: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    method: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    unit: Option<UnitForm>,
    #[serde(default, skip_serializing_if = "std::collections::BTreeMap::is_empty")]
    parameters: std::collections::BTreeMap<String, f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    datum: Option<DatumForm>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    area: Option<[f64; 4]>,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(untagged)]
enum UnitForm {
    Name(String),
    Metres(f64),
}

#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct DatumForm {
    name: String,
    ellipsoid: String,
    semi_major_m: f64,
    inverse_flattening: f64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    prime_meridian: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    prime_meridian_deg: Option<f64>,
    /// Metres, arc-seconds (position vector) and ppm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    to_wgs84: Option<[f64; 7]>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    accuracy_m: Option<f64>,
}

impl UnitForm {
    fn unit(&self) -> Result<LinearUnit, String> {
        match self {
            UnitForm::Metres(m) if *m > 1e-6 && *m < 1e6 => Ok(basilocus_geodesy::unit::length_of("unit", *m)),
            UnitForm::Metres(m) => Err(format!("unit = {m}: the number of metres in it is expected")),
            UnitForm::Name(name) => basilocus_geodesy::unit::find_length(name).ok_or_else(|| {
                format!(
                    "unit = \"{name}\" is not known; a name such as metre, foot, US survey foot or the number of metres is expected"
                )
            }),
        }
    }
}

impl Form {
    fn crs(&self) -> Result<Crs, String> {
        if self.basilocus_crs != VERSION {
            return Err(format!("basilocus_crs = {} is not the version that is read ({VERSION})", self.basilocus_crs));
        }
        let (datum, base) = match (&self.base, &self.datum) {
            (Some(text), None) => {
                let crs = Catalogue::embedded().find_one(text).map_err(|e| format!("base: {e}"))?;
                match &crs.kind {
                    Kind::Geographic { datum, unit } => {
                        (datum.clone(), Base { code: crs.code, name: crs.name.clone(), unit: unit.clone() })
                    }
                    _ => {
                        return Err(format!(
                            "base = \"{text}\" is a {} system; a geographic one is expected",
                            crs.kind_name()
                        ));
                    }
                }
            }
            (None, Some(d)) => {
                if !(1e5..1e8).contains(&d.semi_major_m) {
                    return Err(format!("semi_major_m = {}: metres are expected, about 6378137", d.semi_major_m));
                }
                let shift = d.to_wgs84.map(|[x, y, z, rx, ry, rz, scale_ppm]| Shift {
                    helmert: Helmert {
                        translation_m: [x, y, z],
                        rotation_arcsec: [rx, ry, rz],
                        scale_ppm,
                        convention: RotationConvention::PositionVector,
                    },
                    accuracy_m: d.accuracy_m,
                });
                let datum = Datum {
                    name: d.name.clone(),
                    ellipsoid: Ellipsoid::new(d.ellipsoid.clone(), d.semi_major_m, d.inverse_flattening),
                    prime_meridian: d.prime_meridian.clone().unwrap_or_else(|| "Greenwich".into()),
                    prime_meridian_deg: d.prime_meridian_deg.unwrap_or(0.0),
                    shift,
                };
                (datum, Base { code: None, name: d.name.clone(), unit: AngularUnit::degree() })
            }
            _ => return Err("one of base and [datum] says what the system stands on".into()),
        };
        let area = match self.area {
            Some([west_deg, south_deg, east_deg, north_deg]) => {
                Area { west_deg, south_deg, east_deg, north_deg, description: "as the file says".into() }
            }
            None => Area {
                west_deg: -180.0,
                south_deg: -90.0,
                east_deg: 180.0,
                north_deg: 90.0,
                description: "not said".into(),
            },
        };
        let kind = match &self.method {
            None if !self.parameters.is_empty() || self.unit.is_some() => {
                return Err("method is missing: parameters and unit belong to a projection".into());
            }
            None => Kind::Geographic { datum, unit: base.unit },
            Some(method) => {
                for name in self.parameters.keys() {
                    if Parameter::from_name(name).is_none() {
                        return Err(format!(
                            "\"{name}\" is not a parameter that is known; the names of the registry or of WKT are expected, such as \"Latitude of natural origin\" or central_meridian"
                        ));
                    }
                }
                Kind::Projected {
                    datum,
                    base,
                    method: method.clone(),
                    parameters: Parameters(self.parameters.iter().map(|(n, v)| (n.clone(), *v)).collect()),
                    unit: self.unit.as_ref().map_or(Ok(LinearUnit::metre()), UnitForm::unit)?,
                }
            }
        };
        Ok(Crs { code: None, name: self.name.clone(), kind, area, axes: String::new() })
    }
}

/// A system in the short form.
///
/// # Errors
/// [`Error::Usage`] for kinds that the form does not have (only geographic and projected systems are written).
pub fn to_toml(crs: &Crs) -> Result<String, Error> {
    let datum_form = |d: &Datum| DatumForm {
        name: d.name.clone(),
        ellipsoid: d.ellipsoid.name.clone(),
        semi_major_m: d.ellipsoid.semi_major_m,
        inverse_flattening: d.ellipsoid.inverse_flattening,
        prime_meridian: Some(d.prime_meridian.clone()).filter(|_| d.prime_meridian_deg != 0.0),
        prime_meridian_deg: Some(d.prime_meridian_deg).filter(|v| *v != 0.0),
        to_wgs84: d.shift.as_ref().map(|s| {
            let ([x, y, z], [rx, ry, rz]) = (s.helmert.translation_m, s.helmert.position_vector_arcsec());
            [x, y, z, rx, ry, rz, s.helmert.scale_ppm]
        }),
        accuracy_m: d.shift.as_ref().and_then(|s| s.accuracy_m),
    };
    let (base, datum, method, parameters, unit) = match &crs.kind {
        Kind::Geographic { datum, .. } => (None, Some(datum_form(datum)), None, Default::default(), None),
        Kind::Projected { datum, base, method, parameters, unit } => (
            base.code.map(|c| format!("EPSG:{c}")),
            if base.code.is_none() { Some(datum_form(datum)) } else { None },
            Some(wkt::names::wkt2_method(method, parameters)),
            parameters
                .0
                .iter()
                .filter_map(|(n, v)| {
                    let p = Parameter::from_name(n)?;
                    Some((wkt::names::wkt2_parameter(method, parameters, p).to_string(), *v))
                })
                .collect(),
            Some(match basilocus_geodesy::unit::find_length(&unit.name) {
                Some(known) if known.metres == unit.metres => UnitForm::Name(unit.name.clone()),
                _ => UnitForm::Metres(unit.metres),
            }),
        ),
        _ => {
            return Err(Error::Usage(format!(
                "{} is a {} system; the short form holds geographic and projected ones: take `wkt`",
                crs.title(),
                crs.kind_name()
            )));
        }
    };
    let a = &crs.area;
    let form = Form {
        basilocus_crs: VERSION,
        name: crs.name.clone(),
        base,
        method,
        unit,
        parameters,
        datum,
        area: Some([a.west_deg, a.south_deg, a.east_deg, a.north_deg]),
    };
    toml::to_string(&form).map_err(|e| Error::SystemFile { path: PathBuf::from(&crs.name), problem: e.to_string() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_short_form_comes_back() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("own.toml");
        for code in [2269, 32610, 27700, 3031, 2056, 5513, 4267] {
            let crs = Catalogue::embedded().get(code).unwrap();
            std::fs::write(&path, to_toml(&crs).unwrap()).unwrap();
            let back = read_file(&path).unwrap().crs;
            assert_eq!(back.projection().unwrap(), crs.projection().unwrap(), "{code}: {}", to_toml(&crs).unwrap());
            assert_eq!(back.datum().unwrap().ellipsoid, crs.datum().unwrap().ellipsoid);
        }
    }

    #[test]
    fn what_is_wrong_in_a_file_is_said() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("own.toml");
        let message = |text: &str| {
            std::fs::write(&path, text).unwrap();
            read_file(&path).unwrap_err().to_string()
        };
        let head = "basilocus_crs = 1\nname = \"a\"\n";
        assert!(message(&format!("{head}base = \"EPSG:4326\"\nmethod = \"Sideways\"\n")).contains("Sideways"));
        assert!(message(&format!("{head}method = \"Mercator_1SP\"\n")).contains("base"));
        assert!(message(&format!("{head}base = \"EPSG:32610\"\n")).contains("projected"));
        assert!(
            message(&format!("{head}base = \"EPSG:4326\"\nmethod = \"Mercator_1SP\"\nunit = \"cubit\"\n"))
                .contains("cubit")
        );
        assert!(
            message(&format!("{head}base = \"EPSG:4326\"\nmethod = \"Mercator_1SP\"\n[parameters]\nwarp = 9\n"))
                .contains("warp")
        );
        assert!(message("PROJCS[\"x\"").contains("own.toml"), "{}", message("PROJCS[\"x\""));
        assert!(message("hello").contains("own.toml"));
        assert!(find("missing.prj").unwrap_err().to_string().contains("missing.prj"));
    }

    #[test]
    fn texts_name_the_same_system_again() {
        for text in ["EPSG:2269", "EPSG:4326+5773", "EPSG:4326+ellipsoidal"] {
            let crs = find(text).unwrap().crs;
            assert!(find(&text_of(&crs).unwrap()).unwrap().crs.is_same(&crs), "{text}");
        }
    }
}
