//! `crs find`, `show`, `between`, `advise` and `detect`

use super::{Definition, commands};

commands! {
    find,
    show,
    between,
    advise,
    detect,
}

pub(super) const COMMAND: Definition =
    Definition::Several { name: "crs", about: "The catalogue of coordinate reference systems", commands: COMMANDS };
