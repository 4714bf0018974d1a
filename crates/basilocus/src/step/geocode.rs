//! Matches addresses and writes what was found.

use crate::Error;
use crate::plan::GeocodePlan;
use arrow_array::{ArrayRef, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, SchemaRef};
use basilocus_address::{AddressInput, Candidate, Level, MatchOptions, Matcher, Outcome, Reference};
use basilocus_formats::ColumnStyle;
use basilocus_table::{Batch, Role};
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

/// Extras that a reference gives.
const EXTRAS: &[&str] = &["postcode", "locality", "region", "parent"];

/// A compiled geocoding step.
pub(crate) struct Geocode {
    references: Vec<Reference>,
    options: MatchOptions,
    columns: [Option<usize>; 7],
    extras: Vec<String>,
    candidates: usize,
    /// Names of the columns that are written.
    names: Vec<String>,
    pub(crate) understood: String,
    pub(crate) told: Vec<String>,
}

/// What came of a batch.
pub(crate) struct Geocoded {
    pub lon: Vec<f64>,
    pub lat: Vec<f64>,
    pub columns: Vec<(Field, ArrayRef)>,
    /// Class and reason of rows set aside.
    pub unusable: Vec<Option<(&'static str, String)>>,
    pub levels: BTreeMap<&'static str, u64>,
}

impl Geocode {
    pub(crate) fn new(
        plan: &GeocodePlan,
        schema: &SchemaRef,
        roles: &[Option<Role>],
        path: &Path,
        taken: &mut Vec<String>,
    ) -> Result<Self, Error> {
        if plan.reference.is_empty() {
            return Err(Error::Plan(
                "no address reference is said; name one with --reference (make it with `reference build`)".into(),
            ));
        }
        let references = plan.reference.iter().map(|p| Reference::open(p)).collect::<Result<Vec<_>, _>>()?;
        let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
        let column = |wanted: &Option<String>| match wanted {
            None => Ok(None),
            Some(w) => names
                .iter()
                .position(|n| n == w)
                .or_else(|| names.iter().position(|n| n.eq_ignore_ascii_case(w)))
                .map(Some)
                .ok_or_else(|| Error::NoColumn { path: path.to_path_buf(), wanted: w.clone(), names: names.clone() }),
        };
        let said =
            [&plan.address, &plan.house_number, &plan.street, &plan.unit, &plan.locality, &plan.region, &plan.postcode];
        let kinds =
            [Role::Address, Role::HouseNumber, Role::Street, Role::Unit, Role::Locality, Role::Region, Role::Postcode];
        let mut columns = [None; 7];
        for (i, wanted) in said.iter().enumerate() {
            columns[i] = column(wanted)?;
        }
        for (i, role) in kinds.iter().enumerate() {
            let found = roles.iter().position(|r| r == &Some(*role)).filter(|c| !columns.contains(&Some(*c)));
            // A whole address that was said makes the thoroughfare columns that were only found unnecessary.
            let whole_said = plan.address.is_some() && (1..=2).contains(&i);
            if columns[i].is_none() && !whole_said {
                columns[i] = found;
            }
        }
        if columns[0].is_none() && columns[2].is_none() && columns[4].is_none() && columns[6].is_none() {
            return Err(Error::NoAddress { path: path.to_path_buf(), names });
        }
        let list: Vec<String> = kinds
            .iter()
            .zip(&columns)
            .filter_map(|(k, c)| c.map(|c| format!("{} \"{}\"", k.name(), names[c])))
            .collect();
        let coarsest = match &plan.coarsest {
            None => Level::Locality,
            Some(text) => Level::from_name(text).ok_or_else(|| {
                Error::Plan(format!(
                    "--coarsest {text} is no level; one of {} is expected",
                    basilocus_address::matching::LEVELS
                        .iter()
                        .map(|(_, n)| n.replace(' ', "-"))
                        .collect::<Vec<_>>()
                        .join(", ")
                ))
            })?,
        };
        if let Some(bad) = plan.extras.iter().find(|e| !EXTRAS.contains(&e.as_str())) {
            return Err(Error::Plan(format!("--extras {bad}: the reference gives {}", EXTRAS.join(", "))));
        }
        let mut wanted: Vec<String> =
            ["lon", "lat", "level", "confidence", "matched_address", "changes"].map(String::from).to_vec();
        wanted.extend(plan.extras.iter().map(|e| format!("matched_{e}")));
        if plan.candidates > 0 {
            wanted.push("candidates".into());
        }
        let mut told = Vec::new();
        let mut out_names = Vec::new();
        for name in wanted {
            let free = super::free_name(&name, taken);
            if free != name {
                told.push(format!(
                    "the column \"{name}\" of the match is called \"{free}\": the name is there already and stays"
                ));
            }
            taken.push(free.clone());
            out_names.push(free);
        }
        Ok(Geocode {
            references,
            options: MatchOptions {
                coarsest,
                min_confidence: plan.min_confidence.unwrap_or(0),
                set_back_m: plan.set_back_m.unwrap_or(MatchOptions::default().set_back_m),
            },
            columns,
            extras: plan.extras.clone(),
            candidates: plan.candidates,
            names: out_names,
            understood: format!("addresses from {}", list.join(", ")),
            told,
        })
    }

    pub(crate) fn fields(&self) -> Vec<(Field, ColumnStyle)> {
        self.names
            .iter()
            .enumerate()
            .map(|(i, name)| match i {
                0 | 1 => (Field::new(name, DataType::Float64, true), ColumnStyle { digits: Some(7), longest: None }),
                2 => (Field::new(name, DataType::Utf8, true), ColumnStyle { digits: None, longest: Some(14) }),
                3 => (Field::new(name, DataType::Int64, true), ColumnStyle { digits: None, longest: Some(10) }),
                4 => (Field::new(name, DataType::Utf8, true), ColumnStyle { digits: None, longest: Some(42) }),
                5 => (Field::new(name, DataType::Utf8, true), ColumnStyle { digits: None, longest: Some(48) }),
                _ => (Field::new(name, DataType::Utf8, true), ColumnStyle { digits: None, longest: Some(16) }),
            })
            .collect()
    }

    pub(crate) fn apply(&self, batch: &Batch) -> Geocoded {
        let n = batch.len();
        let mut out = Geocoded {
            lon: vec![f64::NAN; n],
            lat: vec![f64::NAN; n],
            columns: Vec::new(),
            unusable: (0..n).map(|_| None).collect(),
            levels: BTreeMap::new(),
        };
        let mut found: Vec<Option<(Candidate, String)>> = (0..n).map(|_| None).collect();
        let columns: Vec<Option<Arc<StringArray>>> =
            self.columns.iter().map(|c| c.map(|c| basilocus_table::text_column(batch.records.column(c)))).collect();
        let matchers: Vec<Matcher> = self.references.iter().map(|r| Matcher::new(r, self.options.clone())).collect();
        for (row, slot) in found.iter_mut().enumerate() {
            let text = |i: usize| columns[i].as_ref().map_or("", |a| a.value(row));
            let input = AddressInput {
                whole: text(0),
                number: text(1),
                street: text(2),
                unit: text(3),
                locality: text(4),
                region: text(5),
                postcode: text(6),
            };
            let mut best: Option<Outcome> = None;
            for m in &matchers {
                let outcome = m.find(&input);
                best = Some(match best.take() {
                    None => outcome,
                    Some(before) => better(before, outcome),
                });
            }
            match best {
                Some(Outcome::Matched(m)) => {
                    (out.lon[row], out.lat[row]) = (m.best.lon, m.best.lat);
                    *out.levels.entry(m.best.level.name()).or_default() += 1;
                    let list = self.list(std::iter::once(&m.best).chain(&m.others));
                    *slot = Some((m.best, list));
                }
                Some(Outcome::SetAside { class, reason, .. }) => out.unusable[row] = Some((class, reason)),
                None => {}
            }
        }
        let text = |f: &dyn Fn(&Candidate) -> String| {
            Arc::new(found.iter().map(|c| c.as_ref().map(|(c, _)| f(c))).collect::<StringArray>()) as ArrayRef
        };
        let mut arrays: Vec<ArrayRef> = vec![
            Arc::new(Float64Array::from(out.lon.clone())),
            Arc::new(Float64Array::from(out.lat.clone())),
            text(&|c| c.level.name().to_string()),
            Arc::new(found.iter().map(|c| c.as_ref().map(|(c, _)| i64::from(c.confidence))).collect::<Int64Array>()),
            text(&|c| c.address.clone()),
            text(&|c| c.changes.join("; ")),
        ];
        for extra in &self.extras {
            arrays.push(text(&|c| match extra.as_str() {
                "postcode" => c.postcode.clone(),
                "locality" => c.locality.clone(),
                "region" => c.region.clone(),
                _ => c.parent.clone(),
            }));
        }
        if self.candidates > 0 {
            arrays.push(Arc::new(
                found.iter().map(|c| c.as_ref().map(|(_, list)| list.clone())).collect::<StringArray>(),
            ));
        }
        out.columns = self.fields().into_iter().map(|(f, _)| f).zip(arrays).collect();
        out
    }

    fn list<'a>(&self, candidates: impl Iterator<Item = &'a Candidate>) -> String {
        candidates
            .take(self.candidates)
            .map(|c| format!("{}: {} ({})", c.confidence, c.address, c.level.name()))
            .collect::<Vec<_>>()
            .join(" | ")
    }
}

/// The surer of two outcomes; a match before none, the first among equals.
fn better(a: Outcome, b: Outcome) -> Outcome {
    match (&a, &b) {
        (Outcome::Matched(x), Outcome::Matched(y))
            if (y.best.level, std::cmp::Reverse(y.best.confidence))
                < (x.best.level, std::cmp::Reverse(x.best.confidence))
                && y.best.confidence + 10 >= x.best.confidence =>
        {
            b
        }
        (Outcome::SetAside { .. }, Outcome::Matched(_)) => b,
        _ => a,
    }
}
