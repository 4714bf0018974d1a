//! Clean rows take a short way. Whatever the reference holds, it must come to what a search comes to.

use basilocus_address::reference::{PlaceEntry, PlaceKind, PointEntry, PostcodeEntry};
use basilocus_address::{AddressInput, Builder, Candidate, Entry, MatchOptions, Matcher, Outcome, Reference, grammar};
use proptest::prelude::*;

/// Names that are made to be taken for each other, by country.
const NAMES: &[(&str, &[&str], &[&str])] = &[
    (
        "US",
        &[
            "Oak St",
            "Oak Ave",
            "N Oak St",
            "Old Oak St",
            "State Route 7",
            "Highway 7",
            "Saint Mary Ln",
            "5th St",
            "The Oak St",
        ],
        &["KS", "OR"],
    ),
    ("DE", &["Hauptstraße", "Hauptstr.", "Am Markt", "Markt", "Müllerweg", "Muellerweg"], &["Bayern", "Hessen"]),
    ("FR", &["Rue de la Paix", "Rue Paix", "Avenue de la Paix", "Rue du Moulin"], &["Nord", ""]),
    ("NL", &["Dorpsstraat", "Lange Dorpsstraat", "Plein 1944"], &["Zeeland", ""]),
];
const TOWNS: &[&str] = &["Ash", "Harlow", "Oak", "Old Ash"];

#[derive(Debug, Clone)]
struct House {
    street: usize,
    town: usize,
    region: usize,
    postcode: usize,
    number: u32,
    suffix: &'static str,
}

fn house() -> impl Strategy<Value = House> {
    let suffix = prop::sample::select(vec!["", "", "", "A", "1/2"]);
    (0usize..9, 0usize..4, 0usize..2, 0usize..3, prop::sample::select(vec![1u32, 2, 3, 4, 30, 52, 80]), suffix)
        .prop_map(|(street, town, region, postcode, number, suffix)| House {
            street,
            town,
            region,
            postcode,
            number,
            suffix,
        })
}

fn without_score(outcome: Outcome) -> Option<Candidate> {
    match outcome {
        Outcome::Matched(m) => Some(Candidate { raw: 0.0, ..m.best }),
        Outcome::SetAside { .. } => None,
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn the_short_way_leads_where_the_long_one_does(
        country in 0usize..4,
        houses in prop::collection::vec(house(), 1..14),
        places in prop::collection::vec((0usize..4, 0usize..2, 0usize..3, 0usize..4), 0..4),
    ) {
        let (code, streets, regions) = NAMES[country];
        let mut b = Builder::new(grammar::of_country(code).unwrap());
        let postcode = |i: usize| if code == "NL" { format!("100{i} AB") } else { format!("6780{i}") };
        for (town, region, postcode_of, kind) in &places {
            let kind = [PlaceKind::Locality, PlaceKind::Neighbourhood, PlaceKind::District, PlaceKind::Landmark][*kind];
            let (lon, lat) = (8.0 + *town as f64, 50.0);
            let place = PlaceEntry {
                name: TOWNS[*town].into(),
                kind,
                region: regions[*region].into(),
                parent: TOWNS[(*town + 1) % 4].into(),
                locality: TOWNS[(*town + 2) % 4].into(),
                lon,
                lat,
                ..Default::default()
            };
            b.add(&Entry::Place(place)).unwrap();
            let code = PostcodeEntry {
                postcode: postcode(*postcode_of),
                locality: TOWNS[*town].into(),
                lon,
                lat,
                ..Default::default()
            };
            b.add(&Entry::Postcode(code)).unwrap();
        }
        let text = |h: &House| [
            format!("{}{}{}", h.number, if h.suffix.contains('/') { " " } else { "" }, h.suffix),
            streets[h.street % streets.len()].to_string(),
            TOWNS[h.town].to_string(),
            regions[h.region].to_string(),
            postcode(h.postcode),
        ];
        for (i, h) in houses.iter().enumerate() {
            let [number, street, locality, region, postcode] = text(h);
            let (lon, lat) = (8.0 + h.town as f64 + 0.001 * i as f64, 50.0 + 0.01 * h.street as f64);
            let point = PointEntry { number, street, locality, region, postcode, lon, lat, ..Default::default() };
            b.add(&Entry::Point(point)).unwrap();
        }
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r");
        b.write(&path).unwrap();
        let reference = Reference::open(&path).unwrap();
        let short = Matcher::new(&reference, MatchOptions { others: 0, ..Default::default() });
        // Candidates are not known without a search.
        let long = Matcher::new(&reference, MatchOptions { others: 1, ..Default::default() });
        for h in &houses {
            let [number, street, locality, region, postcode] = text(h);
            let columns = AddressInput {
                number: &number,
                street: &street,
                locality: &locality,
                region: &region,
                postcode: &postcode,
                ..Default::default()
            };
            let mut rows: Vec<String> = vec![format!("{number} {street}, {locality}, {region} {postcode}")];
            rows.push(format!("{street} {number}, {postcode} {locality}, {region}"));
            // As the reference itself writes it.
            if let Some(c) = without_score(long.find(&columns)) {
                rows.push(c.address.to_uppercase().replace(',', ""));
                rows.push(c.address);
            }
            let all = rows.iter().map(|whole| AddressInput { whole, ..Default::default() }).chain([columns]);
            for input in all {
                prop_assert_eq!(without_score(short.find(&input)), without_score(long.find(&input)), "{:?}", input);
            }
        }
    }
}
