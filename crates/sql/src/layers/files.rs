//! Which files a text names: one, all of a folder, or those that a pattern with `*` and `?` fits.

use crate::Error;
use basilocus::formats::{DRIVERS, is_address};
use std::path::{Path, PathBuf};

/// The name of the function, for messages.
const FUNCTION: &str = "read_layer";

/// The files, in the order of their names, by whole paths: another process that reads them may stand in another folder.
///
/// # Errors
/// [`Error::Call`] where there are none.
pub(super) fn named(text: &str) -> Result<Vec<String>, Error> {
    let whole = |file: String| match std::path::absolute(&file) {
        Ok(path) if !is_address(Path::new(&file)) => path.to_string_lossy().into_owned(),
        // Who opens it tells what is wrong with it.
        _ => file,
    };
    Ok(found(text)?.into_iter().map(whole).collect())
}

fn found(text: &str) -> Result<Vec<String>, Error> {
    let refuse = |what: String| Error::Call { function: FUNCTION, what };
    let path = Path::new(text);
    let has_pattern = |t: &str| t.contains(['*', '?']);
    if path.is_dir() {
        return inside(path, "*").map_err(refuse);
    }
    match path.file_name().map(|n| n.to_string_lossy()) {
        Some(name) if has_pattern(&name) && !path.exists() => {
            let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
            if has_pattern(&folder.to_string_lossy()) {
                return Err(refuse(format!("\"{text}\": a pattern is taken in the name of files, not of folders")));
            }
            inside(folder, &name).map_err(refuse)
        }
        _ => Ok(vec![text.to_string()]),
    }
}

fn inside(folder: &Path, pattern: &str) -> Result<Vec<String>, String> {
    let entries = std::fs::read_dir(folder).map_err(|e| format!("{}: {e}", folder.display()))?;
    let mut found: Vec<PathBuf> = Vec::new();
    for entry in entries {
        let path = entry.map_err(|e| format!("{}: {e}", folder.display()))?.path();
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        if path.is_file() && !name.starts_with(['.', '_']) && fits(pattern, &name) {
            found.push(path);
        }
    }
    if pattern == "*" {
        found = found.iter().filter(|p| !belongs_to_another(p, &found)).cloned().collect();
    }
    if found.is_empty() {
        return Err(format!("{}: no file is named {pattern} there", folder.display()));
    }
    found.sort();
    Ok(found.into_iter().map(|p| p.to_string_lossy().into_owned()).collect())
}

/// Whether a file is only a part of another one, such as the table of a shapefile, or what was set aside of it.
fn belongs_to_another(path: &Path, all: &[PathBuf]) -> bool {
    let ending = |p: &Path| p.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
    let stem = path.with_extension("");
    if stem.extension().is_some_and(|e| e == "set-aside") {
        return true;
    }
    let own = ending(path);
    let whole = DRIVERS.iter().filter(|d| d.companions.contains(&own.as_str()));
    let mut endings = whole.flat_map(|d| d.endings.iter());
    endings.any(|e| all.iter().any(|other| other.with_extension("") == stem && ending(other) == *e))
}

/// Whether a name fits a pattern: `*` stands for any letters, `?` for one.
fn fits(pattern: &str, name: &str) -> bool {
    let mut rest = pattern.chars();
    match (rest.next(), name.chars().next()) {
        (None, first) => first.is_none(),
        (Some('*'), _) => {
            let rest = rest.as_str();
            name.char_indices().map(|(at, _)| &name[at..]).chain([""]).any(|left| fits(rest, left))
        }
        (Some(p), Some(n)) if p == '?' || p == n => fits(rest.as_str(), &name[n.len_utf8()..]),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns() {
        for (pattern, name, expected) in [
            ("*.csv", "a.csv", true),
            ("*.csv", "a.csv.gz", false),
            ("part-?.gpkg", "part-1.gpkg", true),
            ("part-?.gpkg", "part-12.gpkg", false),
            ("*a*b*", "xaxbx", true),
            ("*a*b*", "xbxax", false),
            ("gâ?eau", "gâteau", true),
            ("", "", true),
        ] {
            assert_eq!(fits(pattern, name), expected, "{pattern} {name}");
        }
    }

    #[test]
    fn folders_and_what_is_not_there() {
        let folder = tempfile::tempdir().unwrap();
        for name in ["b.csv", "a.csv", ".hidden.csv", "_left_over.csv", "c.txt"] {
            std::fs::write(folder.path().join(name), "x\n").unwrap();
        }
        let names = |pattern: &str| {
            let found = named(&folder.path().join(pattern).to_string_lossy());
            found.map(|list| list.iter().map(|p| p.rsplit('/').next().unwrap().to_string()).collect::<Vec<_>>())
        };
        assert_eq!(names("*.csv").unwrap(), ["a.csv", "b.csv"]);
        assert_eq!(names("").unwrap(), ["a.csv", "b.csv", "c.txt"]);
        // Parts of a file are none of their own, but where somebody names them.
        for name in ["r.shp", "r.dbf", "r.shx", "lone.dbf", "a.set-aside.csv"] {
            std::fs::write(folder.path().join(name), "x\n").unwrap();
        }
        assert_eq!(names("").unwrap(), ["a.csv", "b.csv", "c.txt", "lone.dbf", "r.shp"]);
        assert_eq!(names("*.dbf").unwrap(), ["lone.dbf", "r.dbf"]);
        assert!(names("*.gpkg").unwrap_err().to_string().contains("no file is named *.gpkg"));
        // What is one file is left to who opens it.
        assert_eq!(names("missing.csv").unwrap(), ["missing.csv"]);
    }
}
