//! Grid files in folders.

use basilocus_geodesy::datum::{GeoidGrid, GridShift};
use basilocus_geodesy::operation::GridSource;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};

/// Folders of grid files; a file is read once.
#[derive(Debug, Default)]
pub struct GridFolders {
    folders: Vec<PathBuf>,
    shifts: Mutex<HashMap<PathBuf, Arc<GridShift>>>,
    geoids: Mutex<HashMap<PathBuf, Arc<GeoidGrid>>>,
}

impl GridFolders {
    /// Folders, in the order in which they are searched.
    pub fn new<P: Into<PathBuf>>(folders: impl IntoIterator<Item = P>) -> Self {
        GridFolders { folders: folders.into_iter().map(Into::into).collect(), ..Default::default() }
    }

    /// The folders, in the order in which they are searched.
    pub fn folders(&self) -> &[PathBuf] {
        &self.folders
    }

    /// The file of a name; case does not matter, because agencies and file systems disagree about it.
    fn path(&self, name: &str) -> Option<PathBuf> {
        self.folders.iter().find_map(|folder| {
            let exact = folder.join(name);
            if exact.is_file() {
                return Some(exact);
            }
            std::fs::read_dir(folder)
                .ok()?
                .flatten()
                .map(|e| e.path())
                .find(|p| p.is_file() && p.file_name().is_some_and(|n| n.to_string_lossy().eq_ignore_ascii_case(name)))
        })
    }

    fn load<T>(
        &self,
        name: &str,
        cache: &Mutex<HashMap<PathBuf, Arc<T>>>,
        parse: impl Fn(&[u8]) -> Result<T, String>,
    ) -> Result<Option<Arc<T>>, String> {
        let Some(path) = self.path(name) else {
            return Ok(None);
        };
        let mut cache = cache.lock().unwrap_or_else(|e| e.into_inner());
        if let Some(found) = cache.get(&path) {
            return Ok(Some(found.clone()));
        }
        let bytes = std::fs::read(&path).map_err(|e| format!("{} cannot be read: {e}", path.display()))?;
        let grid = Arc::new(parse(&bytes).map_err(|e| format!("{} {e}", path.display()))?);
        cache.insert(path, grid.clone());
        Ok(Some(grid))
    }
}

impl GridSource for GridFolders {
    fn shift(&self, name: &str) -> Result<Option<Arc<GridShift>>, String> {
        self.load(name, &self.shifts, |b| GridShift::parse(b).map_err(|e| e.to_string()))
    }

    fn geoid(&self, name: &str) -> Result<Option<Arc<GeoidGrid>>, String> {
        self.load(name, &self.geoids, |b| GeoidGrid::parse(b).map_err(|e| e.to_string()))
    }

    fn has(&self, name: &str) -> bool {
        self.path(name).is_some()
    }

    fn place(&self) -> String {
        if self.folders.is_empty() {
            return "(no folder of grid files is said; say it with `grids` DIR)".into();
        }
        let list: Vec<String> = self.folders.iter().map(|f| f.display().to_string()).collect();
        format!("in {}", list.join(" or "))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_found_in_any_case_and_read_once() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("NTV2_0.GSB"), b"no grid").unwrap();
        let grids = GridFolders::new([folder.path()]);
        assert!(grids.has("ntv2_0.gsb") && !grids.has("other.gsb"));
        assert_eq!(grids.shift("other.gsb"), Ok(None));
        let problem = grids.shift("ntv2_0.gsb").unwrap_err();
        assert!(problem.contains("NTV2_0.GSB is not an NTv2 grid file"), "{problem}");
        assert!(grids.place().contains(&folder.path().display().to_string()));
    }
}
