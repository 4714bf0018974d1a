//! Leading digits cut off, and decimal points in another place.

use super::Doubt;
use super::evidence::WatchPlaces;

pub static DOUBT: Doubt = Doubt {
    name: "lost-digits",
    looks_for: "leading digits cut off coordinates or put in front of them, and decimal points that are missing, if the place is known",
    example: "a northing of 116000 for 5116000",
    mend: "put the digits back",
    watch: |_| Some(WatchPlaces::boxed(|scene, seen| scene.finding_of(&DOUBT, seen))),
};
