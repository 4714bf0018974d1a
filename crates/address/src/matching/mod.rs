//! Matching an address against the reference: candidates, scores, levels, and what was changed to match.
//!
//! | module | what is in it |
//! |---|---|
//! | `context` | what locality, region and postcode say about where it is |
//! | `by_postcode` | a number and a postcode alone |
//! | `candidates` | streets that may be meant |
//! | `similar` | how alike two names are |
//! | `difference` | what kind of difference two names have |
//! | `place` | from a street to a position: address point, number range, or the street as a whole |
//! | `extent` | where a street as a whole is, and how far the truth may be from a place |
//! | `crossing` | the crossing of two streets |
//! | `landmark` | buildings, parks, stations by name |
//! | `fallback` | the postcode, the locality, the region, and contradictions that forbid even that |
//! | `second` | a second pass at a coarser level |
//! | `several` | several references, of one country or many |
//! | `short_way` | clean rows, which need no search |
//! | `score` | what each disagreement costs |
//! | `ceiling` | the most that a place is trusted, by what kind of difference it is |
//! | `confidence` | what a score is worth, by measurement |
//! | `words` | candidates as people read them |
//! | `unit` | units, flats and floors of a house |
//! | `unplaced` | the classes of reasons for placing nothing |
//! | `within` | areas that results must lie in |

mod by_postcode;
mod calibration;
mod candidates;
mod ceiling;
mod confidence;
mod context;
mod crossing;
mod difference;
mod extent;
mod fallback;
mod landmark;
mod place;
mod score;
mod second;
mod several;
mod short_way;
mod similar;
mod unit;
mod unplaced;
mod within;
mod words;

pub use score::Parts;
pub(crate) use score::streets_differ;
pub use several::{find as find_in, find_standard};
pub use similar::slips_allowed;
pub use unplaced::Unplaced;
pub use within::{Polygon, Within};
pub(crate) use words::{street_text, tail};

use crate::grammar::{self, TypePlace};
use crate::nearest::metres;
use crate::parse::{AddressInput, LONGEST, ParsedAddress, readings};
use crate::reference::Reference;
use crate::{Text, normal};
use candidates::Search;
use compact_str::format_compact;
use context::Context;
use place::Placed;
use std::borrow::Cow;
use std::fmt::{self, Display, Formatter};
use std::rc::Rc;
use std::str::FromStr;

/// How precisely a match places an address, finest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Level {
    /// At the building or entrance.
    AddressPoint,
    /// Along the street by its number ranges, set back to the proper side.
    StreetRange,
    /// Where two streets meet.
    Crossing,
    /// A building, park, station and the like, by its name.
    Landmark,
    /// Somewhere on the street.
    Street,
    /// The middle of the postcode.
    Postcode,
    /// The middle of the locality, or of a part of it.
    Locality,
    /// The middle of the region or district.
    Region,
}

/// Levels with their names, finest first.
pub const LEVELS: &[(Level, &str)] = &[
    (Level::AddressPoint, "address point"),
    (Level::StreetRange, "street range"),
    (Level::Crossing, "crossing"),
    (Level::Landmark, "landmark"),
    (Level::Street, "street"),
    (Level::Postcode, "postcode"),
    (Level::Locality, "locality"),
    (Level::Region, "region"),
];

impl Level {
    /// The name in outputs.
    pub fn name(self) -> &'static str {
        LEVELS[self as usize].1
    }
}

/// A word that names no level.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\"{given}\" is no level; one of {} is expected", LEVELS.iter().map(|(l, _)| l.to_string()).collect::<Vec<_>>().join(", "))]
pub struct UnknownLevel {
    /// What was given.
    pub given: String,
}

impl FromStr for Level {
    type Err = UnknownLevel;

    /// Blanks, hyphens and underscores are alike.
    fn from_str(name: &str) -> Result<Self, UnknownLevel> {
        let plain = name.trim().to_lowercase().replace(['-', '_'], " ");
        let found = LEVELS.iter().find(|(_, n)| *n == plain).map(|(l, _)| *l);
        found.ok_or_else(|| UnknownLevel { given: name.to_string() })
    }
}

/// As options and plans write it: one word, with hyphens.
impl Display for Level {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(&self.name().replace(' ', "-"))
    }
}

/// How to match.
#[derive(Debug, Clone, PartialEq)]
pub struct MatchOptions {
    /// Nothing is placed finer than this.
    pub finest: Level,
    /// Matches coarser than this are set aside.
    pub coarsest: Level,
    /// Matches below this confidence (0–100) are set aside.
    pub min_confidence: u8,
    /// Metres from the line of the street at which a range places a building.
    pub set_back_m: f64,
    /// Where the data is said to be, longitude and latitude in degrees: of equal candidates the nearest is taken.
    pub near: Option<(f64, f64)>,
    /// Results outside are not considered.
    pub within: Option<Within>,
    /// Whether a street whose name is nearly the one that was asked for may be taken: no, where a table has many addresses
    /// that the reference has not, for then another street is likelier than a slip.
    pub trusts_near_names: bool,
    /// Whether a house or street that is too unsure is used all the same, as calibration needs it.
    pub take_unsure: bool,
    /// Candidates that are given beside the best one.
    pub others: usize,
    /// What the first pass sets aside is placed in a second one, at this level or a finer one.
    pub then: Option<Level>,
}

impl Default for MatchOptions {
    fn default() -> Self {
        MatchOptions {
            finest: Level::AddressPoint,
            coarsest: Level::Locality,
            min_confidence: 0,
            set_back_m: 10.0,
            near: None,
            within: None,
            trusts_near_names: true,
            take_unsure: false,
            others: 4,
            then: None,
        }
    }
}

/// A place that an address may be.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// How precisely it places the address.
    pub level: Level,
    /// 0 to 100: of rows with this confidence at least so many in a hundred are right at their level.
    pub confidence: u8,
    /// The most that this kind of difference is trusted, whatever the score is worth: 100 where nothing bounds it.
    pub most: u8,
    /// The cost of the disagreements, part by part.
    pub parts: Parts,
    /// The score that the confidence is read from: the cost, and what rivals add to it.
    pub raw: f64,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
    /// How far the truth may be from there, metres: in at least 95 of 100 such rows that are right at their level it
    /// is no farther.
    pub radius_m: f64,
    /// The address in standard form.
    pub address: String,
    /// What was changed or passed over to match, in words.
    pub changes: Vec<String>,
    /// Locality of the match, for columns.
    pub locality: Text,
    /// Region of the match.
    pub region: Text,
    /// What the locality lies in.
    pub parent: Text,
    /// Postcode of the match.
    pub postcode: Text,
    /// Extension of the postcode.
    pub extension: Text,
}

/// A match and the candidates that came after it.
#[derive(Debug, Clone, PartialEq)]
pub struct Match {
    /// The match.
    pub best: Candidate,
    /// The next candidates, best first.
    pub others: Vec<Candidate>,
}

/// What came of an address.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// One place.
    Matched(Box<Match>),
    /// No place, or several that are equally likely.
    SetAside {
        /// The class of the reason, for counting.
        class: Unplaced,
        /// The reason in words: which part disagrees.
        reason: String,
        /// Candidates, best first.
        candidates: Vec<Candidate>,
    },
}

/// Fewer addresses tell nothing about their table.
const FEW: usize = 20;
/// A table of which more addresses are outside the reference is of another place or time than the reference.
pub const MANY_OUTSIDE: f64 = 0.03;

/// Matches addresses against a reference.
pub struct Matcher<'a> {
    reference: &'a Reference,
    options: Cow<'a, MatchOptions>,
}

/// What would tell equal candidates apart: what the address does not say yet.
fn advice(a: &ParsedAddress) -> String {
    let has_locality = !a.locality.is_empty() || !a.sub_locality.is_empty();
    let missing = match (has_locality, a.postcode.is_empty()) {
        (false, true) => "the locality or the postcode, or ",
        (false, false) => "the locality, or ",
        (true, true) => "the postcode, or ",
        (true, false) => "",
    };
    format!("say {missing}the direction or type of the street")
}

/// A reading of an address with what came of it.
pub(crate) struct Tried {
    a: ParsedAddress,
    context: Rc<Context>,
    /// Localities with a street of the name, for the reason where none fits.
    same_name_elsewhere: Vec<u32>,
}

impl<'a> Matcher<'a> {
    /// A matcher.
    pub fn new(reference: &'a Reference, options: MatchOptions) -> Self {
        Matcher { reference, options: Cow::Owned(options) }
    }

    /// A matcher by options that live elsewhere, polygons and all.
    pub fn borrowing(reference: &'a Reference, options: &'a MatchOptions) -> Self {
        Matcher { reference, options: Cow::Borrowed(options) }
    }

    /// What it matches against.
    pub fn reference(&self) -> &'a Reference {
        self.reference
    }

    /// Finds the place of an address.
    pub fn find(&self, input: &AddressInput) -> Outcome {
        if input.length() > LONGEST {
            return Outcome::SetAside {
                class: Unplaced::TooLong,
                reason: format!(
                    "the text has {} letters, no address has more than {LONGEST}: several rows may have run together",
                    input.length()
                ),
                candidates: Vec::new(),
            };
        }
        match short_way::find(self, input) {
            Some(best) => Outcome::Matched(Box::new(Match { best, others: Vec::new() })),
            None => self.long_way(input),
        }
    }

    /// Finds the place of an address by searching.
    fn long_way(&self, input: &AddressInput) -> Outcome {
        let mut tried: Vec<Tried> = Vec::new();
        let mut placed: Vec<Placed> = Vec::new();
        readings(input, self.reference.grammar(), self.reference, &mut |a| {
            self.try_reading(a, &mut tried, &mut placed);
            !placed.iter().any(|p| p.level == Level::AddressPoint && p.parts.sum() <= score::GOOD)
        });
        let outcome = self.choose(&tried, placed);
        match (outcome, self.options.then) {
            (Outcome::SetAside { class, reason, candidates }, Some(level)) => {
                second::place(self, &tried, level, class, reason, candidates)
            }
            (outcome, _) => outcome,
        }
    }

    /// Which share of addresses names a street or a town that the reference has not; nothing where too few name a
    /// street to tell.
    pub fn share_outside<'b>(&self, addresses: impl Iterator<Item = AddressInput<'b>>) -> Option<f64> {
        let (mut asked, mut outside) = (0, 0);
        for input in addresses {
            match self.find(&input) {
                Outcome::Matched(m) => {
                    let lost = m.best.level >= Level::Postcode && m.best.parts.name >= fallback::STREET_NOT_FOUND;
                    asked += usize::from(lost || m.best.level < Level::Postcode);
                    outside += usize::from(lost);
                }
                Outcome::SetAside { class, .. } => {
                    let lost = matches!(class, Unplaced::StreetNotFound | Unplaced::LocalityNotFound);
                    asked += usize::from(lost);
                    outside += usize::from(lost);
                }
            }
        }
        (asked >= FEW).then(|| outside as f64 / asked as f64)
    }

    fn try_reading(&self, a: ParsedAddress, tried: &mut Vec<Tried>, placed: &mut Vec<Placed>) {
        let a = self.with_leading_zero(&a).unwrap_or(a);
        let (before, index) = (placed.len(), tried.len());
        self.try_as_it_is(a, tried, placed);
        let is_good = placed[before..].iter().any(|p| p.level < Level::Street && p.parts.sum() <= score::GOOD);
        // "120 JUNIPER VALLEY PLACE" on Juniper Valley Place Road: the word that seems its type belongs to the name.
        if !is_good && let Some(a) = self.with_type_in_its_name(&tried[index].a) {
            self.try_as_it_is(a, tried, placed);
        }
    }

    /// The address with the type as a part of the name, where a street has that name.
    fn with_type_in_its_name(&self, a: &ParsedAddress) -> Option<ParsedAddress> {
        let reference = self.reference;
        let grammar = reference.grammar();
        let kind = a.street.street_type.filter(|_| grammar.type_place == TypePlace::After)?;
        let (_, list) = grammar.street_types.get(usize::from(kind))?;
        let key = normal::key(&a.street.name, grammar.umlauts);
        let mut name = None;
        for word in grammar::spellings(list) {
            reference.names_with_ending(&key, word, &mut |id| {
                let with_word = format_compact!("{} {word}", a.street.name);
                if name.is_none() && reference.name_is(id, &with_word) {
                    name = Some(with_word);
                }
            });
        }
        let name = name?;
        let mut whole = a.clone();
        (whole.street.name, whole.street.street_type) = (name, None);
        whole.prior += 1;
        Some(whole)
    }

    fn try_as_it_is(&self, a: ParsedAddress, tried: &mut Vec<Tried>, placed: &mut Vec<Placed>) {
        let reference = self.reference;
        // Readings of a text may differ in the street alone.
        let context = tried
            .iter()
            .find(|t| {
                (&t.a.locality, &t.a.sub_locality, &t.a.region, &t.a.postcode)
                    == (&a.locality, &a.sub_locality, &a.region, &a.postcode)
            })
            .map_or_else(|| Rc::new(Context::new(reference, &a)), |t| t.context.clone());
        let index = tried.len();
        let mut same_name_elsewhere = Vec::new();
        if self.options.finest <= Level::Street && !a.post_box {
            if let (Some(other), true) = (&a.crossing, self.options.finest <= Level::Crossing) {
                crossing::place(self, &a, other, &context, index, placed);
            } else if !a.street.name.is_empty() {
                let mut search = Search::new(reference, &a, &a.street, &context);
                let enough = |s: &mut Search, placed: &mut Vec<Placed>, cost: i32| {
                    for street in s.best() {
                        place::place(self, &a, &context, street, index, placed);
                    }
                    placed.iter().any(|p| {
                        let sum = p.parts.sum();
                        // A name that is right letter by letter is hardly another one misspelt.
                        p.level < Level::Street && (sum <= cost || p.parts.name == 0 && sum <= score::NAME_RIGHT)
                    })
                };
                // Each step costs more time than the one before, and finds only what differs more: it is taken where
                // what is known already differs more than that.
                let letters = a.street.name.len();
                search.exact();
                let mut found = enough(&mut search, placed, score::TYPE_OTHER);
                if !found {
                    search.misspelt(1..=1);
                    found = enough(&mut search, placed, score::slips(2, letters).min(11));
                }
                if !found {
                    search.misspelt(2..=2);
                    found = enough(&mut search, placed, score::SOUND);
                }
                if !found {
                    search.by_sound();
                    found = enough(&mut search, placed, score::slips(3, letters));
                }
                if !found {
                    search.in_its_places();
                    enough(&mut search, placed, 0);
                }
                same_name_elsewhere = std::mem::take(&mut search.same_name_elsewhere);
            } else if self.options.finest == Level::AddressPoint && a.crossing.is_none() {
                by_postcode::place(self, &a, &context, index, placed);
            }
            let landmarks = self.options.finest <= Level::Landmark;
            if landmarks && a.number.is_none() && a.crossing.is_none() && !a.place.is_empty() {
                landmark::place(self, &a, &context, index, placed);
            }
        }
        tried.push(Tried { a, context, same_name_elsewhere });
    }

    fn choose(&self, tried: &[Tried], mut placed: Vec<Placed>) -> Outcome {
        if tried.iter().all(|t| t.a.is_empty()) {
            return Outcome::SetAside {
                class: Unplaced::NoAddress,
                reason: "no address: a street, locality or postcode is expected".into(),
                candidates: Vec::new(),
            };
        }
        placed.retain(|p| p.parts.sum() <= score::MOST);
        // Cheapest first, among equals finer levels and what is nearer to where the data is said to be; one street once.
        let far = |p: &Placed| self.options.near.map_or(0.0, |near| metres(near, (p.lon, p.lat)));
        placed.sort_by(|x, y| {
            let by_distance = far(x).total_cmp(&far(y));
            (x.parts.sum(), x.level)
                .cmp(&(y.parts.sum(), y.level))
                .then(by_distance)
                .then_with(|| (x.reading, x.key()).cmp(&(y.reading, y.key())))
        });
        let mut seen = Vec::new();
        placed.retain(|p| {
            let key = (p.level, p.key());
            let new = !seen.contains(&key);
            seen.push(key);
            new
        });
        let cheapest = placed.first().map(|p| p.parts.sum());
        if let Some(within) = &self.options.within {
            placed.retain(|p| within.contains(self.reference, p));
            // What lies inside and fits much worse than what lies outside is another address.
            let inside = placed.first().map(|p| p.parts.sum());
            if inside.zip(cheapest).is_some_and(|(i, c)| i > c + score::WITHIN) {
                placed.clear();
            }
        }
        let Some(first) = placed.first() else {
            if cheapest.is_some() {
                return Outcome::SetAside {
                    class: Unplaced::OutsideTheArea,
                    reason: "its matches lie outside the area that results must be within".into(),
                    candidates: Vec::new(),
                };
            }
            return self.fall_back(tried, Vec::new());
        };
        let apart = |p: &Placed| metres((p.lon, p.lat), (first.lon, first.lat)) > score::SAME_PLACE_M;
        let line = |p: &Placed| tried[p.reading].a.line_of_several;
        let other_line = |p: &&Placed| line(p) != line(first) && p.level <= Level::StreetRange && apart(p);
        if line(first).is_some()
            && let Some(other) = placed[1..].iter().find(other_line)
        {
            let candidates =
                [first, other].map(|p| words::candidate(self, &tried[p.reading], p, f64::from(p.parts.sum())));
            return Outcome::SetAside {
                class: Unplaced::SeveralAddresses,
                reason: format!(
                    "several addresses in one cell: {} | {}; put each in a row of its own",
                    candidates[0].address, candidates[1].address
                ),
                candidates: candidates.into(),
            };
        }
        let best_cost = first.parts.sum();
        // A street as a whole is no rival to a house on it.
        let rivals: Vec<&Placed> =
            placed[1..].iter().filter(|p| apart(p) && !(p.level > first.level && p.key().0 == first.key().0)).collect();
        let equal = rivals
            .iter()
            .filter(|p| p.level == first.level && p.parts.sum() - best_cost <= score::EQUAL - i32::from(best_cost == 0))
            .count();
        let raw = confidence::raw(best_cost, rivals.iter().map(|p| p.parts.sum()));
        let render = |p: &Placed, raw: f64| words::candidate(self, &tried[p.reading], p, raw);
        let mut list: Vec<Candidate> = vec![render(first, raw)];
        // A tie is told with all of its candidates, asked for or not: a second pass needs what all have in common.
        let tied = placed.iter().filter(|p| p.parts.sum() - best_cost <= score::EQUAL).count();
        let others = if equal > 0 { self.options.others.max(tied) } else { self.options.others };
        for p in placed[1..].iter().take(others) {
            let rest = placed.iter().filter(|q| !std::ptr::eq(*q, p)).map(|q| q.parts.sum());
            list.push(render(p, confidence::raw(p.parts.sum(), rest)));
        }
        // Where the data is said to be decides between equals, if it says it clearly.
        let nearest = self.options.near.is_some()
            && equal > 0
            && rivals
                .iter()
                .filter(|p| p.level == first.level && p.parts.sum() - best_cost <= score::EQUAL)
                .all(|p| far(p) >= 2.0 * far(first));
        if nearest {
            list[0].changes.push(format!("the nearest of {} equal candidates", equal + 1));
        }
        // What is too unsure to be used is no place, however many there are of it.
        let is_sure = confidence::of(first.level, f64::from(best_cost), list[0].most) >= confidence::LEAST
            || self.options.take_unsure;
        if equal > 0 && !nearest && is_sure {
            let shown: Vec<String> = std::iter::once(0)
                .chain((1..list.len()).filter(|i| placed[*i].level == first.level && apart(&placed[*i])))
                .take(4)
                .map(|i| list[i].address.clone())
                .collect();
            let alike = shown.windows(2).all(|w| w[0] == w[1]);
            let unit_would_tell = tried[first.reading].a.unit.is_empty()
                && first.point.is_some_and(|id| !self.reference.units_of(id).is_empty());
            let advice = if unit_would_tell {
                "say the unit"
            } else if alike {
                "the reference has this address at places far apart; correct it there"
            } else {
                &advice(&tried[first.reading].a)
            };
            return Outcome::SetAside {
                class: Unplaced::SeveralEqual,
                reason: format!("several places fit equally well: {}; {advice}", shown.join(" | ")),
                candidates: list,
            };
        }
        let best = list.remove(0);
        if best.confidence < confidence::LEAST && !self.options.take_unsure {
            list.insert(0, best);
            return self.fall_back(tried, list);
        }
        self.accept(best, list)
    }

    /// The postcode or locality, with what was too unsure to be used as further candidates.
    fn fall_back(&self, tried: &[Tried], unsure: Vec<Candidate>) -> Outcome {
        // The reading that knows most of what it says.
        let best = tried
            .iter()
            .enumerate()
            .min_by_key(|(i, t)| {
                let locality = match (t.a.locality.is_empty(), t.context.named.first()) {
                    (false, Some(n)) => n.cost,
                    // A word alone is rather a locality that nobody knows than a street.
                    (false, None) if t.a.street.name.is_empty() => 20,
                    // What may be the locality was said, whether it was read as one or as what the locality lies in.
                    (true, _) if t.a.sub_locality.is_empty() => 25,
                    (true, _) | (false, None) => 30,
                };
                (locality, *i)
            })
            .map(|(_, t)| t);
        let Some(t) = best else {
            return Outcome::SetAside {
                class: Unplaced::NoAddress,
                reason: "no address: a street, locality or postcode is expected".into(),
                candidates: Vec::new(),
            };
        };
        match fallback::find(self, t) {
            Ok(c) => self.accept(c, unsure),
            Err(Outcome::SetAside { class, reason, candidates }) => {
                Outcome::SetAside { class, reason, candidates: unsure.into_iter().chain(candidates).collect() }
            }
            Err(matched) => matched,
        }
    }

    /// The address with the zero that a spreadsheet took off its postcode, where the reference has that postcode.
    fn with_leading_zero(&self, a: &ParsedAddress) -> Option<ParsedAddress> {
        let digits = self.reference.grammar().digits_of_postcode()?;
        if a.postcode.len() + 1 != digits || !a.postcode.bytes().all(|b| b.is_ascii_digit()) {
            return None;
        }
        let whole = format_compact!("0{}", a.postcode);
        self.reference.postcode(&whole)?;
        let mut restored = a.clone();
        restored.read_as.push(format!("postcode {} read as {whole}", a.postcode));
        restored.postcode = whole;
        Some(restored)
    }

    fn accept(&self, best: Candidate, others: Vec<Candidate>) -> Outcome {
        let all = |best: Candidate, others: Vec<Candidate>| std::iter::once(best).chain(others).collect();
        if let Some(within) = &self.options.within
            && !within.contains_candidate(self.reference, &best)
        {
            return Outcome::SetAside {
                class: Unplaced::OutsideTheArea,
                reason: format!("{} lies outside the area that results must be within", best.address),
                candidates: all(best, others),
            };
        }
        if best.level > self.options.coarsest {
            let why = if best.changes.is_empty() { String::new() } else { format!(" ({})", best.changes.join("; ")) };
            return Outcome::SetAside {
                class: Unplaced::CoarserThanAsked,
                reason: format!(
                    "placed at the level \"{}\" only{why}; \"{}\" or finer was asked for",
                    best.level.name(),
                    self.options.coarsest.name()
                ),
                candidates: all(best, others),
            };
        }
        if best.confidence < self.options.min_confidence {
            let why = if best.changes.is_empty() { String::new() } else { format!(": {}", best.changes.join("; ")) };
            return Outcome::SetAside {
                class: Unplaced::ConfidenceTooLow,
                reason: format!(
                    "confidence {} for {} is below {}{why}",
                    best.confidence, best.address, self.options.min_confidence
                ),
                candidates: all(best, others),
            };
        }
        Outcome::Matched(Box::new(Match { best, others }))
    }
}
