//! Rows as they are shown: folders, names, balloons, icons and colours of KML; sheets and links of a workbook; layers that
//! join a GeoPackage.

mod common;

use basilocus_formats::{
    Altitude, FormatError, InputOptions, Presentation, Rule, RunAbout, SetAsideTable, Template, append,
};
use calamine::Reader as _;
use common::{layer, read, system, write};
use std::io::Read as _;

fn names() -> Vec<String> {
    ["name", "width", "count", "geometry"].map(String::from).to_vec()
}

const ROWS: [common::Row; 4] = [
    (Some("flap"), Some(1.5), Some(1), Some("POINT Z (-123.8 46.2 3)")),
    (Some("weir"), None, Some(2), Some("POLYGON ((0 0, 1 0, 1 1, 0 0))")),
    (Some("flap"), Some(2.5), Some(3), Some("POINT (-123.7 46.1)")),
    (None, None, Some(4), None),
];

fn shown() -> Presentation {
    Presentation {
        category: Some(0),
        label: Some(Template::new("{name} no. {count}", &names()).unwrap()),
        balloon: Some(Template::new("<b>{width}</b> m", &names()).unwrap()),
        icon: Some(Rule::new("name:flap=https://tern.example/flap.png", &names()).unwrap()),
        color: Some(Rule::new("name", &names()).unwrap()),
        altitude: Altitude::AboveGround,
        names_layer: false,
    }
}

#[test]
fn kml_in_folders_with_names_balloons_icons_colours_and_a_legend() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.kml");
    let (out, batch) = layer(&ROWS, system(4326, true), shown());
    write(&path, &out, &batch).unwrap();
    let text = std::fs::read_to_string(&path).unwrap();
    let order: Vec<usize> = [
        "<name>gates</name>",
        "<description>&lt;table&gt;",
        "<Style id=\"layer1-1\">",
        "<Schema ",
        "<Folder><name>(empty)</name>",
        "<Folder><name>flap</name>",
        "<name>flap no. 1</name><description>&lt;b&gt;1.5&lt;/b&gt; m</description><styleUrl>#layer1-1</styleUrl><ExtendedData>",
        "<name>flap no. 3</name>",
        "<Folder><name>weir</name>",
    ]
    .iter()
    .map(|t| text.find(t).unwrap_or_else(|| panic!("{t} in {text}")))
    .collect();
    assert!(order.windows(2).all(|w| w[0] < w[1]), "{order:?}");
    assert!(text.contains("<altitudeMode>relativeToGround</altitudeMode><coordinates>-123.8,46.2,3</coordinates>"));
    assert!(text.contains("<Icon><href>https://tern.example/flap.png</href></Icon>"));
    // The colour of the legend is the colour of the style, whose bytes stand the other way round.
    let style = text.split("<IconStyle><color>ff").nth(1).unwrap().get(..6).unwrap().to_string();
    let (b, g, r) = (&style[..2], &style[2..4], &style[4..]);
    assert!(text.contains(&format!("background:#{r}{g}{b}")), "{text}");
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!(r.column("folder"), ["gates/(empty)", "gates/flap", "gates/flap", "gates/weir"]);
    // The same rows make the same bytes.
    let again = folder.path().join("again.kml");
    write(&again, &out, &batch).unwrap();
    assert_eq!(
        text.replace("<name>a</name>", ""),
        std::fs::read_to_string(&again).unwrap().replace("<name>again</name>", "")
    );
}

#[test]
fn a_kmz_brings_its_icons_with_it() {
    let folder = tempfile::tempdir().unwrap();
    let icon = folder.path().join("flap.png");
    std::fs::write(&icon, b"\x89PNG not really").unwrap();
    let path = folder.path().join("a.kmz");
    let show =
        Presentation { icon: Some(Rule::new(icon.to_str().unwrap(), &names()).unwrap()), ..Presentation::default() };
    let (out, batch) = layer(&ROWS, system(4326, true), show);
    write(&path, &out, &batch).unwrap();
    let mut zip = zip::ZipArchive::new(std::fs::File::open(&path).unwrap()).unwrap();
    assert_eq!(zip.file_names().map(|n| n.unwrap().to_string()).collect::<Vec<_>>(), ["doc.kml", "icons/flap.png"]);
    let mut text = String::new();
    zip.by_index(0).unwrap().read_to_string(&mut text).unwrap();
    assert!(text.contains("<href>icons/flap.png</href>"));
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!((r.rows.len(), r.column("icon")[0]), (4, "icons/flap.png"));
}

#[test]
fn a_sheet_for_each_value_and_links() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.xlsx");
    let rows = [
        (Some("North/East"), Some(1.0), None, None),
        (Some("https://tern.example/gate?id=1"), Some(2.0), None, None),
        (Some("North/East"), Some(3.0), None, None),
        (None, Some(4.0), None, None),
    ];
    let show = Presentation { category: Some(0), ..Presentation::default() };
    let (out, batch) = layer(&rows, system(4326, true), show);
    let told = write(&path, &out, &batch).unwrap();
    assert!(told.iter().any(|t| t.contains("\"North/East\" is called \"North_East\"")), "{told:?}");
    let mut book: calamine::Xlsx<_> = calamine::open_workbook(&path).unwrap();
    assert_eq!(book.sheet_names(), ["North_East", "https___tern.example_gate_id=1", "(empty)", "About"]);
    let sheet = book.worksheet_range("North_East").unwrap();
    let widths: Vec<f64> = sheet.rows().skip(1).map(|r| r[1].to_string().parse().unwrap()).collect();
    assert_eq!(widths, [1.0, 3.0], "the rows of a value, in order, under the header");
    let mut zip = zip::ZipArchive::new(std::fs::File::open(&path).unwrap()).unwrap();
    let mut links = String::new();
    zip.by_name("xl/worksheets/_rels/sheet2.xml.rels").unwrap().read_to_string(&mut links).unwrap();
    assert!(links.contains("https://tern.example/gate?id=1"), "{links}");
}

#[test]
fn links_to_a_place_open_a_map_and_are_read_as_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.xlsx");
    let places = ["geo:46.2,-123.8", "geo:46.2,-123.8\"&WEBSERVICE(\"x\")", "geo:later"];
    let rows: Vec<common::Row> = places.iter().map(|t| (Some(*t), None, None, None)).collect();
    let (out, batch) = layer(&rows, system(4326, true), Presentation::default());
    write(&path, &out, &batch).unwrap();
    let mut zip = zip::ZipArchive::new(std::fs::File::open(&path).unwrap()).unwrap();
    let mut sheet = String::new();
    zip.by_name("xl/worksheets/sheet1.xml").unwrap().read_to_string(&mut sheet).unwrap();
    assert_eq!(sheet.matches("<f>").count(), 1, "what is no place is no formula: {sheet}");
    assert!(sheet.contains("HYPERLINK(\"geo:46.2,-123.8\")"), "{sheet}");
    let r = read(&path, &InputOptions::default()).unwrap();
    assert_eq!(r.column("name"), places);
}

#[test]
fn a_category_of_too_many_values_is_none() {
    let folder = tempfile::tempdir().unwrap();
    let texts: Vec<String> = (0..1001).map(|i| format!("v{i}")).collect();
    let rows: Vec<common::Row> = texts.iter().map(|t| (Some(t.as_str()), None, None, Some("POINT (1 2)"))).collect();
    let show = || Presentation { category: Some(0), ..Presentation::default() };
    for (name, part) in [("a.kml", "more than 500 values"), ("a.xlsx", "more than 250 values")] {
        let (out, batch) = layer(&rows, system(4326, true), show());
        let path = folder.path().join(name);
        assert!(write(&path, &out, &batch).unwrap_err().to_string().contains(part));
        assert!(!path.exists());
    }
}

#[test]
fn a_layer_joins_a_geopackage() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.gpkg");
    let add = |name: &str| -> Result<(), FormatError> {
        let (mut out, batch) = layer(&ROWS, system(2269, false), Presentation::default());
        out.name = name.into();
        let mut writer = append(&path, false)?;
        let encoder = writer.start_layer(&out)?;
        writer.write(encoder.encode(&batch))?;
        writer.end_layer()?;
        writer
            .finish(&RunAbout { date: "2026-11-26".into(), ..Default::default() }, &SetAsideTable::default())?
            .0
            .publish()
    };
    add("first").unwrap();
    // Another program's table, and its own number for the system.
    let connection = rusqlite::Connection::open(&path).unwrap();
    connection.execute_batch("CREATE TABLE theirs (id INTEGER); INSERT INTO theirs VALUES (7); UPDATE gpkg_contents SET last_change = '2020-01-01T00:00:00.000Z'").unwrap();
    drop(connection);
    add("second").unwrap();
    let message = add("FIRST").unwrap_err().to_string();
    assert!(message.contains("has a layer \"FIRST\" already"), "{message}");
    let connection = rusqlite::Connection::open(&path).unwrap();
    let one = |sql: &str| connection.query_row(sql, [], |r| r.get::<_, String>(0)).unwrap();
    assert_eq!(
        one("SELECT group_concat(table_name || ' ' || last_change, ', ') FROM gpkg_contents"),
        "first 2020-01-01T00:00:00.000Z, second 2026-11-26T00:00:00.000Z"
    );
    assert_eq!(one("SELECT CAST(count(*) AS TEXT) FROM rtree_second_geometry"), "3");
    assert_eq!(one("SELECT CAST(id AS TEXT) FROM theirs"), "7");
    assert_eq!(one("PRAGMA integrity_check"), "ok");
    drop(connection);
    std::fs::write(folder.path().join("a.gpkg-wal"), "x").unwrap();
    assert!(add("third").unwrap_err().to_string().contains("another program has it open"));
    std::fs::write(folder.path().join("b.gpkg"), "no database").unwrap();
    let message = append(&folder.path().join("b.gpkg"), false).err().unwrap().to_string();
    assert!(message.contains("GeoPackage"), "{message}");
    assert!(
        append(&folder.path().join("b.csv"), false)
            .err()
            .unwrap()
            .to_string()
            .contains("`append` adds to a GeoPackage")
    );
}
