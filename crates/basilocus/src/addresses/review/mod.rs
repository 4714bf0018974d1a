//! Reviewed addresses: the sheet that asks, the answers taken back, and the file that keeps them.
//!
//! | module | what is in it |
//! |---|---|
//! | `sheet` | the workbook of rows in doubt with their candidates and a column to answer in |
//! | `run` | the review of a run |
//! | `store` | answers, and what a run found, in a small SQLite file |
//! | `asked` | answers of services, in the same file |

#[cfg(feature = "services")]
pub(crate) mod asked;
mod run;
mod sheet;
#[cfg_attr(not(feature = "reviews"), path = "store_left_out.rs")]
mod store;

pub(crate) use run::Review;
pub(crate) use sheet::{ReviewRow, Reviewed, read, write};
pub(crate) use store::Store;
pub use store::answers_of;

use basilocus_address::{AddressInput, Candidate, Text};
use basilocus_table::Reason;

/// An answer as people see it.
#[derive(Debug, Clone, PartialEq)]
pub struct StoredAnswer {
    /// The address as it was asked.
    pub asked: String,
    /// What was answered.
    pub answer: String,
    /// The day.
    pub answered: String,
    /// Where that is; empty where it has no place.
    pub address: String,
}

/// A place that was found for an address, ready to be written.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Record {
    /// Name of the level; `by hand` for a typed coordinate.
    pub level: Text,
    pub confidence: u8,
    pub lon: f64,
    pub lat: f64,
    /// How far the truth may be from there, metres, where that is known.
    pub radius_m: Option<f64>,
    pub address: String,
    pub changes: String,
    pub locality: Text,
    pub region: Text,
    pub parent: Text,
    pub postcode: Text,
    pub extension: Text,
}

/// What is known of an address.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Known {
    Placed(Box<Record>),
    Aside { class: Reason, reason: String },
}

impl Record {
    pub(crate) fn of(c: Candidate) -> Self {
        Record {
            level: c.level.name().into(),
            confidence: c.confidence,
            lon: c.lon,
            lat: c.lat,
            radius_m: Some(c.radius_m),
            address: c.address,
            changes: c.changes.join("; "),
            locality: c.locality,
            region: c.region,
            parent: c.parent,
            postcode: c.postcode,
            extension: c.extension,
        }
    }
}

/// What answers are kept by: the fields that are there in normal form, so that an address is found again when it is
/// typed in capitals, without accents, or in other columns.
pub(crate) fn normal_key(key: &str) -> String {
    let fields = key.split('\u{1f}').map(basilocus_address::normal::words);
    fields.filter(|f| !f.is_empty()).collect::<Vec<_>>().join("\u{1f}")
}

/// The key that stores kept answers by before they were kept in normal form.
pub(crate) fn key_of_before(input: &AddressInput) -> String {
    let i = input;
    let fields = [i.whole, i.number, i.street, i.unit, i.locality, i.region, i.postcode, i.country];
    fields.map(|f| f.trim().to_lowercase()).join("\u{1f}")
}

/// What tells one address from another: its fields as they are typed, trimmed, in lower case.
pub(crate) fn key(input: &AddressInput) -> String {
    let fields = input.fields();
    let mut out = String::with_capacity(input.length() + fields.len());
    for (i, field) in fields.iter().enumerate() {
        if i > 0 {
            out.push('\u{1f}');
        }
        let field = field.trim();
        if field.is_ascii() {
            out.extend(field.bytes().map(|b| char::from(b.to_ascii_lowercase())));
        } else {
            out.push_str(&field.to_lowercase());
        }
    }
    out
}
