//! References of tables as they come: countries, streets in several columns, rows that lack something, updates.

use basilocus::Cancel;
use basilocus::addresses::reference::{BuildPlan, BuildReport, UpdatePlan, build, mapping_template, update};
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::Geocode;
use basilocus::{Error, Report, RunOptions, run};
use std::path::PathBuf;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn write(&self, name: &str, text: &str) -> PathBuf {
        std::fs::write(self.path(name), text).unwrap();
        self.path(name)
    }

    fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap()
    }

    fn build(&self, sources: &[PathBuf], change: impl FnOnce(&mut BuildPlan)) -> Result<BuildReport, Error> {
        let output = self.path("r.reference");
        let mut plan = BuildPlan { sources: sources.to_vec(), output, ..Default::default() };
        plan.reading.overwrite = true;
        change(&mut plan);
        build(&plan, &Cancel::default(), &())
    }

    fn place(&self, rows: &str, geocode: Geocode) -> Report {
        self.write("asked.csv", rows);
        let reference = vec![self.path("r.reference")];
        let layer = LayerPlan::new(self.path("asked.csv")).with(Geocode { reference, ..geocode });
        let plan = Plan {
            date: Some("2026-11-26".into()),
            layers: vec![layer],
            outputs: vec![OutputPlan::new(self.path("out.csv"))],
            ..Default::default()
        };
        run(&plan, &RunOptions { overwrite: true, ..Default::default() }).unwrap()
    }
}

#[test]
fn a_column_of_countries_makes_a_reference_of_them() {
    let f = Folder::new();
    let places = f.write(
        "places.csv",
        "name,region,country,lon,lat\nParakar,Armavir,ARM,44.4,40.16\nSpringfield,IL,United States,-89.65,39.8\nReihershausen,Hessen,DE,8.5,50.1\nNowhere,X,Atlantis,1,1\n",
    );
    let report = f.build(&[places], |_| {}).unwrap();
    assert_eq!((report.rows_in, report.rows_out, report.set_aside["country not known"]), (4, 3, 1));
    let rows = "who,town,region,country\nA,PARAKAR,ARMAVIR,Armenia\nB,Parakar,Armavir,RO\nC,Springfield,IL,USA\nD,Springfield,,GB\n";
    let report = f.place(rows, Geocode::default());
    assert_eq!((report.rows_out, report.set_aside["no reference of the country"]), (2, 2));
    assert!(f.read("out.csv").contains("\"Parakar, Armavir\""), "{}", f.read("out.csv"));
}

#[test]
fn streets_in_several_columns() {
    let f = Folder::new();
    let points = f.write(
        "points.csv",
        "ADD_NUMBER;ADDNUM_SUF;ST_PREDIR;ST_NAME;ST_POSTYP;ST_POSDIR;POST_COMM;STATE;ZIP_CODE;LON;LAT\n12;;NE;Heron;Ln;;Ternport;OR;97981;-123.8;46.2\n12;A;NE;Heron;Ln;;Ternport;OR;97981;-123.81;46.2\n14;;;Mill;Rd;S;Ternport;OR;97981;-123.82;46.2\n",
    );
    let report = f.build(&[points], |_| {}).unwrap();
    assert_eq!(report.rows_out, 3, "{report:?}");
    let rows = "No;Dir;Street Name;Street Type;Post Dir;City\n12;NE;Heron;Lane;;Ternport\n12A;;NE Heron Ln;;;Ternport\n14;;Mill;Road;South;Ternport\n";
    let report = f.place(rows, Geocode::default());
    assert_eq!(report.layers[0].levels["address point"], 3, "{report:?}\n{}", f.read("out.csv"));
    // The type stands in front where the country writes it so.
    let french = f.write(
        "france.csv",
        "numero,rep,type_voie,nom_voie,code_postal,nom_commune,lon,lat\n12,bis,Rue,du Héron,60999,Rocheville,2.1,48.1\n",
    );
    f.build(&[french], |p| p.country = Some("France".into())).unwrap();
    f.place("adresse\n\"12 bis rue du Héron, 60999 Rocheville\"\n", Geocode::default());
    assert!(f.read("out.csv").contains("address point,100"), "{}", f.read("out.csv"));
}

#[test]
fn columns_that_are_one_thing_together() {
    let f = Folder::new();
    let points = f.write(
        "points.csv",
        "no,art,nam,town,lon,lat\n12,Old,Heron Ln,Ternport,-123.8,46.2\n14,,Mill Rd,Ternport,-123.81,46.2\n",
    );
    let join = |text: &str| f.build(std::slice::from_ref(&points), |p| p.reading.join = vec![text.into()]);
    let report = join("street=art,nam").unwrap();
    assert!(report.sources[0].columns.iter().any(|c| c == "street \"art\", \"nam\""), "{report:?}");
    let rows = "address\n\"12 Old Heron Ln, Ternport\"\n\"14 Mill Rd, Ternport\"\n";
    f.place(rows, Geocode::default());
    assert_eq!(f.read("out.csv").matches("address point,100").count(), 2, "{}", f.read("out.csv"));
    assert!(join("road=art,nam").unwrap_err().to_string().contains("road is nothing that a column can be for"));
    assert!(join("street").unwrap_err().to_string().contains("PURPOSE=COLUMN,COLUMN is expected"));
    assert!(join("street=x,y").unwrap_err().to_string().contains("no source has such columns"));
    assert!(join("street=art,name").unwrap_err().to_string().contains("no column \"name\""));
    let mapping =
        f.write("mapping.toml", "[[source]]\nfile = \"points.csv\"\n[source.columns]\nstreet = [\"art\", \"nam\"]\n");
    assert_eq!(f.build(std::slice::from_ref(&points), |p| p.reading.mapping = Some(mapping)).unwrap().rows_out, 2);
}

#[test]
fn rows_that_lack_something_say_what() {
    let f = Folder::new();
    let postcodes = f.write("postcodes.csv", "postcode,locality,region,lon,lat\n97981,Ternport,OR,-123.8,46.2\n");
    let points = f.write(
        "points.csv",
        "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,,OR,97981,-123.8,46.2\n14,Heron Ln,,OR,97999,-123.8,46.2\n?,Heron Ln,Ternport,OR,97981,-123.8,46.2\n16,,Ternport,OR,97981,-123.8,46.2\nNet House,Heron Ln,Ternport,OR,97981,-123.8,46.2\n18,Heron Ln,Ternport,OR,97981,-523.8,46.2\n",
    );
    let report = f.build(&[points.clone(), postcodes.clone()], |_| {}).unwrap();
    assert_eq!((report.rows_in, report.rows_out), (7, 3), "by its postcode, a house with a name, and the postcode");
    for class in ["no locality", "no house number", "no street name"] {
        assert_eq!(report.set_aside[class], 1, "{report:?}");
    }
    assert!(
        f.read("r.set-aside.csv").contains("no one locality of its postcode 97999"),
        "{}",
        f.read("r.set-aside.csv")
    );
    let report = f.build(&[points.clone(), postcodes], |p| p.reading.set = vec!["locality=Ternport".into()]).unwrap();
    assert_eq!(report.rows_out, 4);
    assert!(report.sources.iter().any(|s| s.columns.iter().any(|c| c == "locality Ternport where a row has none")));
    let wrong = |set: &str| {
        f.build(std::slice::from_ref(&points), |p| p.reading.set = vec![set.into()]).unwrap_err().to_string()
    };
    assert!(wrong("town=Ternport").contains("nothing that a column can be for"));
    assert!(wrong("locality").contains("PURPOSE=VALUE is expected"));
    // Where nothing is left, it says why.
    let bad = f.write("bad.csv", "number,street,locality,lon,lat\n?,Heron Ln,Ternport,1,1\n12,,Ternport,1,1\n");
    let error = f.build(&[bad], |_| {}).unwrap_err().to_string();
    assert!(error.contains("1 no house number, 1 no street name; the first is row 2 of bad.csv"), "{error}");
    // Lines are stretches of streets, or the columns have to be said.
    let lines = f.write("roads.csv", "FULLNAME,ZIP_L,ZIP_R,wkt\nHeron Ln,97981,97981,\"LINESTRING (1 1, 2 2)\"\n");
    let error = f.build(&[lines], |_| {}).unwrap_err().to_string();
    assert!(error.contains("lines are street segments"), "{error}");
}

#[test]
fn a_mapping_to_be_filled_in() {
    let f = Folder::new();
    let points = f.write("odd.csv", "HSE;RUN;TOWNSHIP;P;lon;lat\n12;Heron Ln;Ternport;97981;-123.8;46.2\n");
    let plan = BuildPlan { sources: vec![points.clone()], output: f.path("r.reference"), ..Default::default() };
    let template = mapping_template(&plan).unwrap();
    assert!(template.contains("file = \"odd.csv\"") && template.contains("# number = \"\""), "{template}");
    assert!(template.contains("\"HSE\", \"RUN\", \"TOWNSHIP\""), "the columns to choose from: {template}");
    let filled = template
        .replace("kind = \"\"", "kind = \"address points\"")
        .replace("# number = \"\"", "number = \"HSE\"")
        .replace("# street = \"\"", "street = \"RUN\"")
        .replace("# locality = \"\"", "locality = \"TOWNSHIP\"")
        .replace("# postcode = \"\"", "postcode = \"P\"");
    let mapping = f.write("mapping.toml", &filled);
    let report = f.build(&[points], |p| p.reading.mapping = Some(mapping)).unwrap();
    assert_eq!(report.rows_out, 1, "{filled}");
    f.place("address\n\"12 Heron Ln, Ternport 97981\"\n", Geocode::default());
    assert!(f.read("out.csv").contains("address point,100"), "{}", f.read("out.csv"));
}

#[test]
fn an_update_accounts_for_every_row() {
    let f = Folder::new();
    let header = "number,street,locality,region,postcode,lon,lat\n";
    let old = f.write("old.csv", &format!("{header}12,Heron Ln,Ternport,OR,97981,-123.8,46.2\n14,Heron Ln,Ternport,OR,97981,-123.81,46.2\n16,Heron Ln,Ternport,OR,97981,-123.82,46.2\n"));
    f.build(&[old], |_| {}).unwrap();
    let new = f.write(
        "new.csv",
        &format!("{header}14,Heron Lane,Ternport,OR,97981,-123.9,46.2\n18,Heron Ln,Ternport,OR,97981,-123.83,46.2\n"),
    );
    let gone = f
        .write("gone.csv", "number,street,locality\n16,Heron Ln,Ternport\n99,Heron Ln,Ternport\n?,Heron Ln,Ternport\n");
    let plan = UpdatePlan {
        reference: f.path("r.reference"),
        sources: vec![new],
        withdraw: Some(gone),
        output: f.path("r2.reference"),
        ..Default::default()
    };
    let report = update(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!((report.kept, report.replaced, report.withdrawn), (1, 1, 1), "{report:?}");
    assert_eq!((report.rows_in, report.rows_out), (5, 3));
    assert_eq!((report.set_aside["not in the reference"], report.set_aside["no house number"]), (1, 1));
    assert!(f.read("r2.set-aside.csv").contains("gone.csv,3,"), "{}", f.read("r2.set-aside.csv"));
    std::fs::rename(f.path("r2.reference"), f.path("r.reference")).unwrap();
    let rows = "address\n\"12 Heron Ln, Ternport\"\n\"14 Heron Ln, Ternport\"\n\"18 Heron Ln, Ternport\"\n";
    let report = f.place(rows, Geocode::default());
    assert_eq!(report.layers[0].levels["address point"], 3);
    assert!(f.read("out.csv").contains("-123.9000000"), "the newer place");
    let nothing = UpdatePlan { sources: Vec::new(), withdraw: None, ..plan };
    assert!(update(&nothing, &Cancel::default(), &()).unwrap_err().to_string().contains("nothing to update with"));
}

#[test]
fn a_table_of_another_place_is_told_and_near_names_are_offered() {
    let f = Folder::new();
    let mut points = String::from("number,street,locality,region,postcode,lon,lat\n");
    for (s, street) in ["Harbor St", "Heron Ln", "Mill Rd"].iter().enumerate() {
        for n in 1..=40 {
            points.push_str(&format!(
                "{n},{street},Ternport,OR,97981,{},{}\n",
                -123.8 + 0.01 * s as f64,
                46.2 + 1e-4 * f64::from(n)
            ));
        }
    }
    let points = f.write("points.csv", &points);
    f.build(&[points], |_| {}).unwrap();
    let row = |street: &str, n: usize| format!("\"{n} {street}, Ternport, OR 97981\"\n");
    let good: String = (1..=30).map(|n| row("Heron Ln", n)).collect();
    let report = f.place(&format!("address\n{good}{}", row("Harber St", 5)), Geocode::default());
    assert_eq!(report.layers[0].levels["address point"], 31, "a slip in a table of this place");
    assert!(!report.notices.iter().any(|n| n.contains("offered for review")));
    let strange: String = (1..=10).map(|n| row("Nowhere Blvd", n)).collect();
    let report = f.place(&format!("address\n{good}{strange}{}", row("Harber St", 5)), Geocode::default());
    assert_eq!(report.layers[0].levels["address point"], 30, "{}", f.read("out.csv"));
    assert!(report.notices.iter().any(|n| n.contains("24 % of the first 41 addresses")), "{:?}", report.notices);
}
