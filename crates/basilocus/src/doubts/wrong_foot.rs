//! Numbers in another unit than that of their system.

use super::Doubt;
use super::evidence::WatchPlaces;

pub static DOUBT: Doubt = Doubt {
    name: "wrong-foot",
    looks_for: "numbers in feet that were read as metres, metres read as feet, or numbers a thousand times too large or too small",
    example: "a northing of 932,000 feet in a system of Oregon in metres",
    mend: "say the system with the right unit with `from`",
    watch: |_| Some(WatchPlaces::boxed(|scene, seen| scene.finding_of(&DOUBT, seen))),
};
