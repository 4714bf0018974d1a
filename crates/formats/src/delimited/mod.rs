//! Delimited text: comma-, tab-, semicolon-, bar- and space-separated.

mod decode;
mod dialect;
mod reader;
mod split;
mod writer;

pub use dialect::Dialect;
pub(crate) use dialect::find_encoding;
pub use reader::DelimitedReader;
pub(crate) use reader::unique_names;
pub use writer::{DelimitedWriter, line};

/// The name of a delimiter in words.
pub fn delimiter_name(delimiter: u8) -> String {
    match delimiter {
        b',' => "comma".into(),
        b';' => "semicolon".into(),
        b'\t' => "tab".into(),
        b'|' => "bar".into(),
        b' ' => "space".into(),
        other => format!("\"{}\"", char::from(other)),
    }
}
