//! Digits cut off: the other side has the same numbers, rounded.

use super::{Cause, Suspect, wgs84};
use crate::Error;
use basilocus_geodesy::operation::Operation;

pub(super) fn add(suspect: &Suspect, out: &mut Vec<Cause>) -> Result<(), Error> {
    // Rounding moves each row its own way.
    if suspect.is_constant {
        return Ok(());
    }
    let way = std::rc::Rc::new(Operation::between(suspect.crs, &wgs84()?, None)?);
    let (other, digits) =
        (["the second", "the first"][suspect.side], if suspect.crs.is_geographic() { 1..=6 } else { -4..=2 });
    for digits in digits {
        let what = match digits {
            0.. => format!("{digits} decimals"),
            _ => format!("{}s", 10f64.powi(-digits)),
        };
        let step = 10f64.powi(-digits);
        for (how, cut) in [("rounded to", f64::round as fn(f64) -> f64), ("cut off at", f64::trunc)] {
            let way = way.clone();
            out.push(suspect.cause(
                format!("{other} is {} {how} {what}", suspect.name),
                format!("use {}, or write more digits", suspect.name),
                Box::new(move |p| {
                    let [x, y] = p.map(|v| cut(v / step) * step);
                    way.apply_one(x, y, 0.0).map(|(lon, lat, _)| [lon, lat])
                }),
            ));
        }
    }
    Ok(())
}
