//! x and y swapped.

use super::Doubt;
use super::evidence::WatchPlaces;

pub static DOUBT: Doubt = Doubt {
    name: "swapped-axes",
    looks_for: "positions outside the area of use of their system, or of the place that `expect` says, that are inside once x and y are exchanged; in all rows or in a few",
    example: "a column \"lat\" with -123.8 beside a column \"lon\" with 46.2",
    mend: "say `x` and `y` the other way round",
    watch: |_| Some(WatchPlaces::boxed(|scene, seen| scene.finding_of(&DOUBT, seen))),
};
