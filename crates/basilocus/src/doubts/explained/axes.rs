//! x and y exchanged.

use super::{Case, Hypothesis};

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    let names = if case.is_geographic() { "longitude and latitude" } else { "easting and northing" };
    let words = |claim: String, then: &str, mend: &str| [claim, then.to_string(), mend.to_string()];
    let exchanged = words(format!("{names} look swapped"), "when exchanged", "say `x` and `y` the other way round");
    case.suppose(out, ("swapped-axes", 0), exchanged, |[x, y]| [y, x]);
    if !case.is_geographic() {
        return;
    }
    for [sign_x, sign_y] in [[-1.0, 1.0], [1.0, -1.0], [-1.0, -1.0]] {
        let which = match [sign_x < 0.0, sign_y < 0.0] {
            [true, true] => "both signs",
            [true, false] => "the sign of the longitude",
            _ => "the sign of the latitude",
        };
        let also = words(
            format!("{names} look swapped, and {which} wrong"),
            "when exchanged and given the other sign",
            "say `x` and `y` the other way round, and put the signs right",
        );
        case.suppose(out, ("swapped-axes", 2), also, move |[x, y]| [sign_x * y, sign_y * x]);
    }
}
