//! Matches addresses and writes what was found.

mod cache;
mod options;

use crate::Error;
use crate::answers::{Known, Record, ReviewRow, Reviewed, Store, key};
use crate::plan::GeocodePlan;
use arrow_array::{ArrayRef, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, SchemaRef};
use basilocus_address::{AddressInput, Candidate, MatchOptions, Matcher, Outcome, Reference, grammar};
use basilocus_formats::ColumnStyle;
use basilocus_table::{Batch, Role};
use cache::Cache;
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Extras that every reference gives; areas give more.
const EXTRAS: &[&str] = &["postcode", "extension", "locality", "region", "parent"];

/// A compiled geocoding step.
pub(crate) struct Geocode {
    references: Vec<Reference>,
    options: MatchOptions,
    columns: [Option<usize>; 8],
    extras: Vec<String>,
    candidates: usize,
    /// Names of the columns that are written.
    names: Vec<String>,
    cache: Cache,
    /// Answers of this run and of earlier ones.
    answers: HashMap<String, Known>,
    remembered: Option<Store>,
    /// What an earlier run found, for the rows that were not in doubt.
    earlier: Option<Store>,
    review: Option<PathBuf>,
    pub(crate) understood: String,
    pub(crate) told: Vec<String>,
}

/// What came of a batch.
pub(crate) struct Geocoded {
    pub lon: Vec<f64>,
    pub lat: Vec<f64>,
    pub columns: Vec<(Field, ArrayRef)>,
    /// Class and reason of rows set aside.
    pub unusable: Vec<Option<(String, String)>>,
    pub levels: BTreeMap<String, u64>,
    /// Rows in doubt, for the review.
    pub doubtful: Vec<ReviewRow>,
    /// What was found for addresses, for a later run with answers.
    pub found: Vec<(String, Known)>,
}

/// What was found for an address, with the candidates that may be asked for.
#[derive(Clone)]
struct Found {
    known: Known,
    candidates: Vec<Candidate>,
}

impl Geocode {
    #[allow(clippy::too_many_arguments)]
    pub(crate) fn new(
        plan: &GeocodePlan,
        schema: &SchemaRef,
        roles: &[Option<Role>],
        path: &Path,
        day: &str,
        taken: &mut Vec<String>,
    ) -> Result<Self, Error> {
        if plan.reference.is_empty() {
            return Err(Error::Plan(
                "no address reference is said; name one with --reference (make it with `reference build`)".into(),
            ));
        }
        let mut references = plan.reference.iter().map(|p| Reference::open(p)).collect::<Result<Vec<_>, _>>()?;
        if let Some(country) = &plan.country {
            let wanted = grammar::of_country(country).ok_or_else(|| {
                let all: Vec<&str> = grammar::GRAMMARS.iter().map(|g| g.country).collect();
                Error::Plan(format!("--country {country}: one of {} is expected", all.join(", ")))
            })?;
            let there: Vec<&str> = references.iter().map(|r| r.grammar().country).collect();
            if !there.contains(&wanted.country) {
                return Err(Error::Plan(format!(
                    "--country {country}: no reference is of that country; there is {}",
                    there.join(", ")
                )));
            }
            references.retain(|r| r.grammar().country == wanted.country);
        }
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
        let said = [
            &plan.address,
            &plan.house_number,
            &plan.street,
            &plan.unit,
            &plan.locality,
            &plan.region,
            &plan.postcode,
            &plan.country_column,
        ];
        let mut columns = [None; 8];
        for (i, wanted) in said.iter().enumerate() {
            columns[i] = column(wanted)?;
        }
        for (i, role) in Role::ADDRESS.iter().enumerate() {
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
        let list: Vec<String> = Role::ADDRESS
            .iter()
            .zip(&columns)
            .filter_map(|(k, c)| c.map(|c| format!("{} \"{}\"", k.name(), names[c])))
            .collect();
        let others = plan.candidates.max(if plan.review.is_some() { 3 } else { 0 });
        let options = options::of(plan, &references, others)?;
        let mut known: Vec<String> = EXTRAS.iter().map(|e| e.to_string()).collect();
        for name in references.iter().flat_map(Reference::attribute_names) {
            if !known.contains(&name) {
                known.push(name);
            }
        }
        if let Some(bad) = plan.extras.iter().find(|e| !known.contains(e)) {
            return Err(Error::Plan(format!("--extras {bad}: the reference gives {}", known.join(", "))));
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
        let mut geocode = Geocode {
            references,
            options,
            columns,
            extras: plan.extras.clone(),
            candidates: plan.candidates,
            names: out_names,
            cache: Cache::default(),
            answers: HashMap::new(),
            remembered: None,
            earlier: None,
            review: plan.review.clone(),
            understood: format!("addresses from {}", list.join(", ")),
            told,
        };
        geocode.take_answers(plan, day)?;
        Ok(geocode)
    }

    /// What tells whether an earlier run looked for the same in the same way.
    fn fingerprint(&self) -> String {
        let references: Vec<String> = self.references.iter().map(|r| format!("{:016x}", r.fingerprint())).collect();
        let o = MatchOptions { others: 0, ..self.options.clone() };
        format!("{} {o:?} {:?}", references.join(" "), self.columns)
    }

    /// The workbook to write for review, and the file that keeps what is found until it comes back.
    pub(crate) fn review(&self) -> Option<(&Path, PathBuf, String)> {
        self.review.as_deref().map(|p| (p, store_of(p), self.fingerprint()))
    }

    fn take_answers(&mut self, plan: &GeocodePlan, day: &str) -> Result<(), Error> {
        if let Some(path) = &plan.remember {
            let store = Store::open(path)?;
            self.told.push(format!("{} answers of earlier reviews are used, from {}", store.count()?, path.display()));
            self.remembered = Some(store);
        }
        let Some(path) = &plan.answers else { return Ok(()) };
        let reviewed = crate::answers::read(path)?;
        let mut kept = Vec::new();
        for answer in reviewed {
            let known = self.answered(&answer, path)?;
            self.answers.insert(answer.key.clone(), known.clone());
            kept.push((answer.key, answer.answer, known));
        }
        let store_path = store_of(path);
        let store = Store::open(&store_path)?;
        store.keep(&kept, day)?;
        if let Some(remembered) = &self.remembered {
            remembered.keep(&kept, day)?;
        }
        self.told.push(format!("{} answers were taken from {}", kept.len(), path.display()));
        if store.is_of(&self.fingerprint())? {
            self.told
                .push("all other rows are as the run found them that wrote the review; none was matched again".into());
            self.earlier = Some(store);
        } else {
            self.told.push(
                "the rows without an answer were matched again: references or options are others than those of the run that wrote the review".into(),
            );
        }
        Ok(())
    }

    /// What an answer comes to.
    fn answered(&self, answer: &Reviewed, path: &Path) -> Result<Known, Error> {
        let text = answer.answer.as_str();
        let bad = |expected: &str| {
            Error::Plan(format!("{}: row {}: the answer \"{text}\" {expected}", path.display(), answer.row))
        };
        if matches!(text.to_lowercase().as_str(), "none" | "no" | "-") {
            return Ok(Known::Aside {
                class: "answered: no such place".into(),
                reason: "a person answered that this address has no place".into(),
            });
        }
        let whole = text.strip_suffix(".0").unwrap_or(text);
        if let Ok(choice) = whole.parse::<usize>() {
            let chosen = choice.checked_sub(1).and_then(|i| answer.candidates.get(i)).ok_or_else(|| {
                bad(&format!("is the number of a candidate, and there are {}", answer.candidates.len()))
            })?;
            let mut record = chosen.clone();
            record.confidence = 100;
            record.changes = joined(&format!("candidate {choice} chosen by a person"), &record.changes);
            return Ok(Known::Placed(Box::new(record)));
        }
        // A position has no words but those of directions and units; an address with a comma is tried as an address.
        if let Ok(p) = crate::typed::read(text, None, basilocus_geodesy::notation::AxisOrder::Reject) {
            let wgs84 = basilocus_geodesy::crs::Catalogue::embedded().get(4326)?;
            let (lon, lat, _, _) = p.in_system(&wgs84, &crate::finder::Finder::default())?;
            return Ok(Known::Placed(Box::new(Record {
                level: "by hand".into(),
                confidence: 100,
                lon,
                lat,
                changes: format!("position typed by a person: {text}"),
                ..Default::default()
            })));
        }
        let found = self.matched(&AddressInput { whole: text, ..Default::default() });
        match found.known {
            Known::Placed(mut r) => {
                r.changes = joined(&format!("corrected by a person to \"{text}\""), &r.changes);
                Ok(Known::Placed(r))
            }
            Known::Aside { reason, .. } => Err(bad(&format!(
                "is no number of a candidate, no coordinate, and as an address it is not found: {reason}"
            ))),
        }
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

    /// Matches an address against all references that may have it; the surest match counts.
    fn matched(&self, input: &AddressInput) -> Found {
        let wanted = grammar::of_country(input.country);
        let mut best: Option<Outcome> = None;
        for r in self.references.iter().filter(|r| wanted.is_none_or(|w| w.country == r.grammar().country)) {
            let outcome = Matcher::new(r, self.options.clone()).find(input);
            best = Some(match best.take() {
                None => outcome,
                Some(before) => better(before, outcome),
            });
        }
        match best {
            Some(Outcome::Matched(m)) => {
                let known = Known::Placed(Box::new(Record::of(&m.best)));
                let candidates =
                    if self.candidates > 0 { std::iter::once(m.best).chain(m.others).collect() } else { Vec::new() };
                Found { known, candidates }
            }
            Some(Outcome::SetAside { class, reason, candidates }) => {
                Found { known: Known::Aside { class: class.into(), reason }, candidates }
            }
            None => Found {
                known: Known::Aside {
                    class: "no reference of the country".into(),
                    reason: format!("no reference is of the country \"{}\"", input.country),
                },
                candidates: Vec::new(),
            },
        }
    }

    /// What is known of an address: answered, found by an earlier run, or matched now.
    fn find(&self, input: &AddressInput, key: &str) -> Result<Found, Error> {
        let bare = |known: Known| Found { known, candidates: Vec::new() };
        if let Some(known) = self.answers.get(key) {
            return Ok(bare(known.clone()));
        }
        if let Some((known, day)) = self.remembered.as_ref().map(|s| s.answer(key)).transpose()?.flatten() {
            return Ok(bare(match known {
                Known::Placed(mut r) => {
                    r.changes = joined(&format!("as answered on {day}"), &r.changes);
                    Known::Placed(r)
                }
                aside => aside,
            }));
        }
        if let Some(known) = self.earlier.as_ref().map(|s| s.found(key)).transpose()?.flatten() {
            return Ok(bare(known));
        }
        Ok(self.matched(input))
    }

    pub(crate) fn apply(&self, batch: &Batch) -> Result<Geocoded, Error> {
        let n = batch.len();
        let mut out = Geocoded {
            lon: vec![f64::NAN; n],
            lat: vec![f64::NAN; n],
            columns: Vec::new(),
            unusable: (0..n).map(|_| None).collect(),
            levels: BTreeMap::new(),
            doubtful: Vec::new(),
            found: Vec::new(),
        };
        let mut found: Vec<Option<(Box<Record>, String)>> = (0..n).map(|_| None).collect();
        let columns: Vec<Option<Arc<StringArray>>> =
            self.columns.iter().map(|c| c.map(|c| basilocus_table::text_column(batch.records.column(c)))).collect();
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
                country: text(7),
            };
            let key = key(&input);
            let here = self.cache.get_or(&key, || self.find(&input, &key))?;
            if self.review.is_some() {
                out.found.push((key.clone(), here.known.clone()));
            }
            match &here.known {
                Known::Placed(r) => {
                    (out.lon[row], out.lat[row]) = (r.lon, r.lat);
                    match out.levels.get_mut(&r.level) {
                        Some(n) => *n += 1,
                        None => {
                            out.levels.insert(r.level.clone(), 1);
                        }
                    }
                    *slot = Some((r.clone(), self.list(here.candidates.iter())));
                }
                Known::Aside { class, reason } => {
                    let shown: Vec<&str> = input.fields().into_iter().filter(|f| !f.trim().is_empty()).collect();
                    // A row without an address has nothing to answer.
                    if self.review.is_some() && !shown.is_empty() {
                        out.doubtful.push(ReviewRow {
                            source_row: batch.source_rows[row],
                            key,
                            address: shown.join(", "),
                            reason: reason.clone(),
                            candidates: here.candidates.clone(),
                        });
                    }
                    out.unusable[row] = Some((class.clone(), reason.clone()));
                }
            }
        }
        let text = |f: &dyn Fn(&Record) -> String| {
            Arc::new(found.iter().map(|c| c.as_ref().map(|(c, _)| f(c))).collect::<StringArray>()) as ArrayRef
        };
        let mut arrays: Vec<ArrayRef> = vec![
            Arc::new(Float64Array::from(out.lon.clone())),
            Arc::new(Float64Array::from(out.lat.clone())),
            text(&|c| c.level.clone()),
            Arc::new(found.iter().map(|c| c.as_ref().map(|(c, _)| i64::from(c.confidence))).collect::<Int64Array>()),
            text(&|c| c.address.clone()),
            text(&|c| c.changes.clone()),
        ];
        for extra in &self.extras {
            arrays.push(text(&|c| match extra.as_str() {
                "postcode" => c.postcode.clone(),
                "extension" => c.extension.clone(),
                "locality" => c.locality.clone(),
                "region" => c.region.clone(),
                "parent" => c.parent.clone(),
                attribute => self.attribute(attribute, c.lon, c.lat),
            }));
        }
        if self.candidates > 0 {
            arrays.push(Arc::new(
                found.iter().map(|c| c.as_ref().map(|(_, list)| list.clone())).collect::<StringArray>(),
            ));
        }
        out.columns = self.fields().into_iter().map(|(f, _)| f).zip(arrays).collect();
        Ok(out)
    }

    /// The attribute of the areas that contain a position.
    fn attribute(&self, name: &str, lon: f64, lat: f64) -> String {
        self.references
            .iter()
            .find_map(|r| r.attributes_at(lon, lat).into_iter().find(|(n, _)| n == name).map(|(_, v)| v))
            .unwrap_or_default()
    }

    fn list<'a>(&self, candidates: impl Iterator<Item = &'a Candidate>) -> String {
        candidates
            .take(self.candidates)
            .map(|c| format!("{}: {} ({}; {})", c.confidence, c.address, c.level.name(), c.parts))
            .collect::<Vec<_>>()
            .join(" | ")
    }
}

/// The file that keeps answers and findings of a review, beside its workbook.
fn store_of(review: &Path) -> PathBuf {
    let stem = review.file_stem().map_or("review".into(), |s| s.to_string_lossy().into_owned());
    review.with_file_name(format!("{stem}.answers.sqlite"))
}

fn joined(first: &str, rest: &str) -> String {
    if rest.is_empty() { first.to_string() } else { format!("{first}; {rest}") }
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
