//! Ground: grids of heights and what is made of them.
//!
//! Each command is a plan with a report, as [`crate::compare`] is. What computes is in [`plain`], on plain arrays; here
//! are files, systems and units around it.
//!
//! | to | take |
//! |---|---|
//! | make a grid of points, and hear whether they are one | [`grid_of`] |
//! | make triangles of points | [`triangles_of`] |
//! | draw relief | [`shade`](fn@shade) |
//! | compute steepness and its direction | [`slope`](fn@slope) |
//! | draw lines of one height | [`contours_of`] |
//! | read heights along lines | [`profile`](fn@profile) |
//! | measure what lies above and below a level | [`volume`](fn@volume) |
//! | measure what was lost and gained | [`change`](fn@change) |
//!
//! ```
//! use basilocus::Cancel;
//! use basilocus::terrain::{GridPlan, VolumePlan, grid_of, volume};
//!
//! let folder = tempfile::tempdir()?;
//! let (points, grid) = (folder.path().join("bank.xyz"), folder.path().join("bank.tif"));
//! let rows: Vec<String> = (0..60).map(|i| format!("{} {} {}\n", 438_000 + i % 10, 5_116_000 + i / 10, i % 10)).collect();
//! std::fs::write(&points, rows.concat())?;
//! let mut plan = GridPlan::new(points, &grid);
//! plan.positions.from = Some("EPSG:32610".into());
//! let made = grid_of(&plan, &Cancel::default(), &())?;
//! assert_eq!((made.columns, made.rows, made.spacing.is_uniform), (10, 6, true));
//!
//! let parts = volume(&VolumePlan { in_plane: true, ..VolumePlan::new(grid, 0.0) }, &Cancel::default(), &())?;
//! assert!((parts.volume_m3 - 9.0 * 5.0 * 4.5).abs() < 1e-6);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod banded_heights;
mod change;
mod contour;
mod grid;
mod grid_look;
mod ground;
mod height_lookup;
mod lattice_file;
mod layer_output;
mod layer_surface;
mod many_points;
mod measured;
mod points;
mod profile;
mod raster_output;
mod raster_system;
mod shade;
mod shapes;
mod slope;
mod source;
mod survey;
mod triangulate;
mod volume;

pub use basilocus_terrain as plain;
pub use change::{ChangePlan, ChangeReport, NetError, change};
pub use contour::{ContourPlan, ContourReport, contours_of};
pub use grid::{GridBy, GridPlan, GridReport, SpacingReport, grid_of, turned_words};
pub use grid_look::GridLook;
pub(crate) use grid_look::look_at_grid;
pub(crate) use ground::on_the_ellipsoid as ground_on_the_ellipsoid;
pub use height_lookup::HeightLookup;
pub use measured::{AreaMeasured, Steepness};
pub use profile::{LineProfile, ProfilePlan, ProfileReport, profile};
pub use shade::{ShadePlan, ShadeReport, shade};
pub use slope::{SlopeIn, SlopePlan, SlopeReport, slope};
pub use source::GridReading;
pub(crate) use source::{HeightGrid, HeightUnit};
pub use survey::HeightRange;
pub use triangulate::{TriangulatePlan, TriangulateReport, triangles_of};
pub use volume::{AreaChoice, VolumePlan, VolumeReport, volume};

use std::num::NonZeroUsize;

/// Threads that work on rows of a grid: as many as there are cores.
fn threads() -> NonZeroUsize {
    std::thread::available_parallelism().unwrap_or(NonZeroUsize::MIN)
}
