//! Numbers of another system.

use super::Doubt;
use super::evidence::WatchPlaces;

pub static DOUBT: Doubt = Doubt {
    name: "wrong-system",
    looks_for: "numbers of another system, another prime meridian or another false origin, if the place is known",
    example: "longitudes from Paris read as from Greenwich",
    mend: "say the right system with `from`",
    watch: |_| Some(WatchPlaces::boxed(|scene, seen| scene.finding_of(&DOUBT, seen))),
};
