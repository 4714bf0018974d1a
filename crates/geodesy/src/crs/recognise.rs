//! Which system of the catalogue a definition is, by its numbers first and its names second.
//!
//! Files carry names without codes, in spellings of their own. What a projection does to a handful of positions is
//! the same whatever it is called; names only decide between datums on one ellipsoid.

use super::catalogue::Catalogue;
use super::wkt::Definition;
use super::{Area, Crs, Kind};
use crate::projection::Projection;
use std::collections::BTreeSet;

/// Largest difference between projections that count as the same, metres: definitions are printed with few digits.
const SAME_M: f64 = 0.001;

/// What a definition was recognised as.
#[derive(Debug, Clone, PartialEq)]
pub struct Recognition {
    /// The system: the catalogue's where it was recognised, else as it was defined.
    pub crs: Crs,
    /// Whether it is the catalogue's.
    pub in_catalogue: bool,
    /// Why, line by line.
    pub evidence: Vec<String>,
    /// Other systems of the catalogue with the same numbers, best first.
    pub others: Vec<Crs>,
}

/// Looks a definition up in the catalogue.
///
/// ```
/// use basilocus_geodesy::crs::{recognise, wkt};
/// let text = r#"GEOGCS["old survey",DATUM["North_American_1927",SPHEROID["Clarke 1866",6378206.4,294.9786982]],
///     PRIMEM["Greenwich",0],UNIT["Degree",0.017453292519943295]]"#;
/// let found = recognise(&wkt::read(text)?);
/// assert_eq!(found.crs.identifier(), "EPSG:4267");
/// # Ok::<(), basilocus_geodesy::Error>(())
/// ```
pub fn recognise(definition: &Definition) -> Recognition {
    let own = &definition.crs;
    let catalogue = Catalogue::embedded();
    let as_defined = |mut evidence: Vec<String>, others: Vec<Crs>| Recognition {
        crs: on_known_datum(own, &mut evidence),
        in_catalogue: false,
        evidence,
        others,
    };
    let mut evidence = Vec::new();
    let projection = own.projection().ok().flatten();
    if let Some(code) = definition.claimed_code {
        match catalogue.get(code) {
            Ok(crs) => match difference(own, projection.as_ref(), &crs) {
                None => {
                    evidence.push(format!("it says EPSG:{code}, and its numbers are those of the catalogue"));
                    return Recognition { crs, in_catalogue: true, evidence, others: Vec::new() };
                }
                Some(what) => {
                    evidence
                        .push(format!("it says EPSG:{code} ({}), but {what}: it is used as it is written", crs.name));
                    // What it says is named above; its numbers are others.
                    return as_defined(evidence, Vec::new());
                }
            },
            Err(_) => evidence.push(format!("it says EPSG:{code}, which is not in the catalogue")),
        }
    }
    if let Kind::Compound { horizontal, vertical } = &own.kind {
        let part = |c: &Crs| recognise(&Definition { crs: c.clone(), claimed_code: c.code });
        let (h, v) = (part(horizontal), part(vertical));
        evidence.extend(h.evidence.into_iter().chain(v.evidence));
        let in_catalogue = h.in_catalogue && v.in_catalogue;
        let kind = Kind::Compound { horizontal: Box::new(h.crs), vertical: Box::new(v.crs) };
        let crs = Crs { kind, ..own.clone() };
        return Recognition { crs, in_catalogue, evidence, others: Vec::new() };
    }
    // The catalogue's systems with the same numbers, by how well their names fit.
    let unit = match &own.kind {
        Kind::Geographic { unit, .. } => Some(unit.degrees),
        Kind::Projected { unit, .. } | Kind::Vertical { unit, .. } => Some(unit.metres),
        _ => None,
    };
    let mut same: Vec<(f64, f64, Crs)> = catalogue
        .with_numbers(own.kind_name(), own.datum().map(|d| d.ellipsoid.semi_major_m), unit)
        .filter(|c| difference(own, projection.as_ref(), c).is_none())
        .map(|c| {
            let (datum, name) = likeness(own, &c);
            (datum, name, c)
        })
        .collect();
    same.sort_by(|a, b| (b.0 + b.1).total_cmp(&(a.0 + a.1)).then(a.2.code.cmp(&b.2.code)));
    if same.is_empty() {
        evidence.push("no system of the catalogue has these numbers".into());
        return as_defined(evidence, Vec::new());
    }
    let numbers = match own.kind {
        Kind::Projected { .. } => "ellipsoid, unit and what the projection does",
        _ => "ellipsoid, prime meridian and unit",
    };
    evidence.push(match same.len() {
        1 => format!("one system of the catalogue has its numbers ({numbers})"),
        n => format!("{n} systems of the catalogue have its numbers ({numbers})"),
    });
    let (datum_fit, name_fit, best) = &same[0];
    let clear = same.get(1).is_none_or(|second| datum_fit + name_fit > second.0 + second.1 + 0.05);
    let others: Vec<Crs> = same.iter().skip(1).take(5).map(|(_, _, c)| c.clone()).collect();
    let datum_name = own.datum().map_or(String::new(), |d| d.name.clone());
    if *datum_fit < 0.3 {
        evidence.push(format!("none of them is on a datum named like \"{datum_name}\""));
        return as_defined(evidence, same.iter().take(5).map(|(_, _, c)| c.clone()).collect());
    }
    if !clear {
        let list: Vec<String> = same.iter().take(5).map(|(_, _, c)| c.title()).collect();
        evidence.push(format!("the names do not decide between {}", list.join(", ")));
        return as_defined(evidence, same.iter().take(5).map(|(_, _, c)| c.clone()).collect());
    }
    evidence.push(format!(
        "\"{}\" on the datum \"{datum_name}\" is named like {} on {}",
        own.name,
        best.title(),
        best.datum().map_or("its datum", |d| d.name.as_str())
    ));
    Recognition { crs: best.clone(), in_catalogue: true, evidence, others }
}

/// A projected system of its own kept as it is, its datum the catalogue's where that is known by its numbers and names:
/// what leads from there to other datums leads from here.
fn on_known_datum(own: &Crs, evidence: &mut Vec<String>) -> Crs {
    let mut crs = own.clone();
    let Kind::Projected { datum, base, .. } = &mut crs.kind else { return crs };
    if datum.shift.is_some() {
        // The file says itself how its datum is shifted.
        return crs;
    }
    let kind = Kind::Geographic { datum: datum.clone(), unit: base.unit.clone() };
    let geographic = Crs { code: None, name: base.name.clone(), kind, area: own.area.clone(), axes: String::new() };
    let known = recognise(&Definition { crs: geographic, claimed_code: base.code });
    let found = if known.in_catalogue {
        Some(&known.crs)
    } else {
        // Several systems may share a datum; which of them it is changes nothing.
        let mut alike = known.others.iter().filter(|c| overlap(&tokens(&datum.name), &datum_tokens(c)) == 1.0);
        let first = alike.next();
        first.filter(|f| alike.all(|c| c.datum().map(|d| &d.name) == f.datum().map(|d| &d.name)))
    };
    let Some((found, as_known)) = found.and_then(|f| Some((f, f.datum()?))) else {
        evidence
            .push(format!("its datum \"{}\" is none of the catalogue: no way to other datums is known", datum.name));
        return crs;
    };
    evidence.push(format!("its datum \"{}\" is that of {}, and transformed like it", datum.name, found.title()));
    base.code = found.code;
    *datum = as_known.clone();
    if crs.area.share_of_earth() > 0.999 {
        crs.area = found.area.clone();
    }
    crs
}

fn datum_tokens(crs: &Crs) -> BTreeSet<String> {
    tokens(crs.datum().map_or("", |d| d.name.as_str()))
}

/// In what two systems differ, in words; `None` where their numbers are the same.
fn difference(a: &Crs, projection: Option<&Projection>, b: &Crs) -> Option<String> {
    if std::mem::discriminant(&a.kind) != std::mem::discriminant(&b.kind) {
        return Some(format!("that is a {} system and this is {}", b.kind_name(), a.kind_name()));
    }
    if let (Some(d), Some(e)) = (a.datum(), b.datum()) {
        // Semi-major axes are printed to a millimetre or so, flattenings to ten digits.
        if (d.ellipsoid.semi_major_m - e.ellipsoid.semi_major_m).abs() > 2e-3
            || (d.ellipsoid.semi_minor_m() - e.ellipsoid.semi_minor_m()).abs() > 0.02
        {
            return Some(format!("its ellipsoid is {} and not {}", d.ellipsoid.name, e.ellipsoid.name));
        }
        if (d.ellipsoid.inverse_flattening - e.ellipsoid.inverse_flattening).abs() > 1e-7
            && d.ellipsoid.name != e.ellipsoid.name
            && is_modern(d.ellipsoid.inverse_flattening)
            && is_modern(e.ellipsoid.inverse_flattening)
        {
            // GRS 1980 and WGS 84 differ in the eighth digit, and in nothing else.
            return Some(format!("its ellipsoid is {} and not {}", d.ellipsoid.name, e.ellipsoid.name));
        }
        if (d.prime_meridian_deg - e.prime_meridian_deg).abs() > 1e-7 {
            return Some(format!(
                "its prime meridian is at {}° and not at {}°",
                d.prime_meridian_deg, e.prime_meridian_deg
            ));
        }
    }
    match (&a.kind, &b.kind) {
        (Kind::Geographic { unit: u, .. }, Kind::Geographic { unit: v, .. }) if u.degrees != v.degrees => {
            Some(format!("its unit is the {} and not the {}", u.name, v.name))
        }
        (Kind::Vertical { datum_name: d, unit: u }, Kind::Vertical { datum_name: e, unit: v }) => {
            if (u.metres / v.metres - 1.0).abs() > 1e-9 {
                Some(format!("its unit is the {} and not the {}", u.name, v.name))
            } else {
                (overlap(&tokens(d), &tokens(e)) < 0.3).then(|| format!("its datum is {d} and not {e}"))
            }
        }
        (Kind::Projected { unit: u, .. }, Kind::Projected { unit: v, .. }) => {
            if (u.metres / v.metres - 1.0).abs() > 1e-8 {
                return Some(format!("its unit is {} m and not {} m", u.metres, v.metres));
            }
            let (Some(p), Ok(Some(q))) = (projection, b.projection()) else {
                return Some("its projection cannot be computed".into());
            };
            let worst = farthest(p, &q, &b.area);
            (worst > SAME_M).then(|| {
                if worst.is_finite() {
                    format!("its projection puts positions up to {worst:.3} m elsewhere")
                } else {
                    "its projection has another domain".into()
                }
            })
        }
        _ => None,
    }
}

fn is_modern(inverse_flattening: f64) -> bool {
    (inverse_flattening - 298.257_222).abs() < 1e-5
}

/// Largest difference of two projections over an area, metres; infinite where one of them has no numbers.
fn farthest(p: &Projection, q: &Projection, area: &Area) -> f64 {
    let east = if area.west_deg <= area.east_deg { area.east_deg } else { area.east_deg + 360.0 };
    let mut worst: f64 = 0.0;
    for (fx, fy) in [(0.5, 0.5), (0.1, 0.1), (0.9, 0.9), (0.1, 0.9), (0.9, 0.1)] {
        let lon = area.west_deg + fx * (east - area.west_deg);
        let lat = area.south_deg + fy * (area.north_deg - area.south_deg);
        worst = worst.max(match (p.forward(lon, lat), q.forward(lon, lat)) {
            (Some(a), Some(b)) => (a.0 - b.0).hypot(a.1 - b.1),
            (None, None) => 0.0,
            _ => f64::INFINITY,
        });
        if worst > SAME_M {
            break;
        }
    }
    worst
}

/// How alike the datums and the systems are named, 0 to 1 each.
fn likeness(own: &Crs, other: &Crs) -> (f64, f64) {
    let names = |c: &Crs| {
        let base = match &c.kind {
            Kind::Projected { base, .. } => base.name.clone(),
            _ => c.name.clone(),
        };
        (tokens(c.datum().map_or("", |d| d.name.as_str())), tokens(&base), tokens(&c.name))
    };
    let ((d, base, name), (e, other_base, other_name)) = (names(own), names(other));
    let datum = overlap(&d, &e).max(overlap(&d, &other_base)).max(overlap(&base, &other_base));
    (datum, overlap(&name, &other_name))
}

/// What abbreviations of frames stand for: files spell out what the registry shortens, and the other way round.
const SPELT_OUT: &[(&str, &[&str])] = &[
    ("cors", &["continuously", "operating", "station"]),
    ("csrs", &["canadian", "spatial"]),
    ("ed", &["european"]),
    ("etrs", &["european", "terrestrial"]),
    ("fbn", &["federal", "base", "network"]),
    ("gda", &["geocentric", "australia"]),
    ("harn", &["high", "accuracy", "network"]),
    ("itrf", &["international", "terrestrial", "frame"]),
    ("nad", &["north", "american"]),
    ("nsrs", &["national", "spatial"]),
    ("wgs", &["w"]),
    ("world", &["w"]),
];

/// Words and numbers of a name: years of the last century by their last two digits, fillers left out.
fn tokens(name: &str) -> BTreeSet<String> {
    const FILLERS: &[&str] = &["datum", "d", "gcs", "geodetic", "system", "the", "of", "crs", "ensemble", "reference"];
    let mut out = BTreeSet::new();
    let mut word = String::new();
    let mut push = |word: &mut String| {
        if !word.is_empty() {
            let short = match word.strip_prefix("19") {
                Some(year) if word.len() == 4 && year.chars().all(|c| c.is_ascii_digit()) => year.to_string(),
                _ => word.clone(),
            };
            if !FILLERS.contains(&short.as_str()) {
                match SPELT_OUT.iter().find(|(abbreviation, _)| *abbreviation == short) {
                    Some((_, words)) => out.extend(words.iter().map(|w| w.to_string())),
                    None => drop(out.insert(short)),
                }
            }
            word.clear();
        }
    };
    let mut digits = None;
    for c in name.chars().flat_map(char::to_lowercase) {
        if !c.is_alphanumeric() {
            push(&mut word);
            digits = None;
            if c == '+' {
                // A frame's successor may differ from it by this sign alone.
                push(&mut "plus".to_string());
            }
            continue;
        }
        if digits.is_some_and(|d| d != c.is_ascii_digit()) {
            push(&mut word);
        }
        digits = Some(c.is_ascii_digit());
        word.push(c);
    }
    push(&mut word);
    out
}

/// Shared words over all words.
fn overlap(a: &BTreeSet<String>, b: &BTreeSet<String>) -> f64 {
    let all = a.union(b).count();
    if all == 0 { 0.0 } else { a.intersection(b).count() as f64 / all as f64 }
}
