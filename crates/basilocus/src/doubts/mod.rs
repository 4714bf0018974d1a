//! Suspicions about data, one file a doubt. None of them changes a row; each says what it saw, what would explain it and
//! what mends it.
//!
//! A doubt is bound to a layer before its rows come by (`Doubt::watch`), sees them at the end of the steps
//! (`Watch::rows`), and says at the end whether there is something to tell (`Watch::finding`).
//!
//! To add one: a file with a `DOUBT`, and its line in the list below.

mod apart;
mod cells;
mod crowd;
mod evidence;
mod explained;
mod first_rows;
mod report;
mod running_numbers;
mod second_system;
mod stored_measures;

pub(crate) use apart::{Neighbour, findings as of_layers_apart};
pub(crate) use evidence::{Ending, Scene, Seen};
pub(crate) use explained::suppositions;
pub use report::{DoubtReport, accept, accepted};
pub(crate) use steep_ground::of_steepness;
pub(crate) use undeclared_no_data::of_heights;
pub use wrong_measure::of_measures;

use basilocus_table::SetAsideRow;
use serde::{Serialize, Serializer};
use std::fmt;

/// A suspicion about data.
pub struct Doubt {
    /// The id in reports, and what `doubts NAME` takes.
    pub name: &'static str,
    /// What it looks for, in a sentence or two.
    pub looks_for: &'static str,
    /// What such data looks like.
    pub example: &'static str,
    /// What mends it.
    pub mend: &'static str,
    /// A watcher for a layer; `None` where the doubt cannot arise there.
    pub(crate) watch: fn(&Scene) -> Option<Box<dyn Watch>>,
}

/// The name of a doubt.
///
/// ```
/// use basilocus::doubts::{DOUBTS, DoubtName};
///
/// let name = DoubtName::find("swapped-axes").unwrap();
/// println!("{name}: {}", name.doubt().mend);
/// assert!(DOUBTS.iter().any(|d| d.name == name.as_str()));
/// ```
#[derive(Clone, Copy)]
pub struct DoubtName(&'static Doubt);

/// Watches the rows of a layer.
pub(crate) trait Watch: Send + Sync {
    /// Sees rows that go to the outputs, on any thread.
    fn rows(&self, _seen: &Seen) {}

    /// Sees rows that were set aside, on any thread; the scene has the names of their values.
    fn set_aside(&self, _rows: &[SetAsideRow], _scene: &Scene) {}

    /// What there is to tell once all rows were seen.
    fn finding(&self, scene: &Scene, end: &Ending) -> Option<Finding>;
}

/// What a doubt has to tell.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Finding {
    /// Column or columns.
    pub column: Option<String>,
    /// How many rows.
    pub rows: u64,
    /// What was seen, and what would explain it.
    pub message: String,
    /// What mends it.
    pub mend: String,
}

macro_rules! doubts {
    ($($file:ident,)+) => {
        $(mod $file;)+

        /// All doubts, in the order in which they are told.
        pub static DOUBTS: &[&Doubt] = &[$(&$file::DOUBT),+];
    };
}

doubts! {
    swapped_axes,
    same_column,
    missing_sign,
    left_out_part,
    degrees_or_metres,
    wrong_foot,
    wrong_zone,
    lost_digits,
    wrong_system,
    empty_point,
    fallback_point,
    shifted_header,
    mangled_code,
    formula,
    minutes_as_decimals,
    decimal_comma,
    lost_rows,
    hidden_rows,
    total_row,
    empty_result,
    missing_grid,
    mixed_frames,
    outside_area,
    contradiction,
    other_position,
    other_town,
    height_unit,
    repeated,
    local_drawing,
    lattice,
    other_ending,
    wrong_measure,
    unused_column,
    lost_values,
    beyond_control,
    undeclared_no_data,
    steep_ground,
}

impl DoubtName {
    /// The doubt of a name.
    pub fn find(name: &str) -> Option<Self> {
        DOUBTS.iter().copied().find(|d| d.name == name).map(DoubtName)
    }

    /// The name as text.
    pub fn as_str(self) -> &'static str {
        self.0.name
    }

    /// Whether it is about positions that are not where they should be.
    pub(crate) fn is_of_the_place(self) -> bool {
        explained::DOUBTS_OF_THE_PLACE.contains(&self.0.name)
    }

    /// What is known about the doubt.
    pub fn doubt(self) -> &'static Doubt {
        self.0
    }
}

impl PartialEq for DoubtName {
    fn eq(&self, other: &Self) -> bool {
        self.0.name == other.0.name
    }
}

impl Eq for DoubtName {}

impl fmt::Debug for DoubtName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.0.name)
    }
}

impl fmt::Display for DoubtName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.0.name)
    }
}

impl Serialize for DoubtName {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.0.name)
    }
}

/// The doubts of a layer, watching.
pub(crate) struct Watchers(Vec<(&'static Doubt, Box<dyn Watch>)>);

impl Watchers {
    /// For a layer, those that can arise there.
    pub(crate) fn new(scene: &Scene) -> Self {
        Watchers::without(scene, &[])
    }

    /// The same without some that nobody would be told of.
    pub(crate) fn without(scene: &Scene, names: &[&str]) -> Self {
        let wanted = DOUBTS.iter().filter(|d| !names.contains(&d.name));
        Watchers(wanted.filter_map(|d| Some((*d, (d.watch)(scene)?))).collect())
    }

    /// Those about positions that are not where somebody said they should be; none where nobody did.
    pub(crate) fn of_the_expected_place(scene: &Scene) -> Self {
        let is_said = scene.area.as_ref().is_some_and(|area| area.is_expected);
        let wanted = DOUBTS.iter().copied().filter(|d| is_said && DoubtName(d).is_of_the_place());
        Watchers(wanted.filter_map(|d| Some((d, (d.watch)(scene)?))).collect())
    }

    /// Shows them rows.
    pub(crate) fn rows(&self, seen: &Seen) {
        self.0.iter().for_each(|(_, w)| w.rows(seen));
    }

    /// Shows them rows that were set aside.
    pub(crate) fn set_aside(&self, rows: &[SetAsideRow], scene: &Scene) {
        if !rows.is_empty() {
            scene.lost(rows);
            self.0.iter().for_each(|(_, w)| w.set_aside(rows, scene));
        }
    }

    /// What they have to tell.
    pub(crate) fn findings(&self, scene: &Scene, end: &Ending) -> Vec<DoubtReport> {
        let of = |(doubt, watch): &(&'static Doubt, Box<dyn Watch>)| {
            watch.finding(scene, end).map(|f| DoubtReport::new(DoubtName(doubt), &scene.layer, f))
        };
        self.0.iter().filter_map(of).collect()
    }
}

/// A doubt that needs no rows to be seen.
pub(crate) struct AtTheEnd(pub fn(&Scene, &Ending) -> Option<Finding>);

impl Watch for AtTheEnd {
    fn finding(&self, scene: &Scene, end: &Ending) -> Option<Finding> {
        (self.0)(scene, end)
    }
}

#[cfg(test)]
mod tests;
