//! The system of a raster: by the code that its keys say, by their parameters, or by a definition beside it.

use crate::Error;
use crate::coordinates::system;
use basilocus_formats::geotiff::GeoKeys;
use basilocus_formats::raster::{RasterAbout, RasterCrs};
use basilocus_geodesy::crs::{Area, Base, Catalogue, Crs, Kind};
use basilocus_geodesy::projection::Parameters;
use basilocus_geodesy::unit::{LinearUnit, find_length, length_of};

/// The system that a raster says, with what to tell of it.
///
/// # Errors
/// Where a definition beside the raster cannot be read.
pub(super) fn system_of(about: &RasterAbout, notes: &mut Vec<String>) -> Result<Option<Crs>, Error> {
    match &about.crs {
        RasterCrs::Text(text) => {
            let found = system::find(text)?;
            notes.push(format!("the system is that of the definition beside the grid: {}", found.crs.title()));
            Ok(Some(found.crs))
        }
        RasterCrs::Keys(keys) => {
            let horizontal = match of_keys(keys) {
                Ok(crs) => crs,
                Err(why) => {
                    notes.push(format!("the keys of the grid say no system that is known: {why}"));
                    return Ok(None);
                }
            };
            Ok(Some(match vertical_of(keys) {
                Some(vertical) => horizontal.clone().with_heights(Some(vertical)).unwrap_or(horizontal),
                None => horizontal,
            }))
        }
        _ => Ok(None),
    }
}

fn vertical_of(keys: &GeoKeys) -> Option<Crs> {
    let crs = Catalogue::embedded().get(keys.vertical?.into()).ok()?;
    matches!(crs.kind, Kind::Vertical { .. }).then_some(crs)
}

/// The unit of heights that keys say.
pub(super) fn height_unit_of(about: &RasterAbout) -> Option<LinearUnit> {
    match &about.crs {
        RasterCrs::Keys(keys) => keys.vertical_unit.and_then(unit_of_code),
        _ => None,
    }
}

fn unit_of_code(code: u16) -> Option<LinearUnit> {
    match code {
        9001 => Some(LinearUnit::metre()),
        9002 => find_length("foot"),
        9003 => find_length("US survey foot"),
        _ => None,
    }
}

fn of_keys(keys: &GeoKeys) -> Result<Crs, String> {
    let get = |code: u16| Catalogue::embedded().get(code.into()).map_err(|e| e.to_string());
    match (keys.projected, keys.method, keys.geodetic) {
        (Some(code), ..) => get(code),
        (None, Some(method), Some(base)) => projected(keys, method, get(base)?),
        (None, Some(_), None) => Err("a projection on a geographic system without a code".into()),
        (None, None, Some(_)) if keys.model == Some(1) => Err("a projected system without a code or a method".into()),
        (None, None, Some(code)) => get(code),
        (None, None, None) => Err("neither a code nor a method".into()),
    }
}

/// A method of the standard, with the registry's name for it and for the parameters of its keys.
struct Method {
    code: u16,
    name: &'static str,
    parameters: &'static [(u16, &'static str)],
}

const NATURAL_ORIGIN: [(u16, &str); 5] = [
    (3081, "Latitude of natural origin"),
    (3080, "Longitude of natural origin"),
    (3092, "Scale factor at natural origin"),
    (3082, "False easting"),
    (3083, "False northing"),
];
const TWO_PARALLELS: [(u16, &str); 6] = [
    (3085, "Latitude of false origin"),
    (3084, "Longitude of false origin"),
    (3078, "Latitude of 1st standard parallel"),
    (3079, "Latitude of 2nd standard parallel"),
    (3086, "Easting at false origin"),
    (3087, "Northing at false origin"),
];
const CENTER: [(u16, &str); 4] = [
    (3089, "Latitude of natural origin"),
    (3088, "Longitude of natural origin"),
    (3082, "False easting"),
    (3083, "False northing"),
];
const POLE: [(u16, &str); 5] = [
    (3081, "Latitude of natural origin"),
    (3095, "Longitude of natural origin"),
    (3092, "Scale factor at natural origin"),
    (3082, "False easting"),
    (3083, "False northing"),
];

/// Methods by their codes in the standard (annex C of OGC 19-008r4).
const METHODS: &[Method] = &[
    Method { code: 1, name: "Transverse Mercator", parameters: &NATURAL_ORIGIN },
    Method { code: 7, name: "Mercator (variant A)", parameters: &NATURAL_ORIGIN },
    Method { code: 8, name: "Lambert Conic Conformal (2SP)", parameters: &TWO_PARALLELS },
    Method { code: 9, name: "Lambert Conic Conformal (1SP)", parameters: &NATURAL_ORIGIN },
    Method { code: 10, name: "Lambert Azimuthal Equal Area", parameters: &CENTER },
    Method { code: 11, name: "Albers Equal Area", parameters: &TWO_PARALLELS },
    Method { code: 15, name: "Polar Stereographic (variant A)", parameters: &POLE },
    Method { code: 16, name: "Oblique Stereographic", parameters: &NATURAL_ORIGIN },
];

/// Programs write a parameter under the key of another method's; these mean the same.
const SAME: [(u16, &[u16]); 6] = [
    (3080, &[3084, 3088, 3095]),
    (3081, &[3085, 3089]),
    (3082, &[3086, 3090]),
    (3083, &[3087, 3091]),
    (3092, &[3093]),
    (3095, &[3080]),
];

fn projected(keys: &GeoKeys, code: u16, base: Crs) -> Result<Crs, String> {
    let method = METHODS.iter().find(|m| m.code == code).ok_or_else(|| format!("the method {code}"))?;
    let Kind::Geographic { datum, unit: angle } = base.kind else {
        return Err(format!("{} is not geographic", base.title()));
    };
    let unit = match (keys.linear_unit, keys.linear_unit_size) {
        (Some(code), _) => unit_of_code(code).ok_or_else(|| format!("the unit {code}"))?,
        (None, Some(metres)) => length_of("unit", metres),
        (None, None) => LinearUnit::metre(),
    };
    let value = |key: u16| {
        let others = SAME.iter().filter(|(k, _)| *k == key).flat_map(|(_, others)| others.iter());
        let back = SAME.iter().filter(|(_, others)| others.contains(&key)).map(|(k, _)| k);
        std::iter::once(&key).chain(others).chain(back).find_map(|k| keys.parameters.get(k).copied())
    };
    let parameters = method.parameters.iter().map(|(key, name)| {
        let usual = if name.starts_with("Scale") { 1.0 } else { 0.0 };
        (name.to_string(), value(*key).unwrap_or(usual))
    });
    let name = keys.names.first().cloned().unwrap_or_else(|| "of the grid's keys".into());
    let kind = Kind::Projected {
        datum,
        base: Base { code: base.code, name: base.name, unit: angle },
        method: method.name.into(),
        parameters: Parameters(parameters.collect()),
        unit,
    };
    let area = Area { description: "not said".into(), ..base.area };
    let crs = Crs { code: None, name, kind, area, axes: "east,north".into() };
    crs.projection().map_err(|e| e.to_string())?;
    Ok(crs)
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::operation::Operation;

    /// Positions by keys and by the catalogue's system of the same parameters.
    fn same(keys: GeoKeys, code: u32, at: (f64, f64)) {
        let (ours, theirs) = (of_keys(&keys).unwrap(), Catalogue::embedded().get(code).unwrap());
        let there = |crs: &Crs| {
            let base = crs.geographic().unwrap();
            Operation::between(&base, crs, None).unwrap().apply_one(at.0, at.1, 0.0).unwrap()
        };
        let ((x, y, _), (u, v, _)) = (there(&ours), there(&theirs));
        assert!((x - u).abs() < 1e-6 && (y - v).abs() < 1e-6, "{code}: {x} {y} {u} {v}");
    }

    fn keys(method: u16, base: u16, parameters: &[(u16, f64)]) -> GeoKeys {
        GeoKeys {
            model: Some(1),
            method: Some(method),
            geodetic: Some(base),
            parameters: parameters.iter().copied().collect(),
            linear_unit: Some(9001),
            ..Default::default()
        }
    }

    #[test]
    fn parameters_make_the_system_that_a_code_would() {
        // NAD83 / UTM zone 10N.
        let utm = [(3080, -123.0), (3081, 0.0), (3092, 0.9996), (3082, 500_000.0), (3083, 0.0)];
        same(keys(1, 4269, &utm), 26910, (-123.8, 46.2));
        // NAD83 / Oregon North (ft), whose parameters a program wrote under the keys of a natural origin.
        let oregon =
            [(3078, 46.0), (3079, 44.0 + 1.0 / 3.0), (3080, -120.5), (3081, 43.0 + 2.0 / 3.0), (3082, 8_202_099.738)];
        same(GeoKeys { linear_unit: Some(9002), ..keys(8, 4269, &oregon) }, 2269, (-123.8, 46.2));
        // NAD83 / Conus Albers.
        let albers = [(3078, 29.5), (3079, 45.5), (3084, -96.0), (3085, 23.0), (3086, 0.0), (3087, 0.0)];
        same(keys(11, 4269, &albers), 5070, (-123.8, 46.2));
        // ETRS89 / LAEA Europe.
        let europe = [(3088, 10.0), (3089, 52.0), (3082, 4_321_000.0), (3083, 3_210_000.0)];
        same(keys(10, 4258, &europe), 3035, (12.0, 50.0));
        // WGS 84 / UPS North.
        let pole = [(3081, 90.0), (3095, 0.0), (3092, 0.994), (3082, 2e6), (3083, 2e6)];
        same(keys(15, 4326, &pole), 32661, (30.0, 80.0));
        // Amersfoort / RD New.
        let rd = [
            (3081, 52.0 + 9.0 / 60.0 + 22.178 / 3600.0),
            (3080, 5.0 + 23.0 / 60.0 + 15.5 / 3600.0),
            (3092, 0.9999079),
            (3082, 155_000.0),
            (3083, 463_000.0),
        ];
        same(keys(16, 4289, &rd), 28992, (5.5, 52.0));
    }

    #[test]
    fn keys_that_say_no_system_are_told() {
        for (keys, expected) in [
            (GeoKeys::default(), "neither a code nor a method"),
            (keys(99, 4269, &[]), "the method 99"),
            (GeoKeys { geodetic: None, ..keys(1, 4269, &[]) }, "without a code"),
            (GeoKeys { linear_unit: Some(9099), ..keys(1, 4269, &[]) }, "the unit 9099"),
            (GeoKeys { projected: Some(1), ..Default::default() }, "1"),
        ] {
            let problem = of_keys(&keys).unwrap_err();
            assert!(problem.contains(expected), "{problem}");
        }
    }
}
