//! Every file that a run reads or writes, in one place, so that none is in another's way: known before a row is read.

use crate::Error;
use basilocus_formats::raster::RasterFormat;
use basilocus_formats::{Format, is_address, is_standard};
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// A file beside another one, with its name but for the ending: `out.csv` and `kept.sqlite` give `out.kept.sqlite`.
pub(crate) fn beside(file: &Path, ending: &str) -> PathBuf {
    let stem = file.file_stem().unwrap_or_default().to_string_lossy();
    file.with_file_name(format!("{stem}.{ending}"))
}

/// The files of a run.
#[derive(Debug, Default)]
pub(crate) struct Paths {
    named: Vec<Named>,
    /// How many of them are known to be in nobody's way.
    checked: usize,
}

/// A file and what it is in the run.
#[derive(Debug)]
struct Named {
    identity: Identity,
    path: PathBuf,
    what: String,
    is_written: bool,
}

/// What is one file, whatever names lead to it.
#[derive(Debug, PartialEq)]
enum Identity {
    /// One that is there: links, and letters of another case where those do not count, lead to the same.
    #[cfg(unix)]
    There(u64, u64),
    /// One that is not there yet, in letters of one case, as many systems take them for the same. Its bytes, as paths are
    /// compared part by part, which many outputs feel.
    Name(OsString),
}

impl Identity {
    fn of(path: &Path) -> Self {
        #[cfg(unix)]
        if let Ok(about) = std::fs::metadata(path)
            && about.is_file()
        {
            use std::os::unix::fs::MetadataExt;
            return Identity::There(about.dev(), about.ino());
        }
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let name = path.file_name().map_or(String::new(), |n| n.to_string_lossy().to_lowercase());
        Identity::Name(folder.canonicalize().unwrap_or_else(|_| folder.to_path_buf()).join(name).into_os_string())
    }
}

impl Paths {
    /// A file that is read, with those beside it that belong to it.
    pub(crate) fn read(&mut self, path: &Path, what: impl Into<String>) {
        self.add(path, what.into(), false);
    }

    /// A file that is written, with those beside it that belong to it.
    ///
    /// # Errors
    /// [`Error::Usage`] where it is read in the same run, or written as something else.
    pub(crate) fn written(&mut self, path: &Path, what: impl Into<String>) -> Result<(), Error> {
        self.add(path, what.into(), true);
        self.check()
    }

    fn add(&mut self, path: &Path, what: String, is_written: bool) {
        if is_standard(path) || is_address(path) {
            return;
        }
        // The same file in the same part is no clash, such as a reference that is said twice.
        let identity = Identity::of(path);
        if self.named.iter().any(|n| n.identity == identity && n.what == what && !n.is_written && !is_written) {
            return;
        }
        let companions = match (Format::of_ending(path), RasterFormat::of_ending(path)) {
            (Some(format), _) => format.driver().companions,
            (None, Some(format)) => format.driver().companions,
            (None, None) => &[],
        };
        let belonging: Vec<PathBuf> = companions.iter().map(|ending| path.with_extension(ending)).collect();
        let beside = format!("a file that belongs to {}", path.display());
        self.named.push(Named { identity, path: path.to_path_buf(), what, is_written });
        for path in belonging.into_iter().filter(|p| is_written || p.is_file()) {
            self.named.push(Named { identity: Identity::of(&path), path, what: beside.clone(), is_written });
        }
    }

    /// # Errors
    /// [`Error::Usage`] for the first two parts that one file would have to play.
    fn check(&mut self) -> Result<(), Error> {
        // A thousand parts of a layer come one after the other: each is compared once with those before it.
        for (at, one) in self.named.iter().enumerate().skip(self.checked) {
            let clashes = |other: &&Named| other.identity == one.identity && (one.is_written || other.is_written);
            if let Some(other) = self.named[..at].iter().find(clashes) {
                let named = if one.path == other.path {
                    one.path.display().to_string()
                } else {
                    format!("{} and {}", other.path.display(), one.path.display())
                };
                if one.what == other.what {
                    return Err(Error::Usage(format!("{named} is named twice as {}; name another file", one.what)));
                }
                return Err(Error::Usage(format!(
                    "{named}: one file would be {} and {} in one run; name another file",
                    other.what, one.what
                )));
            }
        }
        self.checked = self.named.len();
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn clash(read: &[PathBuf], written: &[PathBuf]) -> Option<String> {
        let mut paths = Paths::default();
        read.iter().for_each(|p| paths.read(p, "a source"));
        written.iter().find_map(|p| paths.written(p, "an output").err()).map(|e| e.to_string())
    }

    #[test]
    fn one_file_has_one_part() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        for name in ["a.csv", "a.shp", "a.dbf", "a.prj"] {
            std::fs::write(at(name), "a").unwrap();
        }
        assert_eq!(clash(&[at("a.csv"), at("a.csv")], &[at("b.csv"), at("b.shp")]), None);
        for (read, written) in [
            (vec!["a.csv"], vec!["a.csv"]),
            (vec!["a.shp"], vec!["a.dbf"]),
            (vec!["a.dbf"], vec!["a.shp"]),
            (vec!["a.csv"], vec!["b.shp", "b.dbf"]),
            (vec!["a.csv"], vec!["b.csv", "B.CSV"]),
            (vec!["a.csv"], vec!["b.gml", "./b.gml"]),
            // The definition beside the points is theirs, not the grid's.
            (vec!["a.shp"], vec!["a.asc"]),
        ] {
            let paths = |names: &[&str]| names.iter().map(|n| at(n)).collect::<Vec<PathBuf>>();
            let (read, written) = (paths(&read), paths(&written));
            let found = clash(&read, &written);
            assert!(found.is_some(), "{read:?} {written:?}");
        }
        // What only lies beside a source is in nobody's way.
        assert_eq!(clash(&[at("a.csv")], &[at("c.dbf")]), None);
        // A GeoTIFF says its system in itself.
        assert_eq!(clash(&[at("a.shp")], &[at("a.tif"), at("b.asc")]), None);
    }

    #[cfg(unix)]
    #[test]
    fn links_lead_to_the_same_file() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        std::fs::write(at("a.csv"), "a").unwrap();
        std::os::unix::fs::symlink(at("a.csv"), at("soft.csv")).unwrap();
        std::fs::hard_link(at("a.csv"), at("hard.csv")).unwrap();
        for name in ["soft.csv", "hard.csv"] {
            let message = clash(&[at("a.csv")], &[at(name)]).unwrap();
            assert!(message.contains("a.csv and ") && message.contains("a source and an output"), "{message}");
        }
    }
}
