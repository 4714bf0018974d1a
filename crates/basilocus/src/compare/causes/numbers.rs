//! Numbers that are wrong by themselves: exchanged axes, lost signs and digits, other units and zones.

use super::{Cause, Suspect, wgs84};
use crate::Error;
use crate::doubts::suppositions;
use basilocus_geodesy::crs::Area;
use basilocus_geodesy::operation::Operation;

pub(super) fn add(suspect: &Suspect, out: &mut Vec<Cause>) -> Result<(), Error> {
    let [w, s, e, n] = suspect.bounds;
    let area = Area {
        west_deg: w - 0.1,
        south_deg: s - 0.1,
        east_deg: e + 0.1,
        north_deg: n + 0.1,
        description: String::new(),
    };
    for supposed in suppositions(suspect.crs, &area, &suspect.numbers) {
        // Degrees of its own datum, to those of WGS 84.
        let to_wgs84 = match suspect.crs.geographic() {
            Some(geographic) => Operation::between(&geographic, &wgs84()?, None)?,
            None => continue,
        };
        let place = supposed.place;
        out.push(suspect.cause(
            format!("{}: {}", suspect.name, supposed.claim),
            supposed.mend.replace("`from`", &format!("`{}`", suspect.option)),
            Box::new(move |numbers| {
                let [lon, lat] = place(numbers)?;
                to_wgs84.apply_one(lon, lat, 0.0).map(|(lon, lat, _)| [lon, lat])
            }),
        ));
    }
    Ok(())
}
