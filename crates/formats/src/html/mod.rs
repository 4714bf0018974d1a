//! Tables of saved web pages, as the HTML standard has them; read only. Behind the feature `pages`, for its tokenizer.
//!
//! | module | what is in it |
//! |---|---|
//! | `tables` | the tables of a page: their cells, merged ones spread out |
//! | `reader` | one of them as rows: header rows joined, headings in between set aside |

#[cfg(feature = "pages")]
mod reader;
#[cfg(feature = "pages")]
mod tables;

use crate::Format;
use crate::detect::Head;
use crate::driver::{Driver, GeometryPlace, InputOption};
#[cfg(feature = "pages")]
use crate::{FormatError, InputOptions, Reader};
#[cfg(feature = "pages")]
pub use reader::HtmlReader;
#[cfg(feature = "pages")]
use std::path::Path;

/// How it is read.
pub(crate) static DRIVER: Driver = Driver {
    format: Format::Html,
    name: "web page",
    endings: &["html", "htm", "xhtml"],
    companions: &[],
    geometry: GeometryPlace::None,
    always_wgs84: false,
    null_geometry: false,
    shows: &[],
    options: &[InputOption::Layer],
    recognises: is_page,
    open,
    layers,
    create: None,
};

/// Whether a text begins as a page does, or as what is cut out of one.
fn is_page(head: &Head) -> bool {
    let begin = String::from_utf8_lossy(&head.after_marks()[..head.after_marks().len().min(1024)]).to_ascii_lowercase();
    let begin = begin.trim_start();
    let starts = |tag: &str| begin.strip_prefix(tag).is_some_and(|rest| rest.starts_with([' ', '>', '\n', '\r', '\t']));
    head.is_text()
        && (begin.starts_with("<!doctype html")
            || ["<html", "<head", "<body", "<table", "<div"].iter().any(|tag| starts(tag))
            || begin.starts_with("<!--") && begin.contains("<html")
            || head.root().is_some_and(|root| root.name.eq_ignore_ascii_case("html")))
}

#[cfg(feature = "pages")]
fn open(path: &Path, options: &InputOptions) -> Result<Box<dyn Reader>, FormatError> {
    Ok(Box::new(HtmlReader::open(path, options)?))
}

#[cfg(feature = "pages")]
#[allow(non_upper_case_globals, reason = "stands where a build without pages has none")]
const layers: Option<crate::driver::Layers> = Some(reader::layers);

#[cfg(not(feature = "pages"))]
#[allow(non_upper_case_globals, reason = "as above")]
const layers: Option<crate::driver::Layers> = None;

#[cfg(not(feature = "pages"))]
fn open(path: &std::path::Path, _: &crate::InputOptions) -> Result<Box<dyn crate::Reader>, crate::FormatError> {
    Err(crate::FormatError::LeftOut { path: path.to_path_buf(), what: "web pages", feature: "pages" })
}
