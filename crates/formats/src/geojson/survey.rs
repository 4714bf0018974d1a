//! The first of two passes: columns, types and kinds of geometry of all features, and where in the file they stand.

use super::feature::Scalar;
use super::names::Names;
use super::pieces::{self, Collection, Features, Pieces};
use super::scan::{self, Found, Kinds};
use super::scanner::Scanner;
use super::{geometry, reader};
use crate::FormatError;
use crate::in_order::{Merge, on_all_cores};
use std::collections::BTreeSet;
use std::path::Path;

/// What is found of columns and geometry before the rows are read.
#[derive(Default)]
pub(super) struct Survey {
    pub names: Names,
    /// What values the names have.
    pub kinds: Vec<Kinds>,
    pub with_z: bool,
    /// Whether there are other geometries than points.
    pub any_shape: bool,
    /// Valid features.
    pub features: u64,
    /// Columns whose values stood in objects, and those that are lists as they are written.
    pub nested: BTreeSet<String>,
    pub lists: BTreeSet<String>,
    /// Where the features stand.
    pub spans: Vec<Span>,
    /// What is wrong with the first feature that is broken.
    pub broken: Option<String>,
}

/// A part of the file with whole features.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Span {
    pub offset: u64,
    pub length: usize,
    /// How many features stand there, broken ones included.
    pub features: u64,
}

impl Survey {
    /// Adds a kind of value to a name, which is likely at a place.
    fn note(&mut self, name: &str, likely: usize, kinds: Kinds) {
        let at = self.names.place(name, likely);
        if at == self.kinds.len() {
            self.kinds.push(Kinds::default());
        }
        self.kinds[at].add(kinds);
    }
}

impl Merge for Survey {
    fn merge(&mut self, other: Survey) {
        for (i, (name, kinds)) in other.names.list.iter().zip(other.kinds).enumerate() {
            self.note(name, i, kinds);
        }
        self.with_z |= other.with_z;
        self.any_shape |= other.any_shape;
        self.features += other.features;
        self.nested.extend(other.nested);
        self.lists.extend(other.lists);
        self.spans.extend(other.spans);
        self.broken = self.broken.take().or(other.broken);
    }
}

/// Looks at the features of some pieces.
struct Look {
    survey: Survey,
    found: Found,
    sequence: bool,
    features: u64,
}

impl<'a> Features<'a> for Look {
    fn usual(&mut self, s: &mut Scanner<'a>) -> Option<()> {
        scan::feature(s, &self.survey.names, &mut self.found)?;
        if self.sequence && !s.at_end() {
            return None;
        }
        self.features += 1;
        self.survey.features += 1;
        self.found.values.iter().for_each(|(at, kinds)| self.survey.kinds[*at].add(*kinds));
        if let Some((is_point, has_height)) = self.found.geometry {
            self.survey.with_z |= has_height;
            self.survey.any_shape |= !is_point;
        }
        Some(())
    }

    fn other(&mut self, text: &'a [u8]) {
        self.features += 1;
        let survey = &mut self.survey;
        let f = match reader::parse(text, self.sequence) {
            Ok(f) => f,
            Err(problem) => {
                survey.broken.get_or_insert(problem);
                return;
            }
        };
        survey.features += 1;
        if let Some(id) = f.id.as_ref().filter(|v| **v != Scalar::Null) {
            survey.note("id", 0, Kinds::of(id));
        }
        let shift = usize::from(f.id.is_some());
        for (i, (name, value)) in f.properties.iter().flat_map(|p| &p.list).enumerate() {
            survey.note(name, i + shift, Kinds::of(value));
            if let Scalar::Other(_) = value {
                survey.lists.insert(name.to_string());
            }
        }
        survey.nested.extend(f.properties.into_iter().flat_map(|p| p.nested));
        if let Some(g) = &f.geometry {
            survey.with_z |= geometry::point_with_height(g);
            survey.any_shape |= g.kind != "Point";
        }
    }
}

fn look(pieces: &Pieces, sequence: Option<u8>) -> Survey {
    let mut look =
        Look { survey: Survey::default(), found: Found::default(), sequence: sequence.is_some(), features: 0 };
    pieces::walk(&pieces.bytes, sequence, &mut look);
    look.survey.spans.push(Span { offset: pieces.offset, length: pieces.bytes.len(), features: look.features });
    look.survey
}

/// Goes through a file once, on all cores.
pub(super) fn survey(path: &Path, sequence: Option<u8>) -> Result<(Collection, Survey), FormatError> {
    let (found, collection) = on_all_cores(|pieces| look(&pieces, sequence), |sink| pieces::each(path, sequence, sink));
    let collection = collection?;
    // Columns that nobody looked at would be missing without a word.
    let found = found.ok_or_else(|| FormatError::broken(path, "could not be looked at; this is a defect"))?;
    Ok((collection, found))
}
