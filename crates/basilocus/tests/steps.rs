//! Every step by itself, on a small table, through to a text that a person can check.

use basilocus::formats::Format;
use basilocus::steps::{
    Drop, Extent, Inside, Join, Keep, Like, Lines, Measure, Polygons, Positions, Rename, Set, StepPlan, To, Trim,
    Values, Vertices,
};
use basilocus::{ErrorKind, Layer, Report};
use std::path::{Path, PathBuf};

/// A table, steps, and what they make of it in a format.
struct Alone {
    folder: tempfile::TempDir,
    table: &'static str,
}

impl Alone {
    fn of(table: &'static str) -> Self {
        Alone { folder: tempfile::tempdir().unwrap(), table }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn layer(&self, steps: Vec<StepPlan>) -> Layer {
        let layer = Layer::from_reader(self.table.as_bytes(), Format::Delimited).unwrap();
        steps.into_iter().fold(layer, Layer::then)
    }

    fn run(&self, steps: Vec<StepPlan>, output: &str) -> Result<(String, Report), basilocus::Error> {
        let path = self.path(output);
        let report = self.layer(steps).write(&path)?.run()?;
        assert_eq!(
            report.rows_in as usize,
            self.table.lines().count() - 1,
            "every row of the table is in the account: {report:?}"
        );
        Ok((std::fs::read_to_string(&path).unwrap(), report))
    }

    /// The rows as delimited text.
    fn text(&self, steps: Vec<StepPlan>) -> String {
        self.run(steps, "out.csv").unwrap().0.replace("\r\n", "\n")
    }

    fn error(&self, steps: Vec<StepPlan>) -> String {
        let e = self.run(steps, "out.csv").unwrap_err();
        assert!(!self.path("out.csv").exists(), "an error leaves no output");
        assert_ne!(e.kind(), ErrorKind::Defect, "{e}");
        e.to_string()
    }

    /// The rows that were set aside.
    fn aside(&self) -> String {
        std::fs::read_to_string(self.path("out.set-aside.csv")).unwrap()
    }
}

fn wgs84() -> StepPlan {
    Positions::in_system("EPSG:4326").unwrap().into()
}

fn pairs(of: &[(&str, &str)]) -> std::collections::BTreeMap<String, String> {
    of.iter().map(|(a, b)| (a.to_string(), b.to_string())).collect()
}

fn names(of: &[&str]) -> Vec<String> {
    of.iter().map(|s| s.to_string()).collect()
}

const GATES: &str = "gate,kind,lon,lat\n01, tide ,-123.8,46.2\n02,flood,-123.7,46.1\n";

#[test]
fn set_adds_a_column_of_one_value() {
    let t = Alone::of(GATES).text(vec![Set(pairs(&[("state", "OR")])).into()]);
    assert_eq!(t, "gate,kind,lon,lat,state\n01, tide ,-123.8,46.2,OR\n02,flood,-123.7,46.1,OR\n");
}

#[test]
fn set_fills_the_empty_cells_of_a_column_and_no_others() {
    let t = Alone::of("gate,state\n1,WA\n2,\n3, \n").text(vec![Set(pairs(&[("state", "OR")])).into()]);
    assert_eq!(t, "gate,state\n1,WA\n2,OR\n3,OR\n");
}

#[test]
fn rename_changes_the_name_and_nothing_else() {
    let t = Alone::of(GATES).text(vec![Rename(pairs(&[("gate", "id"), ("lat", "breadth")])).into()]);
    assert_eq!(t, "id,kind,lon,breadth\n01, tide ,-123.8,46.2\n02,flood,-123.7,46.1\n");
}

#[test]
fn rename_swaps_two_names() {
    let t = Alone::of(GATES).text(vec![Rename(pairs(&[("lon", "lat"), ("lat", "lon")])).into()]);
    assert_eq!(t.lines().next(), Some("gate,kind,lat,lon"));
}

#[test]
fn rename_refuses_a_name_that_is_taken_or_not_there() {
    let alone = Alone::of(GATES);
    let e = alone.error(vec![Rename(pairs(&[("gate", "kind")])).into()]);
    assert!(e.contains("`rename` gate=kind") && e.contains("already"), "{e}");
    let e = alone.error(vec![Rename(pairs(&[("gat", "id")])).into()]);
    assert!(e.contains("\"gat\"") && e.contains("gate"), "what is there is named: {e}");
}

#[test]
fn trim_takes_blanks_off_both_ends_of_texts() {
    let t = Alone::of("gate,kind\n 01 ,\u{a0}tide gate \n02,\t\n").text(vec![Trim {}.into()]);
    assert_eq!(t, "gate,kind\n01,tide gate\n02,\n");
}

#[test]
fn join_leaves_out_what_is_empty() {
    let join = Join { name: "address".into(), columns: names(&["number", "street"]), separator: " ".into() };
    let t = Alone::of("number,street\n12,Heron Ln\n,Heron Ln\n12,\n").text(vec![join.into()]);
    assert_eq!(t, "number,street,address\n12,Heron Ln,12 Heron Ln\n,Heron Ln,Heron Ln\n12,,12\n");
}

#[test]
fn values_keep_the_rows_that_have_them_and_count_the_others() {
    let alone = Alone::of("gate,kind\n1,tide\n2,flood\n3,\n4,weir\n");
    let (text, report) = alone.run(vec![Values(names(&["kind=tide|weir"])).into()], "out.csv").unwrap();
    assert_eq!(text.replace("\r\n", "\n"), "gate,kind\n1,tide\n4,weir\n");
    let elsewhere: u64 = report.left_out.values().sum::<u64>() + report.set_aside.values().sum::<u64>();
    assert_eq!((report.rows_out, elsewhere), (2, 2), "{report:?}");
}

#[test]
fn drop_and_keep_are_about_the_output() {
    let t = Alone::of(GATES).text(vec![Drop(names(&["kind", "lon"])).into()]);
    assert_eq!(t, "gate,lat\n01,46.2\n02,46.1\n");
    let t = Alone::of(GATES).text(vec![Keep { columns: names(&["lat", "gate"]), ..Default::default() }.into()]);
    assert_eq!(t, "lat,gate\n46.2,01\n46.1,02\n", "in the order that was asked for");
}

#[test]
fn coordinates_are_read_from_columns_that_are_left_out() {
    let t = Alone::of(GATES).run(vec![wgs84(), Drop(names(&["lon", "lat"])).into()], "out.geojson").unwrap().0;
    assert!(t.contains("[-123.8,46.2]") && !t.contains("\"lon\""), "{t}");
}

#[test]
fn drop_names_what_is_there() {
    let e = Alone::of(GATES).error(vec![Drop(names(&["knid"])).into()]);
    assert!(e.contains("\"knid\"") && e.contains("\"kind\""), "{e}");
}

#[test]
fn like_takes_names_and_order_of_a_model() {
    let alone = Alone::of(GATES);
    std::fs::write(alone.path("model.csv"), "lat,gate\n1,x\n").unwrap();
    let (text, report) = alone.run(vec![Like(alone.path("model.csv")).into()], "out.csv").unwrap();
    assert_eq!(text.lines().next(), Some("lat,gate"), "{report:?}");
}

#[test]
fn positions_that_are_none_are_set_aside_with_row_and_value() {
    let alone = Alone::of("gate,lon,lat\nNorth,-123.8,46.2\nLost,-123.8,\nHigh,-123.8,146.2\nOdd,west,46\n");
    let (text, report) = alone.run(vec![wgs84(), To::system("EPSG:32610").unwrap().into()], "out.csv").unwrap();
    assert_eq!((report.rows_out, report.set_aside.values().sum::<u64>()), (1, 3));
    assert!(text.starts_with("gate,lon,lat,easting,northing\n") || text.starts_with("gate,lon,lat,easting,northing\r"));
    let aside = alone.aside();
    for (row, value) in [("3", "Lost"), ("4", "146.2"), ("5", "west")] {
        let line = aside.lines().find(|l| l.starts_with(row)).unwrap_or_else(|| panic!("row {row}: {aside}"));
        assert!(line.contains(value), "{line}");
    }
}

/// Easting on the central meridian of a zone is 500,000 m by the definition of the grid; the equator's northing is zero.
#[test]
fn to_gives_what_the_definition_of_a_grid_says() {
    let t = Alone::of("p,lon,lat\na,-123,0\n").text(vec![
        wgs84(),
        To { digits: Some(3), ..To::system("EPSG:32610").unwrap() }.into(),
        Drop(names(&["lon", "lat"])).into(),
    ]);
    assert_eq!(t, "p,easting,northing\na,500000.000,0.000\n");
}

#[test]
fn to_keeps_a_column_whose_name_is_taken() {
    let to = || To { digits: Some(3), ..To::system("EPSG:4326").unwrap() };
    let t = Alone::of("p,lon,lat\na,-123.25,46.5\n").text(vec![wgs84(), to().into()]);
    assert_eq!(t, "p,lon,lat,lon_4326,lat_4326\na,-123.25,46.5,-123.250,46.500\n");
    let t = Alone::of("p,lon,lat\na,-123.25,46.5\n").text(vec![wgs84(), To { replace: true, ..to() }.into()]);
    assert_eq!(t, "p,lon,lat\na,-123.250,46.500\n");
}

#[test]
fn to_refuses_what_it_cannot_write() {
    let alone = Alone::of("p,lon,lat\na,-123.25,46.5\n");
    let to = |notation: &str, digits| To {
        notation: Some(notation.parse().unwrap()),
        digits,
        ..To::system("EPSG:4326").unwrap()
    };
    let e = alone.error(vec![wgs84(), to("gars", Some(3)).into()]);
    assert!(e.contains("characters after the letters, 0 to 2"), "{e}");
}

#[test]
fn extent_keeps_what_lies_in_it_its_edge_included() {
    let alone = Alone::of("p,lon,lat\nin,-123.5,46.5\nedge,-124,46\nout,-124.0001,46.5\n");
    let (text, report) =
        alone.run(vec![wgs84(), Extent::new([-124.0, 46.0, -123.0, 47.0]).unwrap().into()], "out.csv").unwrap();
    let kept: Vec<&str> = text.lines().skip(1).filter_map(|l| l.split(',').next()).collect();
    assert_eq!(kept, ["in", "edge"]);
    assert_eq!(report.rows_out, 2);
}

/// West is greater than east where an extent goes over the 180° meridian.
#[test]
fn extent_goes_over_the_180_meridian() {
    let alone = Alone::of("p,lon,lat\neast,179.5,1\nwest,-179.5,1\nfar,0,1\n");
    let (text, _) =
        alone.run(vec![wgs84(), Extent::new([179.0, 0.0, -179.0, 2.0]).unwrap().into()], "out.csv").unwrap();
    let kept: Vec<&str> = text.lines().skip(1).filter_map(|l| l.split(',').next()).collect();
    assert_eq!(kept, ["east", "west"]);
}

fn square(path: &Path) {
    let ring = "[[-124,46],[-123,46],[-123,47],[-124,47],[-124,46]]";
    let hole = "[[-123.6,46.4],[-123.4,46.4],[-123.4,46.6],[-123.6,46.6],[-123.6,46.4]]";
    let text = format!(
        r#"{{"type":"FeatureCollection","features":[{{"type":"Feature","properties":{{"district":"North, east"}},"geometry":{{"type":"Polygon","coordinates":[{ring},{hole}]}}}}]}}"#
    );
    std::fs::write(path, text).unwrap();
}

#[test]
fn inside_takes_the_columns_of_the_area_and_knows_holes() {
    let alone = Alone::of("p,lon,lat\nin,-123.8,46.2\nhole,-123.5,46.5\nout,-122,46\n");
    square(&alone.path("areas.geojson"));
    let inside = Inside { areas: alone.path("areas.geojson"), take: names(&["district"]), ..Default::default() };
    let (text, report) = alone.run(vec![wgs84(), inside.into()], "out.csv").unwrap();
    assert_eq!(text.replace("\r\n", "\n"), "p,lon,lat,district\nin,-123.8,46.2,\"North, east\"\n");
    assert_eq!(report.rows_out, 1);
}

#[test]
fn lines_are_made_in_the_order_of_a_column_of_numbers() {
    // As texts, 10 would come before 9.
    let alone = Alone::of("trail,seq,lon,lat\nA,10,3,0\nA,9,2,0\nB,1,0,5\nA,1,1,0\nB,2,1,5\n");
    let lines = Lines { by: Some("trail".into()), order: Some("seq".into()) };
    let (text, report) = alone.run(vec![wgs84(), lines.into()], "out.geojson").unwrap();
    let json: serde_json::Value = serde_json::from_str(&text).unwrap();
    let coordinates: Vec<Vec<[f64; 2]>> = (0..2)
        .map(|i| serde_json::from_value(json["features"][i]["geometry"]["coordinates"].clone()).unwrap())
        .collect();
    assert_eq!(coordinates[0], [[1.0, 0.0], [2.0, 0.0], [3.0, 0.0]]);
    assert_eq!(coordinates[1], [[0.0, 5.0], [1.0, 5.0]]);
    assert_eq!(report.rows_out, 2);
}

#[test]
fn a_line_of_one_point_is_set_aside() {
    let alone = Alone::of("trail,lon,lat\nA,0,0\nA,1,0\nB,5,5\n");
    let lines = Lines { by: Some("trail".into()), order: None };
    let (text, report) = alone.run(vec![wgs84(), lines.into()], "out.geojson").unwrap();
    assert!(!text.contains("\"B\""), "{text}");
    assert_eq!((report.rows_out, report.set_aside.values().sum::<u64>()), (1, 1), "{report:?}");
}

#[test]
fn polygons_are_closed_and_vertices_give_their_points_back() {
    let alone = Alone::of("field,lon,lat\nA,0,0\nA,1,0\nA,1,1\n");
    let polygons = || Polygons { by: Some("field".into()), order: None };
    let (text, _) = alone.run(vec![wgs84(), polygons().into()], "out.geojson").unwrap();
    let json: serde_json::Value = serde_json::from_str(&text).unwrap();
    let ring = json["features"][0]["geometry"]["coordinates"][0].as_array().unwrap();
    assert_eq!((ring.len(), &ring[0]), (4, &ring[3]), "closed: {text}");
    // Each position is a row; the one that closes the ring stands there as it does in the ring.
    let points = alone.path("points.csv");
    let steps = vec![wgs84(), polygons().into(), Vertices {}.into(), To::system("EPSG:4326").unwrap().into()];
    let report = alone.layer(steps).write(&points).unwrap().run().unwrap();
    assert_eq!(report.rows_out, 4);
    let text = std::fs::read_to_string(&points).unwrap();
    let header: Vec<&str> = text.lines().next().unwrap().split(',').collect();
    let at = |name: &str| header.iter().position(|h| *h == name).unwrap();
    let places: Vec<(i64, f64, f64)> = text
        .lines()
        .skip(1)
        .map(|l| l.split(',').collect::<Vec<_>>())
        .map(|c| (c[at("position")].parse().unwrap(), c[at("lon")].parse().unwrap(), c[at("lat")].parse().unwrap()))
        .collect();
    assert_eq!(places, [(1, 0.0, 0.0), (2, 1.0, 0.0), (3, 1.0, 1.0), (4, 0.0, 0.0)]);
}

/// A degree along the equator of WGS 84 is a·π/180 = 111,319.491 m.
#[test]
fn measure_adds_lengths_on_the_ellipsoid() {
    let alone = Alone::of("trail,lon,lat\nA,0,0\nA,1,0\n");
    let lines = Lines { by: Some("trail".into()), order: None };
    let (text, _) = alone.run(vec![wgs84(), lines.into(), Measure::default().into()], "out.geojson").unwrap();
    let json: serde_json::Value = serde_json::from_str(&text).unwrap();
    let measures: Vec<f64> =
        json["features"][0]["properties"].as_object().unwrap().values().filter_map(|v| v.as_f64()).collect();
    let expected = 6_378_137.0_f64 * std::f64::consts::PI / 180.0;
    assert!(measures.iter().any(|m| (m - expected).abs() < 0.001), "{text}");
}

#[test]
fn measure_of_points_is_an_error() {
    let e = Alone::of(GATES).error(vec![wgs84(), Measure::default().into()]);
    assert!(e.contains("`measure`") && e.contains("no lines or polygons"), "{e}");
}

/// A step takes the columns that the one before left, wherever it stands.
#[test]
fn steps_see_what_stands_before_them() {
    let alone = Alone::of(GATES);
    let t = alone.text(vec![
        Rename(pairs(&[("gate", "id")])).into(),
        Trim {}.into(),
        Join { name: "name".into(), columns: names(&["id", "kind"]), separator: "/".into() }.into(),
        Values(names(&["name=01/tide"])).into(),
        Keep { columns: names(&["name"]), ..Default::default() }.into(),
    ]);
    assert_eq!(t, "name\n01/tide\n");
    let alone = Alone::of(GATES);
    let e = alone.error(vec![Rename(pairs(&[("gate", "id")])).into(), Drop(names(&["gate"])).into()]);
    assert!(e.contains("\"gate\"") && e.contains("it has: id, kind"), "{e}");
}
