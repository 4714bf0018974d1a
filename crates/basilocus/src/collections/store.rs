//! Layers of any format as GeoPackages, which are searched on the disk.

use super::collection::Collection;
use crate::engine::{Cancel, RunOptions};
use crate::plan::{LayerPlan, OperationPlan};
use crate::steps::Positions;
use crate::{Error, Layer};
use basilocus_formats::Format;
use basilocus_formats::geopackage::numbers_rows;
use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// How files are read that do not say all.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Reading {
    /// The system of files that carry none.
    pub from: Option<String>,
    /// Which ways are taken between systems, and where their grids are.
    pub operation: OperationPlan,
}

/// The collections of several files.
pub struct Collections {
    list: Vec<Collection>,
    notices: Vec<String>,
    /// Layers of other formats, as long as they are served.
    _folder: tempfile::TempDir,
}

impl Collections {
    /// Opens layers, of a file with several all of them. A GeoPackage is served as it lies there; what is of another format
    /// is converted into a temporary folder, where rows that are set aside are told ([`Collection::notices`]).
    ///
    /// # Errors
    /// Where a file cannot be read, has no positions that are known, or two layers have the same name.
    ///
    /// ```
    /// use basilocus::Cancel;
    /// use basilocus::collections::{Collections, Query, Reading};
    ///
    /// let folder = tempfile::tempdir()?;
    /// let gates = folder.path().join("gates.csv");
    /// std::fs::write(&gates, "gate,lon,lat\nNorth,-123.8,46.2\nSouth,-123.7,46.1\n")?;
    /// let reading = Reading { from: Some("EPSG:4326".into()), ..Default::default() };
    /// let collections = Collections::open(&[gates], &reading, &Cancel::default())?;
    /// let gates = collections.get("gates").unwrap();
    /// let page = gates.page(&Query { limit: 1, ..Query::everything()? })?;
    /// assert_eq!((page.matched, page.features.len()), (2, 1));
    /// assert_eq!(page.features[0].properties["gate"], "North");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn open(files: &[PathBuf], reading: &Reading, cancel: &Cancel) -> Result<Self, Error> {
        let folder =
            tempfile::tempdir().map_err(|e| Error::Usage(format!("a temporary folder cannot be made: {e}")))?;
        let (mut list, mut notices): (Vec<Collection>, Vec<String>) = (Vec::new(), Vec::new());
        for (number, file) in files.iter().enumerate() {
            for mut found in of_file(file, &folder.path().join(number.to_string()), reading, cancel, &mut notices)? {
                // A second layer of a name says its file too.
                if list.iter().any(|c| c.id() == found.id()) && stem(file) != found.id() {
                    found.rename(format!("{}-{}", stem(file), found.id()));
                }
                if let Some(other) = list.iter().find(|c| c.id() == found.id()) {
                    return Err(Error::Usage(format!(
                        "{} and {} both hold a layer \"{}\"; rename one of the files",
                        other.source().display(),
                        file.display(),
                        found.id()
                    )));
                }
                list.push(found);
            }
        }
        Ok(Collections { list, notices, _folder: folder })
    }

    /// Layers that are left out, and why.
    pub fn notices(&self) -> &[String] {
        &self.notices
    }

    /// One of them.
    pub fn get(&self, id: &str) -> Option<&Collection> {
        self.list.iter().find(|c| c.id() == id)
    }

    /// All of them, in the order of their files.
    pub fn iter(&self) -> impl Iterator<Item = &Collection> {
        self.list.iter()
    }
}

/// The collections of a file.
fn of_file(
    file: &Path,
    folder: &Path,
    reading: &Reading,
    cancel: &Cancel,
    left_out: &mut Vec<String>,
) -> Result<Vec<Collection>, Error> {
    let is_plain = !basilocus_formats::is_standard(file) && !basilocus_formats::is_address(file);
    if is_plain && basilocus_formats::detect(file).is_ok_and(|f| f == Format::GeoPackage) {
        let layers = basilocus_formats::geopackage::layers(file)?;
        // The rows of a view have no numbers to be found again by: such a file is converted as others are.
        if layers.iter().map(|l| numbers_rows(file, l)).collect::<Result<Vec<_>, _>>()?.iter().all(|numbers| *numbers) {
            let of = |layer: &String| Collection::open(file, file, layer, Vec::new(), &reading.operation);
            return layers.iter().map(of).collect();
        }
    }
    let mut collections = Vec::new();
    let mut names = HashSet::new();
    let layers = crate::look::every_layer(&LayerPlan::new(file))?;
    let is_one = layers.len() == 1;
    for (number, layer) in layers.into_iter().enumerate() {
        let named = layer.name.clone().unwrap_or_else(|| stem(file));
        let name = if names.contains(&named) { format!("{named}-{number}") } else { named };
        let copy = folder.join(number.to_string()).join(file_name(&name));
        match converted(&layer, &name, &copy, reading, cancel) {
            Ok(notices) => {
                // Of no rows no layer is written.
                let Some(table) = basilocus_formats::geopackage::layers(&copy)?.into_iter().next() else {
                    let why = format!("{}: no row of {name} has a position ({})", file.display(), notices.join("; "));
                    if is_one {
                        return Err(Error::Data(why));
                    }
                    left_out.push(format!("{why}; it is not served"));
                    continue;
                };
                let collection = Collection::open(file, &copy, &table, notices, &reading.operation)?;
                if !is_one && holds_set_aside(&collection) {
                    left_out.push(format!("{}: {name} holds rows set aside, and is not served", file.display()));
                    continue;
                }
                names.insert(name.clone());
                collections.push(collection);
            }
            // Sheets of a workbook that say what it is have no coordinates.
            Err(Error::NoPosition { .. }) if !is_one => {
                left_out.push(format!("{}: {name} has no coordinates, and is not served", file.display()));
            }
            Err(e) => return Err(e),
        }
    }
    if collections.is_empty() {
        return Err(Error::Data(format!("{}: none of its layers has coordinates", file.display())));
    }
    Ok(collections)
}

/// Whether a layer is the sheet of rows set aside in a workbook of ours.
fn holds_set_aside(collection: &Collection) -> bool {
    let first = collection.columns().iter().take(3).map(|c| c.name.as_str());
    first.eq(["layer", "source_row", "reason"])
}

/// Converts a layer into a GeoPackage, and says what there is to tell.
fn converted(
    layer: &LayerPlan,
    name: &str,
    copy: &Path,
    reading: &Reading,
    cancel: &Cancel,
) -> Result<Vec<String>, Error> {
    let carried = crate::engine::source::open(&layer.source, &layer.options()?)?.about().crs.clone();
    // A system that is said is for files that carry none.
    let from = if carried.is_some() { None } else { reading.from.clone() };
    let layer = LayerPlan { operation: reading.operation.clone(), ..layer.clone() };
    let layer = Layer::of(layer).named(name).positions(Positions { from, ..Default::default() });
    let options = RunOptions { cancel: cancel.clone(), ..Default::default() };
    if let Some(folder) = copy.parent() {
        std::fs::create_dir_all(folder).map_err(|e| Error::Data(format!("a temporary folder cannot be made: {e}")))?;
    }
    let report = layer.write(copy)?.run_with(&options)?;
    let aside = report.set_aside.iter();
    let mut notices: Vec<String> =
        aside.map(|(reason, rows)| format!("{} set aside: {reason}", basilocus_table::counted(*rows, "row"))).collect();
    notices.extend(report.layers.iter().flat_map(|l| l.interpretation.iter().cloned()));
    notices.extend(report.notices.iter().cloned());
    notices.extend(report.doubts.iter().map(|d| format!("doubt {}: {}", d.id, d.message)));
    Ok(notices)
}

/// A name as that of a file.
pub(super) fn file_name(name: &str) -> String {
    let plain = name.chars().map(|c| if c.is_alphanumeric() || matches!(c, '-' | '_' | ' ') { c } else { '_' });
    plain.take(60).collect::<String>() + ".gpkg"
}

fn stem(file: &Path) -> String {
    file.file_stem().map_or_else(|| "layer".into(), |s| s.to_string_lossy().into_owned())
}
