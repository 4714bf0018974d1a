//! Doubts about rows, cells and headers.

use super::*;

#[test]
fn lost_rows() {
    let f = Folder::new();
    let of = |rows: u32, note: &str| {
        table("gate,note", (0..rows).map(|i| format!("G{i},{note}{}", char::from(b'a' + (i % 26) as u8))))
    };
    assert!(only(&f.looked_at("in.csv", of(2000, "")), "lost-rows").message.contains("exactly 2000 rows"));
    assert!(f.looked_at("in.csv", of(1999, "")).is_empty());
    let cut = f.looked_at("in.csv", of(30, &"x".repeat(253)));
    let doubt = only(&cut, "lost-rows");
    assert!(doubt.rows == 30 && doubt.message.contains("exactly 254 characters"), "{doubt:?}");
    assert!(
        f.looked_at("in.csv", of(30, &"x".repeat(253)) + &format!("G,{}\n", "x".repeat(300))).is_empty(),
        "some are longer"
    );
}

#[test]
fn shifted_header() {
    let f = Folder::new();
    let doubts = f.looked_at("in.csv", "name,kind,state\n1,North gate,tide gate,OR\n2,South gate,culvert,WA\n");
    // Every row has a field too many, so that none of them can be used as it stands.
    assert_eq!(ids(&doubts), ["shifted-header", "empty-result"]);
    let doubt = &doubts[0];
    assert!(doubt.message.contains("3 names") && doubt.message.contains("4 fields"), "{}", doubt.message);
    let doubts = f.looked_at("in.csv", "id,name\n,\n1,North gate\n2,South gate\n");
    let doubt = only(&doubts, "shifted-header");
    assert!(doubt.message.contains("row 2, below the header, is blank"), "{}", doubt.message);
    assert!(f.looked_at("in.csv", "id,name\n1,North gate\n,\n2,South gate\n").is_empty(), "a blank row further down");
}

#[test]
fn mangled_code() {
    let f = Folder::new();
    let doubts = f.looked_at("in.csv", "town,zip\nA,2134\nB,97103\nC,501\n");
    let doubt = only(&doubts, "mangled-code");
    assert_eq!((doubt.rows, doubt.column.as_deref()), (3, Some("zip")));
    let doubts = f.looked_at("in.csv", "parcel,area\n4.10302E+13,12\n4.10303E+13,15\n");
    assert!(only(&doubts, "mangled-code").message.contains("powers of ten such as 4.10302E+13"), "{doubts:?}");
    let doubts = f.looked_at("in.csv", "house,area\n12-4,12\n12-Mar,15\n9-2,3\n");
    assert!(only(&doubts, "mangled-code").message.contains("days such as 12-Mar"), "{doubts:?}");
    assert!(f.looked_at("in.csv", "parcel,area\n41030200000117,12\n41030300000118,15\n").is_empty());
    // With its zeros, all of one length, or in a country whose codes have four digits, there is nothing to doubt.
    for zips in [["02134", "97103", "00501"], ["97981", "97103", "97501"], ["2134", "3000", "4870"]] {
        let rows = table("town,zip", zips.map(|z| format!("A,{z}")));
        assert!(f.looked_at("in.csv", rows).is_empty(), "{zips:?}");
    }
}

#[test]
fn decimal_comma() {
    let f = Folder::new();
    let doubts = f.converted("x;y\n438277,8;5116580,3\n438300.5;5116600.25\n", "EPSG:32610", "EPSG:4326");
    let doubt = only(&doubts, "decimal-comma");
    assert!(doubt.message.contains("1 row with a comma in its number and 1 with a point"), "{}", doubt.message);
    assert!(f.converted("x;y\n438277,8;5116580,3\n438300;5116600\n", "EPSG:32610", "EPSG:4326").is_empty());
}

#[test]
fn empty_result() {
    let f = Folder::new();
    let plain = "kind,lon,lat\nculvert,-123.8123,46.2\ngate,-123.7,46.1456\n";
    let chosen = |value: &str| f.run(f.layer(plain, "EPSG:4326").then(Values(vec![format!("kind={value}")])));
    let doubts = chosen("culverts");
    assert!(only(&doubts, "empty-result").message.contains("none of the 2 rows was chosen"));
    assert!(chosen("culvert").is_empty());
    let doubts = f.converted("lon,lat\n,\nx,y\n", "EPSG:4326", "EPSG:3857");
    assert!(ids(&doubts).contains(&"empty-result"), "{doubts:?}");
}

#[test]
fn repeated() {
    let f = Folder::new();
    let doubts = f.looked_at("in.csv", "gate,width\nNorth,3\nSouth,4\nNorth,3\n");
    let doubt = only(&doubts, "repeated");
    assert!(doubt.message.contains('2') && doubt.message.contains('4'), "the rows are named: {}", doubt.message);
    assert!(f.looked_at("in.csv", "gate,width\nNorth,3\nSouth,4\nNorth,5\n").is_empty(), "another width");
}

#[test]
fn contradiction() {
    use basilocus::addresses::reference::{BuildPlan, build};
    use basilocus::steps::Geocode;
    let f = Folder::new();
    let places = f.write(
        "places.csv",
        "name,region,kind,lon,lat\nTernport,OR,town,-123.8,46.2\nHeronville,WA,town,-123.9,46.4\n",
    );
    let postcodes = f.write(
        "postcodes.csv",
        "postcode,locality,region,lon,lat\n97981,Ternport,OR,-123.8,46.2\n98611,Heronville,WA,-123.9,46.4\n",
    );
    let points = f.write("points.csv", "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.801,46.2\n7,Mill Rd,Heronville,WA,98611,-123.9,46.4\n");
    let reference = f.0.path().join("r.reference");
    let plan = BuildPlan { sources: vec![places, postcodes, points], output: reference.clone(), ..Default::default() };
    build(&plan, &Cancel::default(), &()).unwrap();
    let geocoded = |address: &str| {
        let layer = Layer::open(f.write("in.csv", format!("who,address\nA,\"{address}\"\n"))).unwrap();
        f.run(layer.then(Geocode { reference: vec![reference.clone()], ..Default::default() }))
    };
    let doubts = geocoded("Ternport, WA 98611");
    assert!(ids(&doubts).contains(&"contradiction"), "{doubts:?}");
    assert!(!ids(&geocoded("12 Heron Ln, Ternport, OR 97981")).contains(&"contradiction"));
}

#[test]
fn unused_column() {
    use basilocus::addresses::reference::{BuildPlan, build};
    use basilocus::steps::Geocode;
    let f = Folder::new();
    let mut points = String::from("number,street,locality,region,postcode,lon,lat\n");
    for (i, town) in ["Ternport", "Heronville", "Graywater"].iter().enumerate() {
        for n in 1..9 {
            points.push_str(&format!("{n},Mill Rd,{town},OR,9798{i},-123.{i},46.2{n}\n"));
        }
    }
    let points = f.write("points.csv", points);
    let reference = f.0.path().join("r.reference");
    let plan = BuildPlan { sources: vec![points], output: reference.clone(), ..Default::default() };
    build(&plan, &Cancel::default(), &()).unwrap();
    let geocoded = |header: &str, change: &dyn Fn(&mut Geocode)| {
        let mut rows = format!("{header}\n");
        for n in 1..9 {
            let town = ["Ternport", "Heronville", "Graywater"][n % 3];
            rows.push_str(&format!("{n} Mill Rd,{town},seen near {town}\n"));
        }
        let layer = Layer::open(f.write("in.csv", rows)).unwrap();
        let mut geocode = Geocode { reference: vec![reference.clone()], ..Default::default() };
        change(&mut geocode);
        f.run(layer.then(geocode))
    };
    let doubts = geocoded("Street,Where,Remark", &|_| {});
    let doubt = doubts.iter().find(|d| d.id.as_str() == "unused-column").expect("towns that nobody reads");
    assert_eq!(doubt.message, "the column \"Where\" as locality would place 8 of the first 8 rows better");
    assert_eq!(doubt.mend, "say the column with `locality`");
    let doubts = geocoded("Street,Where,Remark", &|g| g.locality = Some("Where".into()));
    assert!(!ids(&doubts).contains(&"unused-column"), "{doubts:?}");
    let doubts = geocoded("Street,Town,Remark", &|_| {});
    assert!(!ids(&doubts).contains(&"unused-column"), "{doubts:?}");
    let doubts = geocoded("Street,Where,Remark", &|g| g.address = Some("Street".into()));
    assert!(!ids(&doubts).contains(&"unused-column"), "a whole address that is said is all: {doubts:?}");
}

#[cfg(feature = "workbooks")]
#[test]
fn lost_values() {
    let f = Folder::new();
    let book = |error: bool| {
        let mut book = rust_xlsxwriter::Workbook::new();
        let sheet = book.add_worksheet();
        for (column, name) in ["id", "lon", "lat", "depth"].into_iter().enumerate() {
            sheet.write(0, column as u16, name).unwrap();
        }
        for row in 1..=3u32 {
            for (column, value) in [f64::from(row), -123.8 - f64::from(row), 46.2, 1.5].into_iter().enumerate() {
                sheet.write(row, column as u16, value).unwrap();
            }
        }
        if error {
            let none = rust_xlsxwriter::Formula::new("=NA()").set_result("#N/A");
            sheet.write_formula(1, 3, none).unwrap();
        }
        // A formula whose value is stored is a value.
        sheet.write_formula(3, 3, rust_xlsxwriter::Formula::new("=1+2").set_result("3")).unwrap();
        book.save_to_buffer().unwrap()
    };
    let doubts = f.looked_at("a.xlsx", book(true));
    let message = &only(&doubts, "lost-values").message;
    assert_eq!(message, "1 cell holds an error and no value: D2 (#N/A)");
    assert!(ids(&f.looked_at("a.xlsx", book(false))).is_empty());
}

#[test]
fn hidden_rows() {
    let f = Folder::new();
    let path = f.0.path().join("gates.xlsx");
    let mut book = rust_xlsxwriter::Workbook::new();
    book.add_worksheet().set_name("Old").unwrap().set_hidden(true).write(0, 0, "old").unwrap();
    let sheet = book.add_worksheet().set_name("Gates").unwrap().set_active(true);
    for (row, cells) in
        [["gate", "lon", "lat"], ["A", "-123.8123", "46.2"], ["B", "-123.7234", "46.1"]].iter().enumerate()
    {
        cells.iter().enumerate().for_each(|(c, text)| sheet.write(row as u32, c as u16, *text).map(|_| ()).unwrap());
    }
    sheet.set_row_hidden(2).unwrap();
    book.save(&path).unwrap();
    let report = look(&LayerPlan::new(&path), 3, &Cancel::default(), &()).unwrap();
    assert_eq!((report.rows, ids(&report.doubts)), (2, vec!["hidden-rows"]), "{report:?}");
    assert!(report.doubts[0].message.contains("1 row of the sheet is hidden"), "{report:?}");
    let told = format!("{report:?}");
    assert!(told.contains("sheet \\\"Gates\\\" is read") && told.contains("sheets that are hidden: Old"), "{told}");
    // Shown again, there is no doubt.
    let shown = "gate,lon,lat\nA,-123.8123,46.2\nB,-123.7234,46.1\n";
    assert!(f.looked_at("in.csv", shown).is_empty());
}

#[test]
fn formula() {
    let f = Folder::new();
    let table =
        "gate,remark,lon,lat\nA,=1+1,-123.8123,46.2\nB,\"@SUM(1,2)\",-123.7123,46.1\nC,- closed,-123.6123,46.15\n";
    let doubts = f.converted(table, "EPSG:4326", "EPSG:3857");
    let doubt = only(&doubts, "formula");
    assert!(doubt.rows == 2 && doubt.message.contains("in row 2: =1+1"), "{doubts:?}");
    assert!(f.converted(&table.replace("=1+1", "1").replace("@SUM", "SUM"), "EPSG:4326", "EPSG:3857").is_empty());
    // A workbook keeps them as texts.
    let out = f.0.path().join("out.xlsx");
    let report = f.layer(table, "EPSG:4326").write(&out).unwrap().run().unwrap();
    assert!(report.doubts.is_empty(), "{:?}", report.doubts);
    let back = look(&LayerPlan::new(&out), 3, &Cancel::default(), &()).unwrap();
    assert!(format!("{:?}", back.first_rows).contains("=1+1"), "{back:?}");
}

#[test]
fn lines_of_a_header_inside_the_data() {
    let f = Folder::new();
    let rows = ["A,-123.8123,46.2,1.5", "B,-123.7234,46.1,2.5", "C,-123.6345,46.3,3.5", "D,-123.6045,46.31,4.5"];
    let with = |at: usize, line: &str| {
        let mut rows = rows.map(String::from).to_vec();
        rows.insert(at, line.to_string());
        table("gate,lon,lat,flow", rows)
    };
    for (text, told) in [
        (with(2, "gate,lon,lat,flow"), "1 row of the data is the header once more, the first is row 4"),
        (with(4, "Gate,LON,LAT,Flow"), "the first is row 6"),
        (with(0, ",degrees,degrees,m3/s"), "row 2 has words in \"lon\", \"lat\", \"flow\""),
        (with(0, "Name of gate,Longitude,Latitude,Flow"), "row 2 has words in"),
    ] {
        for found in [f.converted(&text, "EPSG:4326", "EPSG:3857"), f.looked_at("in.csv", &text)] {
            assert!(only(&found, "shifted-header").message.contains(told), "{found:?}");
        }
    }
    for (text, why) in [
        (with(0, "E,,,"), "a row without a position"),
        (with(0, "E,n/a,n/a,-"), "words for no value"),
        (with(0, "E,unknown,46.2,none"), "a number among them"),
        (with(2, "gate,-123.5,46.2,1"), "a gate called gate"),
    ] {
        assert!(f.looked_at("in.csv", &text).is_empty(), "{why}: {:?}", f.looked_at("in.csv", &text));
    }
}

#[test]
fn total_row() {
    let f = Folder::new();
    let rows = "gate,lon,lat,flow\nA,-123.8123,46.2,1.5\nB,-123.7234,46.1,2.5\nC,-123.6345,46.3,3.5\n";
    for last in ["Total,,,7.5\n", "Summe:,,,7.5\n,,,\n", "Moyenne des débits,,,2.5\n"] {
        let text = format!("{rows}{last}");
        for found in [f.converted(&text, "EPSG:4326", "EPSG:3857"), f.looked_at("in.csv", &text)] {
            let doubt = only(&found, "total-row");
            assert!(doubt.message.contains("row 5, at the end"), "{found:?}");
        }
    }
    for last in ["Total,-123.5,46.3,4.5\n", "Totaler Gate,,,4.5\n", "Total,,,\n", ""] {
        assert!(f.looked_at("in.csv", format!("{rows}{last}")).is_empty(), "{last}");
    }
    // A table without positions.
    let amounts = "gate,year,flow\nA,2024,1.5\nB,2025,2.5\nTotal,,4\n";
    assert_eq!(ids(&f.looked_at("in.csv", amounts)), ["total-row"]);
    assert!(f.looked_at("in.csv", amounts.replace("Total,,4", "Sum Creek,2026,4")).is_empty());
}

#[test]
fn numbers_of_rows_that_are_missing() {
    let f = Folder::new();
    let text = |numbers: &dyn Fn(i32) -> bool| {
        let row = |n: i32| format!("{n},{:.5},{:.5}", -123.8 + 0.0123 * f64::from(n), 46.0 + 0.0077 * f64::from(n % 7));
        table("nr,lon,lat", (1..=60).filter(|n| numbers(*n)).map(row))
    };
    let found = f.converted(&text(&|n| !(20..25).contains(&n)), "EPSG:4326", "EPSG:3857");
    let doubt = only(&found, "lost-rows");
    assert!(
        doubt.message.contains("\"nr\" counts the rows up to 60, and 5 of its numbers are missing: 20 to 24"),
        "{found:?}"
    );
    assert_eq!((doubt.rows, doubt.column.as_deref()), (5, Some("nr")));
    assert!(f.converted(&text(&|_| true), "EPSG:4326", "EPSG:3857").is_empty());
    assert!(f.converted(&text(&|n| n > 30), "EPSG:4326", "EPSG:3857").is_empty(), "they may begin anywhere");
    // Houses of a street, and depths, have holes as well.
    let gaps = text(&|n| n != 30);
    assert_eq!(ids(&f.looked_at("in.csv", &gaps)), ["lost-rows"]);
    assert!(f.looked_at("in.csv", gaps.replace("nr,", "depth_m,")).is_empty());
    let houses = (1..=60)
        .filter(|n| *n != 30)
        .map(|n| format!("{n},Heron Ln,Ternport,{:.5},46.2{n:03}", -123.8 + 0.0123 * f64::from(n)));
    assert!(f.looked_at("in.csv", table("number,street,town,lon,lat", houses)).is_empty());
    // A row that is set aside has its number all the same; rows that were left out on purpose are not lost.
    let whole = text(&|_| true);
    let aside = whole.replace("\n30,-123", "\n30,x-123");
    assert!(f.converted(&aside, "EPSG:4326", "EPSG:3857").is_empty());
    let chosen = f.layer(&whole, "EPSG:4326").then(Values(vec!["nr!=30".into()]));
    assert!(f.run(chosen).is_empty());
}
