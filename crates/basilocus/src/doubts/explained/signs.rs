//! A minus sign lost, or one too many.

use super::{Case, Hypothesis, SAMPLE};

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    let names = if case.is_geographic() { ["longitudes", "latitudes"] } else { ["eastings", "northings"] };
    let hemispheres = if case.is_geographic() { "in the other hemisphere" } else { "with the other sign" };
    for axis in 0..2 {
        let name = names[axis];
        let change = move |mut p: [f64; 2]| {
            p[axis] = -p[axis];
            p
        };
        // Of those that it would bring home: others have nothing to do with it.
        let Some(place) = case.after(change) else { continue };
        let some = case.suspects.iter().step_by(case.suspects.len().div_ceil(SAMPLE).max(1));
        let home: Vec<&[f64; 2]> = some.filter(|p| case.is_inside(place(**p))).collect();
        let lacks = home.iter().filter(|p| p[axis] > 0.0).count() * 2 >= home.len();
        let claim = if lacks {
            format!("the {name} seem to lack their minus sign")
        } else {
            format!("the {name} seem to have a minus sign too many")
        };
        let letter = if axis == 0 { "a W" } else { "an S" };
        let mend = match (lacks, case.is_geographic()) {
            (true, true) => format!("put a minus sign in front of the {name}, or {letter} behind them"),
            (true, false) => format!("put a minus sign in front of the {name}"),
            (false, _) => format!("take the minus sign off the {name}"),
        };
        case.suppose(out, ("missing-sign", 0), [claim, hemispheres.into(), mend], change);
    }
    let claim = format!("{} and {} seem to have lost their signs", names[0], names[1]);
    let mend = "put the signs right".to_string();
    case.suppose(out, ("missing-sign", 1), [claim, "with the other signs".into(), mend], |[x, y]| [-x, -y]);
}
