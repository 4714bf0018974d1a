//! Layers of files as tables: `read_layer('FILE'[, 'LAYER'[, 'SYSTEM']])`, for every format that the library reads.
//!
//! | module | what is in it |
//! |---|---|
//! | `read_layer` | the function |
//! | `files` | which files a text names |
//! | `source` | what is read, as it travels in plans |
//! | `table` | a layer as the engine's planner knows it |
//! | `scan` | its rows, one partition a file |
//! | `extent_filter` | conditions that an index of places helps with |
//! | `geo_parquet` | GeoParquet, which the engine reads itself |
//! | `covering`, `row_group_rule` | which row groups of it a condition about places needs |

mod covering;
mod extent_filter;
mod files;
mod geo_parquet;
mod read_layer;
mod row_group_rule;
mod scan;
mod source;
mod table;

pub use read_layer::ReadLayer;
pub use row_group_rule::RowGroupRule;
pub use scan::LayerScan;
pub use source::LayerSource;
pub use table::LayerTable;
