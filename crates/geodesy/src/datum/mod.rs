//! From one datum to another: through geocentric coordinates, by grid, in time.
//!
//! | file | method |
//! |---|---|
//! | [`geocentric`] | geographic to geocentric and back |
//! | [`helmert`] | three and seven parameters |
//! | [`mod@molodensky_badekas`] | seven parameters about a point |
//! | [`time_dependent`] | fourteen and fifteen parameters, plate motion |
//! | [`grid_shift`] | NTv2 grids |
//! | [`geoid`] | grids of heights |
//! | [`fit`] | parameters from control pairs |
//! | [`control`] | how far those pairs carry |

pub mod control;
pub mod fit;
pub mod geocentric;
pub mod geoid;
pub mod grid_shift;
pub mod helmert;
pub mod molodensky_badekas;
pub mod time_dependent;

pub use geoid::GeoidGrid;
pub use grid_shift::GridShift;
pub use helmert::{Helmert, RotationConvention};
pub use molodensky_badekas::molodensky_badekas;
pub use time_dependent::TimeDependent;
