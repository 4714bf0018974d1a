//! Positions without their minus sign, or with one too many: they land in another hemisphere.

use super::Doubt;
use super::evidence::WatchPlaces;

pub static DOUBT: Doubt = Doubt {
    name: "missing-sign",
    looks_for: "positions outside the area of use of their system, or of the place that `expect` says, that are inside with the other sign of longitude or latitude; in all rows or in a few",
    example: "a longitude of 123.8 for a place in Oregon, which lies at -123.8",
    mend: "put a minus sign in front of the numbers, or a W or S behind them",
    watch: |_| Some(WatchPlaces::boxed(|scene, seen| scene.finding_of(&DOUBT, seen))),
};
