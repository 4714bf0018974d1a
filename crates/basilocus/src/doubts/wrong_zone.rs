//! Numbers of another zone.

use super::Doubt;
use super::evidence::WatchPlaces;

pub static DOUBT: Doubt = Doubt {
    name: "wrong-zone",
    looks_for: "numbers of a neighbouring zone, or of the other hemisphere: the numbers are plausible and the place is not, if `expect` says where it should be",
    example: "eastings of UTM zone 11 read in zone 10",
    mend: "say the right zone with `from`",
    watch: |_| Some(WatchPlaces::boxed(|scene, seen| scene.finding_of(&DOUBT, seen))),
};
