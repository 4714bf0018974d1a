//! A false easting or northing that was left out, or counted twice.

use super::{Case, Hypothesis};
use basilocus_geodesy::crs::Kind;

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    let Kind::Projected { parameters, unit, .. } = &case.crs.horizontal().kind else { return };
    if !case.is_narrow {
        return;
    }
    let find = |words: [&str; 2]| {
        let plain = |name: &str| name.replace('_', " ").to_lowercase();
        let mut named = parameters.0.iter().filter(|(name, _)| words.contains(&plain(name).as_str()));
        named.next().map_or(0.0, |(_, metres)| metres / unit.metres)
    };
    let easting = find(["false easting", "easting at false origin"]);
    let northing = find(["false northing", "northing at false origin"]);
    for [dx, dy] in [[easting, 0.0], [0.0, northing], [easting, northing]] {
        if dx == 0.0 && dy == 0.0 {
            continue;
        }
        for (sign, what, then) in
            [(1.0, "seems to be left out", "with it"), (-1.0, "seems to be counted twice", "without it")]
        {
            let name = match [dx != 0.0, dy != 0.0] {
                [true, false] => format!("the false easting {dx}"),
                [false, _] => format!("the false northing {dy}"),
                _ => format!("the false easting and northing {dx}, {dy}"),
            };
            let mend = "say with `from` a system of your own with another false origin (`crs show --toml` writes one to change)";
            let words = [format!("{name} {what}"), then.to_string(), mend.to_string()];
            case.suppose(out, ("wrong-system", 2), words, move |[x, y]| [x + sign * dx, y + sign * dy]);
        }
    }
}
