//! A column of addresses in, columns out: for those who have rows of their own and need no layer.

use arrow_array::{Array, Float64Array, StringArray, UInt8Array};
use basilocus_address::{AddressInput, MatchOptions, Matcher, Outcome, Reference};

/// Matches columns of addresses against a reference.
///
/// ```
/// use basilocus::Geocoder;
/// use basilocus::address::reference::PointEntry;
/// use basilocus::address::{Builder, Entry, Reference, grammar};
/// use basilocus::arrow::array::{Array, StringArray};
///
/// let folder = tempfile::tempdir()?;
/// let file = folder.path().join("gates.reference");
/// let mut builder = Builder::new(grammar::of_country("US").unwrap());
/// builder.add(&Entry::Point(PointEntry {
///     number: "12".into(),
///     street: "Heron Ln".into(),
///     locality: "Ternport".into(),
///     region: "OR".into(),
///     postcode: "97981".into(),
///     lon: -123.8,
///     lat: 46.2,
///     ..Default::default()
/// }))?;
/// builder.write(&file)?;
/// let reference = Reference::open(&file)?;
/// let asked = StringArray::from(vec![Some("12 Heron Lane, Ternport"), None]);
/// let found = Geocoder::new(&reference).column(&asked);
/// assert_eq!((found.lon.value(0), found.level.value(0)), (-123.8, "address point"));
/// assert!(found.lon.is_null(1) && found.reason.value(1).contains("no address"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Geocoder<'a> {
    matcher: Matcher<'a>,
}

/// What was found for the addresses of a column, row by row.
#[derive(Debug, Clone)]
pub struct FoundColumn {
    /// Longitude in degrees of WGS 84; null where no place was found.
    pub lon: Float64Array,
    /// Latitude in degrees.
    pub lat: Float64Array,
    /// How far the truth may be from there, metres.
    pub radius_m: Float64Array,
    /// How precisely the place is known.
    pub level: StringArray,
    /// 0 to 100: of the rows with this confidence at least so many in a hundred are right.
    pub confidence: UInt8Array,
    /// The address in its standard form.
    pub matched_address: StringArray,
    /// What was changed to match it; empty for nothing.
    pub changes: StringArray,
    /// Why no place was found; null where one was.
    pub reason: StringArray,
}

impl<'a> Geocoder<'a> {
    /// With the usual options.
    pub fn new(reference: &'a Reference) -> Self {
        Self::with_options(reference, MatchOptions { others: 0, ..Default::default() })
    }

    /// With options of one's own.
    pub fn with_options(reference: &'a Reference, options: MatchOptions) -> Self {
        Geocoder { matcher: Matcher::new(reference, options) }
    }

    /// Matches whole addresses, one a row; null is no address.
    pub fn column(&self, addresses: &StringArray) -> FoundColumn {
        let text = |row: usize| if addresses.is_null(row) { "" } else { addresses.value(row) };
        let outcomes: Vec<Outcome> = (0..addresses.len())
            .map(|row| self.matcher.find(&AddressInput { whole: text(row), ..Default::default() }))
            .collect();
        let best = |o: &Outcome| match o {
            Outcome::Matched(m) => Some(m.best.clone()),
            Outcome::SetAside { .. } => None,
        };
        let found: Vec<_> = outcomes.iter().map(best).collect();
        FoundColumn {
            lon: found.iter().map(|c| c.as_ref().map(|c| c.lon)).collect(),
            lat: found.iter().map(|c| c.as_ref().map(|c| c.lat)).collect(),
            radius_m: found.iter().map(|c| c.as_ref().map(|c| c.radius_m)).collect(),
            level: found.iter().map(|c| c.as_ref().map(|c| c.level.name())).collect(),
            confidence: found.iter().map(|c| c.as_ref().map(|c| c.confidence)).collect(),
            matched_address: found.iter().map(|c| c.as_ref().map(|c| c.address.as_str())).collect(),
            changes: found.iter().map(|c| c.as_ref().map(|c| c.changes.join("; "))).collect(),
            reason: outcomes
                .iter()
                .map(|o| match o {
                    Outcome::Matched(_) => None,
                    Outcome::SetAside { reason, .. } => Some(reason.as_str()),
                })
                .collect(),
        }
    }
}
