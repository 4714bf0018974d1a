//! Text in fixed columns: by widths in characters, or by a ruler, a line that draws each column.

mod reader;
mod ruler;

pub use reader::FixedReader;
pub(crate) use ruler::find_ruler;
