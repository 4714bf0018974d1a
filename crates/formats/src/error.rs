//! The one error type of this crate.

use std::path::{Path, PathBuf};

/// Why a file could not be read or written. Every message names the file, what was expected and what to do.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum FormatError {
    /// The file does not exist.
    #[error("{}: no such file{}", .path.display(), nearby(.path))]
    NotFound {
        /// The file.
        path: PathBuf,
    },
    /// A folder where a file is expected.
    #[error("{}: is a folder; name a file in it", .path.display())]
    IsFolder {
        /// The folder.
        path: PathBuf,
    },
    /// Columns that make no batch, so that rows would be lost: a defect of the program, never of the data.
    #[error("{0}: this is a defect, nothing was written")]
    Defect(#[from] basilocus_table::BatchError),
    /// A format that this build of the program does not have.
    #[error("{}: this build leaves out {what}; build it with the feature {feature}", .path.display())]
    LeftOut {
        /// The file.
        path: PathBuf,
        /// The formats that are left out.
        what: &'static str,
        /// The feature that has them.
        feature: &'static str,
    },
    /// Nothing in it.
    #[error("{}: {what}", .path.display())]
    Empty {
        /// The file.
        path: PathBuf,
        /// What is missing.
        what: &'static str,
    },
    /// Content that is none of the formats.
    #[error("{}: {problem}", .path.display())]
    NotRecognised {
        /// The file.
        path: PathBuf,
        /// What it looks like and what is read instead.
        problem: String,
    },
    /// A workbook that needs a password.
    #[error("{}: the workbook is protected by a password; open it in a spreadsheet program and save it without one", .path.display())]
    Password {
        /// The file.
        path: PathBuf,
    },
    /// A sheet, layer or column that is not there.
    #[error("{}: there is no {kind} \"{wanted}\"; it has: {}", .path.display(), .names.join(", "))]
    NoSuch {
        /// The file.
        path: PathBuf,
        /// `sheet` or `layer`.
        kind: &'static str,
        /// What was asked for.
        wanted: String,
        /// What there is.
        names: Vec<String>,
    },
    /// One of several layers must be chosen.
    #[error("{}: holds several layers; choose one with `layer`: {}", .path.display(), .names.join(", "))]
    ChooseLayer {
        /// The file.
        path: PathBuf,
        /// The layers.
        names: Vec<String>,
    },
    /// Content that breaks the rules of its format.
    #[error("{}, line {line}: {problem}", .path.display())]
    Malformed {
        /// The file.
        path: PathBuf,
        /// Line or row, counted from 1.
        line: u64,
        /// What is wrong, what is expected, what to do.
        problem: String,
    },
    /// Content that breaks the rules of its format, in a place that has no line.
    #[error("{}: {problem}", .path.display())]
    Broken {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        problem: String,
    },
    /// An option that does not fit the file.
    #[error("{}: {problem}", .path.display())]
    Option {
        /// The file.
        path: PathBuf,
        /// What is wrong with the option.
        problem: String,
    },
    /// An output that is there already.
    #[error("{}: exists already and is not replaced; add `overwrite`, or name another file", .path.display())]
    OutputExists {
        /// The file.
        path: PathBuf,
    },
    /// An output folder that is not there.
    #[error("{}: the folder {} does not exist; make it first", .path.display(), .folder.display())]
    NoFolder {
        /// The file.
        path: PathBuf,
        /// Its folder.
        folder: PathBuf,
    },
    /// An address on the web that gives nothing.
    #[error("{address}: {problem}")]
    Fetch {
        /// The address.
        address: String,
        /// What went wrong and what to do.
        problem: String,
    },
    /// An extension that names no format that is written.
    #[error("{}: the ending says no format that is written; use one of {}", .path.display(), crate::driver::all_written())]
    OutputFormat {
        /// The file.
        path: PathBuf,
    },
    /// The operating system refused to read.
    #[error("{}: cannot be read: {source}", .path.display())]
    Read {
        /// The file.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
    /// Standard output went away or is full.
    #[error("standard output cannot be written: {source}")]
    Standard {
        /// What the system said.
        source: std::io::Error,
    },
    /// Outputs that could be neither moved to their places nor taken back.
    #[error("{failure}. What was there before could not all be put back: {left}")]
    NotTakenBack {
        /// Why they were to be taken back, in words.
        failure: String,
        /// What is where, in words.
        left: String,
    },
    /// The operating system refused to write (a full disk, no permission).
    #[error("{}: cannot be written: {problem}; nothing was left behind", .path.display())]
    Write {
        /// The file.
        path: PathBuf,
        /// What the system said.
        problem: String,
    },
}

impl FormatError {
    /// A file that cannot be read, for the reason that the system gave.
    pub fn read(path: &Path, source: std::io::Error) -> Self {
        match source.kind() {
            std::io::ErrorKind::NotFound => FormatError::NotFound { path: path.to_path_buf() },
            std::io::ErrorKind::IsADirectory => FormatError::IsFolder { path: path.to_path_buf() },
            _ => FormatError::Read { path: path.to_path_buf(), source },
        }
    }

    /// The same error about another file: for temporary copies, whose names say nothing to anybody.
    pub(crate) fn at(mut self, original: &Path) -> Self {
        match &mut self {
            FormatError::NotFound { path }
            | FormatError::IsFolder { path }
            | FormatError::LeftOut { path, .. }
            | FormatError::Empty { path, .. }
            | FormatError::NotRecognised { path, .. }
            | FormatError::Password { path }
            | FormatError::NoSuch { path, .. }
            | FormatError::ChooseLayer { path, .. }
            | FormatError::Malformed { path, .. }
            | FormatError::Broken { path, .. }
            | FormatError::Option { path, .. }
            | FormatError::OutputExists { path }
            | FormatError::NoFolder { path, .. }
            | FormatError::OutputFormat { path }
            | FormatError::Read { path, .. }
            | FormatError::Write { path, .. } => *path = original.to_path_buf(),
            FormatError::Standard { .. }
            | FormatError::NotTakenBack { .. }
            | FormatError::Fetch { .. }
            | FormatError::Defect(_) => {}
        }
        self
    }

    /// A file that cannot be written.
    pub fn write(path: &Path, problem: impl std::fmt::Display) -> Self {
        FormatError::Write { path: path.to_path_buf(), problem: problem.to_string() }
    }

    /// A file that is damaged, or cannot be read on.
    pub fn broken(path: &Path, problem: impl std::fmt::Display) -> Self {
        FormatError::Broken { path: path.to_path_buf(), problem: problem.to_string() }
    }
}

/// Files of the same folder that come nearest to a name.
fn nearby(path: &Path) -> String {
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let Ok(entries) = std::fs::read_dir(folder) else {
        return format!(" (the folder {} does not exist)", folder.display());
    };
    let names: Vec<String> = entries
        .flatten()
        .map(|e| e.file_name().to_string_lossy().into_owned())
        .filter(|n| !n.starts_with('.'))
        .collect();
    let wanted = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let near = basilocus_table::nearest::nearest(&wanted, names.iter().map(String::as_str));
    if near.is_empty() { String::new() } else { format!("; did you mean {}?", near.join(" or ")) }
}
