//! Maps: what is on them stands where it belongs, and what is not is told.

use basilocus::Cancel;
use basilocus::drawing::{DrawPlan, DrawReport, draw};
use std::path::PathBuf;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn at(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn file(&self, name: &str, text: impl AsRef<[u8]>) -> PathBuf {
        std::fs::write(self.at(name), text).unwrap();
        self.at(name)
    }

    fn drawn(&self, plan: &DrawPlan) -> (DrawReport, String) {
        let report = draw(plan, &Cancel::default(), &()).unwrap();
        (report, String::from_utf8_lossy(&std::fs::read(&plan.output).unwrap()).into_owned())
    }
}

/// Middles of the circles of one colour in an SVG: a circle begins at its right.
fn circles(svg: &str, color: &str) -> Vec<[f64; 2]> {
    let begin = format!("<path fill=\"{color}\" fill-rule=\"evenodd\" d=\"M");
    let marks = svg.lines().filter_map(|l| l.strip_prefix(&begin)).filter(|l| l.contains('Q'));
    marks
        .map(|l| {
            let (x, y) = l.split('Q').next().unwrap().split_once(' ').unwrap();
            [x.parse::<f64>().unwrap() - 4.0, y.parse().unwrap()]
        })
        .collect()
}

const FIRST: &str = "#1124e6";

#[test]
fn points_stand_where_they_belong_and_the_map_says_its_system() {
    let f = Folder::new();
    let gates = f.file("gates.csv", "gate,x,y\nSW,438000,5116000\nNE,439000,5117000\nlost,,\n");
    let plan =
        DrawPlan { from: Some("EPSG:32610".into()), size: vec![800, 600], ..DrawPlan::new([&gates], f.at("m.svg")) };
    let (report, svg) = f.drawn(&plan);
    assert_eq!(report.crs, "WGS 84 / UTM zone 10N (EPSG:32610)");
    assert_eq!((report.layers[0].drawn, report.layers[0].without_place), (2, 1));
    assert!(report.notices[0].contains("1 rows have no place on the map"), "{:?}", report.notices);
    // Three of them: the two gates and the sign of the legend.
    let places = circles(&svg, FIRST);
    assert_eq!(places.len(), 3, "{places:?}");
    let ([x, y], [u, v]) = (places[0], places[1]);
    assert!(u > x && v < y, "north-east is to the right and above: {places:?}");
    assert!((u - x - (y - v)).abs() < 0.05, "a kilometre is as long along both axes");
    // The same bytes again.
    let again = f.drawn(&DrawPlan { overwrite: true, ..plan.clone() }).1;
    assert_eq!(svg, again);
    let message = draw(&plan, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("exists already"), "{message}");
}

#[test]
fn degrees_are_drawn_in_a_system_that_suits_the_place() {
    let f = Folder::new();
    let plan = |name: &str, text: &str| {
        let layer = f.file(name, text);
        let output = f.at(&format!("{name}.svg"));
        DrawPlan { from: Some("EPSG:4326".into()), ..DrawPlan::new([layer], output) }
    };
    for (name, text, crs) in [
        ("north.csv", "id,lon,lat\n1,-123.8,46.2\n2,-123.7,46.3\n", "EPSG:32610"),
        ("fiji.csv", "id,lon,lat\n1,179.8,-17.2\n2,-179.7,-18.3\n", "EPSG:32701"),
        ("south.csv", "id,lon,lat\n1,174.8,-41.2\n2,174.7,-41.3\n", "EPSG:32760"),
        ("world.csv", "id,lon,lat\n1,-123.8,46.2\n2,174.7,-41.3\n", "Equal Earth"),
    ] {
        let (report, svg) = f.drawn(&plan(name, text));
        assert!(report.crs.contains(crs), "{name}: {}", report.crs);
        assert!(report.interpretation[0].contains("which suits the place"), "{:?}", report.interpretation);
        assert!(!svg.contains("image"));
    }
}

#[test]
fn nothing_is_smeared_across_the_map_at_the_180th_meridian() {
    let f = Folder::new();
    let line = f.file("ferry.csv", "name;geometry\nferry;\"LINESTRING (170 -20, 179 -18, -179 -17, -170 -15)\"\n");
    let far = f.file("far.csv", "id,lon,lat\n1,-120,0\n2,120,0\n");
    let plan = DrawPlan { from: Some("EPSG:4326".into()), ..DrawPlan::new([line, far], f.at("m.svg")) };
    let (_, svg) = f.drawn(&plan);
    let strokes: Vec<&str> = svg
        .lines()
        .filter(|l| l.contains(&format!("stroke=\"{FIRST}\"")) && l.contains("stroke-width=\"1.6\""))
        .collect();
    assert_eq!(strokes.len(), 2, "cut in two: {strokes:?}");
    for stroke in strokes {
        let data = stroke.split(" d=\"M").nth(1).unwrap().trim_end_matches("\"/>");
        let x: Vec<f64> = data.split('L').map(|p| p.split(' ').next().unwrap().parse().unwrap()).collect();
        assert!(x.windows(2).all(|w| (w[1] - w[0]).abs() < 100.0), "{data}");
    }
}

#[test]
fn a_grid_is_drawn_in_any_system_with_marks_above_it() {
    let f = Folder::new();
    let heights: String = (0..20).map(|r| (0..30).map(|c| format!("{} ", c + r)).collect::<String>() + "\n").collect();
    let grid =
        f.file("bank.asc", format!("ncols 30\nnrows 20\nxllcorner 438000\nyllcorner 5116000\ncellsize 10\n{heights}"));
    let gates = f.file("gates.geojson", r#"{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"no":"A"},"geometry":{"type":"Point","coordinates":[-123.8025,46.1957]}}]}"#);
    for (crs, size) in [(None, 600), (Some("EPSG:4326"), 500), (Some("EPSG:2269"), 500)] {
        let output = f.at("m.svg");
        let plan = DrawPlan {
            from: Some("EPSG:32610".into()),
            in_crs: crs.map(String::from),
            label: Some("no".into()),
            overwrite: true,
            ..DrawPlan::new([&grid, &gates], output)
        };
        let (report, svg) = f.drawn(&plan);
        assert_eq!((report.layers[0].what.as_str(), report.layers[1].drawn), ("pixels", 1), "{report:?}");
        assert!(report.layers[0].drawn > size * size / 2, "{:?}", report.layers);
        let (picture, mark) = (svg.find("data:image/png").unwrap(), svg.find(&format!("fill=\"{FIRST}\"")).unwrap());
        assert!(picture < mark, "below");
    }
    let unsaid = DrawPlan { overwrite: true, ..DrawPlan::new([&grid], f.at("m.svg")) };
    let message = draw(&unsaid, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("the grid says no system; say it with `from`"), "{message}");
}

#[test]
fn categories_and_numbers_colour_the_marks() {
    let f = Folder::new();
    let gates = f.file(
        "gates.csv",
        "gate,kind,depth,x,y\nA,flap,1,438000,5116000\nB,sluice,2.5,438100,5116000\nC,flap,4,438000,5116100\n",
    );
    let reach = f.file(
        "reach.csv",
        "name;geometry\nA;\"POLYGON ((437900 5115900, 438200 5115900, 438200 5116200, 437900 5115900))\"\n",
    );
    let plan = |color: &str, name: &str| DrawPlan {
        from: Some("EPSG:32610".into()),
        color_by: Some(color.into()),
        ..DrawPlan::new([&reach, &gates], f.at(name))
    };
    let (report, svg) = f.drawn(&plan("kind", "kinds.svg"));
    // Two flaps and their sign; a sluice and its; the reach has a colour that no kind has.
    assert_eq!((circles(&svg, FIRST).len(), circles(&svg, "#d89a32").len()), (3, 2));
    assert!(svg.contains("fill=\"#358d7b\" fill-opacity") && report.notices[0].contains("has no column \"kind\""));
    let (_, svg) = f.drawn(&plan("depth", "depths.svg"));
    // The ends of the ramp.
    assert_eq!((circles(&svg, "#1d1f5e").len(), circles(&svg, "#f7f0b2").len()), (1, 1));
}

#[test]
fn many_points_are_drawn_by_how_dense_they_are() {
    let f = Folder::new();
    let rows: String = (0..30_000).map(|i| format!("{i},{},{}\n", 438_000 + i % 300, 5_116_000 + i / 300)).collect();
    let many = f.file("many.csv", format!("id,x,y\n{rows}"));
    let plan = DrawPlan { from: Some("EPSG:32610".into()), ..DrawPlan::new([many], f.at("m.svg")) };
    let (report, svg) = f.drawn(&plan);
    assert_eq!(report.layers[0].drawn, 30_000);
    assert!(svg.contains("data:image/png") && circles(&svg, FIRST).len() == 1, "the sign of the legend alone");
}

#[test]
fn a_picture_of_pixels_has_the_size_that_was_asked_for() {
    let f = Folder::new();
    let gates = f.file("gates.csv", "gate,x,y\nA,438000,5116000\n");
    let plan =
        DrawPlan { from: Some("EPSG:32610".into()), size: vec![640, 480], ..DrawPlan::new([&gates], f.at("m.png")) };
    draw(&plan, &Cancel::default(), &()).unwrap();
    let bytes = std::fs::read(f.at("m.png")).unwrap();
    let side = |at: usize| u32::from_be_bytes(bytes[at..at + 4].try_into().unwrap());
    assert_eq!((&bytes[1..4], side(16), side(20)), (&b"PNG"[..], 640, 480));
    for (plan, expected) in [
        (DrawPlan { size: vec![10, 480], overwrite: true, ..plan.clone() }, "64 to 20000 along a side"),
        (DrawPlan { size: vec![640], overwrite: true, ..plan.clone() }, "width and height in pixels"),
        (DrawPlan { output: f.at("m.jpg"), ..plan.clone() }, "use one of .png, .svg, .html"),
        (DrawPlan { in_crs: Some("EPSG:4978".into()), overwrite: true, ..plan.clone() }, "no plane to draw in"),
        (DrawPlan { layers: vec![f.file("empty.csv", "gate,x,y\n")], overwrite: true, ..plan.clone() }, "empty.csv"),
    ] {
        let message = draw(&plan, &Cancel::default(), &()).unwrap_err().to_string();
        assert!(message.contains(expected), "{message}");
    }
    assert!(!f.at("m.jpg").exists() && std::fs::read(f.at("m.png")).unwrap() == bytes, "what was there stays");
}

/// What a page holds.
fn page_data(page: &str) -> serde_json::Value {
    let text = page.split("<script id=\"data\" type=\"application/json\">").nth(1).unwrap();
    serde_json::from_str(text.split("</script>").next().unwrap()).unwrap()
}

#[test]
fn a_page_holds_every_row_those_without_a_place_with_the_reason() {
    let f = Folder::new();
    let gates =
        f.file("gates.csv", "gate,lon,lat\nA,-123.8,46.2\nlost,there,46.2\nB,-123.79,46.21\n,,\nC,-123.78,46.22\n");
    let reach = f.file("reach.geojson", r#"{"type":"FeatureCollection","features":[
        {"type":"Feature","properties":{"name":"two parts"},"geometry":{"type":"MultiPoint","coordinates":[[-123.8,46.2],[-123.7,46.3]]}},
        {"type":"Feature","properties":{"name":"nowhere"},"geometry":null}]}"#);
    let plan = DrawPlan { from: Some("EPSG:4326".into()), ..DrawPlan::new([&gates, &reach], f.at("m.html")) };
    let (report, page) = f.drawn(&plan);
    let data = page_data(&page);
    let layer = &data["layers"][0];
    assert_eq!(layer["columns"], serde_json::json!(["gate", "lon", "lat"]));
    let names: Vec<&str> = layer["cells"].as_array().unwrap().iter().map(|c| c[0].as_str().unwrap()).collect();
    // In the order of the file, with the numbers of its rows; a blank row holds nothing.
    assert_eq!((names, &layer["numbers"]), (vec!["A", "lost", "B", "C"], &serde_json::json!([2, 3, 4, 6])));
    let reasons = layer["reasons"].as_object().unwrap();
    assert!(reasons.len() == 1 && reasons["1"].as_str().unwrap().contains("there"), "{reasons:?}");
    let rows: Vec<u64> = layer["marks"].as_array().unwrap().iter().map(|m| m[1].as_u64().unwrap()).collect();
    assert_eq!(rows, [0, 2, 3], "each mark is of its row");
    assert_eq!(
        (&layer["places"][0], &layer["places"][1]),
        (&serde_json::json!([-123.8, 46.2]), &serde_json::Value::Null)
    );
    // One row of two marks, and one without any.
    let layer = &data["layers"][1];
    let rows: Vec<u64> = layer["marks"].as_array().unwrap().iter().map(|m| m[1].as_u64().unwrap()).collect();
    assert_eq!((rows, layer["cells"].as_array().unwrap().len()), (vec![0, 0], 2));
    assert!(layer["reasons"]["1"].as_str().unwrap().contains("no geometry"), "{}", layer["reasons"]);
    assert_eq!((report.layers[0].drawn, report.layers[0].without_place), (3, 2));
    assert_eq!(data["axes"]["unit"], "m");
}

#[test]
fn contours_say_their_heights_and_layers_of_one_name_their_files() {
    let f = Folder::new();
    let lines = "height,main,geometry\n2.5,true,\"LINESTRING (438000 5116000, 438400 5116050)\"\n3,false,\"LINESTRING (438000 5116100, 438400 5116150)\"\n";
    let first = f.file("a.csv", lines);
    let plan = DrawPlan { from: Some("EPSG:32610".into()), ..DrawPlan::new([&first, &first], f.at("m.html")) };
    let (report, page) = f.drawn(&plan);
    assert_eq!(page_data(&page)["layers"][0]["labels"], serde_json::json!(["2.5", null]));
    let names: Vec<&str> = report.layers.iter().map(|l| l.name.as_str()).collect();
    assert_eq!(names, ["a", "a (a.csv)"]);
}

#[test]
fn circles_show_what_a_projection_does() {
    let f = Folder::new();
    let world = f.file("world.csv", "id,lon,lat\n1,-170,-75\n2,170,75\n");
    let plan = |crs: &str| DrawPlan {
        from: Some("EPSG:4326".into()),
        in_crs: Some(crs.into()),
        distortion: true,
        overwrite: true,
        ..DrawPlan::new([&world], f.at("m.html"))
    };
    let (_, page) = f.drawn(&plan("EPSG:3857"));
    let layer = page_data(&page)["layers"][0].clone();
    assert_eq!(layer["name"], "1000 km wide, × area");
    // One over the square of the cosine of 60 degrees is 4; the web's Mercator takes the ellipsoid for a sphere.
    let sixty: Vec<&serde_json::Value> =
        layer["cells"].as_array().unwrap().iter().filter(|c| c[1] == "60.0000").collect();
    assert!(sixty.len() == 11 && sixty.iter().all(|c| c[2] == "× 3.99"), "{sixty:?}");
}
