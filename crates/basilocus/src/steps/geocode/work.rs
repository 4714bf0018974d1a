//! Addresses of a block of rows.

use super::Geocode;
use super::cache::Cache;
use super::columns::Parts;
use super::left_over;
use super::service::Service;
use crate::Error;
use crate::addresses::review::{self, Known, Record, ReviewRow, Reviewed, Store, key};
use crate::coordinates::position_text;
use crate::engine::{Account, Column, Columns, Rows, Settling, UnusedColumn, points};
use crate::steps::{Settled, Work};
use arrow_array::{ArrayRef, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, SchemaRef};
use basilocus_address::matching::{MANY_OUTSIDE, find_in, find_standard};
use basilocus_address::{AddressInput, Candidate, MatchOptions, Matcher, Outcome, Reference, country};
use basilocus_geodesy::notation::{self, AxisOrder, Notation};
use basilocus_table::{Reason, Role};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Rows of a table that are looked at before it is matched.
const AHEAD: usize = 500;

/// Matches the addresses of rows.
pub(super) struct Matching {
    references: Vec<Reference>,
    options: MatchOptions,
    parts: Parts,
    extras: Vec<String>,
    candidates: usize,
    cache: Cache,
    /// Answers of this run and of earlier ones.
    answers: HashMap<String, Known>,
    remembered: Option<Store>,
    /// What an earlier run found, for the rows that were not in doubt.
    earlier: Option<Store>,
    is_reviewed: bool,
    /// Rows that are placed less surely are reviewed too.
    review_below: Option<u8>,
    /// What no reference places is asked of it.
    service: Option<Service>,
    /// What went wrong while rows were looked at for it.
    failed: Mutex<Option<Error>>,
    schema: SchemaRef,
    /// Place of the geometry that the rows have already.
    geometry: Option<usize>,
}

/// What was found for an address, with the candidates that may be asked for.
#[derive(Clone)]
pub(super) struct Found {
    pub known: Known,
    pub candidates: Vec<Candidate>,
    /// Whether parts of the address contradict each other.
    pub contradicts: bool,
}

/// What a row came to.
enum FoundRow {
    /// The house that it names as it stands.
    Standard(Record),
    /// What was found, shared with other rows of the same address, and its candidates as text.
    Searched(Arc<Found>, String),
}

impl FoundRow {
    /// Its place, if it has one.
    fn record(&self) -> Option<&Record> {
        match self {
            FoundRow::Standard(record) => Some(record),
            FoundRow::Searched(found, _) => match &found.known {
                Known::Placed(record) => Some(record),
                Known::Aside { .. } => None,
            },
        }
    }

    fn candidates(&self) -> &str {
        match self {
            FoundRow::Standard(_) => "",
            FoundRow::Searched(_, candidates) => candidates,
        }
    }
}

impl Matching {
    pub(super) fn new(plan: &Geocode, references: Vec<Reference>, options: MatchOptions, parts: Parts) -> Self {
        Matching {
            references,
            options,
            parts,
            extras: plan.extras.clone(),
            candidates: plan.candidates,
            cache: Cache::default(),
            answers: HashMap::new(),
            remembered: None,
            earlier: None,
            is_reviewed: plan.review.is_some(),
            review_below: plan.review_below,
            service: None,
            failed: Mutex::default(),
            schema: Arc::new(arrow_schema::Schema::empty()),
            geometry: None,
        }
    }

    /// The same, knowing what its rows will look like.
    pub(super) fn ready(self, schema: SchemaRef, geometry: Option<usize>) -> Self {
        Matching { schema, geometry, ..self }
    }

    /// The same, asking a service for what no reference places.
    pub(super) fn ask_too(&mut self, service: Service) {
        self.service = Some(service);
    }

    pub(super) fn options(&self) -> &MatchOptions {
        &self.options
    }

    /// The country of the references, where all are of one.
    pub(super) fn only_country(&self) -> Option<&'static str> {
        let first = self.references.first()?.country();
        self.references.iter().all(|r| r.country() == first).then_some(first)
    }

    /// The columns that it adds.
    pub(super) fn columns(&self) -> Vec<Column> {
        let text = |name: &str, longest| Column::added(name, DataType::Utf8).with_longest(longest);
        let mut out = vec![
            Column::added("lon", DataType::Float64).with_digits(7),
            Column::added("lat", DataType::Float64).with_digits(7),
            text("level", 14),
            Column::added("confidence", DataType::Int64).with_longest(10),
            Column::added("radius_m", DataType::Float64).with_digits(0).with_longest(8),
            text("matched_address", 42),
            text("changes", 48),
        ];
        if self.service.is_some() {
            out.push(text("service_score", 12));
        }
        out.extend(self.extras.iter().map(|e| text(&format!("matched_{e}"), 16)));
        if self.candidates > 0 {
            out.push(text("candidates", 16));
        }
        out
    }

    /// Looks at the first rows: where many of them are outside the references, names that are nearly a street's are
    /// only offered. Gives what to tell of that.
    pub(super) fn look_ahead(&mut self, rows: &Rows) -> Option<String> {
        let addresses = Addresses::of(rows, &self.parts);
        let looked_at = rows.len().min(AHEAD);
        let inputs = || (0..looked_at).map(|row| addresses.input(row));
        // Of the reference that knows most of them: the others may be those of other places.
        let shares = self.references.iter().filter_map(|r| {
            let own = inputs().filter(|input| country::said_by(input).may_be_in(r));
            Matcher::borrowing(r, &self.options).share_outside(own)
        });
        let share = shares.reduce(f64::min)?;
        if share <= MANY_OUTSIDE {
            return None;
        }
        self.options.trusts_near_names = false;
        Some(format!(
            "{:.0} % of the first {} addresses are of streets or towns that the reference does not have: a street whose name is only nearly the one asked for is offered for review and not taken",
            100.0 * share,
            looked_at
        ))
    }

    /// Columns that are left over and with which more addresses would be placed.
    pub(super) fn left_over(&self, rows: &Rows, columns: &Columns) -> Vec<UnusedColumn> {
        left_over::find(rows, columns, &self.parts, &self.references, &self.options)
    }

    /// What tells whether an earlier run looked for the same in the same way.
    pub(super) fn fingerprint(&self) -> String {
        let references: Vec<String> = self.references.iter().map(|r| format!("{:016x}", r.fingerprint())).collect();
        let o = &self.options;
        let place = |(x, y): (f64, f64)| format!("{:016x},{:016x}", x.to_bits(), y.to_bits());
        let within = o.within.as_ref().map_or(0, |w| {
            // Names, bounds and polygons, number by number.
            let mut text = w.names.join("|");
            w.bounds.iter().flatten().for_each(|v| text.push_str(&format!("|{:016x}", v.to_bits())));
            for (x, y) in w.polygons.iter().flatten().flatten() {
                text.push_str(&place((*x, *y)));
            }
            basilocus_table::fingerprint::of_text(&text)
        });
        let asked = self.service.as_ref().map_or(String::new(), |s| format!("; service {}", s.identity()));
        let parts: Vec<String> = self.parts.iter().map(|p| p.map_or("-".into(), |p| p.to_string())).collect();
        format!(
            "{}{asked}; finest {}; coarsest {}; then {}; confidence {}; set back {:016x}; near {}; within {within:016x}; near names {}; columns {}",
            references.join(" "),
            o.finest.name(),
            o.coarsest.name(),
            o.then.map_or("-", |l| l.name()),
            o.min_confidence,
            o.set_back_m.to_bits(),
            o.near.map_or("-".into(), place),
            o.trusts_near_names,
            parts.join(" ")
        )
    }

    /// Takes the answers of reviews. Gives what to tell of them.
    pub(super) fn take_answers(&mut self, plan: &Geocode, day: &str) -> Result<Vec<String>, Error> {
        let mut told = Vec::new();
        if let Some(path) = &plan.remember {
            let store = Store::open(path)?;
            told.push(format!("{} answers of earlier reviews are used, from {}", store.count()?, path.display()));
            self.remembered = Some(store);
        }
        let Some(path) = &plan.answers else { return Ok(told) };
        let reviewed = review::read(path)?;
        let mut kept = Vec::new();
        let mut bad: Vec<String> = Vec::new();
        for answer in reviewed {
            match self.answered(&answer) {
                Ok(known) => {
                    let key = review::normal_key(&answer.key);
                    self.answers.insert(key.clone(), known.clone());
                    kept.push((key, answer.answer, known));
                }
                Err(problem) => bad.push(problem),
            }
        }
        if !bad.is_empty() {
            let more = bad.len().saturating_sub(MOST_TOLD);
            bad.truncate(MOST_TOLD);
            let more = if more > 0 { format!("; and {more} more") } else { String::new() };
            return Err(Error::Data(format!("{}: {}{more}", path.display(), bad.join("; "))));
        }
        let store_path = super::store_of(path);
        let store = Store::open(&store_path)?;
        store.keep(&kept, day)?;
        if let Some(remembered) = &self.remembered {
            remembered.keep(&kept, day)?;
        }
        told.push(format!("{} answers were taken from {}", kept.len(), path.display()));
        if store.is_of(&self.fingerprint())? {
            told.push("all other rows are as the run found them that wrote the review; none was matched again".into());
            self.earlier = Some(store);
        } else {
            told.push(
                "the rows without an answer were matched again: references or options are others than those of the run that wrote the review".into(),
            );
        }
        Ok(told)
    }

    /// What an answer comes to, or what is wrong with it.
    fn answered(&self, answer: &Reviewed) -> Result<Known, String> {
        let text = answer.answer.as_str();
        let bad = |expected: &str| format!("row {}: the answer \"{text}\" {expected}", answer.row);
        if matches!(text.to_lowercase().as_str(), "none" | "no" | "-") {
            return Ok(Known::Aside {
                class: Reason::new("answered: no such place"),
                reason: "a person answered that this address has no place".into(),
            });
        }
        if let Some(choice) = number_of_candidate(text) {
            let chosen = choice.checked_sub(1).and_then(|i| answer.candidates.get(i)).ok_or_else(|| {
                bad(&format!("is the number of a candidate, and there are {}", answer.candidates.len()))
            })?;
            let mut record = chosen.clone();
            record.confidence = 100;
            record.changes = joined(&format!("candidate {choice} chosen by a person"), &record.changes);
            return Ok(Known::Placed(Box::new(record)));
        }
        // A position has no words but those of directions and units; an address with a comma is tried as an address.
        if let Ok(p) = position_text::read(text, None, AxisOrder::Reject) {
            let unusable = |e: &dyn std::fmt::Display| bad(&format!("is a coordinate that cannot be used: {e}"));
            let wgs84 = basilocus_geodesy::crs::Catalogue::embedded().get(4326).map_err(|e| unusable(&e))?;
            let finder = crate::coordinates::finder::Finder::default();
            let (lon, lat, _, _) = p.in_system(&wgs84, &finder).map_err(|e| unusable(&e))?;
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

    /// Matches an address against all references that may have it; the surest match counts. A coordinate in the place of an
    /// address is taken as such.
    fn matched(&self, input: &AddressInput) -> Found {
        if let Some(record) = coordinate(input) {
            return Found { known: Known::Placed(Box::new(record)), candidates: Vec::new(), contradicts: false };
        }
        self.of_references(&self.references, &self.options, input)
    }

    fn of_references(&self, references: &[Reference], options: &MatchOptions, input: &AddressInput) -> Found {
        match find_in(references, options, input) {
            Outcome::Matched(m) => {
                let is_asked = self.review_below.is_some_and(|least| m.best.confidence < least);
                let candidates = match self.candidates > 0 || is_asked {
                    true => std::iter::once(m.best.clone()).chain(m.others).collect(),
                    false => Vec::new(),
                };
                let known = Known::Placed(Box::new(Record::of(m.best)));
                Found { known, candidates, contradicts: false }
            }
            Outcome::SetAside { class, reason, candidates } => Found {
                known: Known::Aside { class: Reason::new(class.name()), reason },
                candidates,
                contradicts: class.is_contradiction(),
            },
        }
    }

    /// Whether nothing but the references says where addresses are.
    fn is_only_matched(&self) -> bool {
        self.answers.is_empty() && self.remembered.is_none() && self.earlier.is_none() && self.service.is_none()
    }

    /// What is known of an address: answered, found by an earlier run, or matched now.
    fn find(&self, input: &AddressInput, key: &str) -> Result<Found, Error> {
        if self.is_only_matched() {
            return Ok(self.matched(input));
        }
        let bare = |known: Known| Found { known, candidates: Vec::new(), contradicts: false };
        let normal = review::normal_key(key);
        if let Some(known) = self.answers.get(&normal) {
            return Ok(bare(known.clone()));
        }
        if let Some((known, day)) = self.remembered(&normal, input)? {
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
        let own = self.matched(input);
        Ok(match &self.service {
            None => own,
            Some(service) => service
                .better(own, &normal, input, &|references, options| self.of_references(references, options, input)),
        })
    }

    /// Takes an address for the service, where no answer and no reference places it.
    fn take_for(&self, service: &Service, input: &AddressInput) -> Result<(), Error> {
        let key = key(input);
        let normal = review::normal_key(&key);
        let is_known = self.answers.contains_key(&normal)
            || self.remembered(&normal, input)?.is_some()
            || self.earlier.as_ref().map(|s| s.found(&key)).transpose()?.flatten().is_some();
        if !is_known && Service::is_wanted_for(&self.matched(input)) {
            service.take(&normal, input);
        }
        Ok(())
    }

    /// What was answered in an earlier review, and when.
    fn remembered(&self, normal: &str, input: &AddressInput) -> Result<Option<(Known, String)>, Error> {
        let Some(store) = &self.remembered else { return Ok(None) };
        match store.answer(normal)? {
            Some(found) => Ok(Some(found)),
            None => store.answer(&review::key_of_before(input)),
        }
    }

    /// What was found for the address of a row.
    fn place(&self, rows: &Rows, row: usize, input: &AddressInput, account: &mut Account) -> Result<FoundRow, Error> {
        if !self.is_reviewed
            && self.is_only_matched()
            && let Some(best) = find_standard(&self.references, &self.options, input)
        {
            let record = Record::of(best);
            account.counts.add_level(&record.level);
            return Ok(FoundRow::Standard(record));
        }
        let key = key(input);
        let here = self.cache.get_or(&key, || self.find(input, &key))?;
        if self.is_reviewed {
            account.counts.found.push((key.clone(), here.known.clone()));
        }
        match &here.known {
            Known::Placed(record) => {
                account.counts.add_level(&record.level);
                if self.is_reviewed && self.review_below.is_some_and(|least| record.confidence < least) {
                    let why = if record.changes.is_empty() { String::new() } else { format!(": {}", record.changes) };
                    account.counts.doubtful.push(ReviewRow {
                        source_row: rows.source_rows()[row],
                        key,
                        address: shown(input),
                        reason: format!("placed at {} with confidence {}{why}", record.address, record.confidence),
                        candidates: here.candidates.clone(),
                    });
                }
                let candidates = self.list(here.candidates.iter());
                Ok(FoundRow::Searched(here, candidates))
            }
            Known::Aside { class, reason } => {
                let shown = shown(input);
                // A row without an address has nothing to answer.
                if self.is_reviewed && !shown.is_empty() {
                    account.counts.doubtful.push(ReviewRow {
                        source_row: rows.source_rows()[row],
                        key,
                        address: shown,
                        reason: reason.clone(),
                        candidates: here.candidates.clone(),
                    });
                }
                account.counts.contradictions += u64::from(here.contradicts);
                account.set_aside(row, class.clone(), reason.clone());
                Ok(FoundRow::Searched(here, String::new()))
            }
        }
    }

    /// The columns of what was found, the places first.
    fn arrays(&self, found: &[FoundRow]) -> (Float64Array, Float64Array, Vec<ArrayRef>) {
        let records: Vec<Option<&Record>> = found.iter().map(FoundRow::record).collect();
        let number = |f: &dyn Fn(&Record) -> f64| -> Float64Array {
            records.iter().map(|r| r.map_or(f64::NAN, f)).collect::<Vec<f64>>().into()
        };
        let text = |f: &dyn Fn(&Record) -> &str| {
            Arc::new(records.iter().map(|r| r.map(f)).collect::<StringArray>()) as ArrayRef
        };
        let (lon, lat) = (number(&|c| c.lon), number(&|c| c.lat));
        let mut arrays: Vec<ArrayRef> = vec![
            Arc::new(lon.clone()),
            Arc::new(lat.clone()),
            text(&|r| &r.level),
            Arc::new(records.iter().map(|r| r.map(|r| i64::from(r.confidence))).collect::<Int64Array>()),
            Arc::new(records.iter().map(|r| r.and_then(|r| r.radius_m)).collect::<Float64Array>()),
            text(&|r| &r.address),
            text(&|r| &r.changes),
        ];
        if let Some(service) = &self.service {
            let scores = records.iter().map(|r| r.and_then(|r| service.score(r.lon, r.lat)));
            arrays.push(Arc::new(scores.collect::<StringArray>()));
        }
        for extra in &self.extras {
            arrays.push(match extra.as_str() {
                "postcode" => text(&|r| &r.postcode),
                "extension" => text(&|r| &r.extension),
                "locality" => text(&|r| &r.locality),
                "region" => text(&|r| &r.region),
                "parent" => text(&|r| &r.parent),
                attribute => {
                    let values = records.iter().map(|r| r.map(|r| self.attribute(attribute, r.lon, r.lat)));
                    Arc::new(values.collect::<StringArray>())
                }
            });
        }
        if self.candidates > 0 {
            let lists = found.iter().map(|row| row.record().map(|_| row.candidates()));
            arrays.push(Arc::new(lists.collect::<StringArray>()));
        }
        (lon, lat, arrays)
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

/// Bad answers that are told one by one.
const MOST_TOLD: usize = 20;

/// The number of a candidate, as people write it: "2", "2.0", "#2", "candidate 2".
fn number_of_candidate(text: &str) -> Option<usize> {
    let words = basilocus_address::normal::words(text);
    let words = words.strip_prefix("CANDIDATE").or_else(|| words.strip_prefix("NO ")).unwrap_or(&words);
    let figures = words.trim_start_matches(['#', ' ']);
    // A spreadsheet may have made "2.0" of it, whose sign is not in the words.
    text.trim().strip_suffix(".0").unwrap_or(figures).parse().ok()
}

/// The parts of an address that are there.
fn shown(input: &AddressInput) -> String {
    let parts = input.fields().into_iter().map(str::trim).filter(|f| !f.is_empty());
    parts.collect::<Vec<_>>().join(", ")
}

/// The columns of the addresses of rows.
pub(super) struct Addresses(Vec<(Role, Arc<StringArray>)>);

impl Addresses {
    pub(super) fn of(rows: &Rows, parts: &Parts) -> Self {
        let column = |at: usize| basilocus_table::text_column(rows.records().column(at));
        Addresses(Role::ADDRESS.iter().zip(parts).filter_map(|(role, at)| Some((*role, column((*at)?)))).collect())
    }

    pub(super) fn input(&self, row: usize) -> AddressInput<'_> {
        let text = |role: Role| self.0.iter().find(|(r, _)| *r == role).map_or("", |(_, a)| a.value(row));
        AddressInput {
            whole: text(Role::Address),
            number: text(Role::HouseNumber),
            number_suffix: text(Role::NumberSuffix),
            direction: text(Role::StreetDirection),
            street: text(Role::Street),
            street_type: text(Role::StreetType),
            direction_after: text(Role::StreetDirectionAfter),
            unit: text(Role::Unit),
            second_line: text(Role::SecondLine),
            locality: text(Role::Locality),
            region: text(Role::Region),
            postcode: text(Role::Postcode),
            country: text(Role::Country),
        }
    }
}

fn joined(first: &str, rest: &str) -> String {
    if rest.is_empty() { first.to_string() } else { format!("{first}; {rest}") }
}

impl Work for Matching {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let addresses = Addresses::of(&rows, &self.parts);
        let mut found: Vec<FoundRow> = Vec::with_capacity(rows.len());
        for row in 0..rows.len() {
            let input = addresses.input(row);
            found.push(self.place(&rows, row, &input, account)?);
        }
        let (lon, lat, added) = self.arrays(&found);
        let mut columns = rows.records().columns().to_vec();
        self.geometry.map(|at| columns.remove(at));
        columns.extend(added);
        columns.push(points(&lon, &lat, None));
        let mut rows = rows.with_columns(&self.schema, columns)?;
        rows.forget_placed();
        Ok(rows)
    }

    fn survey(&self) -> Option<&'static str> {
        self.service.as_ref().filter(|s| s.is_open()).map(|_| "finding what to ask of the service")
    }

    fn look(&self, rows: &Rows) {
        let Some(service) = &self.service else { return };
        let addresses = Addresses::of(rows, &self.parts);
        for row in 0..rows.len() {
            if let Err(e) = self.take_for(service, &addresses.input(row)) {
                self.failed.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(e);
            }
        }
    }

    fn settle(&mut self, setting: &Settling) -> Result<Settled, Error> {
        if let Some(e) = self.failed.get_mut().unwrap_or_else(PoisonError::into_inner).take() {
            return Err(e);
        }
        // What was found in the first rows was found without the service.
        self.cache = Cache::default();
        let notices = self.service.as_mut().map_or(Ok(Vec::new()), |service| service.ask(setting))?;
        Ok(Settled { notices, ..Default::default() })
    }
}

/// The place of a coordinate in degrees that stands where an address should, and nothing beside it. Codes and grids are left
/// alone: too many other things look like them.
fn coordinate(input: &AddressInput) -> Option<Record> {
    let text = input.whole.trim();
    let is_alone = input.fields().iter().filter(|f| !f.trim().is_empty()).count() == 1;
    let looks_like_one = text.contains(['.', '°', 'º']) && text.bytes().filter(u8::is_ascii_digit).count() >= 4;
    if !(is_alone && looks_like_one) {
        return None;
    }
    let read = notation::read(text, AxisOrder::Reject).ok()?;
    let in_degrees =
        matches!(read.notation, Notation::DecimalDegrees | Notation::DegreesMinutes | Notation::DegreesMinutesSeconds);
    in_degrees.then(|| Record {
        level: "coordinate".into(),
        confidence: 100,
        lon: read.lon_deg,
        lat: read.lat_deg,
        changes: format!("a coordinate in the place of an address: {}", read.words()),
        ..Default::default()
    })
}
