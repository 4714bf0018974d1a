//! Answers of a service become a reference: what was asked is matched against it as against any other, so that confidence
//! means the same whoever knows the place.

use super::levels;
use crate::Error;
use basilocus_address::parse::KnownNames;
use basilocus_address::reference::{PlaceEntry, PlaceKind, PointEntry, PostcodeEntry, SegmentEntry, WrittenAddress};
use basilocus_address::{Builder, Entry as Row, Level, Reference, country, grammar, normal};
use basilocus_services::{Answer, AxisOrder, Place, Question};
use std::collections::hash_map::Entry;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use tempfile::TempDir;

/// A reference keeps positions to this part of a degree.
const FIXED: f64 = 1e7;
/// How far an interpolated house may be from its place where the service does not say it, metres: some plots along a
/// street.
const INTERPOLATED_M: f64 = 150.0;

/// What a service says of a position.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Said {
    /// The coarsest level that was said for it.
    pub level: Level,
    /// Its score as it came.
    pub score: String,
    /// How far the truth may be, metres.
    pub accuracy_m: Option<f64>,
    /// The street and the locality that it was said for first, in normal form.
    place: [String; 2],
    /// Whether it was said for another street or locality too: then it is a position that the service falls back to.
    pub is_fallback: bool,
}

impl Said {
    fn new(place: &Place, level: Level) -> Self {
        Said {
            level,
            score: place.score.clone(),
            accuracy_m: place.accuracy_m,
            place: [normal::words(&place.street), normal::words(&place.locality)],
            is_fallback: false,
        }
    }

    /// The same position for another place.
    fn also_for(&mut self, other: Said) {
        // Two houses at one position are no finer than the coarser of them says.
        self.level = self.level.max(other.level);
        self.accuracy_m = self.accuracy_m.or(other.accuracy_m);
        let differ = |at: usize| {
            let (a, b) = (&self.place[at], &other.place[at]);
            !a.is_empty() && !b.is_empty() && a != b
        };
        if self.level < Level::Postcode && (differ(0) || differ(1)) {
            self.is_fallback = true;
        }
    }
}

/// What was made of answers.
#[derive(Default)]
pub(super) struct Made {
    /// The references; their files are in the folder.
    pub references: Vec<Reference>,
    pub said: HashMap<(i64, i64), Said>,
    /// Words for levels that are not known, with the number of places.
    pub unknown_levels: BTreeMap<String, u64>,
    /// EPSG codes of systems that are not WGS 84 and are taken for it, with the number of places.
    pub systems: BTreeMap<u32, u64>,
    /// Places that could not be used by the reason, with their number.
    pub unusable: BTreeMap<String, u64>,
    _folder: Option<TempDir>,
}

/// A position as references keep it.
pub(super) fn fixed(lon: f64, lat: f64) -> (i64, i64) {
    ((lon * FIXED).round() as i64, (lat * FIXED).round() as i64)
}

/// The order of axes, where the service does not say it: by a position that can be one alone. `None` where no position
/// needs it.
///
/// # Errors
/// Where nothing tells it, or positions contradict each other.
pub(in crate::steps) fn order<'a>(
    said: Option<AxisOrder>,
    places: impl Iterator<Item = &'a Place>,
) -> Result<Option<AxisOrder>, Error> {
    let mut open = 0u64;
    let (mut lon_first, mut lat_first) = (0u64, 0u64);
    let mut example = [0.0; 2];
    for place in places.filter(|p| p.order.is_none()) {
        let [a, b] = place.position;
        open += 1;
        example = place.position;
        lon_first += u64::from(a.abs() > 90.0 && b.abs() <= 90.0);
        lat_first += u64::from(b.abs() > 90.0 && a.abs() <= 90.0);
    }
    let words = |order| if order == AxisOrder::LonLat { "lon-lat" } else { "lat-lon" };
    let expected = "say which comes first with `service_axes`: lon-lat or lat-lon";
    match (said, lon_first, lat_first) {
        (_, 1.., 1..) => Err(Error::Data(format!(
            "the service does not say the order of its numbers, and gives both: {lon_first} positions can only be longitude first and {lat_first} only latitude first; nothing of it can be trusted"
        ))),
        (Some(AxisOrder::LonLat), _, 1..) | (Some(AxisOrder::LatLon), 1.., _) => Err(Error::Data(format!(
            "the positions of the service cannot be in the order {} that was said: {} of {open} would not be on the earth",
            said.map_or("", words),
            lon_first + lat_first
        ))),
        (Some(order), ..) => Ok(Some(order)),
        _ if open == 0 => Ok(None),
        (None, 1.., 0) => Ok(Some(AxisOrder::LonLat)),
        (None, 0, 1..) => Ok(Some(AxisOrder::LatLon)),
        (None, 0, 0) => Err(Error::Data(format!(
            "the service does not say whether longitude or latitude comes first, and its {open} positions can be both ({} {}); {expected}",
            example[0], example[1]
        ))),
    }
}

/// Names of localities that were asked for: they part the texts of answers.
struct Asked<'a>(&'a BTreeSet<String>);

impl KnownNames for Asked<'_> {
    fn is_locality(&self, words: &str) -> bool {
        self.0.contains(words)
    }
    fn is_nearly_locality(&self, _: &str) -> bool {
        false
    }
    fn is_region(&self, _: &str) -> bool {
        false
    }
}

/// Makes a reference of answers. `usual` is the country of addresses that do not say theirs.
pub(super) fn make<'a>(
    answers: impl Iterator<Item = (&'a Question, &'a Answer)> + Clone,
    order: Option<AxisOrder>,
    usual: Option<&'static str>,
) -> Result<Made, Error> {
    let mut made = Made::default();
    let names: BTreeSet<String> =
        answers.clone().map(|(q, _)| normal::words(&q.locality)).filter(|w| !w.is_empty()).collect();
    let mut builder: Option<Builder> = None;
    for (question, answer) in answers {
        for place in &answer.places {
            match entry(place, question, order, usual, &Asked(&names), &mut made) {
                Ok((code, entry)) => {
                    let builder = match &mut builder {
                        Some(builder) => builder,
                        None => builder
                            .insert(Builder::of_country(code).ok_or_else(|| {
                                Error::Defect(format!("{code}, a code of a country, has no grammar"))
                            })?),
                    };
                    if let Err(unusable) = builder.add_in(code, &entry) {
                        *made.unusable.entry(unusable.to_string()).or_default() += 1;
                    }
                }
                Err(reason) => *made.unusable.entry(reason).or_default() += 1,
            }
        }
    }
    if let Some(mut builder) = builder {
        let failed = |e: std::io::Error| Error::Data(format!("the answers of the service cannot be put together: {e}"));
        let folder = tempfile::tempdir().map_err(failed)?;
        let file = folder.path().join("answers.reference");
        builder.write(&file)?;
        made.references = Reference::open_all(&file)?;
        made._folder = Some(folder);
    }
    Ok(made)
}

/// A place as a row of a reference, and its country.
fn entry(
    place: &Place,
    question: &Question,
    order: Option<AxisOrder>,
    usual: Option<&'static str>,
    names: &Asked,
    made: &mut Made,
) -> Result<(&'static str, Row), String> {
    let [a, b] = place.position;
    let (lon, lat) = match place.order.or(order) {
        Some(AxisOrder::LatLon) => (b, a),
        Some(AxisOrder::LonLat) => (a, b),
        None => return Err("the order of its numbers is not known".into()),
    };
    if lon.abs() > 180.0 || lat.abs() > 90.0 || lon.is_nan() || lat.is_nan() {
        return Err("its position is not on the earth".into());
    }
    if lon == 0.0 && lat == 0.0 {
        return Err("its position is 0, 0, an empty value".into());
    }
    if let Some(code) = place.system {
        *made.systems.entry(code).or_default() += 1;
    }
    let of_text = |text: &str| country::code_of(text);
    let code = of_text(&place.country).or_else(|| of_text(&question.country)).or(usual);
    let code = code.ok_or("nothing says its country; say it with `country`")?;
    let place = parted(place, grammar::of_country(code), names);
    let of_parts = levels::of_parts(&place).ok_or("it says no address and no name")?;
    let of_word = levels::of_word(&place.level);
    if of_word.is_none() && !place.level.trim().is_empty() {
        *made.unknown_levels.entry(place.level.trim().to_string()).or_default() += 1;
    }
    let level = of_word.map_or(of_parts, |word| word.max(of_parts));
    let (lon, lat) = ((lon * FIXED).round() / FIXED, (lat * FIXED).round() / FIXED);
    match made.said.entry(fixed(lon, lat)) {
        Entry::Vacant(slot) => drop(slot.insert(Said::new(&place, level))),
        Entry::Occupied(mut slot) => slot.get_mut().also_for(Said::new(&place, level)),
    }
    Ok((code, as_row(&place, level, lon, lat)))
}

/// The same with its address in parts.
fn parted(place: &Place, grammar: Option<&grammar::Grammar>, names: &Asked) -> Place {
    let has_parts = levels::of_parts(place).is_some_and(|l| l < Level::Postcode);
    let (false, Some(grammar), false) = (has_parts, grammar, place.address.trim().is_empty()) else {
        return place.clone();
    };
    let read = WrittenAddress::read(&place.address, grammar, names);
    let or = |said: &String, read: String| if said.trim().is_empty() { read } else { said.clone() };
    Place {
        number: or(&place.number, read.number),
        street: or(&place.street, read.street),
        unit: or(&place.unit, read.unit),
        locality: or(&place.locality, read.locality),
        region: or(&place.region, read.region),
        postcode: or(&place.postcode, read.postcode),
        ..place.clone()
    }
}

fn as_row(place: &Place, level: Level, lon: f64, lat: f64) -> Row {
    let text = |t: &String| t.trim().to_string();
    match level {
        Level::AddressPoint | Level::StreetRange if !place.number.trim().is_empty() => {
            let usual = (level == Level::StreetRange).then_some(INTERPOLATED_M);
            Row::Point(PointEntry {
                number: text(&place.number),
                street: text(&place.street),
                unit: text(&place.unit),
                locality: text(&place.locality),
                region: text(&place.region),
                postcode: text(&place.postcode),
                lon,
                lat,
                accuracy_m: place.accuracy_m.or(usual),
            })
        }
        // Somewhere on the street: a line without a length.
        _ if !place.street.trim().is_empty() => Row::Segment(SegmentEntry {
            street: text(&place.street),
            locality: [text(&place.locality), text(&place.locality)],
            region: text(&place.region),
            postcode: [text(&place.postcode), text(&place.postcode)],
            line: vec![(lon, lat), (lon, lat)],
            ..Default::default()
        }),
        Level::Postcode => Row::Postcode(PostcodeEntry {
            postcode: text(&place.postcode),
            locality: text(&place.locality),
            region: text(&place.region),
            lon,
            lat,
            radius_m: place.accuracy_m,
        }),
        _ => {
            let is_region = place.locality.trim().is_empty();
            Row::Place(PlaceEntry {
                name: text(if is_region { &place.region } else { &place.locality }),
                kind: if is_region { PlaceKind::Region } else { PlaceKind::Locality },
                region: if is_region { String::new() } else { text(&place.region) },
                lon,
                lat,
                radius_m: place.accuracy_m,
                ..Default::default()
            })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_address::{AddressInput, MatchOptions, Outcome, matching};

    fn place(level: &str, number: &str, street: &str) -> Place {
        Place {
            position: [-123.8, 46.2],
            order: Some(AxisOrder::LonLat),
            number: number.into(),
            street: street.into(),
            locality: "Ternport".into(),
            region: "OR".into(),
            postcode: "97981".into(),
            country: "US".into(),
            level: level.into(),
            score: "0.9".into(),
            ..Default::default()
        }
    }

    fn find(places: Vec<Place>, asked: &str) -> (Made, Outcome) {
        let question = Question { address: asked.into(), ..Default::default() };
        let answer = Answer { places };
        let made = make(std::iter::once((&question, &answer)), None, Some("US")).unwrap();
        let input = AddressInput { whole: asked, ..Default::default() };
        let outcome = matching::find_in(&made.references, &MatchOptions::default(), &input);
        (made, outcome)
    }

    #[test]
    fn what_was_asked_is_matched_against_what_was_answered() {
        let (made, outcome) = find(vec![place("rooftop", "12", "Heron Ln")], "12 Heron Lane, Ternport OR 97981");
        let Outcome::Matched(m) = outcome else { panic!("{outcome:?}") };
        assert_eq!((m.best.level, m.best.lon, m.best.lat), (Level::AddressPoint, -123.8, 46.2));
        assert!(m.best.confidence >= 95);
        assert_eq!(made.said[&fixed(-123.8, 46.2)].score, "0.9");
    }

    #[test]
    fn a_score_is_no_confidence() {
        // The service is sure, and answers with another house, street or town.
        for (number, street, locality) in
            [("14", "Heron Ln", "Ternport"), ("12", "Kestrel Ct", "Ternport"), ("12", "Heron Ln", "Gullhaven")]
        {
            let other = Place { locality: locality.into(), score: "1.0".into(), ..place("rooftop", number, street) };
            let (_, outcome) = find(vec![other], "12 Heron Lane, Ternport OR");
            let is_sure = matches!(&outcome, Outcome::Matched(m) if m.best.level <= Level::StreetRange && m.best.confidence >= 80);
            assert!(!is_sure, "{number} {street} {locality}: {outcome:?}");
        }
    }

    #[test]
    fn a_street_is_placed_as_a_street_and_a_text_is_read() {
        let (_, outcome) = find(vec![place("street", "12", "Heron Ln")], "12 Heron Lane, Ternport OR");
        let Outcome::Matched(m) = outcome else { panic!("{outcome:?}") };
        assert_eq!((m.best.level, m.best.lon), (Level::Street, -123.8));
        let text = Place {
            address: "12 Heron Ln, Ternport, OR 97981".into(),
            position: [-123.8, 46.2],
            order: Some(AxisOrder::LonLat),
            ..Default::default()
        };
        let (made, outcome) = find(vec![text], "12 Heron Lane, Ternport OR");
        let Outcome::Matched(m) = outcome else { panic!("{outcome:?} {:?}", made.unusable) };
        assert_eq!(m.best.level, Level::AddressPoint);
        let (_, outcome) = find(vec![place("locality", "", "")], "Ternport OR");
        assert!(matches!(outcome, Outcome::Matched(m) if m.best.level == Level::Locality));
    }

    #[test]
    fn one_position_for_several_streets_is_no_house() {
        let (made, _) =
            find(vec![place("rooftop", "12", "Heron Ln"), place("rooftop", "14", "Heron Ln")], "12 Heron Ln");
        assert!(!made.said[&fixed(-123.8, 46.2)].is_fallback, "two numbers of one building");
        let (made, _) =
            find(vec![place("rooftop", "12", "Heron Ln"), place("rooftop", "3", "Kestrel Ct")], "12 Heron Ln");
        assert!(made.said[&fixed(-123.8, 46.2)].is_fallback);
        let nothing = Place { position: [0.0, 0.0], ..place("rooftop", "12", "Heron Ln") };
        let (made, outcome) = find(vec![nothing], "12 Heron Ln, Ternport OR");
        assert!(made.references.is_empty() && made.unusable.keys().any(|k| k.contains("0, 0")), "{outcome:?}");
    }

    #[test]
    fn the_order_is_never_guessed() {
        let open = |a: f64, b: f64| Place { position: [a, b], ..Default::default() };
        let of = |said, places: &[Place]| order(said, places.iter());
        assert_eq!(of(None, &[open(46.2, -123.8), open(46.0, 12.0)]).unwrap(), Some(AxisOrder::LatLon));
        assert_eq!(of(None, &[open(-123.8, 46.2)]).unwrap(), Some(AxisOrder::LonLat));
        assert!(of(None, &[open(46.0, 12.0)]).unwrap_err().to_string().contains("service_axes"));
        assert_eq!(of(Some(AxisOrder::LatLon), &[open(46.0, 12.0)]).unwrap(), Some(AxisOrder::LatLon));
        assert!(of(Some(AxisOrder::LonLat), &[open(46.2, -123.8)]).is_err());
        assert!(of(None, &[open(46.2, -123.8), open(-123.8, 46.2)]).is_err());
        assert_eq!(of(None, &[place("", "", "")]).unwrap(), None, "said by the service");
    }

    #[test]
    fn another_system_is_told() {
        let (made, _) = find(vec![Place { system: Some(4269), ..place("rooftop", "12", "Heron Ln") }], "12 Heron Ln");
        assert_eq!(made.systems[&4269], 1);
    }

    #[test]
    fn what_cannot_be_used_is_counted() {
        let nowhere = Place { position: [-223.8, 46.2], ..place("rooftop", "12", "Heron Ln") };
        let nameless = Place { position: [-123.8, 46.2], order: Some(AxisOrder::LonLat), ..Default::default() };
        let odd = place("about right", "12", "Heron Ln");
        let (made, _) = find(vec![nowhere, nameless, odd], "12 Heron Ln");
        assert_eq!(made.unusable.values().sum::<u64>(), 2);
        assert_eq!(made.unknown_levels["about right"], 1);
        assert_eq!(made.references.len(), 1);
    }
}
