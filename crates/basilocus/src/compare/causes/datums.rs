//! One datum read as another one.

use super::{Cause, Suspect, wgs84};
use crate::Error;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};
use basilocus_geodesy::operation::Operation;

pub(super) fn add(suspect: &Suspect, out: &mut Vec<Cause>) -> Result<(), Error> {
    let (Some(own), Some(datum)) = (suspect.crs.geographic(), suspect.crs.datum()) else { return Ok(()) };
    let to_degrees =
        if suspect.crs.is_geographic() { None } else { Some(Operation::between(suspect.crs, &own, None)?) };
    let to_degrees = std::rc::Rc::new(to_degrees);
    let wgs84 = wgs84()?;
    for code in Catalogue::embedded().codes() {
        let Ok(other) = Catalogue::embedded().get(code) else { continue };
        let Kind::Geographic { datum: of_other, unit } = &other.kind else { continue };
        let [lon, lat] = suspect.middle;
        if of_other.name == datum.name || unit.degrees != 1.0 || !other.area.contains(lon, lat) {
            continue;
        }
        let Ok(way) = Operation::between(&other, &wgs84, None) else { continue };
        // Frames that are taken as equal explain nothing.
        let [x, y] = suspect.middle;
        if way.apply_one(x, y, 0.0).is_none_or(|(u, v, _)| (u - x).hypot(v - y) < 1e-8) {
            continue;
        }
        let to_degrees = to_degrees.clone();
        out.push(suspect.cause(
            format!("{} has coordinates in {} and was read as {}", suspect.name, other.title(), own.title()),
            mend(suspect, &other),
            Box::new(move |[x, y]| {
                let (lon, lat) = match &*to_degrees {
                    Some(way) => way.apply_one(x, y, 0.0).map(|(lon, lat, _)| (lon, lat))?,
                    None => (x, y),
                };
                way.apply_one(lon, lat, 0.0).map(|(lon, lat, _)| [lon, lat])
            }),
        ));
    }
    Ok(())
}

fn mend(suspect: &Suspect, other: &Crs) -> String {
    if suspect.crs.is_geographic() {
        format!("say `{}` {}", suspect.option, other.identifier())
    } else {
        format!("say with `{}` the system of the same zone on {}", suspect.option, other.name)
    }
}
