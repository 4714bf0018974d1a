//! Matching an address against the reference: candidates, scores, levels, and what was changed to match.

mod candidates;
mod fallback;
mod place;
mod score;

use crate::parse::{AddressInput, ParsedAddress, parse};
use crate::reference::Reference;

/// How precisely a match places an address, finest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Level {
    /// At the building or entrance.
    AddressPoint,
    /// Along the street by its number ranges, set back to the proper side.
    StreetRange,
    /// Somewhere on the street.
    Street,
    /// The middle of the postcode.
    Postcode,
    /// The middle of the locality.
    Locality,
}

/// Levels with their names, finest first.
pub const LEVELS: &[(Level, &str)] = &[
    (Level::AddressPoint, "address point"),
    (Level::StreetRange, "street range"),
    (Level::Street, "street"),
    (Level::Postcode, "postcode"),
    (Level::Locality, "locality"),
];

impl Level {
    /// The name in outputs.
    pub fn name(self) -> &'static str {
        LEVELS.iter().find(|(l, _)| *l == self).map_or("", |(_, n)| n)
    }

    /// The level of a name; blanks, hyphens and underscores are alike.
    pub fn from_name(name: &str) -> Option<Self> {
        let plain = name.trim().to_lowercase().replace(['-', '_'], " ");
        LEVELS.iter().find(|(_, n)| *n == plain).map(|(l, _)| *l)
    }
}

/// How to match.
#[derive(Debug, Clone, PartialEq)]
pub struct MatchOptions {
    /// Matches coarser than this are set aside.
    pub coarsest: Level,
    /// Matches below this confidence (0–100) are set aside.
    pub min_confidence: u8,
    /// Metres from the line of the street at which a range places a building.
    pub set_back_m: f64,
}

impl Default for MatchOptions {
    fn default() -> Self {
        MatchOptions { coarsest: Level::Locality, min_confidence: 0, set_back_m: 10.0 }
    }
}

/// A place that an address may be.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// How precisely it places the address.
    pub level: Level,
    /// 0 to 100: how sure it is that this is the address that was meant, at its level.
    pub confidence: u8,
    /// Longitude, degrees.
    pub lon: f64,
    /// Latitude, degrees.
    pub lat: f64,
    /// The address in standard form.
    pub address: String,
    /// What was changed or passed over to match, in words.
    pub changes: Vec<String>,
    /// Parts of the matched address, for columns.
    pub locality: String,
    /// Region of the match.
    pub region: String,
    /// What the locality lies in.
    pub parent: String,
    /// Postcode of the match.
    pub postcode: String,
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
        /// A short class of reason, for counting.
        class: &'static str,
        /// The reason in words: which part disagrees.
        reason: String,
        /// Candidates, best first.
        candidates: Vec<Candidate>,
    },
}

/// Matches addresses against a reference.
pub struct Matcher<'a> {
    reference: &'a Reference,
    options: MatchOptions,
}

impl<'a> Matcher<'a> {
    /// A matcher.
    pub fn new(reference: &'a Reference, options: MatchOptions) -> Self {
        Matcher { reference, options }
    }

    /// Finds the place of an address.
    pub fn find(&self, input: &AddressInput) -> Outcome {
        let parsed = parse(input, self.reference.grammar(), &|words| self.reference.is_locality(words));
        self.find_parsed(&parsed)
    }

    /// Finds the place of an address that was read already.
    pub fn find_parsed(&self, a: &ParsedAddress) -> Outcome {
        let restored = self.with_leading_zero(a);
        let a = restored.as_ref().unwrap_or(a);
        if a.is_empty() {
            return Outcome::SetAside {
                class: "no address",
                reason: "no address: a street, locality or postcode is expected".into(),
                candidates: Vec::new(),
            };
        }
        let context = candidates::Context::new(self.reference, a);
        let mut found = if a.name.is_empty() || a.post_box {
            candidates::Found::default()
        } else {
            candidates::streets(self.reference, a, &context)
        };
        let mut placed: Vec<Candidate> = Vec::new();
        for street in &found.best {
            place::place(self.reference, a, &context, street, self.options.set_back_m, &mut placed);
        }
        // Finer levels first among equals.
        placed.sort_by(|x, y| y.confidence.cmp(&x.confidence).then(x.level.cmp(&y.level)));
        placed.retain(|c| c.confidence >= score::LEAST);
        if let Some(best) = placed.first().cloned() {
            let rivals: Vec<&Candidate> = placed[1..]
                .iter()
                .filter(|c| c.confidence == best.confidence && c.level == best.level && metres(c, &best) > 50.0)
                .collect();
            if !rivals.is_empty() {
                let list: Vec<String> =
                    std::iter::once(&best).chain(rivals).take(4).map(|c| c.address.clone()).collect();
                return Outcome::SetAside {
                    class: "several equal candidates",
                    reason: format!(
                        "several places fit equally well: {}; say the locality or the postcode",
                        list.join(" | ")
                    ),
                    candidates: placed,
                };
            }
            return self.accept(best, placed.split_off(1));
        }
        fallback::find(self.reference, a, &context, &found)
            .map_or_else(|e| e, |c| self.accept(c, std::mem::take(&mut found.rejected)))
    }

    /// The address with the zero that a spreadsheet took off its postcode, where the reference has that postcode.
    fn with_leading_zero(&self, a: &ParsedAddress) -> Option<ParsedAddress> {
        let digits = self.reference.grammar().postcode_digits.0;
        if a.postcode.len() + 1 != digits || !a.postcode.bytes().all(|b| b.is_ascii_digit()) {
            return None;
        }
        let whole = format!("0{}", a.postcode);
        self.reference.postcode(&whole)?;
        let mut restored = a.clone();
        restored.read_as.push(format!("postcode {} read as {whole}", a.postcode));
        restored.postcode = whole;
        Some(restored)
    }

    fn accept(&self, best: Candidate, others: Vec<Candidate>) -> Outcome {
        let all = |best: Candidate, others: Vec<Candidate>| std::iter::once(best).chain(others).collect();
        if best.level > self.options.coarsest {
            let why = if best.changes.is_empty() { String::new() } else { format!(" ({})", best.changes.join("; ")) };
            return Outcome::SetAside {
                class: "coarser than asked",
                reason: format!(
                    "placed at the level \"{}\" only{why}; \"{}\" or finer was asked for",
                    best.level.name(),
                    self.options.coarsest.name()
                ),
                candidates: all(best, others),
            };
        }
        if best.confidence < self.options.min_confidence {
            return Outcome::SetAside {
                class: "confidence too low",
                reason: format!(
                    "confidence {} for {} is below {}: {}",
                    best.confidence,
                    best.address,
                    self.options.min_confidence,
                    best.changes.join("; ")
                ),
                candidates: all(best, others),
            };
        }
        Outcome::Matched(Box::new(Match { best, others }))
    }
}

fn metres(a: &Candidate, b: &Candidate) -> f64 {
    let x = (a.lon - b.lon) * a.lat.to_radians().cos();
    x.hypot(a.lat - b.lat) * 111_320.0
}
