//! Numbers in another unit than that of their system.

use super::{Case, Hypothesis};
use basilocus_geodesy::crs::Kind;
use basilocus_geodesy::unit::INTERNATIONAL_FOOT_M;

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    let Kind::Projected { unit, .. } = &case.crs.horizontal().kind else { return };
    let is_metre = unit.metres == 1.0;
    let own = unit.plural();
    // A place cannot tell the two feet apart: they differ by two millionths.
    let other = if is_metre {
        ("feet (international or US survey)", INTERNATIONAL_FOOT_M, "foot")
    } else {
        ("metres", 1.0 / unit.metres, "metre")
    };
    let thousands = [("thousands of them", 1000.0), ("thousandths of them", 0.001)];
    let (name, factor, singular) = other;
    let words = [
        format!("the numbers look like {name}, and were read as {own}"),
        format!("as {name}"),
        format!("say the sister system whose unit is the {singular} with `from`; `crs find` lists it"),
    ];
    case.suppose(out, ("wrong-foot", 1), words, move |p| p.map(|v| v * factor));
    for (name, factor) in thousands {
        let words = [
            format!("the numbers were read as {own}, and look like {name}"),
            format!("as {name}"),
            "bring the numbers to the unit of the system first".to_string(),
        ];
        case.suppose(out, ("wrong-foot", 2), words, move |p| p.map(|v| v * factor));
    }
}
