//! A plate's motion between two epochs: a global frame and one that is fixed to its plate, taken as equal.

use super::{Cause, Suspect, wgs84};
use crate::Error;
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::plate::{PLATES, Plate};

/// Half years that are tried: up to four decades.
const HALF_YEARS: std::ops::RangeInclusive<u32> = 1..=80;

/// Systems that are fixed to a plate, by which it is known which plate a place is on.
const FIXED_TO: [(u32, &str); 5] =
    [(4258, "Eurasia"), (4269, "North America"), (4674, "South America"), (4283, "Australia"), (7844, "Australia")];

pub(super) fn add(suspect: &Suspect, out: &mut Vec<Cause>) -> Result<(), Error> {
    let [lon, lat] = suspect.middle;
    let on =
        FIXED_TO.iter().find(|(code, _)| Catalogue::embedded().get(*code).is_ok_and(|crs| crs.area.contains(lon, lat)));
    let Some(plate) = on.and_then(|(_, name)| PLATES.iter().find(|p| p.name == *name)) else { return Ok(()) };
    // One of both sides: the motion of the other one is the same backwards.
    if suspect.side == 0 {
        return Ok(());
    }
    let way = std::rc::Rc::new(Operation::between(suspect.crs, &wgs84()?, None)?);
    for half_years in HALF_YEARS {
        for sign in [1.0, -1.0] {
            let years = f64::from(half_years) / 2.0;
            let way = way.clone();
            let words = if sign > 0.0 { "later" } else { "earlier" };
            out.push(suspect.cause(
                format!(
                    "{} is where the plate {} has the first {years} years {words} ({:.1} mm a year)",
                    suspect.name,
                    plate.name,
                    speed_mm(plate, suspect.middle)
                ),
                "say the epochs of both, and bring them to one frame: `convert` with `epoch`".into(),
                Box::new(move |[x, y]| {
                    let (lon, lat, _) = way.apply_one(x, y, 0.0)?;
                    Some(plate.moved(lon, lat, -sign * years))
                }),
            ));
        }
    }
    Ok(())
}

fn speed_mm(plate: &Plate, [lon, lat]: [f64; 2]) -> f64 {
    let [east, north] = plate.velocity_m(lon, lat);
    east.hypot(north) * 1000.0
}
