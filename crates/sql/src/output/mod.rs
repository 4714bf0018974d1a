//! Rows of queries in the formats of the library: `COPY (SELECT …) TO 'FOLDER' STORED AS GPKG`.
//!
//! | module | what is in it |
//! |---|---|
//! | `formats` | what `STORED AS` takes |
//! | `columns` | rows of the engine as rows of the library |
//! | `copy_rule` | what a query was told, where options do not travel |
//! | `parts` | each partition to a file |
//! | `plain_format_rule` | formats of the engine's own, which know no geometries |
//! | `publish` | all parts to their names, or none |

mod columns;
mod copy_rule;
mod formats;
mod parts;
mod plain_format_rule;
mod publish;

pub(crate) use columns::Columns;
pub use copy_rule::CopyRule;
pub(crate) use copy_rule::{settled, waiting};
pub use formats::LayerFormats;
pub use parts::{PartsWrite, Target};
pub use plain_format_rule::PlainFormatRule;
pub use publish::PartsPublish;
