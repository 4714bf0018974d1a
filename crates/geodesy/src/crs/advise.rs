//! Which system suits an area and a purpose, with the numbers that say so.

use super::detect::is_of_today;
use super::{Area, Base, Catalogue, Crs, Kind};
use crate::ellipsoid::Ellipsoid;
use crate::names::{self, UnknownName};
use crate::projection::{Parameter, Parameters, Projection};
use crate::unit::{AngularUnit, LinearUnit};
use std::fmt::{self, Display, Formatter};
use std::str::FromStr;

/// What a system is wanted for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Purpose {
    #[default]
    /// Lengths and directions.
    Measure,
    /// Areas.
    Area,
    /// What surveyors and offices of the country use.
    National,
    /// Maps of the world.
    World,
    /// Maps in a browser.
    Web,
}

/// The purposes with their names.
pub const PURPOSES: &[(Purpose, &str)] = &[
    (Purpose::Measure, "measure"),
    (Purpose::Area, "area"),
    (Purpose::National, "national"),
    (Purpose::World, "world"),
    (Purpose::Web, "web"),
];

impl FromStr for Purpose {
    type Err = UnknownName;

    fn from_str(name: &str) -> Result<Self, UnknownName> {
        names::find(PURPOSES, "purpose", name)
    }
}

impl Display for Purpose {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(PURPOSES.iter().find(|(purpose, _)| purpose == self).map_or("", |(_, name)| name))
    }
}

/// What a projection does over an area: the worst of a grid of positions.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Worst {
    /// Smallest scale in any direction.
    pub smallest_scale: f64,
    /// Largest scale in any direction.
    pub largest_scale: f64,
    /// Smallest area scale.
    pub smallest_area_scale: f64,
    /// Largest area scale.
    pub largest_area_scale: f64,
    /// Largest angular distortion, degrees.
    pub angular_distortion_deg: f64,
    /// Largest convergence, degrees, whatever its sign.
    pub convergence_deg: f64,
}

impl Worst {
    /// Largest error of a length, parts per million.
    pub fn length_ppm(&self) -> f64 {
        (self.largest_scale - 1.0).abs().max((self.smallest_scale - 1.0).abs()) * 1e6
    }

    /// Largest error of an area, parts per million.
    pub fn area_ppm(&self) -> f64 {
        (self.largest_area_scale - 1.0).abs().max((self.smallest_area_scale - 1.0).abs()) * 1e6
    }
}

/// A system that suits, with why.
#[derive(Debug, Clone, PartialEq)]
pub struct Advice {
    /// The system; one without a code is a projection made for this area.
    pub crs: Crs,
    /// What it does over the area.
    pub worst: Worst,
    /// Why it stands where it stands.
    pub reasons: Vec<String>,
}

/// Systems for an area and a purpose, best first.
///
/// For measuring and for areas a projection of one's own, centred on the area, is among them, so that its numbers can
/// be compared.
///
/// ```
/// use basilocus_geodesy::crs::{advise, Area, Purpose};
/// let estuary = Area { west_deg: -124.1, south_deg: 46.0, east_deg: -123.5, north_deg: 46.4, description: String::new() };
/// let found = advise(&estuary, Purpose::Area);
/// assert!(found[0].worst.area_ppm() < 1.0);
/// ```
pub fn advise(area: &Area, purpose: Purpose) -> Vec<Advice> {
    let catalogue = Catalogue::embedded();
    match purpose {
        Purpose::Web => web(area),
        Purpose::World => world(),
        _ => {
            let mut found: Vec<Advice> = catalogue
                .codes()
                .filter_map(|code| catalogue.get(code).ok())
                .filter(|c| matches!(c.kind, Kind::Projected { .. }) && c.area.contains_area(area))
                // The browser's map is never for measuring; systems on old datums are for old maps.
                .filter(|c| c.code != Some(3857) && is_of_today(c))
                .filter_map(|crs| worst_of(&crs, area).map(|worst| Advice { crs, worst, reasons: Vec::new() }))
                .collect();
            if purpose == Purpose::National {
                found.retain(|s| !is_of_the_world(&s.crs));
            } else {
                found.extend(own(area, purpose));
            }
            rank(&mut found, purpose);
            for s in &mut found {
                s.reasons = reasons(s, purpose);
            }
            if purpose == Purpose::National && !found.iter().any(|s| is_land_of(&s.crs, country_of(area))) {
                let mut own = national_in_part(&catalogue, area);
                found.retain(|s| own.iter().all(|o| o.crs.code != s.crs.code));
                own.append(&mut found);
                return own;
            }
            found
        }
    }
}

/// A system of a country has no less of it than that share.
const LEAST_OF_COUNTRY: f64 = 0.25;

/// Systems of a country that leave parts of it out, such as islands far away or the sea, or stand on an ellipsoid of former
/// times: those that leave out least first. Only where the area has the name of a country.
fn national_in_part(catalogue: &Catalogue, area: &Area) -> Vec<Advice> {
    let country = country_of(area);
    let is_its_own =
        |c: &Crs| matches!(c.kind, Kind::Projected { .. }) && is_land_of(c, country) && !is_of_the_world(c);
    let mut found: Vec<(f64, Advice)> = catalogue
        .codes()
        .filter_map(|code| catalogue.get(code).ok())
        .filter(is_its_own)
        .filter_map(|crs| {
            let common = crs.area.overlap(area)?;
            let share = common.share_of_earth() / area.share_of_earth();
            let worst = worst_of(&crs, &common).filter(|_| share >= LEAST_OF_COUNTRY)?;
            let mut advice = Advice { crs, worst, reasons: Vec::new() };
            advice.reasons = reasons(&advice, Purpose::National);
            if !advice.crs.area.contains_area(area) {
                advice
                    .reasons
                    .push("parts of the country are outside of it; the figures are those of what is inside".into());
            }
            Some((share, advice))
        })
        .collect();
    found.sort_by(|(a, one), (b, other)| {
        // Limits of the same land differ a little from system to system.
        let coarse = |share: f64| (share * 20.0).round();
        coarse(*b)
            .total_cmp(&coarse(*a))
            .then(is_of_today(&other.crs).cmp(&is_of_today(&one.crs)))
            .then(one.worst.length_ppm().total_cmp(&other.worst.length_ppm()))
            .then(one.crs.code.cmp(&other.crs.code))
    });
    found.into_iter().map(|(_, advice)| advice).collect()
}

/// Whether a system is one of the land of a country, and not of its sea alone.
fn is_land_of(crs: &Crs, country: &str) -> bool {
    let words = &crs.area.description;
    let is_of_the_sea = words.contains("offshore") && !words.contains("onshore");
    !country.is_empty() && country_of(&crs.area) == country && !is_of_the_sea
}

/// The country that the words of an area begin with: `New Zealand` of `New Zealand - North Island, …`.
fn country_of(area: &Area) -> &str {
    let words = area.description.trim();
    let end = [" - ", ". ", " (", ";", ","].into_iter().filter_map(|mark| words.find(mark)).min();
    words[..end.unwrap_or(words.len())].trim_end_matches('.')
}

/// Worst distortion over a grid of positions of an area; `None` where the projection does not cover it.
pub fn worst_of(crs: &Crs, area: &Area) -> Option<Worst> {
    let projection = crs.projection().ok()??;
    let datum = crs.datum()?;
    worst(&projection, &datum.ellipsoid, datum.prime_meridian_deg, area)
}

fn worst(projection: &Projection, ellipsoid: &Ellipsoid, meridian_deg: f64, area: &Area) -> Option<Worst> {
    const STEPS: i32 = 4;
    let width = match (area.east_deg - area.west_deg).rem_euclid(360.0) {
        0.0 if area.east_deg != area.west_deg => 360.0,
        w => w,
    };
    let mut out = Worst {
        smallest_scale: f64::INFINITY,
        smallest_area_scale: f64::INFINITY,
        largest_scale: 0.0,
        largest_area_scale: 0.0,
        ..Worst::default()
    };
    for i in 0..=STEPS {
        for j in 0..=STEPS {
            let lon = area.west_deg + width * f64::from(i) / f64::from(STEPS) - meridian_deg;
            let lat = area.south_deg + (area.north_deg - area.south_deg) * f64::from(j) / f64::from(STEPS);
            // A pole itself has no east.
            let d = projection.distortion(ellipsoid, lon, lat.clamp(-89.9, 89.9))?;
            out.smallest_scale = out.smallest_scale.min(d.smallest_scale);
            out.largest_scale = out.largest_scale.max(d.largest_scale);
            out.smallest_area_scale = out.smallest_area_scale.min(d.area_scale);
            out.largest_area_scale = out.largest_area_scale.max(d.area_scale);
            out.angular_distortion_deg = out.angular_distortion_deg.max(d.angular_distortion_deg);
            out.convergence_deg = out.convergence_deg.max(d.convergence_deg.abs());
        }
    }
    Some(out)
}

/// Zones of the global grid and systems of the whole Earth are nobody's national grid.
fn is_of_the_world(crs: &Crs) -> bool {
    crs.name.starts_with("WGS ") || crs.area.share_of_earth() > 0.2
}

fn rank(found: &mut [Advice], purpose: Purpose) {
    // Differences that nobody sees on the ground do not decide.
    let coarse = |ppm: f64| if ppm < 1.0 { 0.0 } else { (ppm * 1.0).round() };
    found.sort_by(|a, b| {
        let key = |s: &Advice| match purpose {
            Purpose::Area => (coarse(s.worst.area_ppm()), s.worst.angular_distortion_deg),
            Purpose::National => (s.crs.area.share_of_earth(), s.worst.length_ppm()),
            _ => (coarse(s.worst.length_ppm()), s.worst.convergence_deg),
        };
        let ((a1, a2), (b1, b2)) = (key(a), key(b));
        a1.total_cmp(&b1)
            .then(a2.total_cmp(&b2))
            // A system that others know comes before one of one's own.
            .then(a.crs.code.is_none().cmp(&b.crs.code.is_none()))
            .then(a.crs.code.cmp(&b.crs.code))
    });
}

fn reasons(s: &Advice, purpose: Purpose) -> Vec<String> {
    let w = &s.worst;
    let mut out = Vec::new();
    let per_km = w.length_ppm() / 1000.0;
    match purpose {
        Purpose::Area => out.push(if w.area_ppm() < 1.0 {
            "equal-area: a polygon's area on the map is its true area".to_string()
        } else {
            format!("areas are off by up to {} of a hectare's 10,000 m²", square(w.area_ppm() * 0.01))
        }),
        _ => out.push(format!("lengths are off by up to {} a kilometre", millimetres(per_km))),
    }
    if w.angular_distortion_deg < 1e-6 {
        out.push("conformal: angles are true".to_string());
    } else {
        out.push(format!("angles are off by up to {}", angle(w.angular_distortion_deg)));
    }
    out.push(format!("grid north is up to {} from true north", angle(w.convergence_deg)));
    if s.crs.code.is_none() {
        out.push("made for this area; others need its definition".to_string());
    } else if purpose == Purpose::National {
        out.push(format!("its area of use: {}", s.crs.area.description));
    }
    out
}

fn millimetres(mm_per_km: f64) -> String {
    // Parts per million are millimetres a kilometre.
    let mm = mm_per_km * 1000.0;
    if mm >= 1000.0 {
        format!("{:.2} m", mm / 1000.0)
    } else if mm >= 10.0 {
        format!("{:.1} cm", mm / 10.0)
    } else {
        format!("{mm:.1} mm")
    }
}

fn square(m2: f64) -> String {
    if m2 >= 100.0 { format!("{m2:.0} m²") } else { format!("{m2:.2} m²") }
}

fn angle(deg: f64) -> String {
    if deg >= 1.0 {
        format!("{deg:.2}°")
    } else if deg * 60.0 >= 1.0 {
        format!("{:.1}′", deg * 60.0)
    } else {
        format!("{:.1}″", deg * 3600.0)
    }
}

/// Projections made for an area: conformal for measuring, equal-area for areas.
fn own(area: &Area, purpose: Purpose) -> Option<Advice> {
    let width = (area.east_deg - area.west_deg).rem_euclid(360.0);
    let lon = crate::projection::wrap_deg(area.west_deg + width / 2.0);
    let lat = (area.south_deg + area.north_deg) / 2.0;
    let height = area.north_deg - area.south_deg;
    if width > 60.0 || height > 60.0 {
        return None;
    }
    let (lon, lat) = ((lon * 60.0).round() / 60.0, (lat * 60.0).round() / 60.0);
    let method = match purpose {
        Purpose::Area => "Lambert Azimuthal Equal Area",
        // Tall areas follow a meridian, wide ones a parallel.
        _ if height >= width * lat.to_radians().cos() => "Transverse Mercator",
        _ => "Lambert Conic Conformal (1SP)",
    };
    let wgs84 = Catalogue::embedded().get(4326).ok()?;
    let Kind::Geographic { datum, .. } = &wgs84.kind else {
        return None;
    };
    let with_scale = |scale: f64| {
        let mut parameters = vec![
            (Parameter::LatitudeOfOrigin.name().to_string(), lat),
            (Parameter::LongitudeOfOrigin.name().to_string(), lon),
        ];
        if method != "Lambert Azimuthal Equal Area" {
            parameters.push((Parameter::ScaleFactor.name().to_string(), scale));
        }
        parameters.push((Parameter::FalseEasting.name().to_string(), 100_000.0));
        parameters.push((Parameter::FalseNorthing.name().to_string(), 100_000.0));
        Crs {
            code: None,
            name: format!("{method} at {lat:.4}, {lon:.4}"),
            kind: Kind::Projected {
                datum: datum.clone(),
                base: Base { code: Some(4326), name: wgs84.name.clone(), unit: AngularUnit::degree() },
                method: method.into(),
                parameters: Parameters(parameters),
                unit: LinearUnit::metre(),
            },
            area: area.clone(),
            axes: "east,north".into(),
        }
    };
    let first = with_scale(1.0);
    let w = worst_of(&first, area)?;
    if method == "Lambert Azimuthal Equal Area" {
        return Some(Advice { crs: first, worst: w, reasons: Vec::new() });
    }
    // Half of the error at the rim is taken off everywhere, to the seventh decimal.
    let scale = (2.0 / (w.smallest_scale + w.largest_scale) * 1e7).round() / 1e7;
    let crs = with_scale(scale);
    let worst = worst_of(&crs, area)?;
    Some(Advice { crs, worst, reasons: Vec::new() })
}

fn web(area: &Area) -> Vec<Advice> {
    let catalogue = Catalogue::embedded();
    let mut out = Vec::new();
    if let Some(crs) = catalogue.get(3857).ok()
        && let Some(worst) = worst_of(&crs, &clipped(area))
    {
        let reasons = vec![
            "what maps in browsers are drawn in".to_string(),
            format!(
                "not for measuring: lengths here are {:.3} to {:.3} times too long, areas {:.3} to {:.3} times too large",
                worst.smallest_scale, worst.largest_scale, worst.smallest_area_scale, worst.largest_area_scale
            ),
        ];
        out.push(Advice { crs, worst, reasons });
    }
    if let Ok(crs) = catalogue.get(4326) {
        let reasons = vec![
            "longitude and latitude: what GeoJSON holds and what programs exchange; not for measuring".to_string(),
        ];
        out.push(Advice { crs, worst: Worst::default(), reasons });
    }
    out
}

/// The browser's map ends at 85.06°.
fn clipped(area: &Area) -> Area {
    Area { south_deg: area.south_deg.max(-85.0), north_deg: area.north_deg.min(85.0), ..area.clone() }
}

fn world() -> Vec<Advice> {
    let catalogue = Catalogue::embedded();
    let earth =
        Area { west_deg: -179.0, south_deg: -80.0, east_deg: 179.0, north_deg: 80.0, description: String::new() };
    let mut out: Vec<Advice> = catalogue
        .codes()
        .filter_map(|code| catalogue.get(code).ok())
        .filter(|c| matches!(c.kind, Kind::Projected { .. }) && c.area.share_of_earth() > 0.9)
        .chain(world_methods())
        .filter_map(|crs| {
            let worst = worst_of(&crs, &earth)?;
            let equal = worst.area_ppm() < 100.0;
            let mut reasons = vec![if equal {
                "equal-area: countries can be compared by size".to_string()
            } else {
                format!("areas between 80° N and S are up to {:.1} times too large", worst.largest_area_scale)
            }];
            reasons.push(if worst.angular_distortion_deg < 1e-6 {
                "conformal: shapes of small things are true".into()
            } else {
                format!("angles are off by up to {}", angle(worst.angular_distortion_deg))
            });
            Some(Advice { crs, worst, reasons })
        })
        .collect();
    out.sort_by(|a, b| {
        let key = |s: &Advice| (s.worst.area_ppm() >= 100.0, s.worst.angular_distortion_deg);
        key(a).0.cmp(&key(b).0).then(key(a).1.total_cmp(&key(b).1)).then(a.crs.code.cmp(&b.crs.code))
    });
    out
}

/// Projections made for maps of the world, which the registry has few of, centred on Greenwich.
fn world_methods() -> Vec<Crs> {
    const METHODS: [&str; 8] = [
        "Equal Earth",
        "Eckert IV",
        "Mollweide",
        "Hammer",
        "Natural Earth",
        "Robinson",
        "Winkel Tripel",
        "Van der Grinten",
    ];
    let Ok(wgs84) = Catalogue::embedded().get(4326) else {
        return Vec::new();
    };
    let Kind::Geographic { datum, .. } = &wgs84.kind else {
        return Vec::new();
    };
    METHODS
        .iter()
        .filter(|m| Projection::is_implemented(m))
        .map(|method| Crs {
            code: None,
            name: format!("{method} of the world"),
            kind: Kind::Projected {
                datum: datum.clone(),
                base: Base { code: Some(4326), name: wgs84.name.clone(), unit: AngularUnit::degree() },
                method: (*method).into(),
                parameters: Parameters(vec![(Parameter::LongitudeOfOrigin.name().to_string(), 0.0)]),
                unit: LinearUnit::metre(),
            },
            area: wgs84.area.clone(),
            axes: "east,north".into(),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn estuary() -> Area {
        Area { west_deg: -124.1, south_deg: 46.0, east_deg: -123.5, north_deg: 46.4, description: String::new() }
    }

    #[test]
    fn areas_come_from_equal_area_systems() {
        let found = advise(&estuary(), Purpose::Area);
        assert!(found.iter().take(3).all(|s| s.worst.area_ppm() < 1.0), "{:?}", found[0]);
        assert!(found.iter().any(|s| s.crs.code.is_none()), "one made for the area");
        assert!(found[0].reasons[0].contains("equal-area"));
    }

    #[test]
    fn measuring_prefers_the_smaller_error_and_never_the_browsers_map() {
        let found = advise(&estuary(), Purpose::Measure);
        assert!(found.windows(2).all(|w| w[0].worst.length_ppm() <= w[1].worst.length_ppm() + 1.0));
        assert!(found.iter().all(|s| s.crs.code != Some(3857)));
        // Scale over this area in Oregon North: the parallels 44°20′ and 46° are within reach, the rim is at 46.4°.
        let oregon = found.iter().find(|s| s.crs.code == Some(2269));
        assert!(oregon.is_none_or(|s| s.worst.length_ppm() < 200.0));
    }

    #[test]
    fn a_country_whose_systems_leave_parts_out_is_told_them_all_the_same() {
        let catalogue = Catalogue::embedded();
        for (country, code) in [("New Zealand", 2193), ("Germany", 4839), ("United Kingdom", 27700), ("Fiji", 3460)] {
            let area = catalogue.area_named(country).unwrap();
            let found = advise(&area, Purpose::National);
            assert_eq!(found[0].crs.code, Some(code), "{country}: {:?}", found[0]);
            let codes: std::collections::HashSet<_> = found.iter().map(|s| s.crs.code).collect();
            assert_eq!(codes.len(), found.len(), "{country}: each once");
        }
        let nameless = Area::of_bounds([160.6, -55.95, -171.2, -25.88]);
        let found = advise(&nameless, Purpose::National);
        assert!(found.iter().all(|s| s.crs.area.contains_area(&nameless)), "nobody said which country");
    }

    #[test]
    fn the_web_says_what_it_costs() {
        let found = advise(&estuary(), Purpose::Web);
        assert_eq!(found[0].crs.code, Some(3857));
        // 1/cos 46° = 1.4396, on the ellipsoid about two parts in a thousand beside it.
        assert!((found[0].worst.largest_scale - 1.0 / 46.4f64.to_radians().cos()).abs() < 0.01);
        assert!(found[0].reasons[1].contains("not for measuring"));
    }

    #[test]
    fn world_maps_begin_with_equal_areas() {
        let found = advise(&estuary(), Purpose::World);
        assert!(found.len() > 10 && found[0].worst.area_ppm() < 100.0, "{:?}", found.first());
        assert!(found.iter().any(|s| s.crs.name.starts_with("Equal Earth") && s.worst.area_ppm() < 1.0));
    }

    #[test]
    fn a_projection_of_ones_own_halves_its_error() {
        let own = own(&estuary(), Purpose::Measure).unwrap();
        let (low, high) = (1.0 - own.worst.smallest_scale, own.worst.largest_scale - 1.0);
        assert!((low - high).abs() < 2e-7 && high < 1e-5, "{low} {high}");
        let wide = Area { west_deg: -100.0, east_deg: 100.0, ..estuary() };
        assert!(super::own(&wide, Purpose::Measure).is_none());
    }
}
