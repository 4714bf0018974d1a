//! The first of two passes: which columns the placemarks have, what geometry, which folders they are in, and what shared styles
//! say. The placemarks are read on all cores.

use super::looks::Looks;
use super::placemark::{FOLDER, Placemark, placemark};
use crate::FormatError;
use crate::in_order::{Merge, on_all_cores};
use crate::xml::{self, Found, each_in, not_well_formed};
use crate::xml_pieces::{Around, KeptPiece, Passed};
use basilocus_table::geometry::Geometry;
use std::cell::RefCell;
use std::fs::File;
use std::path::Path;
use std::sync::Arc;

/// The element that is a row.
pub(super) const PLACEMARK: &str = "Placemark";
/// Bytes of placemarks that are looked at together.
const TOGETHER: usize = 256 << 10;

/// What placemarks have in common.
#[derive(Default)]
pub(super) struct Survey {
    /// Names of columns, in the order of their first values.
    pub columns: Vec<String>,
    pub rows: u64,
    /// Which columns of styles placemarks say themselves.
    pub said: [bool; 3],
    /// The shared styles that placemarks name.
    pub shared: Vec<String>,
    /// Whether there are other geometries than points, and whether there are heights.
    pub any_shape: bool,
    pub z: bool,
    pub folders: Folders,
    /// The first placemark that is not well-formed: after how many bytes, and why.
    broken: Option<(u64, String)>,
}

/// Whether all placemarks are in one folder, which says no more of one than of another.
#[derive(Default)]
pub(super) struct Folders {
    first: Option<String>,
    several: bool,
}

impl Folders {
    fn add(&mut self, folder: &str) {
        self.several |= self.first.get_or_insert_with(|| folder.to_string()) != folder;
    }

    fn merge(&mut self, other: Folders) {
        if let Some(folder) = other.first {
            self.add(&folder);
        }
        self.several |= other.several;
    }

    /// The folder, where there is one alone.
    pub fn only(&self) -> Option<&str> {
        self.first.as_deref().filter(|f| !f.is_empty() && !self.several)
    }
}

impl Survey {
    fn add(&mut self, p: Placemark) {
        self.rows += 1;
        self.folders.add(p.values.iter().find(|(name, _)| name == FOLDER).map_or("", |(_, folder)| folder));
        for (i, (name, _)) in p.values.iter().enumerate() {
            // Mostly placemarks have the same values in the same order.
            if self.columns.get(i) != Some(name) && !self.columns.contains(name) {
                self.columns.push(name.clone());
            }
        }
        self.said.iter_mut().zip(&p.own.0).for_each(|(all, own)| *all |= own.is_some());
        if let Some(url) = p.shared.filter(|s| !self.shared.contains(s)) {
            self.shared.push(url);
        }
        if let Ok(Some(g)) = &p.geometry {
            self.any_shape |= !matches!(g, Geometry::Point(_));
            g.each_position(&mut |p| self.z |= !p.z.is_nan() && p.z != 0.0);
        }
    }
}

impl Merge for Survey {
    fn merge(&mut self, other: Survey) {
        for name in other.columns {
            if !self.columns.contains(&name) {
                self.columns.push(name);
            }
        }
        self.rows += other.rows;
        self.said.iter_mut().zip(other.said).for_each(|(all, one)| *all |= one);
        for url in other.shared {
            if !self.shared.contains(&url) {
                self.shared.push(url);
            }
        }
        self.any_shape |= other.any_shape;
        self.z |= other.z;
        self.folders.merge(other.folders);
        self.broken = self.broken.take().or(other.broken);
    }
}

/// The folders that placemarks are in: from which row on, and the path of names; empty outside of all.
pub(super) type Places = Vec<(u64, Arc<str>)>;

/// Placemarks that are looked at together, each with its folder.
type Part = Vec<(KeptPiece, Arc<str>)>;

fn look(part: Part) -> Survey {
    let mut survey = Survey::default();
    for (piece, folder) in &part {
        match xml::element(&xml::text(&piece.bytes)) {
            Ok(e) => survey.add(placemark(&e, folder)),
            Err((at, problem)) => {
                survey.broken = Some((piece.offset + at, problem));
                break;
            }
        }
    }
    survey
}

/// Goes through a file once, on all cores: what its placemarks have in common, its shared styles, and where its folders begin.
///
/// # Errors
/// Where the file cannot be read or is no well-formed XML.
pub(super) fn survey(path: &Path) -> Result<(Survey, Looks, Places), FormatError> {
    let mut looks = Looks::default();
    let mut places: Places = Vec::new();
    let (found, outline) = on_all_cores(look, |send| {
        let (mut part, mut bytes, mut rows): (Part, usize, u64) = (Vec::new(), 0, 0);
        let outline = outline(path, &mut looks, &mut |piece, folder| {
            rows += 1;
            if places.last().is_none_or(|(_, last)| **last != *folder) {
                places.push((rows, folder.into()));
            }
            let folder = places.last().map_or_else(Arc::default, |(_, folder)| folder.clone());
            bytes += piece.bytes.len();
            part.push((piece, folder));
            bytes < TOGETHER || {
                bytes = 0;
                send(std::mem::take(&mut part))
            }
        });
        if !part.is_empty() {
            send(part);
        }
        outline
    });
    outline?;
    // Columns that nobody looked at would be missing without a word.
    let found: Survey = found.ok_or_else(|| FormatError::broken(path, "could not be looked at; this is a defect"))?;
    match &found.broken {
        Some((at, problem)) => Err(not_well_formed(path, *at, problem)),
        None => Ok((found, looks, places)),
    }
}

/// Gives the placemarks of a file in order, each with the folders that it is in.
fn outline(path: &Path, looks: &mut Looks, sink: &mut dyn FnMut(KeptPiece, &str) -> bool) -> Result<(), FormatError> {
    let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    let passed = RefCell::new(Passed::default());
    let around = Around::new(xml::decoded(file, xml::encoding(path)?), PLACEMARK, &passed);
    // Names of the containers around, an entry an element that was entered.
    let mut names: Vec<Option<String>> = Vec::new();
    let mut is_folder: Vec<bool> = Vec::new();
    let whole = |name: &str, around: &[String]| {
        matches!(name, PLACEMARK | "Style" | "StyleMap")
            || name == "name" && matches!(around.last().map(String::as_str), Some("Folder" | "Document"))
    };
    let place = |position| passed.borrow().whole(position);
    let around = std::io::BufReader::with_capacity(1 << 16, around);
    let mut missing = false;
    each_in(around, path, &place, &whole, &mut |found| {
        match found {
            Found::Enter(e) => {
                names.push(None);
                // A document in another is a folder too; the outermost stands for the file.
                let inner = e.name == "Document" && names.len() > 2;
                is_folder.push(e.name == "Folder" || inner);
            }
            Found::Leave => {
                names.pop();
                is_folder.pop();
            }
            Found::Whole(e) if e.name == "name" => {
                if let Some(last) = names.last_mut() {
                    *last = Some(e.text.into_string());
                }
            }
            Found::Whole(e) if matches!(e.name.as_str(), "Style" | "StyleMap") => looks.add(&e),
            Found::Whole(e) if e.name == PLACEMARK => {
                let folders: Vec<&str> = names
                    .iter()
                    .zip(&is_folder)
                    .filter(|(_, folder)| **folder)
                    .map(|(n, _)| n.as_deref().unwrap_or(""))
                    .filter(|n| !n.is_empty())
                    .collect();
                let next = passed.borrow_mut().next();
                return match next {
                    Some(piece) => sink(piece, &folders.join("/")),
                    None => {
                        missing = true;
                        false
                    }
                };
            }
            Found::Whole(_) => {}
        }
        true
    })?;
    // A placemark inside of a style, say, which is held whole, has no row of its own, and would shift all that follow.
    match missing || passed.into_inner().next().is_some() {
        true => Err(FormatError::broken(
            path,
            "has a Placemark inside of a Style, a StyleMap or a name, where it is no row: take it out of there",
        )),
        false => Ok(()),
    }
}
