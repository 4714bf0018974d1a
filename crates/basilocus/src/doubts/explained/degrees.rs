//! Degrees read as lengths.

use super::{Case, Hypothesis};

pub(super) fn add(case: &Case, out: &mut Vec<Hypothesis>) {
    if case.is_geographic() {
        return;
    }
    let mend = "say the system of degrees that they are in with `from`, such as EPSG:4326";
    for (words, exchanged) in [("longitude and latitude", false), ("latitude and longitude", true)] {
        out.push(Hypothesis {
            doubt: "degrees-or-metres",
            tier: 0,
            claim: format!("the numbers look like degrees, {words}"),
            then: "as degrees".into(),
            mend: mend.into(),
            place: Box::new(move |[x, y]| Some(if exchanged { [y, x] } else { [x, y] })),
        });
    }
}
