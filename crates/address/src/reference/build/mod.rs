//! Builds a reference.
//!
//! | module | what is in it |
//! |---|---|
//! | `national` | collects the rows of one country |
//! | `merge` | what is the same under two names is made one |
//! | `older` | what an older reference has goes into a new one |
//! | `spread` | how far what belongs to a place or postcode is from it |
//! | `houses` | houses by their whole address |
//! | `keys` | the keys by which names are found |
//! | `write` | writes the sections of a country |

mod houses;
mod keys;
mod merge;
mod national;
mod older;
mod spread;
mod write;

pub(crate) use keys::bare;
pub use older::Older;

use super::entry::{Entry, PointEntry};
use super::file::{EXTENT, HEADER, MAGIC, VERSION};
use super::open::Reference;
use super::unusable::Unusable;
use crate::country;
use crate::error::Error;
use crate::grammar::{self, Grammar};
use national::National;
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// Records of points and the like that stay in memory; beyond, they go to temporary files.
const IN_MEMORY: usize = 3_000_000;

/// An address that was withdrawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Withdrawn(&'static str, older::House);

/// Collects rows, country by country, and writes the reference.
///
/// Memory grows with the number of different streets, localities and postcodes, not with the number of points and
/// segments, which wait in temporary files.
pub struct Builder {
    /// The country of rows that do not say theirs.
    usual: &'static str,
    most: usize,
    countries: BTreeMap<&'static str, National>,
    /// Areas that do not say their country: they are in all of them.
    areas: Vec<Entry>,
    /// Whether rows replace those of an older reference.
    replaces: bool,
}

impl Builder {
    /// An empty builder; rows are of this grammar's country unless they say another.
    pub fn new(grammar: &'static Grammar) -> Self {
        Builder::in_memory(grammar, IN_MEMORY)
    }

    /// An empty builder; rows are of the country with this ISO 3166 code, or a name, unless they say another.
    pub fn of_country(country: &str) -> Option<Self> {
        let usual = country::code_of(country)?;
        Some(Builder { usual, most: IN_MEMORY, countries: BTreeMap::new(), areas: Vec::new(), replaces: false })
    }

    /// A builder that keeps so many points of a country in memory.
    pub fn in_memory(grammar: &'static Grammar, most: usize) -> Self {
        Builder { usual: grammar.country, most, countries: BTreeMap::new(), areas: Vec::new(), replaces: false }
    }

    /// Adds a row of the usual country.
    ///
    /// Places should come before points and segments where two localities have one name and region: a point then
    /// belongs to the nearer one.
    ///
    /// # Errors
    /// Why the row cannot be used, in words; it is then not part of the reference.
    pub fn add(&mut self, entry: &Entry) -> Result<(), Unusable> {
        self.add_in("", entry)
    }

    /// Adds a row of a country, by its ISO 3166 code or a name; of the usual one where that is empty.
    ///
    /// # Errors
    /// As for [`Builder::add`], and a country that is none.
    pub fn add_in(&mut self, country: &str, entry: &Entry) -> Result<(), Unusable> {
        let code = match country.trim() {
            "" => self.usual,
            said => country::code_of(said).ok_or_else(|| Unusable::Country(said.to_string()))?,
        };
        if country.trim().is_empty() && matches!(entry, Entry::Area(_)) {
            National::check_area(entry)?;
            self.areas.push(entry.clone());
            return Ok(());
        }
        self.national(code).add(entry)
    }

    fn national(&mut self, code: &'static str) -> &mut National {
        let (most, replaces) = (self.most, self.replaces);
        let national = self.countries.entry(code).or_insert_with(|| National::new(code, grammar::of_code(code), most));
        national.remembers_rows = replaces;
        national
    }

    /// Begins with the places, postcodes and areas of an older reference; rows that are added now replace those of its
    /// address points and stretches that have the same address. Its houses come last, with [`Builder::finish_update`].
    ///
    /// # Errors
    /// Where the older reference holds what a new one cannot.
    pub fn begin_update(&mut self, older: &[Reference]) -> Result<(), Unusable> {
        self.replaces = true;
        for old in older {
            self.national(old.country()).add_older_places(old)?;
        }
        // Areas that did not say their country are in each.
        self.areas = older.first().map(Reference::area_entries).unwrap_or_default();
        Ok(())
    }

    /// Leaves an address of the older reference out.
    ///
    /// # Errors
    /// Why the address cannot be read.
    pub fn withdraw(&mut self, country: &str, p: &PointEntry) -> Result<Withdrawn, Unusable> {
        let code = match country.trim() {
            "" => self.usual,
            said => country::code_of(said).ok_or_else(|| Unusable::Country(said.to_string()))?,
        };
        Ok(Withdrawn(code, self.national(code).withdraw(p)?))
    }

    /// Whether the older reference had an address that was withdrawn; known after [`Builder::finish_update`].
    pub fn had(&self, withdrawn: &Withdrawn) -> bool {
        self.countries.get(withdrawn.0).is_some_and(|c| c.was_there(&withdrawn.1))
    }

    /// Adds what is left of an older reference.
    ///
    /// # Errors
    /// Where the older reference holds what a new one cannot.
    pub fn finish_update(&mut self, older: &[Reference]) -> Result<Older, Unusable> {
        let mut all = Older::default();
        for old in older {
            let here = self.national(old.country()).add_older_houses(old)?;
            all.kept += here.kept;
            all.replaced += here.replaced;
            all.withdrawn += here.withdrawn;
        }
        Ok(all)
    }

    /// Countries that rows were added of, their ISO 3166 codes.
    pub fn countries(&self) -> impl Iterator<Item = &'static str> {
        self.countries.keys().copied()
    }

    /// Rows that were the same address point as another row of the sources, known after [`Builder::write`].
    pub fn folded(&self) -> u64 {
        self.countries.values().map(|c| c.folded).sum()
    }

    /// Rows that are the address of another row at a place farther away than one building is large, known after
    /// [`Builder::write`].
    pub fn apart(&self) -> u64 {
        self.countries.values().map(|c| c.apart).sum()
    }

    /// Writes the reference beside its final place and moves it there; whoever has the old one open keeps reading it.
    ///
    /// # Errors
    /// [`Error::Empty`] without a usable row, [`Error::TooLarge`], [`Error::Io`] where it cannot be written.
    pub fn write(&mut self, path: &Path) -> Result<(), Error> {
        self.ready()?;
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let temporary: PathBuf = folder.join(format!(".basilocus-{}.partial", std::process::id()));
        let written = self.write_parts(&temporary).and_then(|()| std::fs::rename(&temporary, path));
        if written.is_err() {
            let _ = std::fs::remove_file(&temporary);
        }
        written.map_err(|source| Error::Io { path: path.to_path_buf(), source })
    }

    /// Writes the reference right to a file, for those who move it to its place themselves.
    ///
    /// # Errors
    /// As [`Builder::write`].
    pub fn write_in_place(&mut self, path: &Path) -> Result<(), Error> {
        self.ready()?;
        self.write_parts(path).map_err(|source| Error::Io { path: path.to_path_buf(), source })
    }

    /// Adds the areas to their countries, and checks that there is something to write.
    fn ready(&mut self) -> Result<(), Error> {
        self.countries.retain(|_, c| !c.is_empty());
        if self.countries.is_empty() {
            return Err(Error::Empty);
        }
        for area in std::mem::take(&mut self.areas) {
            for country in self.countries.values_mut() {
                // Checked when it came.
                let _ = country.add(&area);
            }
        }
        self.countries.values().try_for_each(National::check_size)
    }

    fn write_parts(&mut self, path: &Path) -> io::Result<()> {
        let mut file = File::create(path)?;
        let mut head = MAGIC.to_vec();
        head.extend(VERSION.to_le_bytes());
        head.extend((self.countries.len() as u32).to_le_bytes());
        let mut at = HEADER + EXTENT * self.countries.len();
        file.write_all(&vec![0; at])?;
        for country in self.countries.values_mut() {
            let length = country.write(&mut file, at as u64)?;
            head.extend((at as u64).to_le_bytes());
            head.extend(length.to_le_bytes());
            at += length as usize;
        }
        file.seek(SeekFrom::Start(0))?;
        file.write_all(&head)?;
        file.sync_all()
    }
}
