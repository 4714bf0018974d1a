//! Degrees read as lengths, or lengths as degrees.

use super::Doubt;
use super::evidence::WatchPlaces;

pub static DOUBT: Doubt = Doubt {
    name: "degrees-or-metres",
    looks_for: "degrees that were read as metres or feet, and eastings and northings that were read as degrees",
    example: "-123.8, 46.2 in a layer that is said to be in metres",
    mend: "say the right system with `from`",
    watch: |_| Some(WatchPlaces::boxed(|scene, seen| scene.finding_of(&DOUBT, seen))),
};
