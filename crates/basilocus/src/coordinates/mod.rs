//! What is known of coordinates beyond the core: systems in every form, ways between them, places, measures, sheets.
//!
//! | module | what is in it |
//! |---|---|
//! | [`system`] | a reference system from a code, a name, a definition or a file |
//! | [`finder`] | the operation between two systems, by what a plan says of ways, grids and epochs |
//! | [`grids`] | grid files in folders |
//! | [`fit`] | control pairs to a local transformation |
//! | [`transformation`] | the file of such a transformation |
//! | [`position_text`] | one position typed by hand |
//! | [`place`] | where something is, as people say it |
//! | [`measure`] | lengths, areas, distortion |
//! | [`shape_measure`] | lengths, areas and distances of single shapes |
//! | [`sheets`] | a sheet index of one's own |
//! | [`accuracy`] | accuracies as people read them |

pub mod accuracy;
pub(crate) mod expectation;
pub mod finder;
pub mod fit;
pub(crate) mod fitted;
pub mod grids;
pub mod measure;
pub mod place;
pub(crate) mod plate_motion;
pub mod position_text;
pub mod shape_measure;
pub mod sheets;
pub mod system;
pub mod transformation;
