//! What would bring positions that lie in the wrong place to where they should be: hypotheses about how their numbers came to
//! be, tried on the numbers.
//!
//! A hypothesis is raised as the doubt that it names; nothing is changed by it. To add a kind: a file with an `add`, and its
//! line in the list below.

use super::DoubtName;
use basilocus_geodesy::crs::{Area, Crs, Kind};
use basilocus_geodesy::operation::Operation;

/// Two numbers of a row, x and y.
pub(crate) type Numbers = [f64; 2];

/// Where numbers would be, longitude and latitude in degrees from Greenwich.
pub(crate) type Place = Box<dyn Fn(Numbers) -> Option<[f64; 2]>>;

/// From here on a hypothesis of a higher tier has to explain more to be preferred: a share of the best one's rows.
const NEARLY: f64 = 0.9;
/// Hypotheses that explain as many rows, within that share, are named together.
const EQUAL: f64 = 0.98;
/// Rows that hypotheses are chosen by.
const SAMPLE: usize = 400;
/// As many causes are looked for in one layer.
const CAUSES: usize = 3;
/// As many hypotheses that do equally well are named.
const NAMED: usize = 3;

/// What hypotheses are raised as, and what nothing explains.
pub(super) const DOUBTS_OF_THE_PLACE: [&str; 9] = [
    "swapped-axes",
    "missing-sign",
    "degrees-or-metres",
    "wrong-foot",
    "wrong-zone",
    "lost-digits",
    "wrong-system",
    "outside-area",
    "other-town",
];

/// What is known of the rows in the wrong place.
pub(crate) struct Case<'a> {
    /// The system that the numbers were read in.
    pub crs: &'a Crs,
    /// Where they should be.
    pub area: &'a Area,
    /// Whether that place is known so narrowly that rare causes may be named.
    pub is_narrow: bool,
    /// The numbers of the rows.
    pub suspects: &'a [Numbers],
}

/// How numbers may have come to be.
struct Hypothesis {
    doubt: &'static str,
    /// How usual it is: of two that do as well, the more usual one is named.
    tier: u8,
    /// What seems to be wrong, as a sentence.
    claim: String,
    /// In which case the positions would be right.
    then: String,
    /// What mends it.
    mend: String,
    place: Place,
}

/// What explains rows.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Explanation {
    /// The doubt that it is raised as.
    pub doubt: DoubtName,
    /// What seems to be wrong.
    pub claim: String,
    /// In which case the positions would be right.
    pub then: String,
    /// What mends it.
    pub mend: String,
    /// Rows that it explains.
    pub rows: u64,
    /// Others that explain the same rows as well.
    pub others: Vec<String>,
}

macro_rules! hypotheses {
    ($($file:ident,)+) => {
        $(mod $file;)+

        fn all(case: &Case) -> Vec<Hypothesis> {
            let mut out = Vec::new();
            $($file::add(case, &mut out);)+
            out
        }
    };
}

hypotheses! {
    axes,
    signs,
    degrees,
    units,
    zones,
    digits,
    origins,
    meridians,
}

mod systems;

impl Case<'_> {
    fn is_geographic(&self) -> bool {
        matches!(self.crs.horizontal().kind, Kind::Geographic { .. })
    }

    /// The way from numbers of the system to degrees, after something was done to the numbers.
    fn after(&self, change: impl Fn(Numbers) -> Numbers + 'static) -> Option<Place> {
        let way = Operation::to_degrees(self.crs.horizontal()).ok()?;
        Some(Box::new(move |numbers| {
            let [x, y] = change(numbers);
            way.apply_one(x, y, 0.0).map(|(lon, lat, _)| [lon, lat])
        }))
    }

    /// Adds what happens if something is done to the numbers first.
    fn suppose(
        &self,
        out: &mut Vec<Hypothesis>,
        (doubt, tier): (&'static str, u8),
        [claim, then, mend]: [String; 3],
        change: impl Fn(Numbers) -> Numbers + 'static,
    ) {
        if let Some(place) = self.after(change) {
            out.push(Hypothesis { doubt, tier, claim, then, mend, place });
        }
    }

    fn count(&self, hypothesis: &Hypothesis, rows: &[Numbers]) -> usize {
        rows.iter().filter(|numbers| self.is_inside((hypothesis.place)(**numbers))).count()
    }

    fn is_inside(&self, place: Option<[f64; 2]>) -> bool {
        place.is_some_and(|[lon, lat]| lat.abs() <= 90.0 && self.area.contains(lon, lat))
    }
}

/// Where numbers would be in a case that a hypothesis supposes.
pub(crate) struct Supposed {
    /// What seems to be wrong.
    pub claim: String,
    /// What mends it.
    pub mend: String,
    /// From numbers to longitude and latitude, degrees from Greenwich in the datum of the system.
    pub place: Place,
}

/// All that may be wrong with numbers of a system, for places that are known one by one.
pub(crate) fn suppositions(crs: &Crs, area: &Area, numbers: &[Numbers]) -> Vec<Supposed> {
    let case = Case { crs, area, is_narrow: true, suspects: numbers };
    all(&case).into_iter().map(|h| Supposed { claim: h.claim, mend: h.mend, place: h.place }).collect()
}

/// What explains the rows of a case, the cause of most rows first; empty where nothing does.
pub(crate) fn explain(case: &Case) -> Vec<Explanation> {
    let mut left: Vec<Numbers> = case.suspects.to_vec();
    let mut hypotheses = all(case);
    let mut found = Vec::new();
    while found.len() < CAUSES && !left.is_empty() {
        let picked = pick(case, &hypotheses, &left);
        let picked = match picked {
            Some(picked) => picked,
            None if found.is_empty() && case.is_narrow && systems::add(case, &mut hypotheses) => {
                let Some(picked) = pick(case, &hypotheses, &left) else { break };
                picked
            }
            None => break,
        };
        let Some((first, others)) = picked.split_first() else { break };
        let first = &hypotheses[*first];
        let before = left.len();
        left.retain(|numbers| !case.is_inside((first.place)(*numbers)));
        let Some(doubt) = DoubtName::find(first.doubt) else { break };
        found.push(Explanation {
            doubt,
            claim: first.claim.clone(),
            then: first.then.clone(),
            mend: first.mend.clone(),
            rows: (before - left.len()) as u64,
            others: others.iter().map(|i| hypotheses[*i].claim.clone()).collect(),
        });
    }
    found
}

/// The hypotheses that explain most of some rows, the first one of them before those that do equally well.
fn pick(case: &Case, hypotheses: &[Hypothesis], rows: &[Numbers]) -> Option<Vec<usize>> {
    let sample: Vec<Numbers> = rows.iter().step_by(rows.len().div_ceil(SAMPLE)).copied().collect();
    let counts: Vec<usize> = hypotheses.iter().map(|h| case.count(h, &sample)).collect();
    let most = counts.iter().copied().max().filter(|most| *most > 0)?;
    // Half of the rows have one cause, or at least several rows do.
    let is_enough = most * 2 >= sample.len() || most >= 3.max(sample.len() / 20);
    let nearly = |i: &usize| counts[*i] as f64 >= most as f64 * NEARLY;
    let tier = (0..counts.len()).filter(nearly).map(|i| hypotheses[i].tier).min()?;
    let mut picked: Vec<usize> = (0..counts.len()).filter(nearly).filter(|i| hypotheses[*i].tier == tier).collect();
    let best = picked.iter().map(|i| counts[*i]).max()?;
    picked.retain(|i| counts[*i] as f64 >= best as f64 * EQUAL);
    picked.truncate(NAMED);
    is_enough.then_some(picked)
}

#[cfg(test)]
mod tests;
