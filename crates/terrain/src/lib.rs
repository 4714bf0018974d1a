//! Ground: heights on grids and in triangles, and what is asked of them. Plain arrays in, plain arrays out; no files, no
//! reference systems.
//!
//! Order is always easting first, then northing, then height. Rows of a grid go from north to south, columns from west to
//! east; a height that is not known is NaN. Between the heights of a grid the surface is *bilinear*: within four
//! neighbours that are known it is the one that is straight along rows and columns, within three it is their plane, and
//! elsewhere there is none. Everything here is about that surface, exactly: nothing counts cells.
//!
//! | module | what is in it |
//! |---|---|
//! | [`spacing`] | whether positions are a grid, or scattered |
//! | [`lattice`], [`turned_lattice`] | grids that positions are, along the axes and turned against them |
//! | [`grid`] | where the heights of a grid stand, and heights that come row by row |
//! | [`ground`] | how long a unit of the plane is on the ground |
//! | [`gridding`] | a grid made of points |
//! | [`triangulation`] | triangles made of points, with break lines |
//! | [`triangle_index`] | the height of a surface of triangles at a position |
//! | [`interpolate`] | the height of a grid at a position |
//! | [`gradient`], [`slope`], [`shade`] | steepness, its direction, relief |
//! | [`contour`] | lines of one height |
//! | [`profile`] | heights along a line |
//! | [`volume`] | what lies above and below a level, and what was lost and gained |
//! | [`triangle_volume`] | the same of a surface of triangles |
//! | [`area`] | polygons that a volume is asked for in |
//!
//! A grid larger than memory goes through by rows: whoever has it implements [`HeightRows`].
//!
//! ```
//! use basilocus_terrain::grid::{Grid, RectifiedGrid};
//! use basilocus_terrain::ground::Ground;
//! use basilocus_terrain::volume::{Level, volume};
//!
//! // A roof: 10 m at the ridge, 0 m at both eaves, 20 m wide and 40 m long.
//! let frame = RectifiedGrid { west: 0.0, north: 40.0, step_x: 10.0, step_y: 10.0, columns: 3, rows: 5 };
//! let mut roof = Grid::from_function(frame, |x, _| 10.0 - (x - 10.0).abs());
//! let parts = volume(&mut roof, &Ground::plane(), 1.0, Level::flat(0.0), &[])?;
//! assert!((parts.whole.above - 4000.0).abs() < 1e-9);
//! # Ok::<(), std::convert::Infallible>(())
//! ```

pub mod area;
pub mod contour;
pub mod gradient;
pub mod grid;
pub mod gridding;
pub mod ground;
pub mod interpolate;
pub mod lattice;
mod occupied;
mod patch;
pub mod profile;
pub mod shade;
pub mod slope;
pub mod spacing;
pub mod triangle_index;
pub mod triangle_volume;
pub mod triangulation;
pub mod turned_lattice;
pub mod volume;

pub use grid::{Grid, HeightRows, RectifiedGrid};
pub use ground::Ground;
