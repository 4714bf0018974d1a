//! Which systems a table's numbers could be in, if its places are known to be somewhere.

use super::{Area, Catalogue, Crs, Kind};
use crate::unit::{INTERNATIONAL_FOOT_M, US_SURVEY_FOOT_M};

/// A system in which the numbers fall where they should.
#[derive(Debug, Clone, PartialEq)]
pub struct Detected {
    /// The system.
    pub crs: Crs,
    /// Whether the first number is the northing or latitude.
    pub swapped: bool,
    /// Metres in the unit of the numbers, where that is not the system's own.
    pub unit_m: Option<f64>,
    /// Share of the positions that fall into the place, 0 to 1.
    pub share: f64,
    /// Share of the positions inside the system's area of use, 0 to 1.
    pub in_area_of_use: f64,
    /// Where the middle of the positions falls, degrees.
    pub middle: (f64, f64),
    /// From there to the middle of the place, metres on a sphere.
    pub distance_m: f64,
}

/// The systems of the catalogue in which at least half of the positions fall into a place, likeliest first.
///
/// Tried are both orders of the two numbers, the system's own unit, and feet for systems in metres and metres for
/// systems in feet. `points` are x and y as they stand; a few hundred are enough.
///
/// ```
/// use basilocus_geodesy::crs::{detect, Area};
/// let estuary = Area { west_deg: -124.5, south_deg: 45.8, east_deg: -123.2, north_deg: 46.6, description: String::new() };
/// let found = detect(&[(7_382_000.0, 932_000.0), (7_391_000.0, 941_000.0)], &estuary);
/// assert_eq!(found[0].crs.code, Some(2269));
/// ```
pub fn detect(points: &[(f64, f64)], place: &Area) -> Vec<Detected> {
    let Some(middle) = median(points) else {
        return Vec::new();
    };
    let mut found = Vec::new();
    for code in Catalogue::embedded().codes() {
        let Ok(crs) = Catalogue::embedded().get(code) else {
            continue;
        };
        let units: Vec<Option<f64>> = match &crs.kind {
            Kind::Geographic { .. } => vec![None],
            Kind::Projected { unit, .. } if unit.metres == 1.0 => {
                vec![None, Some(INTERNATIONAL_FOOT_M), Some(US_SURVEY_FOOT_M)]
            }
            Kind::Projected { .. } => vec![None, Some(1.0)],
            _ => continue,
        };
        let Some(inverse) = to_degrees(&crs) else {
            continue;
        };
        for swapped in [false, true] {
            for unit in &units {
                let place_of = |p: &(f64, f64)| {
                    let (x, y) = if swapped { (p.1, p.0) } else { *p };
                    inverse(x, y, *unit)
                };
                // The middle decides quickly; only then all positions are looked at.
                let Some(at) = place_of(&middle).filter(|p| place.contains(p.0, p.1)) else {
                    continue;
                };
                let all: Vec<(f64, f64)> = points.iter().filter_map(place_of).collect();
                let share =
                    |area: &Area| all.iter().filter(|p| area.contains(p.0, p.1)).count() as f64 / points.len() as f64;
                let inside = share(place);
                if inside < 0.5 {
                    continue;
                }
                found.push(Detected {
                    in_area_of_use: share(&crs.area),
                    crs: crs.clone(),
                    swapped,
                    unit_m: *unit,
                    share: inside,
                    middle: at,
                    distance_m: distance_m(at, centre(place)),
                });
            }
        }
    }
    found.sort_by(|a, b| {
        let usual = |g: &Detected| (g.in_area_of_use > 0.9, g.unit_m.is_none(), !g.swapped);
        usual(b)
            .cmp(&usual(a))
            .then(b.share.total_cmp(&a.share))
            // Degrees fit every geographic system alike: what receivers give comes first, then the frames of today.
            .then_with(|| {
                let likely = |g: &Detected| match (g.crs.is_geographic(), g.crs.code) {
                    (false, _) => 0,
                    (true, Some(4326)) => 0,
                    (true, _) if is_of_today(&g.crs) => 1,
                    _ => 2,
                };
                likely(a).cmp(&likely(b))
            })
            // Of those, a system made for a smaller area is the likelier one, then one of today.
            .then(a.crs.area.share_of_earth().total_cmp(&b.crs.area.share_of_earth()))
            .then(is_of_today(&b.crs).cmp(&is_of_today(&a.crs)))
            .then(a.crs.code.cmp(&b.crs.code))
    });
    found
}

/// Whether a system stands on an ellipsoid of today.
pub(super) fn is_of_today(crs: &Crs) -> bool {
    crs.datum().is_some_and(|d| ["GRS 1980", "WGS 84"].contains(&d.ellipsoid.name.as_str()))
}

type ToDegrees = Box<dyn Fn(f64, f64, Option<f64>) -> Option<(f64, f64)>>;

/// From numbers of a system, or of another unit, to degrees on Greenwich; datums are not changed, their hundreds of
/// metres decide nothing here.
fn to_degrees(crs: &Crs) -> Option<ToDegrees> {
    let meridian = crs.datum()?.prime_meridian_deg;
    match &crs.kind {
        Kind::Geographic { unit, .. } => {
            let degrees = unit.degrees;
            Some(Box::new(move |x, y, _| {
                let (lon, lat) = (x * degrees + meridian, y * degrees);
                (lat.abs() <= 90.0 && lon.abs() <= 360.0).then_some((crate::projection::wrap_deg(lon), lat))
            }))
        }
        Kind::Projected { unit, .. } => {
            let own = unit.metres;
            let projection = crs.projection().ok()??;
            Some(Box::new(move |x, y, other| {
                let m = other.unwrap_or(own);
                let (lon, lat) = projection.inverse(x * m, y * m)?;
                Some((crate::projection::wrap_deg(lon + meridian), lat))
            }))
        }
        _ => None,
    }
}

fn median(points: &[(f64, f64)]) -> Option<(f64, f64)> {
    let axis = |f: fn(&(f64, f64)) -> f64| {
        let mut v: Vec<f64> = points.iter().map(f).filter(|v| v.is_finite()).collect();
        v.sort_by(f64::total_cmp);
        v.get(v.len() / 2).copied()
    };
    Some((axis(|p| p.0)?, axis(|p| p.1)?))
}

fn centre(a: &Area) -> (f64, f64) {
    let width = (a.east_deg - a.west_deg).rem_euclid(360.0);
    (a.west_deg + width / 2.0, (a.south_deg + a.north_deg) / 2.0)
}

/// Great-circle distance on a sphere of 6371 km: for ranking and for round numbers only.
fn distance_m(a: (f64, f64), b: (f64, f64)) -> f64 {
    let (p, q) = (a.1.to_radians(), b.1.to_radians());
    let d = (b.0 - a.0).to_radians();
    let h = ((q - p) / 2.0).sin().powi(2) + p.cos() * q.cos() * (d / 2.0).sin().powi(2);
    2.0 * 6_371_000.0 * h.sqrt().min(1.0).asin()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::operation::Operation;

    fn estuary() -> Area {
        Area { west_deg: -124.3, south_deg: 45.9, east_deg: -123.3, north_deg: 46.5, description: String::new() }
    }

    fn points_in(code: u32) -> Vec<(f64, f64)> {
        let c = Catalogue::embedded();
        let op = Operation::between(&c.get(4326).unwrap(), &c.get(code).unwrap(), None).unwrap();
        (0..20)
            .filter_map(|i| op.apply_one(-124.1 + f64::from(i) * 0.03, 46.1 + f64::from(i % 7) * 0.04, 0.0))
            .map(|(x, y, _)| (x, y))
            .collect()
    }

    #[test]
    fn the_right_system_is_among_the_first() {
        for code in [2269, 32610, 32026, 2285, 4326] {
            let found = detect(&points_in(code), &estuary());
            let place = found.iter().position(|g| g.crs.code == Some(code) && !g.swapped && g.unit_m.is_none());
            assert!(place.is_some_and(|p| p < 8), "{code}: {place:?} of {}", found.len());
            assert!(found.iter().all(|g| g.share >= 0.5));
        }
    }

    #[test]
    fn swapped_axes_and_feet_are_seen() {
        let swapped: Vec<(f64, f64)> = points_in(32610).iter().map(|(x, y)| (*y, *x)).collect();
        let found = detect(&swapped, &estuary());
        assert!(found.iter().any(|g| g.crs.code == Some(32610) && g.swapped));
        let feet: Vec<(f64, f64)> = points_in(32610).iter().map(|(x, y)| (x / 0.3048, y / 0.3048)).collect();
        let found = detect(&feet, &estuary());
        assert!(found.iter().any(|g| g.crs.code == Some(32610) && g.unit_m == Some(0.3048)));
    }

    #[test]
    fn nothing_fits_nonsense() {
        assert!(detect(&[(1e12, 1e12)], &estuary()).is_empty());
        assert!(detect(&[], &estuary()).is_empty());
        assert!(detect(&[(f64::NAN, 1.0)], &estuary()).is_empty());
    }
}
