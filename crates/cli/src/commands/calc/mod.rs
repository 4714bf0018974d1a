//! `calc`: everyday arithmetic.

use super::{Definition, commands};

mod numbers;

commands! {
    zone,
    units,
    distance,
    area,
    sheet,
    distortion,
}

pub(super) const COMMAND: Definition = Definition::Several {
    name: "calc",
    about: "Everyday arithmetic: zones, units, distances, areas, map sheets, distortion",
    commands: COMMANDS,
};
