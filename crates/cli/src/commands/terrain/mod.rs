//! `terrain`: grids of heights and what is made of them.

use super::{Definition, commands};

mod words;

commands! {
    grid,
    triangulate,
    shade,
    slope,
    contour,
    profile,
    volume,
    change,
}

pub(super) const COMMAND: Definition = Definition::Several {
    name: "terrain",
    about: "Heights: grids, triangles, relief, slopes, contours, profiles, volumes, cut and fill",
    commands: COMMANDS,
};
