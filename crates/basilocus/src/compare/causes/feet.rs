//! US survey feet read as international feet, and the other way round.

use super::{Cause, Suspect, wgs84};
use crate::Error;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::unit::{INTERNATIONAL_FOOT_M, US_SURVEY_FOOT_M};

pub(super) fn add(suspect: &Suspect, out: &mut Vec<Cause>) -> Result<(), Error> {
    let systems: Vec<Crs> = if in_feet(suspect.crs).is_some() {
        vec![suspect.crs.clone()]
    } else if suspect.crs.is_geographic() {
        // Degrees that somebody made of feet: by any system in feet of that place.
        let [lon, lat] = suspect.middle;
        let catalogue = Catalogue::embedded();
        let all = catalogue.codes().filter_map(|code| catalogue.get(code).ok());
        all.filter(|crs| in_feet(crs).is_some() && crs.area.share_of_earth() < 0.01 && crs.area.contains(lon, lat))
            .collect()
    } else {
        Vec::new()
    };
    let wgs84 = wgs84()?;
    for crs in systems {
        let Some((read_as, factor)) = in_feet(&crs) else { continue };
        let (Ok(to_feet), Ok(back)) =
            (Operation::between(suspect.crs, &crs, None), Operation::between(&crs, &wgs84, None))
        else {
            continue;
        };
        let (is, was) =
            if read_as { ("US survey feet", "international feet") } else { ("international feet", "US survey feet") };
        out.push(suspect.cause(
            format!("{}: {is} of {} were read as {was}", suspect.name, crs.title()),
            format!("bring {} to degrees again, from the system in {is}", suspect.name),
            Box::new(move |[x, y]| {
                let (x, y, _) = to_feet.apply_one(x, y, 0.0)?;
                back.apply_one(x * factor, y * factor, 0.0).map(|(lon, lat, _)| [lon, lat])
            }),
        ));
    }
    Ok(())
}

/// Whether a system in feet is in international ones, and what numbers in the other feet are to be taken times.
fn in_feet(crs: &Crs) -> Option<(bool, f64)> {
    let Kind::Projected { unit, .. } = &crs.kind else { return None };
    let is = |foot: f64| (unit.metres - foot).abs() < 1e-9;
    if is(INTERNATIONAL_FOOT_M) {
        Some((true, US_SURVEY_FOOT_M / INTERNATIONAL_FOOT_M))
    } else if is(US_SURVEY_FOOT_M) {
        Some((false, INTERNATIONAL_FOOT_M / US_SURVEY_FOOT_M))
    } else {
        None
    }
}
