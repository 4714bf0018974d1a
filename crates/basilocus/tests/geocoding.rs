//! From sources to a reference, from doubts to answers, and the other direction.

use basilocus::address::Level;
use basilocus::addresses::reference::{BuildPlan, SourcesPlan, build};
use basilocus::addresses::review::answers_of;
use basilocus::compare::{ComparePlan, compare};
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::{Geocode, Nearest, Positions};
use basilocus::{Cancel, Report, RunOptions, run};
use rust_xlsxwriter::Workbook;
use std::path::{Path, PathBuf};

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn write(&self, name: &str, text: &str) -> PathBuf {
        let path = self.path(name);
        std::fs::write(&path, text).unwrap();
        path
    }

    fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap()
    }

    /// A reference of two towns with areas, a landmark and a neighbourhood.
    fn reference(&self) -> PathBuf {
        let mut points = String::from("number,street,city,state,zip,lon,lat\n");
        for (town, zip, x) in [("Ternport", "97981-0012", -123.8), ("Graywater", "97990", -123.7)] {
            for n in [12, 14, 18] {
                points.push_str(&format!("{n},Heron Ln,{town},OR,{zip},{},46.2\n", x + f64::from(n) * 1e-4));
            }
        }
        let sources = vec![
            self.write("points.csv", &points),
            self.write(
                "places.csv",
                "name,kind,locality,state,county,lon,lat\nTernport,city,,OR,Tern County,-123.8,46.2\nGraywater,town,,OR,Tern County,-123.7,46.2\nSlack Water,suburb,Ternport,OR,,-123.81,46.2\nTern Mill,mill,Ternport,OR,,-123.82,46.21\n",
            ),
            self.write(
                "districts.geojson",
                r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"district":"West"},"geometry":{"type":"Polygon","coordinates":[[[-123.9,46.1],[-123.75,46.1],[-123.75,46.3],[-123.9,46.3],[-123.9,46.1]]]}}]}"#,
            ),
        ];
        let output = self.path("towns.reference");
        let reading = SourcesPlan { overwrite: true, ..Default::default() };
        let plan = BuildPlan { sources, output: output.clone(), reading, ..Default::default() };
        let report = build(&plan, &Cancel::default(), &()).unwrap();
        assert_eq!((report.rows_in, report.rows_out), (11, 11));
        output
    }

    fn geocode(&self, geocode: Geocode) -> Result<Report, String> {
        let layer = LayerPlan::new(self.path("owners.csv")).with(geocode);
        let plan = Plan {
            date: Some("2026-11-25".into()),
            layers: vec![layer],
            outputs: vec![OutputPlan::new(self.path("out.csv"))],
            ..Default::default()
        };
        run(&plan, &RunOptions { overwrite: true, ..Default::default() }).map_err(|e| e.to_string())
    }
}

/// A workbook with the sheets of another, the answers filled in.
fn answered(review: &Path, to: &Path, answers: &[&str]) {
    use basilocus::formats::{InputOptions, open};
    let mut book = Workbook::new();
    for name in ["review", "candidates"] {
        let sheet = book.add_worksheet();
        sheet.set_name(name).unwrap();
        let options = InputOptions { sheet: Some(name.into()), header_row: Some(1), ..Default::default() };
        let mut reader = open(review, &options).unwrap();
        let names: Vec<String> = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
        for (c, header) in names.iter().enumerate() {
            sheet.write_string(0, c as u16, header).unwrap();
        }
        let decoder = reader.decoder();
        let mut row = 0u32;
        reader
            .read(&mut |block| {
                let batch = decoder.decode(block).unwrap().batch;
                for r in 0..batch.len() {
                    row += 1;
                    for (c, text) in batch.row_texts(r).iter().enumerate() {
                        sheet.write_string(row, c as u16, text).unwrap();
                    }
                    if name == "review"
                        && let Some(answer) = answers.get(row as usize - 1)
                    {
                        let at = names.iter().position(|n| n == "answer").unwrap();
                        sheet.write_string(row, at as u16, *answer).unwrap();
                    }
                }
                true
            })
            .unwrap();
    }
    book.save(to).unwrap();
}

const OWNERS: &str = "who,address\nA,\"12 Heron Ln, Ternport, OR 97981\"\nB,14 Heron Ln\nC,\"5 Nowhere Rd, Atlantis\"\nD,\"18 Herron Lane, Greywater\"\nE,14 Heron Ln\nF,\"7 Lost St, Lemuria\"\nG,\n";

#[test]
fn doubts_go_to_a_sheet_and_answers_come_back() {
    let f = Folder::new();
    let reference = vec![f.reference()];
    f.write("owners.csv", OWNERS);
    let plain = Geocode { reference, extras: vec!["district".into(), "extension".into()], ..Default::default() };
    let first = f.geocode(Geocode { review: Some(f.path("review.xlsx")), ..plain.clone() }).unwrap();
    assert_eq!((first.rows_in, first.rows_out), (7, 2));
    assert!(
        first.notices.iter().any(|t| t.starts_with("4 rows with 3 different addresses are in doubt")),
        "{:?}",
        first.notices
    );
    let out = f.read("out.csv");
    assert!(out.contains("A,\"12 Heron Ln, Ternport, OR 97981\",-123.7988000,46.2000000,address point,"), "{out}");
    assert!(out.contains(",West,0012"), "an area's attribute and the extension: {out}");

    // A choice, a coordinate, none; and the row without an address cannot be asked for.
    answered(&f.path("review.xlsx"), &f.path("review-done.xlsx"), &["2", "46 12.0 N 123 45.0 W", "none"]);
    std::fs::rename(f.path("review-done.xlsx"), f.path("review.xlsx")).unwrap();
    let second = f.geocode(Geocode { answers: Some(f.path("review.xlsx")), ..plain.clone() }).unwrap();
    assert_eq!((second.rows_in, second.rows_out), (7, 5));
    assert!(second.notices.iter().any(|t| t.contains("none was matched again")), "{:?}", second.notices);
    assert_eq!(second.set_aside["answered: no such place"], 1);
    let out = f.read("out.csv");
    let rows: Vec<&str> = out.lines().collect();
    assert!(rows[2].contains("candidate 2 chosen by a person") && rows[2].starts_with("B,"), "{out}");
    assert!(rows[3].contains("by hand,100") && rows[3].contains("-123.7500000,46.2000000"), "{out}");
    assert!(rows[5].starts_with("E,") && rows[5].contains("candidate 2"), "one answer serves equal addresses: {out}");

    // The next table uses them, where it is told to.
    f.write("owners.csv", "who,address\nZ,14 HERON LN\nY,\"7 Lost St, Lemuria\"\n");
    let store = f.path("review.answers.sqlite");
    let third = f.geocode(Geocode { remember: Some(store.clone()), ..plain.clone() }).unwrap();
    assert_eq!((third.rows_out, third.set_aside["answered: no such place"]), (1, 1));
    assert!(f.read("out.csv").contains("as answered on 2026-11-25; candidate 2"), "{}", f.read("out.csv"));
    let kept = answers_of(&store).unwrap();
    assert_eq!(kept.iter().map(|a| a.answer.as_str()).collect::<Vec<_>>(), ["2", "46 12.0 N 123 45.0 W", "none"]);
    assert_eq!(f.geocode(plain).unwrap().rows_out, 0, "answers are never used unasked");
}

/// A review without a row in doubt comes back as well as any other.
#[test]
fn a_review_may_be_empty() {
    let f = Folder::new();
    let plain = Geocode { reference: vec![f.reference()], ..Default::default() };
    f.write("owners.csv", "who,address\nA,\"12 Heron Ln, Ternport, OR 97981\"\n");
    f.geocode(Geocode { review: Some(f.path("review.xlsx")), ..plain.clone() }).unwrap();
    let again = f.geocode(Geocode { answers: Some(f.path("review.xlsx")), ..plain }).unwrap();
    assert_eq!((again.rows_in, again.rows_out), (1, 1));
    assert!(again.notices.iter().any(|t| t.starts_with("0 answers")), "{:?}", again.notices);
}

#[test]
fn an_answer_that_means_nothing_is_an_error_with_its_row() {
    let f = Folder::new();
    let plain = Geocode { reference: vec![f.reference()], ..Default::default() };
    f.write("owners.csv", OWNERS);
    f.geocode(Geocode { review: Some(f.path("review.xlsx")), ..plain.clone() }).unwrap();
    answered(&f.path("review.xlsx"), &f.path("a.xlsx"), &["9"]);
    let message = f.geocode(Geocode { answers: Some(f.path("a.xlsx")), ..plain.clone() }).unwrap_err();
    assert!(message.contains("row 3") && message.contains("there are 2"), "{message}");
    answered(&f.path("review.xlsx"), &f.path("a.xlsx"), &["somewhere else"]);
    let message = f.geocode(Geocode { answers: Some(f.path("a.xlsx")), ..plain }).unwrap_err();
    assert!(message.contains("as an address it is not found"), "{message}");
}

#[test]
fn options_are_checked_before_a_row_is_read() {
    let f = Folder::new();
    let plain = Geocode { reference: vec![f.reference()], ..Default::default() };
    f.write("owners.csv", OWNERS);
    let refused = |change: &dyn Fn(&mut Geocode)| {
        let mut plan = plain.clone();
        change(&mut plan);
        f.geocode(plan).unwrap_err()
    };
    insta::assert_snapshot!(refused(&|p| p.extras = vec!["metro".into()]), @"`extras` metro: the reference gives postcode, extension, locality, region, parent, district");
    insta::assert_snapshot!(refused(&|p| p.country = Some("FR".into())), @"`country` FR: no reference is of that country; there is US");
    insta::assert_snapshot!(refused(&|p| p.country = Some("Atlantis".into())), @"`country` Atlantis: a code of ISO 3166 or the name of a country is expected");
    insta::assert_snapshot!(refused(&|p| p.within = Some("5,9,6,1".into())), @"`within` 5,9,6,1: WEST,SOUTH,EAST,NORTH in degrees is expected, the south below the north");
    insta::assert_snapshot!(refused(&|p| p.within = Some("no.geojson".into())), @"`within` no.geojson: there is no such file");
    insta::assert_snapshot!(refused(&|p| p.within = Some("Nowhere".into())), @"`within` Nowhere: no reference has a locality, region, district or area of that name");
    for name in ["Ternport", "graywater", "OR", "Oregon", "Tern County", "west"] {
        let mut plan = plain.clone();
        plan.within = Some(name.into());
        assert!(f.geocode(plan).is_ok(), "{name}");
    }
    insta::assert_snapshot!(refused(&|p| p.near = Some("500,1".into())), @"`near` 500,1: LON,LAT in degrees is expected, longitude first");
    insta::assert_snapshot!(refused(&|p| p.near = Some("Atlantis".into())), @"`near` Atlantis: LON,LAT in degrees is expected, or the name of one locality of the reference; if there are several of that name, say the position");
    insta::assert_snapshot!(refused(&|p| { p.finest = Some(Level::Locality); p.coarsest = Some(Level::Street); }), @"`finest` locality is coarser than `coarsest` street: nothing could be placed");
    insta::assert_snapshot!(refused(&|p| { p.coarsest = Some(Level::Postcode); p.then = Some(Level::Street); }), @"`then` street is finer than what the first pass takes already (postcode)");
}

#[test]
fn columns_by_a_mapping() {
    let f = Folder::new();
    let source = f.write(
        "roads.csv",
        "FULL,LF,LT,RF,RT,TOWN_L,TOWN_R,ZL,ZR,SHAPE_TEXT,ODD\nLevee Rd,1,99,2,98,Ternport,Graywater,97981,97990,\"LINESTRING (-123.8 46.2, -123.79 46.2)\",B\n",
    );
    let mapping = f.write(
        "columns.toml",
        "[[source]]\nfile = \"roads.csv\"\nkind = \"street segments\"\n[source.columns]\nstreet = \"FULL\"\nleft_from = \"LF\"\nleft_to = \"LT\"\nright_from = \"RF\"\nright_to = \"RT\"\nleft_locality = \"TOWN_L\"\nright_locality = \"TOWN_R\"\nleft_postcode = \"ZL\"\nright_postcode = \"ZR\"\nleft_parity = \"ODD\"\ngeometry = \"SHAPE_TEXT\"\n",
    );
    let output = f.path("roads.reference");
    let plan = BuildPlan {
        sources: vec![source],
        output: output.clone(),
        reading: SourcesPlan { mapping: Some(mapping.clone()), ..Default::default() },
        ..Default::default()
    };
    let report = build(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!((report.rows_out, report.sources[0].kind.as_str()), (1, "street segments with number ranges"));
    f.write("owners.csv", "address\n\"50 Levee Rd, Ternport\"\n\"50 Levee Rd, Graywater\"\n");
    f.geocode(Geocode { reference: vec![output], ..Default::default() }).unwrap();
    let out = f.read("out.csv");
    assert!(out.contains("\"50 Levee Rd, Ternport, 97981\""), "both parities are on the left: {out}");
    assert!(out.contains("\"50 Levee Rd, Graywater, 97990\""), "{out}");
    let wrong = |text: &str| {
        std::fs::write(&mapping, text).unwrap();
        let mut again = plan.clone();
        again.reading.overwrite = true;
        build(&again, &Cancel::default(), &()).unwrap_err().to_string()
    };
    assert!(
        wrong("[[source]]\nfile = \"roads.csv\"\n[source.columns]\nstret = \"FULL\"\n").contains("stret is nothing")
    );
    assert!(wrong("[[source]]\nfile = \"roads.csv\"\nkind = \"rivers\"\n").contains("rivers"));
    let lost = wrong("[[source]]\nfile = \"road.csv\"\nkind = \"street segments\"\n");
    assert!(lost.contains("it says what road.csv holds, and that is none of the sources"), "{lost}");
    assert!(
        wrong("[[source]]\nfile = \"roads.csv\"\n[source.columns]\nstreet = \"NAME\"\n").contains("no column \"NAME\"")
    );
}

#[test]
fn a_postcode_is_an_area_too() {
    let f = Folder::new();
    let areas = f.write(
        "postcodes.csv",
        "zip,city,state,wkt\n97981,Ternport,OR,\"POLYGON ((-123.9 46.1, -123.7 46.1, -123.7 46.3, -123.9 46.3, -123.9 46.1))\"\n97982,Ternport,OR,\"POLYGON ((0 0, 1 1))\"\n",
    );
    let output = f.path("areas.reference");
    let plan = BuildPlan { sources: vec![areas], output: output.clone(), ..Default::default() };
    let report = build(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!((report.rows_in, report.rows_out), (2, 1), "{report:?}");
    assert!(f.read("areas.set-aside.csv").contains("is not closed"));
    f.write("owners.csv", "address\n97981\n");
    f.geocode(Geocode { reference: vec![output], ..Default::default() }).unwrap();
    assert!(f.read("out.csv").contains("-123.8000000,46.2000000,postcode,100"), "{}", f.read("out.csv"));
}

#[test]
fn the_other_direction() {
    let f = Folder::new();
    let reference = f.reference();
    let gates = f.write("gates.csv", "gate,lon,lat\nnear,-123.7987,46.2001\nfar,-120,40\nlost,-123.8,95\n");
    let nearest = Nearest { reference: vec![reference], most_m: Some(200.0), ..Default::default() };
    let layer = LayerPlan::new(gates).with(Positions::in_system("EPSG:4326").unwrap()).with(nearest);
    let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(f.path("near.csv"))], ..Default::default() };
    let report = run(&plan, &RunOptions::default()).unwrap();
    assert_eq!((report.rows_in, report.rows_out), (3, 2));
    insta::assert_snapshot!(f.read("near.csv"), @r#"
        gate,lon,lat,nearest_address,nearest_level,nearest_distance_m,nearest_side,nearest_lon,nearest_lat,inside_district
        near,-123.7987,46.2001,"12 Heron Ln, Ternport, OR 97981",address point,13.5,,-123.7988000,46.2000000,West
        far,-120,40,,,,,,,
        "#);
}

#[test]
fn two_placings_of_the_same_rows() {
    let f = Folder::new();
    let a =
        f.write("a.csv", "id,lon,lat,level\n1,-123.8,46.2,address point\n2,-123.8,46.3,street\n3,-123.8,46.4,street\n");
    let b = f.write(
        "b.csv",
        "id,lon,lat,level\n2,-123.8,46.301,postcode\n1,-123.8,46.2,address point\n4,-123.8,46.4,street\n",
    );
    let plan = ComparePlan { key: Some("id".into()), outputs: vec![f.path("cmp.csv")], ..ComparePlan::new(a, b) };
    let r = compare(&plan, &Cancel::default()).unwrap();
    assert_eq!((r.pairs, r.only_a_count, r.only_b_count, r.far, r.same), (2, 1, 1, 1, 1));
    assert_eq!(r.worst[0].key, "2");
    // A thousandth of a degree of the meridian at 46.3 degrees: 111.15 m by the series for the length of a degree.
    assert!((r.largest_m - 111.15).abs() < 0.02, "{}", r.largest_m);
    assert!(f.read("cmp.csv").lines().nth(1).unwrap().starts_with("2,111.1"), "{}", f.read("cmp.csv"));
    let twice = f.write("c.csv", "id,lon,lat\n1,0,0\n1,1,1\n");
    let message =
        compare(&ComparePlan { b: twice, outputs: Vec::new(), ..plan.clone() }, &Cancel::default()).unwrap_err();
    assert!(message.to_string().contains("is the key of an earlier row"), "{message}");
    // The same as pictures: two places, one row that stayed and one that went north.
    let drawn = ComparePlan { outputs: vec![f.path("cmp.svg"), f.path("cmp.html")], ..plan.clone() };
    let r = compare(&drawn, &Cancel::default()).unwrap();
    assert_eq!(r.outputs, drawn.outputs);
    let (svg, page) = (f.read("cmp.svg"), f.read("cmp.html"));
    // 11.1 km between both rows are some 650 pixels, 36 of them some 600 m: an arrow of 111 m is drawn five times as long.
    assert!(page.contains("\"name\":\"arrows 5 times as long\""), "{page}");
    assert!(page.contains("\"name\":\"at the same place\"") && page.contains("[\"2\",\"111.1"), "{page}");
    let bars = svg.lines().filter(|l| l.contains("fill=\"#1124e6\" fill-rule") && !l.contains('Q')).count();
    assert!(bars >= 2, "bars of two distances");
    let message = compare(&drawn, &Cancel::default()).unwrap_err().to_string();
    assert!(message.contains("exists already"), "{message}");
    let by_order = compare(&ComparePlan { key: None, outputs: Vec::new(), ..plan }, &Cancel::default()).unwrap();
    assert_eq!(by_order.pairs, 3);
}

#[test]
fn rows_are_paired_by_their_order_whatever_number_they_have() {
    let f = Folder::new();
    // A header makes the first row of the table its second; the layer's first feature is its first.
    let table = f.write("a.csv", "gate,lon,lat\nA,-123.8,46.2\n\nB,there,46.3\nC,-123.6,46.4\n");
    let point = |x: f64, y: f64| {
        format!(r#"{{"type":"Feature","properties":{{}},"geometry":{{"type":"Point","coordinates":[{x},{y}]}}}}"#)
    };
    let layer = |features: &[String]| format!(r#"{{"type":"FeatureCollection","features":[{}]}}"#, features.join(","));
    let [a, b, c] = [point(-123.8, 46.2), point(-123.7, 46.3), point(-123.6, 46.4)];
    let same = f.write("same.geojson", &layer(&[a.clone(), b, c.clone()]));
    let r = compare(&ComparePlan::new(&table, same), &Cancel::default()).unwrap();
    assert_eq!((r.pairs, r.same, r.only_a_count), (2, 2, 0), "{r:?}");
    assert_eq!(r.only_b, ["row 2"]);
    assert_eq!(r.all.iter().map(|p| p.key.as_str()).collect::<Vec<_>>(), ["row 2", "row 5"]);
    assert!(r.interpretation.iter().any(|t| t.contains("by their order")), "{:?}", r.interpretation);
    // A row is gone: which one, the order cannot say.
    let shorter = f.write("shorter.geojson", &layer(&[a, c]));
    let message = compare(&ComparePlan::new(&table, shorter), &Cancel::default()).unwrap_err().to_string();
    assert!(message.contains("3 rows") && message.contains("has 2") && message.contains("`key`"), "{message}");
}

#[test]
fn two_references_that_disagree_place_nothing() {
    let f = Folder::new();
    let reference = |name: &str, lon: f64| {
        let points = format!(
            "number,street,city,state,zip,lon,lat\n12,Heron Ln,Ternport,OR,97981,{lon},46.2\n14,Heron Ln,Ternport,OR,97981,{lon},46.201\n"
        );
        let sources = vec![f.write(&format!("{name}.csv"), &points)];
        let output = f.path(&format!("{name}.reference"));
        let plan = BuildPlan { sources, output: output.clone(), ..Default::default() };
        build(&plan, &Cancel::default(), &()).unwrap();
        output
    };
    let (here, there, beside) =
        (reference("here", -123.8), reference("there", -123.55), reference("beside", -123.8005));
    f.write("owners.csv", "address\n\"12 Heron Ln, Ternport, OR 97981\"\n");
    let placed = |reference: Vec<PathBuf>| f.geocode(Geocode { reference, ..Default::default() }).unwrap();
    for order in [vec![here.clone(), there.clone()], vec![there, here.clone()]] {
        let report = placed(order);
        assert_eq!((report.rows_out, report.set_aside["several equal candidates"]), (0, 1));
        let aside = f.read("out.set-aside.csv");
        // A quarter of a degree of longitude at 46.2°, on a sphere: 111.2 km × cos 46.2° / 4.
        assert!(aside.contains("two references place it 19.2 km apart"), "{aside}");
    }
    // Some forty metres apart are one place.
    assert_eq!(placed(vec![here, beside]).rows_out, 1);
}

#[test]
fn tables_with_headers_of_their_country() {
    let f = Folder::new();
    let points = "Straße;Hausnr.;PLZ;Ort;Länge;Breite\nReiherweg;12;99981;Seeburg;8.5;50.1\nReiherweg;14;99981;Seeburg;8.51;50.1\n";
    // Coordinates are not called so yet: they are said in English.
    let sources = vec![f.write("punkte.csv", &points.replace("Länge;Breite", "lon;lat"))];
    let output = f.path("seeburg.reference");
    let plan = BuildPlan { sources, output: output.clone(), country: Some("DE".into()), ..Default::default() };
    assert_eq!(build(&plan, &Cancel::default(), &()).unwrap().rows_out, 2);
    f.write(
        "owners.csv",
        "Nr.;Eigentümer;Straße;Hausnr.;PLZ;Ort\n1;A;Reiherweg;14;99981;Seeburg\n2;B;Reiherweg;12;99981;Seeburg\n",
    );
    let report = f.geocode(Geocode { reference: vec![output], ..Default::default() }).unwrap();
    assert_eq!(report.layers[0].levels["address point"], 2, "{:?}", report.layers[0].interpretation);
    assert!(f.read("out.csv").lines().nth(1).unwrap().contains("8.51"), "the house, not the running number");
}

#[test]
fn numbers_with_decimals_and_coordinates_among_addresses() {
    let f = Folder::new();
    let reference = vec![f.reference()];
    f.write("owners.csv", "number,street,city,zip\n14.0,Heron Ln,Ternport,97981.0\n14,Heron Ln,Ternport,97981\n");
    assert_eq!(f.geocode(Geocode { reference: reference.clone(), ..Default::default() }).unwrap().rows_out, 2);
    let out = f.read("out.csv");
    let places: Vec<&str> =
        out.lines().skip(1).map(|l| l.split_once("97981").unwrap().1.trim_start_matches(".0")).collect();
    assert_eq!(places[0], places[1], "{out}");
    f.write(
        "owners.csv",
        "address\n\"46.2029625, -123.8035750\"\n46° 12.0' N 123° 48.0' W\n\"46.2, 12.5\"\n\"14 Heron Ln, Ternport\"\n84RW6622+22\n",
    );
    let report = f.geocode(Geocode { reference, ..Default::default() }).unwrap();
    assert_eq!(report.layers[0].levels["coordinate"], 2, "{report:?}");
    assert_eq!((report.rows_out, report.rows_in), (3, 5), "two places are possible, and a code is no address");
    let out = f.read("out.csv");
    assert!(out.contains("-123.8035750,46.2029625,coordinate,100"), "{out}");
    assert!(out.contains("a coordinate in the place of an address"), "{out}");
}

#[test]
fn an_address_that_is_said_is_read_alone() {
    let f = Folder::new();
    let reference = vec![f.reference()];
    // The town column is that of the owner, not that of the gate.
    f.write("owners.csv", "gate,city\n\"14 Heron Ln, Ternport\",Graywater\n");
    let said = Geocode { address: Some("gate".into()), reference: reference.clone(), ..Default::default() };
    let report = f.geocode(said.clone()).unwrap();
    assert!(f.read("out.csv").contains("\"14 Heron Ln, Ternport, OR 97981\""), "{}", f.read("out.csv"));
    let told = &report.layers[0].interpretation;
    assert!(
        told.iter().any(|t| t.contains("not used beside the whole address") && t.contains("locality \"city\"")),
        "{told:?}"
    );
    // Said, the column counts.
    f.geocode(Geocode { locality: Some("city".into()), ..said }).unwrap();
    assert!(f.read("out.csv").contains("Graywater"), "{}", f.read("out.csv"));
}

#[test]
fn unsure_rows_are_reviewed_too_and_answers_are_found_by_what_they_say() {
    let f = Folder::new();
    let reference = vec![f.reference()];
    f.write("owners.csv", "who,address\nA,\"12 Heron Ln, Ternport\"\nB,\"12 Heron Ct, Ternport\"\nC,14 Heron Ln\n");
    let plain = Geocode { reference, ..Default::default() };
    let first =
        f.geocode(Geocode { review: Some(f.path("review.xlsx")), review_below: Some(95), ..plain.clone() }).unwrap();
    assert_eq!(first.rows_out, 2);
    let told = "2 rows with 2 different addresses are in doubt";
    assert!(first.notices.iter().any(|t| t.starts_with(told)), "{:?}", first.notices);
    // Bad answers are told together.
    answered(&f.path("review.xlsx"), &f.path("bad.xlsx"), &["candidate 9", "#7"]);
    let error = f.geocode(Geocode { answers: Some(f.path("bad.xlsx")), ..plain.clone() }).unwrap_err();
    assert!(
        error.contains("row 3: the answer \"candidate 9\"") && error.contains("row 4: the answer \"#7\""),
        "{error}"
    );
    answered(&f.path("review.xlsx"), &f.path("done.xlsx"), &["Candidate 1", "#2"]);
    std::fs::copy(f.path("review.answers.sqlite"), f.path("done.answers.sqlite")).unwrap();
    let remember = Some(f.path("kept.sqlite"));
    let answers = Some(f.path("done.xlsx"));
    let second = f.geocode(Geocode { answers, remember: remember.clone(), ..plain.clone() }).unwrap();
    assert_eq!(second.rows_out, 3);
    assert!(f.read("out.csv").contains("candidate 1 chosen by a person"), "{}", f.read("out.csv"));
    // The next table writes it in another way.
    f.write("owners.csv", "who,address\nC,14 HERON LN.\n");
    let third = f.geocode(Geocode { remember, ..plain }).unwrap();
    assert_eq!(third.rows_out, 1);
    assert!(f.read("out.csv").contains("as answered on 2026-11-25"), "{}", f.read("out.csv"));
}
