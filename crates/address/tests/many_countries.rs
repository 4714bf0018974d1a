//! References of many countries: a row is read by its own country's grammar, and its country must agree.

mod common;

use basilocus_address::matching::find_in;
use basilocus_address::reference::{PlaceEntry, PostcodeEntry};
use basilocus_address::{AddressInput, Builder, Entry, Error, MatchOptions, Outcome, Reference};
use common::{house, written};

struct World {
    references: Vec<Reference>,
    _folder: tempfile::TempDir,
}

/// Places as `name|region|country|lon|lat`, and houses as `number|street|locality|region|postcode|country|lon|lat`.
fn world(places: &[&str], houses: &[&str]) -> World {
    let mut b = Builder::of_country("US").unwrap();
    for line in places {
        let [name, region, country, lon, lat] = line.split('|').collect::<Vec<_>>()[..] else { panic!("{line}") };
        let (lon, lat) = (lon.parse().unwrap(), lat.parse().unwrap());
        let place = PlaceEntry { name: name.into(), region: region.into(), lon, lat, ..Default::default() };
        b.add_in(country, &Entry::Place(place)).unwrap();
    }
    for line in houses {
        let [number, street, locality, region, postcode, country, lon, lat] = line.split('|').collect::<Vec<_>>()[..]
        else {
            panic!("{line}")
        };
        let at = (lon.parse().unwrap(), lat.parse().unwrap());
        b.add_in(country, &house([number, street], [locality, region, postcode], at)).unwrap();
    }
    let (_folder, references) = written(&mut b);
    World { references, _folder }
}

impl World {
    fn asked(&self, input: &AddressInput) -> String {
        match find_in(&self.references, &MatchOptions { others: 0, ..Default::default() }, input) {
            Outcome::Matched(m) => {
                let changes =
                    if m.best.changes.is_empty() { String::new() } else { format!(" | {}", m.best.changes.join("; ")) };
                format!("{} {} | {}{changes}", m.best.level.name(), m.best.confidence, m.best.address)
            }
            Outcome::SetAside { reason, .. } => format!("aside: {reason}"),
        }
    }

    fn text(&self, whole: &str) -> String {
        self.asked(&AddressInput { whole, ..Default::default() })
    }
}

fn towns() -> World {
    world(
        &[
            "Parakar|Armavir|AM|44.40|40.16",
            "Armavir|Armavir|ARM|44.04|40.15",
            "Łódź|Łódzkie|Poland|19.46|51.76",
            "Springfield|IL|US|-89.65|39.80",
            "Springfield|Ontario|CA|-80.9|42.8",
            "Armenia|Quindío|CO|-75.68|4.53",
            "Lebanon|OR|US|-122.9|44.5",
            "Beirut|Beirut|LB|35.5|33.9",
            "Αθήνα|Αττική|GR|23.73|37.98",
            "München|Bayern|DE|11.57|48.14",
        ],
        &[],
    )
}

#[test]
fn a_place_is_found_in_its_own_country() {
    let w = towns();
    insta::assert_snapshot!(w.text("Parakar, Armavir, AM"), @"locality 100 | Parakar, Armavir");
    insta::assert_snapshot!(w.text("PARAKAR, ARMAVIR, ARMENIA"), @"locality 100 | Parakar, Armavir");
    insta::assert_snapshot!(w.text("Parakar, Armavir, RO"), @"aside: the address is in Romania (RO), and no reference is of that country");
    insta::assert_snapshot!(w.text("LODZ, LODZKIE, PL"), @"locality 100 | Łódź, Łódzkie");
    insta::assert_snapshot!(w.text("Springfield"), @"aside: two countries have it, 788.0 km apart: Springfield, ON, CA | Springfield, IL, US; say the country, or the region or postcode");
    insta::assert_snapshot!(w.text("Springfield, Canada"), @"locality 100 | Springfield, ON");
    insta::assert_snapshot!(w.text("Springfield, IL"), @"locality 100 | Springfield, IL");
    // A country's name that is a town's, and one that is a town's of another country.
    insta::assert_snapshot!(w.text("Armenia, Quindio, Colombia"), @"locality 100 | Armenia, Quindío");
    insta::assert_snapshot!(w.text("Lebanon, OR"), @"locality 100 | Lebanon, OR");
    insta::assert_snapshot!(w.text("Beirut, Lebanon"), @"locality 100 | Beirut, Beirut");
    insta::assert_snapshot!(w.text("ΑΘΗΝΑ, GR"), @"locality 100 | Αθήνα, Αττική");
    insta::assert_snapshot!(w.text("MUENCHEN, Germany"), @"locality 100 | München, Bayern");
    insta::assert_snapshot!(w.text("Paris, France"), @"aside: the address is in France (FR), and no reference is of that country");
}

#[test]
fn a_column_of_countries_must_agree() {
    let w = towns();
    let of = |locality, country| w.asked(&AddressInput { locality, country, ..Default::default() });
    insta::assert_snapshot!(of("Parakar", "arm"), @"locality 100 | Parakar, Armavir");
    insta::assert_snapshot!(of("Parakar", "RO"), @"aside: the address is in Romania (RO), and no reference is of that country");
    insta::assert_snapshot!(of("Parakar", "Atlantis"), @r#"aside: the country "Atlantis" is not known: a code of ISO 3166 or the name of a country is expected"#);
    insta::assert_snapshot!(of("Parakar", "n/a"), @"locality 100 | Parakar, Armavir");
}

#[test]
fn each_row_is_read_by_the_grammar_of_its_country() {
    let w = world(
        &["Ternport|OR|US|-123.8|46.2", "Reihershausen|Hessen|DE|8.5|50.1", "Dobrograd|Wielkopolska|PL|17.0|52.0"],
        &[
            "12|Heron Ln|Ternport|OR|97981|US|-123.8|46.2",
            "12|Hauptstraße|Reihershausen|Hessen|60999|DE|8.5|50.1",
            "12|ulica Czapli|Dobrograd|Wielkopolska|60-999|PL|17.0|52.0",
        ],
    );
    insta::assert_snapshot!(w.text("12 Heron Lane, Ternport OR 97981"), @"address point 100 | 12 Heron Ln, Ternport, OR 97981");
    insta::assert_snapshot!(w.text("Hauptstr. 12, 60999 Reihershausen"), @"address point 100 | Hauptstraße 12, 60999 Reihershausen, Hessen");
    insta::assert_snapshot!(w.text("ulica Czapli 12, 60-999 Dobrograd, Polska"), @"address point 100 | ulica Czapli 12, 60-999 Dobrograd, Wielkopolska");
    insta::assert_snapshot!(w.text("12 Heron Ln, Ternport, OR, Germany"), @r#"aside: locality "12 Heron Ln" is not in the reference"#);
}

#[test]
fn a_file_of_many_countries_is_not_one() {
    let w = towns();
    let path = w.references[0].path().to_path_buf();
    assert!(matches!(Reference::open(&path), Err(Error::SeveralCountries { countries: 8, .. })));
    for r in &w.references {
        r.verify().unwrap();
    }
    let mut b = Builder::of_country("US").unwrap();
    let code = Entry::Postcode(PostcodeEntry { postcode: "1".into(), ..Default::default() });
    assert!(b.add_in("Atlantis", &code).unwrap_err().to_string().contains("ISO 3166"));
}

/// References of one country, whatever their number and order: two that place an address equally surely and far apart place
/// nothing, though a third one agrees with one of them; the surest match of all counts, whichever comes first.
#[test]
fn several_references_of_a_country_agree_or_place_nothing() {
    let at = |lon: &str| {
        let town = format!("Ternport|OR|US|{lon}|46.2");
        world(&[&town], &[&format!("12|Heron Ln|Ternport|OR|97981|US|{lon}|46.2")])
    };
    let (here, again, there) = (at("-123.8"), at("-123.8001"), at("-123.7"));
    // The town without the house.
    let town = world(&["Ternport|OR|US|-123.8|46.2"], &["1|Gull St|Ternport|OR|97981|US|-123.8|46.2"]);
    let find = |worlds: &[&World], whole: &str| {
        let references: Vec<Reference> =
            worlds.iter().flat_map(|w| Reference::open_all(w.references[0].path()).unwrap()).collect();
        find_in(&references, &MatchOptions::default(), &AddressInput { whole, ..Default::default() })
    };
    let text = "12 Heron Ln, Ternport, OR 97981";
    for order in [[&here, &there, &again], [&here, &again, &there], [&there, &here, &again], [&again, &there, &here]] {
        let Outcome::SetAside { class, reason, candidates } = find(&order, text) else { panic!("one was taken") };
        assert_eq!(class.name(), "several equal candidates");
        assert!(
            reason.starts_with("two references place it 7.7 km apart: 12 Heron Ln, Ternport, OR 97981 | "),
            "{reason}"
        );
        assert!(candidates.len() >= 2);
    }
    for order in
        [vec![&here, &again], vec![&again, &here], vec![&town, &here], vec![&here, &town], vec![&town, &again, &here]]
    {
        let Outcome::Matched(m) = find(&order, text) else { panic!("they agree") };
        assert!((m.best.lon + 123.8).abs() < 1e-3 && m.best.confidence == 100, "{:?}", m.best);
    }
    // What only one has is that one's.
    for order in [[&here, &town], [&town, &here]] {
        let Outcome::Matched(m) = find(&order, "1 Gull St, Ternport, OR 97981") else { panic!("it is there") };
        assert_eq!(m.best.address, "1 Gull St, Ternport, OR 97981");
    }
    assert!(matches!(find(&[&town, &here], "9 Nowhere Rd, Elsewhere, TX"), Outcome::SetAside { .. }));
}
