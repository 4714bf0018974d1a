//! Zip archives in a build without the feature `archives`: they are known, and said to be left out.

use crate::{FormatError, PendingOutput};
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};

/// Whether a file begins as an archive does and does not end as a workbook.
pub(crate) fn is_archive(path: &Path) -> bool {
    let mut magic = [0u8; 4];
    let begins = File::open(path).and_then(|mut f| f.read_exact(&mut magic)).is_ok() && magic == *b"PK\x03\x04";
    let ending = path.extension().map_or(String::new(), |e| e.to_string_lossy().to_ascii_lowercase());
    begins && !matches!(ending.as_str(), "xlsx" | "xlsm" | "ods")
}

pub(crate) fn endings(_: &Path) -> Vec<String> {
    Vec::new()
}

fn left_out<T>(path: &Path) -> Result<T, FormatError> {
    Err(FormatError::LeftOut { path: path.to_path_buf(), what: "zip archives, KMZ among them", feature: "archives" })
}

pub(crate) fn unpack(path: &Path, _: &Path, _: Option<&str>, _: u64) -> Result<(PathBuf, Vec<String>), FormatError> {
    left_out(path)
}

pub(crate) fn pack(pending: &PendingOutput, _: &mut [(&str, &mut dyn Read)]) -> Result<(), FormatError> {
    left_out(pending.target())
}
