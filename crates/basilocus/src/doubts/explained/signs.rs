//! A minus sign lost, or one too many.

use super::{Case, Hypothesis};

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    let names = if case.is_geographic() { ["longitudes", "latitudes"] } else { ["eastings", "northings"] };
    let hemispheres = if case.is_geographic() { "in the other hemisphere" } else { "with the other sign" };
    for axis in 0..2 {
        let name = names[axis];
        let positive = case.suspects.iter().filter(|p| p[axis] > 0.0).count();
        let lacks = positive * 2 >= case.suspects.len();
        let claim = if lacks {
            format!("the {name} seem to lack their minus sign")
        } else {
            format!("the {name} seem to have a minus sign too many")
        };
        let letter = if axis == 0 { "W" } else { "S" };
        let mend = match (lacks, case.is_geographic()) {
            (true, true) => format!("put a minus sign in front of the {name}, or a {letter} behind them"),
            (true, false) => format!("put a minus sign in front of the {name}"),
            (false, _) => format!("take the minus sign off the {name}"),
        };
        let change = move |mut p: [f64; 2]| {
            p[axis] = -p[axis];
            p
        };
        case.suppose(out, ("missing-sign", 0), [claim, hemispheres.into(), mend], change);
    }
    let claim = format!("{} and {} seem to have lost their signs", names[0], names[1]);
    let mend = "put the signs right".to_string();
    case.suppose(out, ("missing-sign", 1), [claim, "with the other signs".into(), mend], |[x, y]| [-x, -y]);
}
