//! Plans on tables: what comes out, what is set aside, what is doubted.

use basilocus::addresses::reference::{BuildPlan, build};
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::{Geocode, Positions, To};
use basilocus::{Cancel, Error, Report, RunOptions, run};
use std::path::PathBuf;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn write(&self, name: &str, text: &str) -> PathBuf {
        let path = self.0.path().join(name);
        std::fs::write(&path, text).unwrap();
        path
    }

    fn convert(&self, text: &str, from: Option<&str>, to: &[&str]) -> Result<(Report, String), Error> {
        let to = To { systems: to.iter().map(|t| t.to_string()).collect(), ..Default::default() };
        let positions = Positions { from: from.map(String::from), ..Default::default() };
        self.run(LayerPlan::new(self.write("in.csv", text)).with(positions).with(to))
    }

    fn run(&self, layer: LayerPlan) -> Result<(Report, String), Error> {
        let out = self.0.path().join("out.csv");
        let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(&out)], ..Default::default() };
        let report = run(&plan, &RunOptions { overwrite: true, ..Default::default() })?;
        Ok((report, std::fs::read_to_string(out).unwrap()))
    }
}

fn ids(report: &Report) -> Vec<&str> {
    report.doubts.iter().map(|d| d.id.as_str()).collect()
}

#[test]
fn slips_are_doubted_and_clean_data_is_not() {
    let f = Folder::new();
    let doubts = |text: &str, from: &str, to: &str| ids(&f.convert(text, Some(from), &[to]).unwrap().0).join(" ");
    let clean = "lon,lat\n-123.8,46.2\n-123.1,45.5\n";
    assert_eq!(doubts(clean, "EPSG:4326", "EPSG:2269"), "");
    assert_eq!(doubts(clean, "EPSG:4269", "EPSG:32610"), "");
    assert_eq!(doubts("lon,lat\n46.2,-73.8\n45.5,-73.1\n", "EPSG:4326", "EPSG:4269"), "swapped-axes");
    assert_eq!(doubts("lon,lat\n123.8,46.2\n123.1,45.5\n", "EPSG:4326", "EPSG:4269"), "missing-sign");
    assert_eq!(doubts("lon,lat\n0,0\n-123.1,45.5\n", "EPSG:4326", "EPSG:4269"), "empty-point outside-area");
    assert_eq!(doubts("lon,lat\n-100.5,41.2\n-123.1,45.5\n", "EPSG:4326", "EPSG:2269"), "outside-area");
    assert_eq!(doubts("lon,lat\nx,y\n", "EPSG:4326", "EPSG:2269"), "empty-result");
    assert_eq!(
        doubts("id,lon,lat\n1,-123.8,46.2\n2,-123.1,45.5\n1,-123.8,46.2\n", "EPSG:4326", "EPSG:2269"),
        "repeated"
    );
    let two_places = "address,lon,lat\n\"12 Heron Ln, Ternport\",-123.8,46.2\n\"12 HERON LN, TERNPORT\",-123.8,46.3\n";
    assert_eq!(doubts(two_places, "EPSG:4326", "EPSG:2269"), "repeated");
    assert_eq!(doubts("id,lon,lat\n\n1,-123.8,46.2\n", "EPSG:4326", "EPSG:2269"), "shifted-header");
    assert_eq!(
        doubts("easting,northing\n0,0\n7366633.86,940706.86\n", "EPSG:2269", "EPSG:4326"),
        "empty-point outside-area"
    );
}

#[test]
fn positions_in_every_shape_of_table() {
    let f = Folder::new();
    // One column, mixed notations.
    let (r, out) = f.convert("id,position\n1,46.2 -123.8\n2,46 12.0N 123 48.0W\n3,\"46°12'00\"\"N 123°48'00\"\"W\"\n4,10T 438277.798 5116580.272\n", Some("EPSG:4326"), &["EPSG:32610"]).unwrap();
    assert_eq!(r.rows_out, 4);
    assert_eq!(r.layers[0].notations.len(), 4, "{:?}", r.layers[0].notations);
    assert!(out.lines().skip(1).all(|l| l.contains("438277.79") && l.contains("5116580.27")), "{out}");
    // Heights are carried, and used where a geocentric system takes part.
    let positions = Positions { from: Some("EPSG:4326".into()), z: Some("h".into()), ..Default::default() };
    let layer = LayerPlan::new(f.write("z.csv", "lon,lat,h\n-123.8,46.2,100\n"));
    let layer = layer.with(positions).with(To::system("EPSG:4978").unwrap());
    let (_, out) = f.run(layer).unwrap();
    let xyz: Vec<f64> = out.lines().nth(1).unwrap().split(',').skip(3).map(|v| v.parse().unwrap()).collect();
    let radius = (xyz[0] * xyz[0] + xyz[1] * xyz[1] + xyz[2] * xyz[2]).sqrt();
    // By the ellipsoid's equation the radius at 46.2° is 6,367,040 m within 100 m.
    assert!((radius - 6_367_140.0).abs() < 100.0, "{radius}");
    // A text file with decimal commas and semicolons.
    let (r, _) = f.convert("x;y\n7366633,86;940706,86\n", Some("EPSG:2269"), &["EPSG:4326"]).unwrap();
    assert_eq!(r.rows_out, 1);
}

#[test]
fn nothing_is_guessed_about_systems_and_columns() {
    let f = Folder::new();
    let message = |text: &str, from: Option<&str>| f.convert(text, from, &["EPSG:2269"]).unwrap_err().to_string();
    assert!(message("lon,lat\n1,2\n", None).contains("say it with `from`"));
    assert!(message("easting,northing\n500000,5000000\n", None).contains("too large for degrees"));
    assert!(
        message("lon,lat\n-123.8,46.2\n", Some("EPSG:2269")).contains("look like degrees"),
        "degrees are not read as feet"
    );
    // Of two pairs of columns the stated system says which are meant.
    let both = "lon,lat,easting,northing\n-123.8,46.2,7366633.86,940706.86\n";
    let (r, _) = f.convert(both, Some("EPSG:2269"), &["EPSG:4326"]).unwrap();
    assert!(r.layers[0].interpretation.iter().any(|u| u.contains("\"easting\" and \"northing\"")));
    let (r, _) = f.convert(both, Some("EPSG:4326"), &["EPSG:2269"]).unwrap();
    assert!(r.layers[0].interpretation.iter().any(|u| u.contains("\"lon\" and \"lat\"")));
    assert!(message("a,b\nx,y\n", Some("EPSG:4326")).contains("no columns of coordinates were found among a, b"));
    let out = f.convert("position\n10 20\n", Some("EPSG:4326"), &["EPSG:4269"]).unwrap().0;
    assert_eq!(out.set_aside["ambiguous coordinate"], 1);
}

#[test]
fn a_cancelled_run_writes_nothing() {
    let f = Folder::new();
    let cancel = Cancel::default();
    cancel.cancel();
    let layer = LayerPlan::new(f.write("in.csv", "lon,lat\n-123.8,46.2\n"));
    let layer = layer.with(Positions::in_system("EPSG:4326").unwrap());
    let out = f.0.path().join("out.csv");
    let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(&out)], ..Default::default() };
    let error = run(&plan, &RunOptions { cancel, ..Default::default() }).unwrap_err();
    assert!(matches!(error, Error::Cancelled));
    assert!(!out.exists());
}

#[test]
fn order_is_kept_whatever_the_workers_do() {
    let f = Folder::new();
    let rows: String =
        (0..300_000).map(|i| format!("{i},-123.8,{}\n", if i % 1000 == 7 { "x" } else { "46.2" })).collect();
    let (r, out) = f.convert(&format!("id,lon,lat\n{rows}"), Some("EPSG:4326"), &["EPSG:32610"]).unwrap();
    assert_eq!((r.rows_in, r.rows_out), (300_000, 299_700));
    let ids: Vec<u32> = out.lines().skip(1).map(|l| l.split(',').next().unwrap().parse().unwrap()).collect();
    assert!(ids.windows(2).all(|w| w[0] < w[1]));
    let aside = std::fs::read_to_string(f.0.path().join("out.set-aside.csv")).unwrap();
    let lines: Vec<u32> = aside.lines().skip(1).map(|l| l.split(',').next().unwrap().parse().unwrap()).collect();
    assert_eq!(lines.len(), 300);
    assert_eq!(lines[..2], [9, 1009], "lines of the file, the header being the first");
}

#[test]
fn references_are_built_from_any_mixture_and_rows_in_doubt_are_named() {
    let f = Folder::new();
    let points = f.write("points.csv", "Number,Street,City,State,ZIP,X,Y\n12,Heron Ln,Ternport,OR,97981,-123.8,46.2\nnone,Heron Ln,Ternport,OR,97981,-123.8,46.2\n14,Heron Ln,Ternport,OR,97981,-123.8,x\n");
    let segments = f.write("segments.csv", "street,l_from,l_to,r_from,r_to,city,zip,x1,y1,x2,y2\nAlder Ct,1,99,2,98,Ternport,97981,-123.82,46.2,-123.82,46.21\n");
    let output = f.0.path().join("r.reference");
    let plan = BuildPlan { sources: vec![points, segments], output: output.clone(), ..Default::default() };
    let report = build(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!((report.rows_in, report.rows_out), (4, 2));
    assert_eq!((report.set_aside["no house number"], report.set_aside.len()), (1, 2), "{report:?}");
    let aside = std::fs::read_to_string(f.0.path().join("r.set-aside.csv")).unwrap();
    assert!(aside.contains("house number \"\"none\"\" has no digits and is no name of a house"), "{aside}");
    let geocode =
        Geocode { reference: vec![output], extras: vec!["postcode".into()], candidates: 2, ..Default::default() };
    let layer = LayerPlan::new(f.write(
        "a.csv",
        "who,address\nA,\"12 Heron Ln, Ternport, OR\"\nB,\"50 Alder Ct, Ternport 97981\"\nC,somewhere\n",
    ));
    let layer = layer.with(geocode).with(To::system("EPSG:2269").unwrap());
    let (r, out) = f.run(layer).unwrap();
    assert_eq!((r.rows_in, r.rows_out), (3, 2));
    let header = out.lines().next().unwrap();
    assert_eq!(
        header,
        "who,address,lon,lat,level,confidence,radius_m,matched_address,changes,matched_postcode,candidates,easting,northing"
    );
    assert!(out.contains("address point,100,30,\"12 Heron Ln, Ternport, OR 97981\",,97981,"), "{out}");
    assert!(out.contains("street range,99,566,\"50 Alder Ct, Ternport, OR 97981\""), "{out}");
}
