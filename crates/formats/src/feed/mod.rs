//! XML that repeats an element: Atom and RSS feeds, and any other. One element is a row, what is inside it the columns;
//! GeoRSS positions (simple and GML, latitude first) are its geometry.

mod position;
mod reader;
mod tree;

pub use reader::FeedReader;
pub(crate) use tree::layers;
