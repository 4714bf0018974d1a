//! Leading digits cut off or put in front, and decimal points in another place.

use super::{Case, Hypothesis};

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    // Many ways lead to a large place.
    if !case.is_narrow {
        return;
    }
    let names = if case.is_geographic() { ["longitudes", "latitudes"] } else { ["eastings", "northings"] };
    let mut shifts: Vec<(usize, f64)> = Vec::new();
    if case.is_geographic() {
        shifts.extend([(0, 100.0), (0, -100.0)]);
    } else {
        for axis in 0..2 {
            shifts.extend((1..=9).flat_map(|k| [1e5, 1e6].map(|unit| (axis, f64::from(k) * unit))));
            // A zone's number in front of the easting, or another one.
            shifts.extend((1..=9).map(|k| (axis, f64::from(-k) * 1e6)));
        }
    }
    for (axis, shift) in shifts {
        let name = names[axis];
        let digit = shift.abs().to_string();
        let digit = &digit[..1];
        let (claim, mend) = if shift > 0.0 || case.is_geographic() {
            (
                format!("a leading digit {digit} seems to be cut off the {name}"),
                format!("put the {digit} back in front of the {name}"),
            )
        } else {
            (
                format!("the {name} seem to have a digit {digit} in front"),
                format!("take the {digit} off the {name}, or say the system whose false easting has it"),
            )
        };
        let then = format!("with {shift:+} in the {name}");
        let change = move |mut p: [f64; 2]| {
            p[axis] += shift;
            p
        };
        case.suppose(out, ("lost-digits", 2), [claim, then, mend], change);
    }
    for power in [1, 2, 3, 4, 5, 6, 7] {
        let factor = 10f64.powi(-power);
        let claim =
            format!("the decimal point seems to be missing: the numbers are {} times as large", 10f64.powi(power));
        let words = [claim, format!("divided by {}", 10f64.powi(power)), "put the decimal point back".to_string()];
        case.suppose(out, ("lost-digits", 3), words, move |p| p.map(|v| v * factor));
    }
}
