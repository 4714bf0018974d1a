//! The system of a raster: by the code that its keys say, by their parameters, or by a definition beside it.

use crate::Error;
use crate::coordinates::system;
use basilocus_formats::geotiff::GeoKeys;
use basilocus_formats::raster::{RasterAbout, RasterCrs};
use basilocus_geodesy::crs::{Area, Base, Catalogue, Crs, Kind};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::projection::{Parameter, Parameters};
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

/// The keys of a projected system without a code: its method and parameters; `None` where the standard has none for it.
pub(super) fn keys_of(crs: &Crs) -> Option<GeoKeys> {
    let Kind::Projected { base, parameters, unit, datum, .. } = &crs.kind else { return None };
    let base_code = base.code.or_else(|| Catalogue::embedded().geographic_of_datum(&datum.name)?.code)?;
    // The standard's projections count eastwards and northwards.
    if crs.axes.contains("south") || crs.axes.contains("west") {
        return None;
    }
    let names = crs.projection().ok()??.about().names;
    let linear_unit = [(9001, 1.0), (9002, 0.3048), (9003, 1200.0 / 3937.0)]
        .into_iter()
        .find(|(_, metres)| (unit.metres - metres).abs() < 1e-12)
        .map(|(code, _)| code);
    METHODS.iter().filter(|m| names.contains(&m.name)).find_map(|method| {
        let value =
            |(key, name): &(u16, &str)| parameters.value(Parameter::from_name(name)?).map(|value| (*key, value));
        let keys = GeoKeys {
            model: Some(1),
            geodetic: u16::try_from(base_code).ok(),
            method: Some(method.code),
            parameters: method.parameters.iter().filter_map(value).collect(),
            linear_unit,
            linear_unit_size: linear_unit.is_none().then_some(unit.metres),
            names: vec![crs.name.clone()],
            ..Default::default()
        };
        // Read again they must be the same system, on the same datum; a parameter without a key would be lost.
        let is_whole = keys.parameters.len() == parameters.0.len();
        let again = is_whole.then(|| of_keys(&keys).ok()).flatten()?;
        is_same_place(crs, &again).then_some(keys)
    })
}

/// Whether two projected systems on one datum give positions the same numbers, by places around the origin of the first.
fn is_same_place(a: &Crs, b: &Crs) -> bool {
    let way = |crs: &Crs| Operation::between(&crs.geographic()?, crs, None).ok();
    let (Some(to_a), Some(to_b)) = (way(a), way(b)) else { return false };
    let Kind::Projected { parameters, .. } = &a.kind else { return false };
    let of =
        |what: &str| parameters.0.iter().find(|(name, _)| name.to_lowercase().contains(what)).map(|(_, value)| *value);
    let (lon, lat) = (of("meridian").or(of("longitude")).unwrap_or(0.0), of("latitude").unwrap_or(0.0));
    let around = [[0.0, 0.0], [1.0, 0.0], [-1.0, 0.5], [0.5, -1.0]];
    let is_same = |[east, north]: [f64; 2]| {
        let at = |way: &Operation| way.apply_one(lon + east, lat.clamp(-80.0, 80.0) + north, 0.0);
        let (Some(p), Some(q)) = (at(&to_a), at(&to_b)) else { return false };
        (p.0 - q.0).abs() < 1e-6 && (p.1 - q.1).abs() < 1e-6
    };
    is_same_datum(a, b) && around.into_iter().all(is_same)
}

/// Whether two systems have one datum; what one of them does not say of its way to others does not count.
fn is_same_datum(a: &Crs, b: &Crs) -> bool {
    let (Some(a), Some(b)) = (a.datum(), b.datum()) else { return false };
    let size = |e: &Ellipsoid| [e.semi_major_m, e.inverse_flattening];
    let is_close = size(&a.ellipsoid).into_iter().zip(size(&b.ellipsoid)).all(|(p, q)| (p - q).abs() < 1e-6);
    let is_shifted_alike = a.shift.is_none() || b.shift.is_none() || a.shift == b.shift;
    a.name == b.name && is_close && is_shifted_alike && a.prime_meridian_deg == b.prime_meridian_deg
}

#[cfg(test)]
mod tests {
    use super::*;

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
    fn a_system_of_ones_own_becomes_keys_that_say_the_same() {
        for code in [26910, 2269, 5070, 3035, 32661, 28992, 2249, 3395] {
            let with_code = Catalogue::embedded().get(code).unwrap();
            let own = Crs { code: None, ..with_code.clone() };
            let keys = keys_of(&own).unwrap_or_else(|| panic!("{}", own.title()));
            let again = of_keys(&keys).unwrap();
            assert!(is_same_place(&with_code, &again) && again.name == own.name, "{code}: {keys:?}");
        }
        // Southwards and westwards, and a method that the standard has no number for.
        for code in [2053, 3857] {
            assert_eq!(keys_of(&Crs { code: None, ..Catalogue::embedded().get(code).unwrap() }), None, "{code}");
        }
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
