//! Addresses that no reference places are asked of a service, before the first row is placed.
//!
//! | module | what is in it |
//! |---|---|
//! | `contact` | how a service is reached, as a plan says it |
//! | `entries` | answers become a reference |
//! | `levels` | what services' words for a level mean |

mod contact;
pub(in crate::steps) mod entries;
pub(in crate::steps) mod levels;

pub(in crate::steps) use contact::Contact;

use super::service_plan::ServicePlan;
use super::work::Found;
use crate::Error;
use crate::addresses::review::asked::{Asked, account_in_words};
use crate::addresses::review::{Known, Record};
use crate::engine::Settling;
use basilocus_address::{AddressInput, Level, MatchOptions, Matcher, Unplaced, country};
use basilocus_services::asking::{Patient, RealTime};
use basilocus_services::protocol;
use basilocus_services::{Account, Answer, Asking, AxisOrder, Protocol, Question, ServiceError, Stop};
use basilocus_table::{Reason, counted::counted};
use entries::Made;
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

pub(in crate::steps) use crate::addresses::review::asked::beside;

/// Places that a service answers with are few: a level that is coarser than a street says nothing of how large that is.
const COARSE: Level = Level::Street;
/// The most that a place between known ones is trusted, as of ranges of a reference.
const MOST_BETWEEN: u8 = 99;
/// The most that a position is trusted which a service gives for several streets.
const MOST_OF_FALLBACK: u8 = 50;
/// Words that are told one by one.
const MOST_TOLD: usize = 5;

const NOT_ASKED: Reason = Reason::new("not asked of the service");
const NOT_KNOWN: Reason = Reason::new("not known to the service");
const REFUSED: Reason = Reason::new("refused by the service");

/// A service, what was asked of it, and what it answered.
pub(super) struct Service {
    contact: Contact,
    /// Whether what was not asked may be left out.
    is_partial: bool,
    file: PathBuf,
    day: String,
    /// The country of addresses that do not say theirs.
    usual: Option<&'static str>,
    options: MatchOptions,
    /// What is to be asked, by its normal form.
    questions: Mutex<BTreeMap<String, Question>>,
    is_open: bool,
    made: Made,
    /// Why a question has no answer; what is not there was answered.
    without_answer: HashMap<String, (Reason, String)>,
}

impl Service {
    /// As a plan says it. Nothing is sent yet.
    ///
    /// # Errors
    /// [`Error::Usage`] for what contradicts itself or is no service.
    pub(super) fn new(
        plan: &ServicePlan,
        options: &MatchOptions,
        file: PathBuf,
        day: &str,
        usual: Option<&'static str>,
    ) -> Result<Self, Error> {
        Ok(Service {
            contact: Contact::of(plan, day)?,
            is_partial: plan.partial,
            file,
            day: day.to_string(),
            usual,
            options: options.clone(),
            questions: Mutex::default(),
            is_open: true,
            made: Made::default(),
            without_answer: HashMap::new(),
        })
    }

    /// What tells an answer of it from that of another, for the fingerprint of a run.
    pub(super) fn identity(&self) -> &str {
        &self.contact.address
    }

    /// Whether it was not asked yet.
    pub(super) fn is_open(&self) -> bool {
        self.is_open
    }

    /// Whether what the references found is not all that the address says.
    pub(super) fn is_wanted_for(found: &Found) -> bool {
        match &found.known {
            Known::Aside { .. } => true,
            Known::Placed(record) => {
                let level = record.level.parse::<Level>();
                level.is_ok_and(|l| l >= Level::Postcode) && !record.changes.is_empty()
            }
        }
    }

    /// Takes an address that is to be asked.
    pub(super) fn take(&self, key: &str, input: &AddressInput) {
        let question = self.question(input);
        if !question.is_empty() {
            let mut questions = self.questions.lock().unwrap_or_else(PoisonError::into_inner);
            questions.entry(key.to_string()).or_insert(question);
        }
    }

    fn question(&self, input: &AddressInput) -> Question {
        let said = country::said_by(input).code().or(self.usual).unwrap_or_default();
        let trimmed = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
        let grammar = basilocus_address::grammar::of_country(said);
        let street = grammar.map_or(input.street.into(), |g| input.street_line(g));
        let whole = trimmed(input.whole);
        if whole.is_empty() || !street.trim().is_empty() {
            return Question {
                address: String::new(),
                number: trimmed(&format!("{} {}", input.number, input.number_suffix)),
                street: trimmed(&street),
                unit: trimmed(input.unit),
                locality: trimmed(input.locality),
                region: trimmed(input.region),
                postcode: trimmed(input.postcode),
                country: said.to_string(),
            };
        }
        // A text with the town in a column of its own.
        let place = trimmed(&format!("{} {}", input.region, input.postcode));
        let parts = [whole, trimmed(input.locality), place];
        let address = parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(", ");
        Question { address, country: said.to_string(), ..Default::default() }
    }

    /// Asks what is to be asked and not kept from before, and makes a reference of all answers. Gives what to tell.
    ///
    /// # Errors
    /// Where the service cannot be asked, and where not all was asked and nobody said that this will do.
    pub(super) fn ask(&mut self, setting: &Settling) -> Result<Vec<String>, Error> {
        self.is_open = false;
        let questions = std::mem::take(self.questions.get_mut().unwrap_or_else(PoisonError::into_inner));
        let (keys, questions): (Vec<String>, Vec<Question>) = questions.into_iter().unzip();
        let mut kept = Asked::open(&self.file, &self.contact.address)?;
        let mut answers: Vec<Option<Answer>> = Vec::with_capacity(keys.len());
        for key in &keys {
            let text = kept.answer(key, self.contact.since.as_deref())?;
            let read =
                |t: String| serde_json::from_str(&t).map_err(|e| kept.failed(format!("an answer is damaged: {e}")));
            answers.push(text.map(read).transpose()?);
        }
        let open: Vec<usize> = (0..keys.len()).filter(|i| answers[*i].is_none()).collect();
        let from_before = keys.len() - open.len();
        let mut told = Vec::new();
        let mut account = Account::default();
        let mut protocol = "";
        if !open.is_empty() {
            let asked = self.ask_open(&keys, &questions, &open, &mut answers, &mut kept, setting)?;
            (account, protocol) = asked;
        }
        if let Some(stop) = &account.stop {
            let left = open.len() as u64 - account.answered - account.refused;
            let reason = format!("the service was not asked: {stop}");
            if !self.is_partial {
                return Err(self.stopped(stop, left, keys.len() as u64, kept.path()));
            }
            for i in open.iter().filter(|i| answers[**i].is_none()) {
                self.without_answer.entry(keys[*i].clone()).or_insert_with(|| (NOT_ASKED, reason.clone()));
            }
            told.push(format!("{} not asked of the service ({stop}); they are set aside", addresses_were(left)));
        }
        let places = || answers.iter().flatten().flat_map(|a| &a.places);
        let order = entries::order(self.contact.said_order, places())?;
        let pairs = questions.iter().zip(&answers).filter_map(|(q, a)| Some((q, a.as_ref()?)));
        self.made = entries::make(pairs, order, self.usual)?;
        for (key, answer) in keys.iter().zip(&answers) {
            if answer.as_ref().is_some_and(|a| a.places.is_empty()) {
                let reason = "the service knows no such place".to_string();
                self.without_answer.insert(key.clone(), (NOT_KNOWN, reason));
            }
        }
        self.options.trusts_near_names = self.trusts_near_names(&questions);
        let by = if protocol.is_empty() { String::new() } else { format!(" by {protocol}") };
        let asked = addresses_were(account.answered + account.refused);
        let words =
            account_in_words(&asked, &format!("{}{by}", self.contact.address), &account, from_before, kept.path());
        told.insert(0, words);
        told.extend(self.told_of_answers(order));
        Ok(told)
    }

    /// Asks what is not kept. Gives the account, and how the service was spoken to.
    fn ask_open(
        &mut self,
        keys: &[String],
        questions: &[Question],
        open: &[usize],
        answers: &mut [Option<Answer>],
        kept: &mut Asked,
        setting: &Settling,
    ) -> Result<(Account, &'static str), Error> {
        if self.contact.manner.quota == Some(0) {
            return Ok((Account { stop: Some(Stop::Quota(0)), ..Default::default() }, ""));
        }
        let failed = |e: ServiceError| Error::Service(e.to_string());
        let web = self.contact.web().map_err(failed)?;
        let clock = RealTime::default();
        let is_cancelled = || setting.cancel.is_cancelled();
        let patient = Patient {
            transport: &web,
            clock: &clock,
            patience: &self.contact.manner.patience,
            is_cancelled: &is_cancelled,
        };
        let protocol: Box<dyn Protocol> = match (&self.contact.described, self.contact.kind) {
            (Some(described), _) => Box::new(described.clone()),
            (None, Some(kind)) => protocol::of_kind(kind, &self.contact.address, &patient).map_err(failed)?,
            (None, None) => protocol::find(&self.contact.address, &patient).map_err(failed)?,
        };
        let asked: Vec<(String, Question)> = open.iter().map(|i| (keys[*i].clone(), questions[*i].clone())).collect();
        let asking = Asking {
            protocol: protocol.as_ref(),
            transport: &web,
            clock: &clock,
            manner: &self.contact.manner,
            is_cancelled: &is_cancelled,
        };
        let before = (self.day.as_str(), keys.len() - open.len());
        let without_answer = &mut self.without_answer;
        let account =
            kept.ask(&asking, &asked, &Question::line, before, setting, &mut |at, outcome| match outcome {
                Ok(answer) => answers[open[at]] = Some(answer),
                Err(problem) => drop(without_answer.insert(asked[at].0.clone(), (REFUSED, problem))),
            })?;
        Ok((account, protocol.name()))
    }

    /// Why nothing is written, and what to do.
    fn stopped(&self, stop: &Stop, left: u64, all: u64, kept: &Path) -> Error {
        let answered = all - left;
        Error::Service(format!(
            "{}: {stop}; {answered} of {} {} answered and kept in {}, {left} left: run the same command again {}, or say `partial`, with `quota` 0 to ask no more, to write what there is and set the others aside; nothing was written",
            self.contact.address,
            counted(all, "address"),
            if all == 1 { "is" } else { "are" },
            kept.display(),
            match stop {
                Stop::Quota(_) => "once there is a new quota (tomorrow, most likely)",
                Stop::Service(_) => "once it answers",
                _ => "to go on",
            }
        ))
    }

    /// Whether names that are nearly a street's may be taken: not where the service lacks many of the streets and towns.
    fn trusts_near_names(&self, questions: &[Question]) -> bool {
        let shares = self.made.references.iter().filter_map(|r| {
            let own = questions.iter().map(input_of).filter(|input| country::said_by(input).may_be_in(r));
            Matcher::borrowing(r, &self.options).share_outside(own)
        });
        shares.reduce(f64::min).is_none_or(|share| share <= basilocus_address::matching::MANY_OUTSIDE)
    }

    fn told_of_answers(&self, order: Option<AxisOrder>) -> Vec<String> {
        let mut told = Vec::new();
        if let (Some(order), None) = (order, self.contact.said_order) {
            let words = if order == AxisOrder::LonLat { "longitude" } else { "latitude" };
            told.push(format!(
                "positions of the service are read {words} first: it does not say so, and some can be nothing else"
            ));
        }
        if !self.options.trusts_near_names {
            told.push("many of the streets or towns are not among what the service answers: a street whose name is only nearly the one asked for is offered for review and not taken".into());
        }
        for (code, n) in &self.made.systems {
            told.push(format!(
                "{} of the service {} in EPSG:{code} and taken as WGS 84, which may be a metre or two off",
                counted(*n, "position"),
                if *n == 1 { "is" } else { "are" }
            ));
        }
        let fallback = self.made.said.values().filter(|s| s.is_fallback).count() as u64;
        if fallback > 0 {
            told.push(format!(
                "{} of the service {} given for several streets or towns: what is placed there is placed as its town, for review",
                counted(fallback, "position"),
                if fallback == 1 { "is" } else { "are" }
            ));
        }
        for (what, counts) in [
            ("words of the service for a level are not known, its parts count", &self.made.unknown_levels),
            ("places that the service answered cannot be used", &self.made.unusable),
        ] {
            let shown = counts.iter().take(MOST_TOLD).map(|(word, n)| format!("{word} ({n})")).collect::<Vec<_>>();
            if !shown.is_empty() {
                told.push(format!("{what}: {}", shown.join(", ")));
            }
        }
        told
    }

    /// What is found for an address, of what the references found and what the service answered.
    pub(super) fn better(
        &self,
        own: Found,
        key: &str,
        input: &AddressInput,
        find: &dyn Fn(&[basilocus_address::Reference], &MatchOptions) -> Found,
    ) -> Found {
        // The first rows are looked at before anything was asked.
        if self.is_open || !Service::is_wanted_for(&own) {
            return own;
        }
        if self.question(input).is_empty() {
            let reason = "no address: a street, locality or postcode is expected".to_string();
            let class = Reason::new(Unplaced::NoAddress.name());
            return Found { known: Known::Aside { class, reason }, ..own };
        }
        let aside = |(class, reason): &(Reason, String), own: Found| match own.known {
            // What the references place coarsely is placed all the same.
            Known::Placed(_) => own,
            Known::Aside { .. } => {
                Found { known: Known::Aside { class: class.clone(), reason: reason.clone() }, ..own }
            }
        };
        if let Some(why) = self.without_answer.get(key) {
            return aside(why, own);
        }
        if self.made.references.is_empty() {
            let why = (NOT_KNOWN, "what the service answers cannot be used as a place".to_string());
            return aside(&why, own);
        }
        let mut found = find(&self.made.references, &self.options);
        if let Known::Placed(record) = &mut found.known {
            self.correct(record);
            if let Some((class, reason)) = self.not_as_asked(record) {
                found.known = Known::Aside { class, reason };
            }
        }
        match (&mut found.known, &own.known) {
            (Known::Placed(record), Known::Placed(before)) => {
                let level = |r: &Record| r.level.parse::<Level>().ok();
                if level(record) < level(before) { found } else { own }
            }
            (Known::Placed(_), Known::Aside { .. }) => found,
            (Known::Aside { .. }, Known::Placed(_)) => own,
            (Known::Aside { reason, .. }, Known::Aside { .. }) => {
                *reason = format!("of what the service answers: {reason}");
                found.candidates.extend(own.candidates);
                found
            }
        }
    }

    /// Why a place that the service made coarser or less sure is not what was asked for.
    fn not_as_asked(&self, record: &Record) -> Option<(Reason, String)> {
        let coarsest = self.options.then.unwrap_or(self.options.coarsest).max(self.options.coarsest);
        let least = self.options.min_confidence;
        let why = if record.changes.is_empty() { String::new() } else { format!(": {}", record.changes) };
        if record.level.parse::<Level>().is_ok_and(|l| l > coarsest) {
            let reason = format!("{} is coarser than {}{why}", record.level, coarsest.name());
            return Some((Reason::new(Unplaced::CoarserThanAsked.name()), reason));
        }
        let reason = format!("confidence {} is below {least}{why}", record.confidence);
        (record.confidence < least).then(|| (Reason::new(Unplaced::ConfidenceTooLow.name()), reason))
    }

    /// What the service says of a place, for the level and the radius of a match.
    fn correct(&self, record: &mut Record) {
        let said = self.made.said.get(&entries::fixed(record.lon, record.lat));
        let level = record.level.parse::<Level>().ok();
        if let (Some(said), Some(level)) = (said, level)
            && said.level > level
        {
            record.level = said.level.name().into();
            record.confidence = record.confidence.min(MOST_BETWEEN);
        }
        // Where other streets are too, nobody knows where this one is: somewhere in its town, at best.
        if said.is_some_and(|s| s.is_fallback) && level.is_some_and(|l| l < Level::Locality) {
            record.level = Level::Locality.name().into();
            record.confidence = record.confidence.min(MOST_OF_FALLBACK);
            record.radius_m = None;
            let why = "the service gives this position for other streets too";
            record.changes = if record.changes.is_empty() { why.into() } else { format!("{}; {why}", record.changes) };
            return;
        }
        // How large a street or a town is cannot be told from the few places that were asked for.
        if level.is_none_or(|l| l >= COARSE) {
            record.radius_m = said.and_then(|s| s.accuracy_m);
        }
    }

    /// The score of the service for a place, as it came.
    pub(super) fn score(&self, lon: f64, lat: f64) -> Option<&str> {
        self.made.said.get(&entries::fixed(lon, lat)).map(|s| s.score.as_str()).filter(|s| !s.is_empty())
    }
}

fn addresses_were(n: u64) -> String {
    format!("{} {}", counted(n, "address"), if n == 1 { "was" } else { "were" })
}

fn input_of(q: &Question) -> AddressInput<'_> {
    AddressInput {
        whole: &q.address,
        number: &q.number,
        street: &q.street,
        unit: &q.unit,
        locality: &q.locality,
        region: &q.region,
        postcode: &q.postcode,
        country: &q.country,
        ..Default::default()
    }
}
