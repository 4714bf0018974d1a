//! Longitudes that are counted from another meridian.

use super::{Case, Hypothesis};
use basilocus_geodesy::crs::Catalogue;
use std::collections::BTreeMap;

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    if !(case.is_geographic() && case.is_narrow) {
        return;
    }
    let own = case.crs.datum().map_or(0.0, |d| d.prime_meridian_deg);
    let mut meridians = BTreeMap::from([("Greenwich".to_string(), 0.0)]);
    for code in Catalogue::embedded().codes() {
        if let Ok(crs) = Catalogue::embedded().get(code)
            && let Some(datum) = crs.datum()
        {
            meridians.entry(datum.prime_meridian.clone()).or_insert(datum.prime_meridian_deg);
        }
    }
    for (name, degrees) in meridians.into_iter().filter(|(_, degrees)| (degrees - own).abs() > 1e-9) {
        let shift = degrees - own;
        let words = [
            format!("the longitudes seem to be counted from {name}"),
            format!("counted from {name}"),
            format!("say with `from` a system whose prime meridian is {name}"),
        ];
        case.suppose(out, ("wrong-system", 2), words, move |[x, y]| [x + shift, y]);
    }
}
