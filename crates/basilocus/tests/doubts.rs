//! Every doubt on a file that raises it, with what it says; and on the nearest file that should raise none.

use basilocus::addresses::reference::{BuildPlan, build};
use basilocus::coordinates::fit::{FitPlan, fit_to_file};
use basilocus::doubts::DOUBTS;
use basilocus::geodesy::crs::Catalogue;
use basilocus::geodesy::operation::Operation;
use basilocus::plan::{Flags, LayerPlan, OperationPlan, OutputPlan, Plan};
use basilocus::steps::{Positions, To, Values};
use basilocus::{Cancel, DoubtReport, Layer, Report, RunOptions, look, run};
use std::collections::BTreeSet;
use std::path::PathBuf;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn write(&self, name: &str, bytes: impl AsRef<[u8]>) -> PathBuf {
        let path = self.0.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        path
    }

    fn layer(&self, table: &str, from: &str) -> Layer {
        Layer::open(self.write("in.csv", table)).unwrap().positions(Positions::in_system(from).unwrap())
    }

    /// The doubts of a run of a layer to a table.
    fn run(&self, layer: Layer) -> Vec<DoubtReport> {
        let out = self.0.path().join("out.csv");
        let _ = std::fs::remove_file(&out);
        let _ = std::fs::remove_file(self.0.path().join("out.set-aside.csv"));
        layer.write(&out).unwrap().run().unwrap().doubts
    }

    /// The doubts of bringing a table of a system to another one.
    fn converted(&self, table: &str, from: &str, to: &str) -> Vec<DoubtReport> {
        self.run(self.layer(table, from).to(to).unwrap())
    }

    fn looked_at(&self, name: &str, bytes: impl AsRef<[u8]>) -> Vec<DoubtReport> {
        look(&LayerPlan::new(self.write(name, bytes)), 3, &Cancel::default(), &()).unwrap().doubts
    }
}

/// The way between two systems of the catalogue.
fn way(from: u32, to: u32) -> Operation {
    let catalogue = Catalogue::embedded();
    Operation::between(&catalogue.get(from).unwrap(), &catalogue.get(to).unwrap(), None).unwrap()
}

fn ids(doubts: &[DoubtReport]) -> Vec<&str> {
    doubts.iter().map(|d| d.id.as_str()).collect()
}

/// The one doubt that there is.
#[track_caller]
fn only<'a>(doubts: &'a [DoubtReport], id: &str) -> &'a DoubtReport {
    assert_eq!(ids(doubts), [id], "{doubts:?}");
    &doubts[0]
}

fn table(header: &str, rows: impl IntoIterator<Item = String>) -> String {
    let rows: Vec<String> = rows.into_iter().collect();
    format!("{header}\n{}\n", rows.join("\n"))
}

/// Places of a Dutch province, longitude and latitude.
fn friesland(n: u32) -> impl Iterator<Item = (f64, f64)> {
    (0..n).map(|i| (5.40113 + f64::from(i * 7 % 40) * 0.01737, 52.90117 + f64::from(i * 11 % 40) * 0.01191))
}

#[test]
fn swapped_axes() {
    let f = Folder::new();
    let swapped = table("lon,lat", friesland(20).map(|(x, y)| format!("{y},{x}")));
    let doubts = f.converted(&swapped, "EPSG:4326", "EPSG:28992");
    let doubt = only(&doubts, "swapped-axes");
    assert_eq!((doubt.rows, doubt.column.as_deref()), (20, Some("lon, lat")));
    assert!(doubt.message.starts_with("longitude and latitude look swapped: 20 of 20"), "{}", doubt.message);
    assert!(doubt.mend.contains("`x` and `y`"));
    let right = table("lon,lat", friesland(20).map(|(x, y)| format!("{x},{y}")));
    assert!(f.converted(&right, "EPSG:4326", "EPSG:28992").is_empty());
    // One swapped row among many is found too.
    let one = right.clone() + "53.1,5.8\n";
    let doubts = f.converted(&one, "EPSG:4326", "EPSG:28992");
    assert_eq!(only(&doubts, "swapped-axes").rows, 1);
    // Rows whose latitude is none are set aside, and explained all the same.
    let beyond = f.converted("lon,lat\n46.2,-123.8123\n46.1456,-123.7\n", "EPSG:4326", "EPSG:2269");
    assert_eq!(ids(&beyond), ["swapped-axes", "empty-result"], "{beyond:?}");
    // Eastings and northings, in their own system's area of use.
    let metres = "x,y\n5116000.5,438000.5\n5116100.5,438900.5\n";
    let doubts = f.converted(metres, "EPSG:26910", "EPSG:4269");
    assert!(
        only(&doubts, "swapped-axes").message.starts_with("easting and northing look swapped: 2 of 2"),
        "{doubts:?}"
    );
}

impl Folder {
    /// The doubts of bringing a table of a system to another one, of which it is said where it should be.
    fn expected(&self, table: &str, [from, to]: [&str; 2], place: &str) -> Vec<DoubtReport> {
        self.run(self.layer(table, from).expect(place).to(to).unwrap())
    }
}

/// A table of places of the Tern Estuary in a system, after something was done to the numbers.
fn estuary(code: u32, change: impl Fn([f64; 2]) -> [f64; 2]) -> String {
    let catalogue = basilocus::geodesy::crs::Catalogue::embedded();
    let [degrees, system] = [4326, code].map(|code| catalogue.get(code).unwrap());
    let way = basilocus::geodesy::operation::Operation::between(&degrees, &system, None).unwrap();
    let places = (0..30)
        .map(|i| (-123.951_37 + f64::from(i * 7 % 30) * 0.010_13, 46.101_71 + f64::from(i * 11 % 30) * 0.007_19));
    let rows = places.map(|(lon, lat)| way.apply_one(lon, lat, 0.0).map(|(x, y, _)| change([x, y])).unwrap());
    table("gate,x,y", rows.enumerate().map(|(i, [x, y])| format!("G{i},{x:.6},{y:.6}")))
}

const ESTUARY: &str = "-124,46,-123.5,46.5";

/// A table that raises a doubt alone, or with that of an empty result, where the estuary is expected, and none once it is mended.
#[track_caller]
fn raised(doubt: &str, slipped: (&str, &str), mended: (&str, &str)) -> String {
    let f = Folder::new();
    let found = f.expected(slipped.0, [slipped.1, "EPSG:4269"], ESTUARY);
    let told = found.iter().find(|d| d.id.as_str() == doubt).unwrap_or_else(|| panic!("{found:?}"));
    assert!(found.iter().all(|d| [doubt, "empty-result"].contains(&d.id.as_str())), "{found:?}");
    assert_eq!(told.rows, 30, "{told:?}");
    let again = f.expected(mended.0, [mended.1, "EPSG:4269"], ESTUARY);
    assert!(again.is_empty(), "{again:?}");
    told.message.clone() + "; " + &told.mend
}

#[test]
fn degrees_or_metres() {
    let f = Folder::new();
    // Eastings and northings under headers of degrees: no row is a position, and why is told.
    let metres = estuary(26910, |p| p).replace("gate,x,y", "gate,lon,lat");
    let found = f.expected(&metres, ["EPSG:4326", "EPSG:2269"], ESTUARY);
    assert_eq!(ids(&found), ["degrees-or-metres", "empty-result"], "{found:?}");
    assert!(found[0].message.contains("eastings and northings of NAD83"), "{}", found[0].message);
    // Degrees in columns that were said to be metres are refused before anything is written.
    let degrees = f.layer(&estuary(4326, |p| p), "EPSG:32610").to("EPSG:4326").unwrap();
    let refused = degrees.write(f.0.path().join("no.csv")).unwrap().run().unwrap_err().to_string();
    assert!(refused.contains("look like degrees"), "{refused}");
}

#[test]
fn wrong_foot() {
    let message = raised(
        "wrong-foot",
        (&estuary(32610, |p| p.map(|v| v / 0.3048)), "EPSG:32610"),
        (&estuary(32610, |p| p), "EPSG:32610"),
    );
    assert!(message.contains("look like feet (international or US survey), and were read as metres"), "{message}");
}

#[test]
fn wrong_zone() {
    let right = estuary(32610, |p| p);
    let message = raised("wrong-zone", (&right, "EPSG:32611"), (&right, "EPSG:32610"));
    assert!(
        message.contains("WGS 84 / UTM zone 10N (EPSG:32610)") && message.ends_with("say `from` EPSG:32610"),
        "{message}"
    );
    let south = raised("wrong-zone", (&right, "EPSG:32710"), (&right, "EPSG:32610"));
    assert!(south.contains("EPSG:32610"), "{south}");
}

#[test]
fn lost_digits() {
    let right = estuary(32610, |p| p);
    let cut = estuary(32610, |[x, y]| [x, y - 5e6]);
    let message = raised("lost-digits", (&cut, "EPSG:32610"), (&right, "EPSG:32610"));
    assert!(message.contains("a leading digit 5 seems to be cut off the northings"), "{message}");
}

#[test]
fn wrong_system() {
    // Longitudes from Ferro.
    let ferro = estuary(4326, |[x, y]| [x + 17.666_666_666_667, y]);
    let message = raised("wrong-system", (&ferro, "EPSG:4326"), (&estuary(4326, |p| p), "EPSG:4326"));
    assert!(message.contains("counted from Ferro"), "{message}");
    let state = estuary(2269, |p| p);
    let message = raised("wrong-system", (&state, "EPSG:2285"), (&state, "EPSG:2269"));
    assert!(message.contains("Oregon North"), "{message}");
}

#[test]
fn same_column() {
    let f = Folder::new();
    let twice = table("gate,x,y", (0..20).map(|i| format!("G{i},{0},{0}", 45.0 + f64::from(i * 7 % 20) * 0.0123)));
    let doubts = f.converted(&twice, "EPSG:4326", "EPSG:3857");
    assert!(only(&doubts, "same-column").message.contains("one column stands for both"));
    let counted = table("lon,lat", (0..20).map(|i| format!("{},{:.5}", i + 1, 45.0 + f64::from(i * 7 % 20) * 0.0123)));
    let doubts = f.converted(&counted, "EPSG:4326", "EPSG:3857");
    assert!(only(&doubts, "same-column").message.starts_with("x counts the rows"), "{doubts:?}");
    assert!(f.converted(&estuary(4326, |p| p), "EPSG:4326", "EPSG:3857").is_empty());
}

#[test]
fn fallback_point() {
    let f = Folder::new();
    let middle: String = (0..12).map(|i| format!("M{i},-123.75,46.21\n")).collect();
    let doubts = f.converted(&(estuary(4326, |p| p) + &middle), "EPSG:4326", "EPSG:26910");
    let doubt = only(&doubts, "fallback-point");
    assert!(doubt.rows == 12 && doubt.message.contains("-123.75, 46.21"), "{doubt:?}");
    assert!(f.converted(&estuary(4326, |p| p), "EPSG:4326", "EPSG:26910").is_empty());
}

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
fn missing_sign() {
    let f = Folder::new();
    let unsigned = "lon,lat\n123.8123,46.2\n123.7,46.1456\n123.6,46.1\n";
    let doubts = f.converted(unsigned, "EPSG:4326", "EPSG:2269");
    let doubt = only(&doubts, "missing-sign");
    assert_eq!(doubt.rows, 3);
    assert!(doubt.message.contains("lack their minus sign"), "{}", doubt.message);
    assert!(f.converted(&unsigned.replace("\n123", "\n-123"), "EPSG:4326", "EPSG:2269").is_empty());
    // A few rows among many, where nothing else says where they should be.
    let few = estuary(4326, |p| p) + "A,123.771,46.217\nB,123.812,46.155\n";
    let doubts = f.converted(&few, "EPSG:4326", "EPSG:4979");
    let doubt = only(&doubts, "missing-sign");
    assert!(doubt.rows == 2 && doubt.message.contains("where nearly all others lie"), "{doubt:?}");
    // And one beside them whose axes are exchanged, which is set aside for its latitude.
    let mut found =
        f.converted(&(few.replace("gate,x,y", "gate,lon,lat") + "C,46.155,-123.812\n"), "EPSG:4326", "EPSG:4979");
    found.sort_by_key(|d| d.id.as_str());
    assert_eq!((ids(&found), found[0].rows, found[1].rows), (vec!["missing-sign", "swapped-axes"], 2, 1), "{found:?}");
}

#[test]
fn areas_of_a_map_that_stretches_them() {
    let f = Folder::new();
    // Fields of a hundredth of a degree near 46.2° north, with areas by the sphere of the web's Mercator: 6378137 m · 0.01° wide,
    // and as high as its logarithm says. On the ground they are some 0.859 km².
    let web = |lat: f64| 6_378_137.0 * (lat.to_radians().tan() + 1.0 / lat.to_radians().cos()).ln();
    let field = |i: usize, area: f64| {
        let (w, s) = (-123.8 + 0.02 * i as f64, 46.2);
        let (e, n) = (w + 0.01, s + 0.01);
        format!("F{i},{area:.1},\"POLYGON (({w} {s}, {e} {s}, {e} {n}, {w} {n}, {w} {s}))\"\n")
    };
    let width = 6_378_137.0 * 0.01f64.to_radians();
    let of_web = |i: usize| field(i, width * (web(46.21) - web(46.2)));
    let table =
        |of: &dyn Fn(usize) -> String| format!("name,shape_area,geometry\n{}", (0..5).map(of).collect::<String>());
    let doubts = f.converted(&table(&of_web), "EPSG:4326", "EPSG:32610");
    let doubt = only(&doubts, "wrong-measure");
    assert!(
        doubt.message.contains(
            "\"shape_area\" holds measures of the plane of the web's Mercator, 2.087 times those on the ground"
        ),
        "{}",
        doubt.message
    );
    // Square degrees.
    let doubts = f.converted(&table(&|i| field(i, 0.0)).replace(",0.0,", ",0.0001,"), "EPSG:4326", "EPSG:32610");
    assert!(doubts.is_empty(), "brought to metres, they are no measure of anything that is known: {doubts:?}");
    let doubts = f.converted(&table(&|i| field(i, 0.0)).replace(",0.0,", ",0.0001,"), "EPSG:4326", "EPSG:4269");
    assert!(only(&doubts, "wrong-measure").message.contains("\"shape_area\" holds degrees, not metres"), "{doubts:?}");
    // True ones, and hectares; sent in the web's Mercator they are doubted too.
    let true_m2 = |i: usize| field(i, 858_868.6);
    assert!(f.converted(&table(&true_m2), "EPSG:4326", "EPSG:32610").is_empty());
    assert!(f.converted(&table(&true_m2).replace("858868.6", "85.88686"), "EPSG:4326", "EPSG:32610").is_empty());
    let doubts = f.converted(&table(&true_m2), "EPSG:4326", "EPSG:3857");
    assert!(only(&doubts, "wrong-measure").message.contains("gets 2.09 times what is on the ground"), "{doubts:?}");
}

#[test]
fn empty_point() {
    let f = Folder::new();
    let doubts = f.converted("lon,lat\n-123.8123,46.2\n0,0\n0.0,-0\n", "EPSG:4326", "EPSG:3857");
    let doubt = only(&doubts, "empty-point");
    assert_eq!(doubt.rows, 2, "minus zero is zero");
    // What programs fill empty cells with is a place in a projected system, and is explained by nothing else.
    let rows = "x,y\n438000,5116000\n438500,5116200\n-9999,-9999\n999999,999999\n";
    let doubts = f.converted(rows, "EPSG:32610", "EPSG:4326");
    assert_eq!(ids(&doubts), ["empty-point", "outside-area"], "{doubts:?}");
    assert!(doubts[0].rows == 2 && doubts[0].message.contains("at numbers such as -9999, -9999"), "{doubts:?}");
    // Zero on one axis is a place like any other.
    assert!(f.converted("lon,lat\n0,51.4779\n6.1,0\n", "EPSG:4326", "EPSG:3857").is_empty());
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
fn minutes_as_decimals() {
    let f = Folder::new();
    let slipped = |i: u32| (121 + i % 4, i * 7 % 60, 44 + i % 3, i * 11 % 60);
    let rows = (0..60).map(slipped).map(|(d, m, e, n)| format!("-{d}.{m:02},{e}.{n:02}"));
    let doubts = f.converted(&table("lon,lat", rows), "EPSG:4326", "EPSG:3857");
    assert_eq!(only(&doubts, "minutes-as-decimals").rows, 60);
    // The same places in real decimal degrees.
    let rows = (0..60).map(slipped).map(|(d, m, e, n)| {
        format!("-{:.5},{:.5}", f64::from(d) + f64::from(m) / 60.0, f64::from(e) + f64::from(n) / 60.0)
    });
    assert!(f.converted(&table("lon,lat", rows), "EPSG:4326", "EPSG:3857").is_empty());
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
fn missing_grid() {
    let f = Folder::new();
    let doubts = f.converted("lon,lat\n-123.8123,46.2\n-123.7,46.1456\n", "EPSG:4267", "EPSG:4269");
    let doubt = only(&doubts, "missing-grid");
    assert!(doubt.message.contains("with the grid file") && doubt.mend.contains("`grids`"), "{}", doubt.message);
    assert!(f.converted("lon,lat\n-123.8123,46.2\n", "EPSG:4269", "EPSG:2269").is_empty(), "no datum changes");
}

#[test]
fn mixed_frames() {
    let f = Folder::new();
    // ITRF2014 in degrees, to a frame that is fixed to its plate.
    let flat = |via: &str| {
        let layer = f.layer("lon,lat\n146.8123,-38.2\n146.7,-38.1456\n", "EPSG:9000");
        let plan = basilocus::plan::OperationPlan { via: Some(via.into()), ..Default::default() };
        f.run(layer.by_way_of(plan).to("EPSG:4283").unwrap())
    };
    let doubts = flat("assumed equal");
    let doubt = only(&doubts, "mixed-frames");
    assert!(doubt.message.contains("one moves against the other"), "{}", doubt.message);
    assert!(doubt.mend.contains("`epoch`"));
}

#[test]
fn outside_area() {
    let f = Folder::new();
    let doubts = f.converted("lon,lat\n-123.8123,46.2\n-96.7,40.8123\n-123.7,46.1\n", "EPSG:4326", "EPSG:2269");
    let doubt = only(&doubts, "outside-area");
    assert!(doubt.message.contains("1 of 3 positions is outside the area of use"), "{}", doubt.message);
    // A system of the whole Earth has no outside.
    assert!(f.converted("lon,lat\n-123.8123,46.2\n-96.7,40.8123\n", "EPSG:4326", "EPSG:3857").is_empty());
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
fn lattice() {
    let f = Folder::new();
    let rounded = |digits: usize| table("lon,lat", friesland(40).map(|(x, y)| format!("{x:.digits$},{y:.digits$}")));
    let doubts = f.converted(&rounded(3), "EPSG:4326", "EPSG:28992");
    assert!(only(&doubts, "lattice").message.contains("a lattice of 111 m"), "{doubts:?}");
    assert!(f.converted(&rounded(5), "EPSG:4326", "EPSG:28992").is_empty());
}

#[test]
fn other_ending() {
    let f = Folder::new();
    let geojson = r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"a":1},"geometry":{"type":"Point","coordinates":[-123.81234,46.2]}}]}"#;
    let doubts = f.looked_at("gates.csv", geojson);
    let doubt = only(&doubts, "other-ending");
    assert!(doubt.message.contains("GeoJSON"), "{}", doubt.message);
    assert!(f.looked_at("gates.geojson", geojson).is_empty());
}

#[test]
fn local_drawing() {
    let f = Folder::new();
    let drawing = |x: f64, y: f64| {
        let line = format!("0\nLINE\n8\nlevee\n10\n{x}\n20\n{y}\n11\n{}\n21\n{}\n", x + 640.0, y + 380.0);
        format!("0\nSECTION\n2\nENTITIES\n{line}0\nENDSEC\n0\nEOF\n")
    };
    let doubts = f.looked_at("levee.dxf", drawing(0.0, 0.0));
    let doubt = only(&doubts, "local-drawing");
    assert!(doubt.message.contains("x from 0.0 to 640.0"), "{}", doubt.message);
    assert!(f.looked_at("levee.dxf", drawing(7_366_000.0, 940_000.0)).is_empty());
}

#[test]
fn wrong_measure() {
    use basilocus::lookup::AreaQuestion;
    let corners = ["60 N 5 E", "60 N 5.01 E", "60.01 N 5.01 E"].map(String::from).to_vec();
    let on = |crs: &str| {
        AreaQuestion { what: corners.clone(), on: Some(crs.into()), ..Default::default() }.report().unwrap()
    };
    assert_eq!(ids(&on("EPSG:3857").doubts), ["wrong-measure"]);
    assert!(on("EPSG:32632").doubts.is_empty(), "a zone next door stretches less than a hundredth");
}

/// An ASCII grid of three columns.
fn small_grid(f: &Folder, head: &str, heights: &str) -> std::path::PathBuf {
    f.write("bank.asc", format!("ncols 3\nnrows 3\nxllcorner 438000\nyllcorner 5116000\ncellsize 2\n{head}{heights}\n"))
}

#[test]
fn undeclared_no_data() {
    use basilocus::terrain::{GridReading, VolumePlan, volume};
    let f = Folder::new();
    let heights = "-9999 2 3\n4 5 6\n7 8 9";
    let measured = |grid: std::path::PathBuf, no_data| {
        let reading = GridReading { from: Some("EPSG:32610".into()), no_data, ..Default::default() };
        volume(&VolumePlan { reading, ..VolumePlan::new(grid, 0.0) }, &Cancel::default(), &()).unwrap()
    };
    let doubted = measured(small_grid(&f, "", heights), None);
    assert_eq!(ids(&doubted.doubts), ["undeclared-no-data"]);
    // What the doubt says mends it.
    let mended = measured(small_grid(&f, "", heights), Some(-9999.0));
    assert!(mended.doubts.is_empty() && mended.below_volume_m3 == 0.0 && doubted.below_volume_m3 > 1000.0);
    assert!(measured(small_grid(&f, "nodata_value -9999\n", heights), None).doubts.is_empty());
    assert!(measured(small_grid(&f, "", "-12 2 3\n4 5 6\n7 8 9"), None).doubts.is_empty());
}

#[test]
fn steep_ground() {
    use basilocus::terrain::{GridReading, SlopePlan, slope};
    let f = Folder::new();
    let measured = |heights: &str, unit: &str| {
        let grid = small_grid(&f, "", heights);
        let reading =
            GridReading { from: Some("EPSG:32610".into()), height_unit: Some(unit.into()), ..Default::default() };
        let plan = SlopePlan { reading, overwrite: true, ..SlopePlan::new(grid, f.0.path().join("slope.tif")) };
        slope(&plan, &Cancel::default(), &()).unwrap().doubts
    };
    let centimetres = "100 180 310\n140 220 330\n190 240 300";
    assert_eq!(ids(&measured(centimetres, "metre")), ["steep-ground"]);
    assert!(measured(centimetres, "centimetre").is_empty(), "what the doubt says mends it");
    assert!(measured("1 1.8 3.1\n1.4 2.2 3.3\n1.9 2.4 3", "metre").is_empty());
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
fn beyond_control() {
    let f = Folder::new();
    let pairs = "name,x,y,e,n\nA,0,0,500000.01,5100000\nB,1000,0,500999.99,5100000\nC,0,1000,500000,5101000.01\nD,1000,1000,501000,5100999.99\nE,500,400,500500.01,5100400\n";
    let fit = FitPlan {
        pairs: f.write("pairs.csv", pairs),
        old: vec!["x".into(), "y".into()],
        new: vec!["e".into(), "n".into()],
        to: "EPSG:32610".into(),
        ..Default::default()
    };
    let file = f.0.path().join("local.toml");
    fit_to_file(&fit, &file, false).unwrap();
    let report = |rows: &str| {
        let source = f.write("points.csv", format!("id,x,y\n1,450,520\n2,10,980\n{rows}"));
        let flags = Flags {
            source,
            positions: Some(Positions { x: Some("x".into()), y: Some("y".into()), ..Default::default() }),
            operation: OperationPlan { via: Some(file.display().to_string()), ..Default::default() },
            to: Some(To { systems: vec!["EPSG:32610".into()], ..Default::default() }),
            ..Default::default()
        };
        let plan = Plan {
            layers: vec![flags.layer()],
            outputs: vec![OutputPlan::new(f.0.path().join("out.csv"))],
            ..Default::default()
        };
        run(&plan, &RunOptions { overwrite: true, ..Default::default() }).unwrap()
    };
    let near = report("3,1200,500\n");
    assert!(near.doubts.is_empty(), "{:?}", near.doubts);
    let far = report("3,900000,500\n");
    let message = &only(&far.doubts, "beyond-control").message;
    assert!(
        message.starts_with("1 position is far from the 5 control pairs of \"pairs\", up to 899000 units"),
        "{message}"
    );
    // The error grows with the distance: it is no longer that of the pairs.
    let accuracy = |r: &Report| r.layers[0].operations[0].accuracy_m.unwrap();
    assert!(
        accuracy(&near) < 0.05 && accuracy(&far) > 100.0 * accuracy(&near),
        "{} {}",
        accuracy(&near),
        accuracy(&far)
    );
    assert!(far.layers[0].operations[0].notes.iter().any(|n| n.contains("at the farthest position")));
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
fn other_position() {
    let f = Folder::new();
    let table = |gps: &dyn Fn(f64, f64) -> [f64; 2]| {
        let row = |i: i32| {
            let (lon, lat) = (-123.8123 + 0.01 * f64::from(i), 46.2041 + 0.007 * f64::from(i));
            let [x, y] = gps(lon, lat);
            format!("G{i},{lon:.5},{lat:.5},{y:.5},{x:.5}\n")
        };
        format!("gate,lon,lat,gps_lat,gps_lon\n{}", (0..9).map(row).collect::<String>())
    };
    let doubts = |gps: &dyn Fn(f64, f64) -> [f64; 2]| f.converted(&table(gps), "EPSG:4326", "EPSG:3857");
    // 0.001° of longitude are 77 m here.
    let found = doubts(&|x, y| [x + 0.001, y]);
    let doubt = only(&found, "other-position");
    assert!(doubt.rows == 9 && doubt.message.contains("\"gps_lon\" and \"gps_lat\" say another place"), "{found:?}");
    assert!(doubt.message.contains("half of them by more than 77 m"), "{found:?}");
    let found = doubts(&|x, y| [-x, y]);
    assert!(only(&found, "other-position").message.contains("with other signs, or exchanged"), "{found:?}");
    // The same place; where something goes to; no second pair.
    assert!(doubts(&|x, y| [x + 0.00005, y]).is_empty());
    assert!(doubts(&|x, y| [x * 0.9, y * 0.99]).is_empty());
    // Rounded to a hundredth of a degree it is the same place, as far as that says.
    let rounded =
        "gate,lon,lat,gps_lat,gps_lon\nA,-123.81234,46.20412,46.20,-123.81\nB,-123.72345,46.11234,46.11,-123.72\n";
    assert!(f.converted(rounded, "EPSG:4326", "EPSG:3857").is_empty());
    assert!(
        f.converted(&table(&|x, y| [x + 0.001, y]).replace("gps_lat", "plate"), "EPSG:4326", "EPSG:3857").is_empty()
    );
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
fn a_second_pair_in_a_projected_system() {
    let f = Folder::new();
    // UTM zone 10 of the same places, by a system of its own; 120 m to the east of them; and in the wrong datum's system.
    let table = |code: u32, east: f64| {
        let way = way(4326, code);
        let row = |i: i32| {
            let (lon, lat) = (-123.8123 + 0.013 * f64::from(i), 46.2041 + 0.007 * f64::from(i * i % 5));
            let (x, y, _) = way.apply_one(lon, lat, 0.0).unwrap();
            format!("G{i},{lon:.6},{lat:.6},{:.1},{y:.1}", x + east)
        };
        table("gate,lon,lat,utm_easting,utm_northing", (0..9).map(row))
    };
    let doubts = |text: &str| f.converted(text, "EPSG:4326", "EPSG:3857");
    assert!(doubts(&table(32610, 0.0)).is_empty(), "the same place");
    let found = doubts(&table(32610, 120.0));
    let doubt = only(&found, "other-position");
    assert!(doubt.message.contains("half of them by more than 1") && doubt.rows == 9, "{found:?}");
    assert_eq!(doubt.column.as_deref(), Some("utm_easting, utm_northing"));
    // Pixels, and where something goes to.
    let pixels = "gate,lon,lat,x,y\nA,-123.8,46.2,1024.5,1730.2\nB,-123.9,46.1,2210.5,1822.7\n";
    assert!(doubts(pixels).is_empty());
    assert!(doubts(&table(32610, 30_000.0)).is_empty());
    // Rounded to a hundred metres it is the same place, as far as that says.
    let rounded = "gate,lon,lat,x,y\nA,-123.800012,46.200034,438300,5116600\nB,-123.900012,46.100034,430400,5105600\n";
    assert!(doubts(rounded).is_empty(), "{:?}", doubts(rounded));
}

#[test]
fn feet_of_the_other_kind_by_known_points_in_the_table() {
    let f = Folder::new();
    // US survey feet of Washington South, and the same numbers as international feet by a system of one's own.
    let way = way(4326, 2286);
    let row = |i: i32| {
        let (lon, lat) = (-123.8123 + 0.03 * f64::from(i), 46.2841 + 0.02 * f64::from(i * i % 5));
        let (x, y, _) = way.apply_one(lon, lat, 0.0).unwrap();
        format!("G{i},{x:.2},{y:.2},{lon:.8},{lat:.8}")
    };
    let rows = table("gate,easting,northing,gps_lon,gps_lat", (0..9).map(row));
    assert!(f.converted(&rows, "EPSG:2286", "EPSG:3857").is_empty(), "said as they are");
    // Oregon's system has international feet: numbers in US survey feet of it are some metres beside.
    let way = self::way(4326, 2269);
    let row = |i: i32| {
        let (lon, lat) = (-123.8123 + 0.03 * f64::from(i), 45.2841 + 0.02 * f64::from(i * i % 5));
        let (x, y, _) = way.apply_one(lon, lat, 0.0).unwrap();
        let survey = 0.3048 / (1200.0 / 3937.0);
        format!("G{i},{:.2},{:.2},{lon:.8},{lat:.8}", x * survey, y * survey)
    };
    let rows = table("gate,easting,northing,gps_lon,gps_lat", (0..9).map(row));
    let found = f.converted(&rows, "EPSG:2269", "EPSG:3857");
    assert!(only(&found, "other-position").message.contains("US survey feet"), "{found:?}");
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
    // A row that is set aside has its number all the same; rows that were left out on purpose are not lost.
    let whole = text(&|_| true);
    let aside = whole.replace("\n30,-123", "\n30,x-123");
    assert!(f.converted(&aside, "EPSG:4326", "EPSG:3857").is_empty());
    let chosen = f.layer(&whole, "EPSG:4326").then(Values(vec!["nr!=30".into()]));
    assert!(f.run(chosen).is_empty());
}

#[test]
fn height_unit() {
    let f = Folder::new();
    let table = |name: &str| format!("gate,lon,lat,{name}\nA,-123.8123,46.2,12.5\nB,-123.7234,46.1,40.2\n");
    let written = |name: &str, from: &str, out: &str| {
        let positions = Positions { z: Some(name.into()), ..Positions::in_system(from).unwrap() };
        let out = f.0.path().join(out);
        let layer = Layer::open(f.write("in.csv", table(name))).unwrap().positions(positions);
        let options = RunOptions { overwrite: true, ..Default::default() };
        layer.write(&out).unwrap().run_with(&options).unwrap().doubts
    };
    let found = written("elev_ft", "EPSG:4326+5773", "out.csv");
    assert!(only(&found, "height-unit").message.contains("are feet by its name, and are taken as metres"), "{found:?}");
    let found = written("elev_ft", "EPSG:4326", "out.kml");
    assert!(only(&found, "height-unit").message.contains("the format of the output"), "{found:?}");
    assert!(written("elev_ft", "EPSG:4326", "out.gpkg").is_empty(), "nobody says what they are");
    assert!(written("elev_m", "EPSG:4326+5773", "out.kml").is_empty());
    let found = written("elev_m", "EPSG:4326+6360", "out.csv");
    assert!(only(&found, "height-unit").message.contains("are metres by its name"), "{found:?}");
}

#[test]
fn other_town() {
    let f = Folder::new();
    let towns =
        [("Ternport", "97981", -123.81, 46.19), ("Harlow", "97985", -123.15, 45.62), ("Ash", "97988", -122.4, 45.1)];
    let points = towns.iter().flat_map(|(town, code, lon, lat)| {
        (1..=20).map(move |n| {
            format!(
                "{n},Heron Ln,{town},OR,{code},{:.5},{:.5}",
                lon + 0.001 * f64::from(n),
                lat + 0.0007 * f64::from(n)
            )
        })
    });
    let source = f.write("points.csv", table("number,street,locality,region,postcode,lon,lat", points));
    let reference = f.0.path().join("towns.reference");
    let plan = BuildPlan { sources: vec![source], output: reference.clone(), ..Default::default() };
    build(&plan, &Cancel::default(), &()).unwrap();
    let rows = |change: &dyn Fn(usize, f64, f64) -> (f64, f64)| {
        let row = |i: usize| {
            let (town, code, lon, lat) = towns[i % 3];
            let (lon, lat) = change(i, lon + 0.002 * i as f64, lat + 0.0013 * i as f64);
            format!("G{i},{town},{code},{lon:.5},{lat:.5}")
        };
        table("gate,town,postcode,lon,lat", (0..30).map(row))
    };
    let doubts = |text: &str| {
        let mut layer = f.layer(text, "EPSG:4326").to("EPSG:3857").unwrap();
        layer = layer.expect(reference.to_str().unwrap());
        f.run(layer)
    };
    assert!(doubts(&rows(&|_, x, y| (x, y))).is_empty());
    // Two rows stand with the place of another town, all inside of the reference.
    let found = doubts(&rows(&|i, x, y| if i == 3 || i == 9 { (-122.39, 45.11) } else { (x, y) }));
    let doubt = only(&found, "other-town");
    assert!(
        doubt.rows == 2
            && doubt.message.contains("2 of 30 positions are far")
            && doubt.message.contains("row 5 from \"Ternport\""),
        "{found:?}"
    );
    // A sign that was lost is told with why.
    let found = doubts(&rows(&|i, x, y| if i < 5 { (-x, y) } else { (x, y) }));
    assert!(found.iter().any(|d| d.id.as_str() == "other-town" && d.message.contains("minus sign")), "{found:?}");
    // Names that the reference has not are no evidence.
    let foreign = rows(&|_, x, y| (x, y))
        .replace("Ternport,97981", "Elsewhere,")
        .replace("Harlow", "Ternport")
        .replace("97985", "");
    assert!(doubts(&foreign).iter().all(|d| d.rows <= 10), "{foreign}");
}

#[test]
fn layers_of_a_run_that_lie_apart() {
    let f = Folder::new();
    let rows = |lon: f64, sign: f64| {
        table(
            "gate,lon,lat",
            (0..20).map(|i| {
                format!("G{i},{:.5},{:.5}", sign * (lon + 0.0123 * f64::from(i)), 46.2 + 0.0077 * f64::from(i % 7))
            }),
        )
    };
    let plan = |third: &str| {
        let files = [("a.csv", rows(-123.8, 1.0)), ("b.csv", rows(-123.7, 1.0)), ("c.csv", third.to_string())];
        let layers = files
            .map(|(name, text)| LayerPlan::new(f.write(name, text)).with(Positions::in_system("EPSG:4326").unwrap()));
        Plan {
            layers: layers.to_vec(),
            outputs: vec![OutputPlan::new(f.0.path().join("out.gpkg"))],
            ..Default::default()
        }
    };
    let doubts = |third: &str| run(&plan(third), &RunOptions { overwrite: true, ..Default::default() }).unwrap().doubts;
    assert!(doubts(&rows(-123.75, 1.0)).is_empty());
    let found = doubts(&rows(-123.75, -1.0));
    let doubt = only(&found, "missing-sign");
    assert!(doubt.layer == "c" && doubt.message.contains("lie far from \"a\", \"b\" of this run"), "{found:?}");
    assert!(doubts(&rows(10.2, 1.0)).is_empty(), "another country is no slip");
}

#[test]
fn every_doubt_is_tried_here() {
    let source = include_str!("doubts.rs");
    let tried: BTreeSet<String> = DOUBTS.iter().map(|d| format!("fn {}()", d.name.replace('-', "_"))).collect();
    for test in tried {
        assert!(source.contains(&test), "{test} is missing");
    }
}

#[test]
fn a_table_of_all_slips_raises_one_doubt_each() {
    let f = Folder::new();
    // Two rows of zeros, one row far outside, one row twice.
    let mixed = "gate,lon,lat\nA,-123.81234,46.2\nB,0,0\nC,-96.7,40.81234\nA,-123.81234,46.2\n";
    let layer = f.layer(mixed, "EPSG:4326").then(To::system("EPSG:2269").unwrap());
    let doubts = f.run(layer);
    let found: BTreeSet<&str> = ids(&doubts).into_iter().collect();
    assert_eq!(found, BTreeSet::from(["empty-point", "outside-area", "repeated"]));
    assert_eq!(doubts.len(), found.len(), "each is told once");
}
