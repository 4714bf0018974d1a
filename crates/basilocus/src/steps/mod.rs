//! What happens to the rows of a layer, one file a step.
//!
//! A step is data that a plan can hold ([`StepPlan`]). Before a row is read it is *bound*: it looks at the columns that
//! come to it and says which ones leave it ([`Step::bind`]). Then every block of rows goes through its [`Work`], on any
//! core. A step that must see all rows first asks for a pass ([`Work::survey`]); one that makes other rows of them
//! collects them ([`Collect`]).
//!
//! To add one: a file here, and its line in the list below.
//!
//! ```
//! use basilocus::engine::{Account, Column, Columns, Rows, Setting};
//! use basilocus::steps::{Bound, Step, Work};
//! use basilocus::table::Reason;
//! use basilocus::{Error, Layer};
//!
//! /// Sets aside what lies north of a parallel.
//! #[derive(Debug)]
//! struct SouthOf(f64);
//!
//! impl Step for SouthOf {
//!     fn bind(&self, columns: Columns, _: &mut Setting) -> Result<Bound, Error> {
//!         Ok(Bound::blocks(columns, SouthOf(self.0)))
//!     }
//! }
//!
//! impl Work for SouthOf {
//!     fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
//!         for (row, lat) in rows.positions()[1].iter().enumerate() {
//!             if *lat > self.0 {
//!                 account.set_aside(row, Reason::new("too far north"), format!("latitude {lat} is north of {}", self.0));
//!             }
//!         }
//!         Ok(rows)
//!     }
//! }
//!
//! let gates = "gate,lon,lat\nNorth,-123.8,47.2\nSouth,-123.7,46.1\n";
//! let folder = tempfile::tempdir()?;
//! let report = Layer::from_reader(gates.as_bytes(), basilocus::formats::Format::Delimited)?
//!     .positions(basilocus::steps::Positions::in_system("EPSG:4326")?)
//!     .step(SouthOf(46.5))
//!     .write(folder.path().join("gates.geojson"))?
//!     .run()?;
//! assert_eq!((report.rows_out, report.set_aside["too far north"]), (1, 1));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod condition;
mod drop;
mod extent;
pub(crate) mod finish;
pub(crate) mod geocode;
mod heights;
mod inside;
mod join;
mod keep;
mod kept;
mod like;
mod lines;
mod measure;
mod nearest;
pub(crate) mod positions;
mod rename;
mod set;
pub(crate) mod to;
mod trim;
mod values;
mod vertices;

pub use drop::Drop;
pub use extent::Extent;
pub use geocode::{Geocode, ServicePlan};
pub use heights::Heights;
pub use inside::Inside;
pub use join::Join;
pub use keep::Keep;
pub use kept::Kept;
pub use like::Like;
pub use lines::{Lines, Polygons};
pub use measure::Measure;
pub use nearest::Nearest;
pub use positions::Positions;
pub use rename::Rename;
pub use set::Set;
pub use to::To;
pub use trim::Trim;
pub use values::Values;
pub use vertices::Vertices;

use crate::Error;
use crate::engine::{Account, Columns, Rows, Setting, Settling};
use basilocus_table::{Batch, SetAsideRow};
use serde::{Deserialize, Serialize};
use std::fmt;
use std::path::PathBuf;
use std::sync::Arc;

/// What happens to the rows of a layer.
pub trait Step: fmt::Debug + Send + Sync {
    /// What it makes of the columns that come to it, and the work on each block of rows.
    ///
    /// # Errors
    /// Everything that can be wrong before a row is read: columns that are not there, systems that are not known, files
    /// that cannot be read.
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error>;

    /// The name, for messages.
    fn name(&self) -> &str {
        "a step of one's own"
    }

    /// What has to be there before it is bound.
    fn wish(&self) -> Wish {
        Wish::Nothing
    }

    /// Whether positions leave it as they came. Where that is not said, rows count as moved, and a format that is always
    /// in WGS 84 gets the positions that the step left, whatever they were made of.
    fn keeps_positions(&self) -> bool {
        false
    }

    /// Whether it can do something with rows that have no position, where it wishes for positions. They are set aside
    /// before a step that cannot.
    fn takes_rows_without_position(&self) -> bool {
        false
    }

    /// Whether a row costs so much that no pass should go through it that can do without.
    fn is_dear(&self) -> bool {
        false
    }

    /// Goes through the files that it names, so that a plan can be moved with them.
    fn each_path(&mut self, _each: &mut dyn FnMut(&mut PathBuf)) {}

    /// The files that it writes, with what they are, so that none is in the way of another.
    fn written(&self) -> Vec<(PathBuf, &'static str)> {
        Vec::new()
    }
}

/// What a step needs of the steps before it. The engine adds a step that does it where the list has none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Wish {
    /// Nothing.
    Nothing,
    /// Positions, if the layer has a geometry, or columns that look like coordinates and an output that holds geometry.
    PositionsIfFound,
    /// Positions.
    Positions,
    /// Positions if they are found, and columns of coordinates where an output holds no geometry.
    CoordinatesIfFound,
}

/// A step that is ready for rows.
// One is made for a step, not for a row: its size costs nothing.
#[allow(clippy::large_enum_variant)]
#[non_exhaustive]
pub enum Bound {
    /// Each block of rows goes through by itself.
    Blocks {
        /// The columns that leave it.
        columns: Columns,
        /// What is done to each block.
        work: Box<dyn Work>,
    },
    /// What its columns are depends on all rows, which are looked at first.
    AfterLook(Box<dyn Look>),
    /// All rows are taken before the first one goes on.
    All(Box<dyn Collect>),
}

impl Bound {
    /// A step that each block of rows goes through by itself.
    pub fn blocks(columns: Columns, work: impl Work + 'static) -> Self {
        Bound::Blocks { columns, work: Box::new(work) }
    }
}

/// What a bound step does to rows, on any thread.
pub trait Work: Send + Sync {
    /// Rows to rows, with exactly the columns that were said when the step was bound. Rows that go are told to the account,
    /// not taken out.
    ///
    /// The same rows may come several times (as a sample, in a pass that a later step asked for), and blocks come in any
    /// order: what is made of a row must depend on that row, and on what was settled, alone.
    ///
    /// # Errors
    /// What ends the run: nothing that is about a single row.
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error>;

    /// What has to be found out from all rows before the first one goes through, in words for the progress; `None` where
    /// there is nothing.
    fn survey(&self) -> Option<&'static str> {
        None
    }

    /// Looks at rows of that pass, on any thread.
    fn look(&self, _rows: &Rows) {}

    /// Decides by what was seen. Gives what to tell of it.
    ///
    /// # Errors
    /// What ends the run.
    fn settle(&mut self, _setting: &Settling) -> Result<Settled, Error> {
        Ok(Settled::default())
    }
}

/// What work has to tell once it decided by all rows.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Settled {
    /// How columns are read.
    pub read_as: Vec<String>,
    /// What a user should know.
    pub notices: Vec<String>,
}

/// Looks at all rows before the step is bound.
pub trait Look: Send + Sync {
    /// What is looked for, in words for the progress.
    fn purpose(&self) -> &'static str;

    /// Looks at rows, on any thread.
    fn look(&self, rows: &Rows);

    /// The columns that leave the step, and the work on each block.
    ///
    /// # Errors
    /// As [`Step::bind`].
    fn bind(self: Box<Self>, setting: &mut Setting) -> Result<(Columns, Box<dyn Work>), Error>;
}

/// Makes other rows of all rows together.
pub trait Collect: Send {
    /// Takes rows in their order.
    ///
    /// # Errors
    /// What ends the run.
    fn take(&mut self, rows: Rows) -> Result<(), Error>;

    /// Gives what was made of them.
    ///
    /// # Errors
    /// What ends the run.
    fn give(self: Box<Self>) -> Result<Collected, Error>;
}

/// What was made of all rows.
pub struct Collected {
    /// The columns.
    pub columns: Columns,
    /// The rows.
    pub batch: Batch,
    /// Rows that were set aside.
    pub set_aside: Vec<SetAsideRow>,
    /// Rows that are in a row with others now.
    pub joined: u64,
    /// What to tell of it.
    pub notices: Vec<String>,
}

/// A step of the caller's own.
#[derive(Debug, Clone)]
pub struct OwnStep(pub(crate) Arc<dyn Step>);

impl PartialEq for OwnStep {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

macro_rules! steps {
    ($($(#[$doc:meta])* $name:literal $variant:ident,)+) => {
        /// A step as a plan holds it.
        // One is made for a step, not for a row: its size costs nothing.
        #[allow(clippy::large_enum_variant)]
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
        #[non_exhaustive]
        pub enum StepPlan {
            $($(#[$doc])* #[serde(rename = $name)] $variant($variant),)+
            /// A step of the caller's own, which no file can hold.
            #[serde(skip)]
            Own(OwnStep),
        }

        /// The names of all steps, in the order in which people use them.
        pub const NAMES: &[&str] = &[$($name),+];

        impl StepPlan {
            /// The step.
            pub fn step(&self) -> &dyn Step {
                match self {
                    $(StepPlan::$variant(step) => step,)+
                    StepPlan::Own(own) => &*own.0,
                }
            }

            /// The step, to be changed; `None` for one of the caller's own.
            pub(crate) fn step_mut(&mut self) -> Option<&mut dyn Step> {
                match self {
                    $(StepPlan::$variant(step) => Some(step),)+
                    StepPlan::Own(_) => None,
                }
            }

            /// The name in plans.
            pub fn name(&self) -> &str {
                match self {
                    $(StepPlan::$variant(_) => $name,)+
                    StepPlan::Own(own) => own.0.name(),
                }
            }
        }

        $(impl From<$variant> for StepPlan {
            fn from(step: $variant) -> Self {
                StepPlan::$variant(step)
            }
        })+
    };
}

steps! {
    /// Rows of a feed, kept from turn to turn.
    "kept" Kept,
    /// A column made of others.
    "join" Join,
    /// A column with one value.
    "set" Set,
    /// Other names.
    "rename" Rename,
    /// White space taken off.
    "trim" Trim,
    /// Positions read from columns or taken from the geometry.
    "positions" Positions,
    /// Positions found for addresses.
    "geocode" Geocode,
    /// Points in their order become lines.
    "lines" Lines,
    /// Points in their order become polygons.
    "polygons" Polygons,
    /// Each position of lines and polygons becomes a point.
    "vertices" Vertices,
    /// The nearest address to each position.
    "nearest" Nearest,
    /// Rows chosen by their values.
    "values" Values,
    /// Rows chosen between meridians and parallels.
    "extent" Extent,
    /// Rows chosen by the areas that they lie in.
    "inside" Inside,
    /// Lengths and areas.
    "measure" Measure,
    /// Heights of a grid.
    "heights" Heights,
    /// Columns left out.
    "drop" Drop,
    /// Columns kept.
    "keep" Keep,
    /// Another system, and coordinates in columns.
    "to" To,
    /// The columns of another layer.
    "like" Like,
}

impl StepPlan {
    /// A step of the caller's own.
    pub fn own(step: impl Step + 'static) -> Self {
        StepPlan::Own(OwnStep(Arc::new(step)))
    }
}

/// Steps that only change which columns there are: what stands in each comes from one that was there.
pub(crate) struct Chosen {
    /// For each column its place before.
    pub places: Vec<usize>,
    pub schema: arrow_schema::SchemaRef,
}

impl Work for Chosen {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let columns = self.places.iter().map(|i| rows.records().column(*i).clone()).collect();
        rows.with_columns(&self.schema, columns)
    }
}
