//! Which elements a document repeats.

use crate::FormatError;
use crate::xml::{Found, each};
use std::collections::HashMap;
use std::path::Path;

/// Different paths that are counted; a document with more has no form that could be a table.
const MOST_PATHS: usize = 10_000;

/// An element that is there more than once.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Repeated {
    /// Names from the outermost element on, parted by `/`.
    pub path: String,
    pub name: String,
    pub parent: String,
    pub count: u64,
    /// Whether it has elements or attributes in it: only such a one is a row.
    pub has_parts: bool,
}

/// All elements, in the order in which they are met.
///
/// # Errors
/// Where the file is no well-formed XML.
pub(super) fn elements(path: &Path) -> Result<Vec<Repeated>, FormatError> {
    let mut around: Vec<String> = Vec::new();
    let mut index: HashMap<String, usize> = HashMap::new();
    let mut list: Vec<Repeated> = Vec::new();
    each(path, &|_, _| false, &mut |found| {
        match found {
            Found::Enter(e) => {
                let parent = around.last().cloned().unwrap_or_default();
                if let Some(i) = index.get(&around.join("/")) {
                    let above: &mut Repeated = &mut list[*i];
                    above.has_parts = true;
                }
                around.push(e.name.to_string());
                let here = around.join("/");
                match index.get(&here) {
                    Some(i) => list[*i].count += 1,
                    None if list.len() < MOST_PATHS => {
                        index.insert(here.clone(), list.len());
                        list.push(Repeated {
                            path: here,
                            name: e.name.to_string(),
                            parent,
                            count: 1,
                            has_parts: !e.attributes.is_empty(),
                        });
                    }
                    None => {}
                }
            }
            Found::Leave => {
                around.pop();
            }
            Found::Whole(_) => {}
        }
        true
    })?;
    Ok(list)
}

/// Those that are there more than once, or are the rows of a feed.
pub(super) fn repeated(mut list: Vec<Repeated>) -> Vec<Repeated> {
    list.retain(|r| r.count > 1 || matches!(r.name.as_str(), "item" | "entry"));
    list
}

/// The paths of the elements that may be rows.
///
/// # Errors
/// Where the file is no well-formed XML.
pub(crate) fn layers(path: &Path) -> Result<Vec<String>, FormatError> {
    Ok(repeated(elements(path)?).into_iter().filter(|r| r.has_parts).map(|r| r.path).collect())
}

/// The element that is most likely a row: that of a feed, else the one that repeats least deep, and most often there.
pub(super) fn likeliest(list: &[Repeated]) -> Option<&Repeated> {
    let depth = |r: &Repeated| r.path.matches('/').count();
    let rows = || list.iter().filter(|r| r.has_parts);
    rows()
        .find(|r| {
            r.name == "item" && matches!(r.parent.as_str(), "channel" | "RDF")
                || r.name == "entry" && r.parent == "feed"
        })
        .or_else(|| rows().min_by_key(|r| (depth(r), std::cmp::Reverse(r.count))))
}
