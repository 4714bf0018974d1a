//! Numbers of a neighbouring zone, or of the other hemisphere's.

use super::{Case, Hypothesis};
use basilocus_geodesy::crs::{Area, Catalogue, Kind};
use basilocus_geodesy::operation::Operation;

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    let crs = case.crs.horizontal();
    let (Kind::Projected { method, unit, .. }, Some(datum)) = (&crs.kind, crs.datum()) else { return };
    for code in Catalogue::embedded().codes() {
        let Ok(other) = Catalogue::embedded().get(code) else { continue };
        let Kind::Projected { datum: of_other, method: how, unit: in_unit, .. } = &other.kind else { continue };
        let is_sister = of_other.name == datum.name && how == method && in_unit.metres == unit.metres;
        if !is_sister
            || other.code == crs.code
            || !are_of_one_series(&crs.name, &other.name)
            || !meet(&other.area, case.area)
        {
            continue;
        }
        let Ok(way) = Operation::to_degrees(&other) else { continue };
        out.push(Hypothesis {
            doubt: "wrong-zone",
            tier: 1,
            claim: format!("the numbers look like those of {}", other.title()),
            then: format!("as numbers of {}", other.title()),
            mend: format!("say `from` {}", other.identifier()),
            place: Box::new(move |[x, y]| way.apply_one(x, y, 0.0).map(|(lon, lat, _)| [lon, lat])),
        });
    }
}

/// Whether two names differ in one word alone: a number, a compass point.
fn are_of_one_series(a: &str, b: &str) -> bool {
    let (a, b): (Vec<&str>, Vec<&str>) = (a.split_whitespace().collect(), b.split_whitespace().collect());
    a.len() == b.len() && a.iter().zip(&b).filter(|(a, b)| a != b).count() == 1
}

/// Whether two areas have a place in common.
pub(super) fn meet(a: &Area, b: &Area) -> bool {
    let in_latitude = a.south_deg <= b.north_deg && b.south_deg <= a.north_deg;
    let width = |a: &Area| (a.east_deg - a.west_deg).rem_euclid(360.0);
    let offset = (b.west_deg - a.west_deg).rem_euclid(360.0);
    in_latitude && (offset <= width(a) || offset + width(b) >= 360.0)
}
