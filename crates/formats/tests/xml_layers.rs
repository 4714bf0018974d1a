//! KML and GPX: documents written by hand from the standards, and what we write as another XML reader sees it.

mod common;

use arrow_array::{ArrayRef, BinaryArray, BooleanArray, Float64Array, StringArray};
use arrow_schema::{DataType, Field, Schema};
use basilocus_formats::{ColumnStyle, CrsText, InputOptions, LayerOut, RunAbout, SetAsideTable, create, layers, open};
use basilocus_table::geometry::{geometry_field, wkb, wkt};
use basilocus_table::{Batch, SetAsideRow};
use proptest::prelude::*;
use std::path::Path;
use std::sync::Arc;

#[allow(clippy::type_complexity)]
fn read(path: &Path, layer: Option<&str>) -> Result<(Vec<String>, Vec<Vec<String>>, Vec<SetAsideRow>), String> {
    let options = InputOptions { layer: layer.map(String::from), ..Default::default() };
    let mut reader = open(path, &options).map_err(|e| e.to_string())?;
    let names = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    let decoder = reader.decoder();
    let (mut rows, mut aside) = (Vec::new(), Vec::new());
    reader
        .read(&mut |block| {
            let d = decoder.decode(block).unwrap();
            rows.extend((0..d.batch.len()).map(|r| d.batch.row_texts(r)));
            aside.extend(d.set_aside);
            true
        })
        .map_err(|e| e.to_string())?;
    Ok((names, rows, aside))
}

const KML: &str = r##"<?xml version="1.0" encoding="UTF-8"?>
<kml xmlns="http://www.opengis.net/kml/2.2" xmlns:gx="http://www.google.com/kml/ext/2.2">
<Document><name>Tern Estuary</name>
<Style id="gate"><IconStyle><Icon><href>gate.png</href></Icon></IconStyle></Style>
<StyleMap id="map"><Pair><key>normal</key><styleUrl>#gate</styleUrl></Pair></StyleMap>
<Folder><name>Gates</name><Folder><name>North</name>
<Placemark><name>TG-01 &amp; co</name><description><![CDATA[<b>top</b> hung]]></description><styleUrl>#map</styleUrl>
<TimeStamp><when>2026-11-20</when></TimeStamp>
<ExtendedData><Data name="width"><value>1.5</value></Data><Data name="code"><value>01234</value></Data></ExtendedData>
<Point><coordinates> -123.8,46.2,4.5 </coordinates></Point></Placemark></Folder>
<Placemark><name>pond</name><Polygon><outerBoundaryIs><LinearRing><coordinates>0,0 4,0 4,4 0,4</coordinates></LinearRing></outerBoundaryIs>
<innerBoundaryIs><LinearRing><coordinates>1,1 1,2 2,2 1,1</coordinates></LinearRing></innerBoundaryIs></Polygon></Placemark></Folder>
<Placemark><name>both</name><MultiGeometry><LineString><coordinates>0,0 1,1</coordinates></LineString><LineString><coordinates>2,2 3,3</coordinates></LineString></MultiGeometry></Placemark>
<Placemark><name>walk</name><gx:Track><when>2026-11-20T10:00:00Z</when><when>2026-11-20T11:00:00Z</when><gx:coord>-123.8 46.2 1</gx:coord><gx:coord>-123.7 46.2 2</gx:coord></gx:Track></Placemark>
<Placemark><name>nowhere</name></Placemark>
<Placemark><name>wrong</name><Point><coordinates>46,2;-123,8</coordinates></Point></Placemark>
</Document></kml>"##;

/// The rows of each block that a file is read in.
fn blocks(path: &Path) -> Vec<usize> {
    let mut reader = open(path, &InputOptions::default()).unwrap();
    let decoder = reader.decoder();
    let mut rows = Vec::new();
    reader
        .read(&mut |block| {
            rows.push(decoder.decode(block).unwrap().batch.len());
            true
        })
        .unwrap();
    rows
}

#[test]
fn blocks_of_long_rows_have_few_of_them() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("fat.kml");
    let ring: String = (0..5_000).map(|i| format!("{},{} ", -123.0 + f64::from(i) / 1e6, 46 + i % 7)).collect();
    let placemark = format!("<Placemark><LineString><coordinates>{ring}</coordinates></LineString></Placemark>");
    std::fs::write(&path, format!("<kml><Document>{}</Document></kml>", placemark.repeat(100))).unwrap();
    let fat = blocks(&path);
    assert_eq!(fat.iter().sum::<usize>(), 100);
    assert!(fat.iter().all(|rows| *rows <= 30), "some 160 kB a row: {fat:?}");
    let slim = "<Placemark><Point><coordinates>-123,46</coordinates></Point></Placemark>".repeat(100);
    std::fs::write(&path, format!("<kml><Document>{slim}</Document></kml>")).unwrap();
    assert_eq!(blocks(&path), [100]);
}

#[test]
fn a_placemark_in_a_schema_is_a_row_too() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("m.kml");
    let placemark = |name: &str| {
        format!("<Placemark><name>{name}</name><Point><coordinates>-123,46</coordinates></Point></Placemark>")
    };
    let text = format!("<kml><Document><Schema>{}</Schema>{}</Document></kml>", placemark("in"), placemark("out"));
    std::fs::write(&path, text).unwrap();
    let (_, rows, aside) = read(&path, None).unwrap();
    assert_eq!((rows.len(), aside.len()), (2, 0));
}

#[test]
fn placemarks_with_their_folders_data_and_geometry() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("estuary.kml");
    std::fs::write(&path, KML).unwrap();
    let (names, rows, aside) = read(&path, None).unwrap();
    assert_eq!(names, ["name", "description", "folder", "time", "width", "code", "begin", "end", "icon", "geometry"]);
    assert_eq!(
        rows[0],
        [
            "TG-01 & co",
            "<b>top</b> hung",
            "Gates/North",
            "2026-11-20",
            "1.5",
            "01234",
            "",
            "",
            "gate.png",
            "POINT Z (-123.8 46.2 4.5)"
        ]
    );
    let shapes: Vec<(&str, &str, &str)> = rows.iter().map(|r| (r[0].as_str(), r[2].as_str(), r[9].as_str())).collect();
    assert_eq!(
        shapes[1..],
        [
            ("pond", "Gates", "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1))"),
            ("both", "", "MULTILINESTRING ((0 0, 1 1), (2 2, 3 3))"),
            ("walk", "", "LINESTRING Z (-123.8 46.2 1, -123.7 46.2 2)"),
            ("nowhere", "", ""),
        ]
    );
    assert_eq!(rows[3][6..8], ["2026-11-20T10:00:00Z", "2026-11-20T11:00:00Z"], "a track has its times");
    assert_eq!((aside.len(), aside[0].source_row), (1, 6));
    assert!(aside[0].reason.contains("46,2;-123,8"), "{}", aside[0].reason);
}

const GPX: &str = r#"<?xml version="1.0"?><gpx version="1.1" creator="hand" xmlns="http://www.topografix.com/GPX/1/1">
<metadata><name>survey</name></metadata>
<wpt lat="46.2" lon="-123.8"><ele>4.5</ele><time>2026-11-20T10:00:00Z</time><name>TG-01</name><extensions><a:depth xmlns:a="b">2.5</a:depth></extensions></wpt>
<wpt lat="96.2" lon="-123.8"><name>TG-02</name></wpt>
<rte><name>round</name><rtept lat="1" lon="2"/><rtept lat="3" lon="4"/></rte>
<trk><name>walk</name><trkseg><trkpt lat="1" lon="2"><ele>3</ele></trkpt><trkpt lat="4" lon="5"><ele>6</ele></trkpt></trkseg><trkseg><trkpt lat="7" lon="8"/><trkpt lat="9" lon="10"/></trkseg></trk>
</gpx>"#;

#[test]
fn way_points_routes_and_tracks() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("survey.gpx");
    std::fs::write(&path, GPX).unwrap();
    assert_eq!(layers(&path).unwrap(), ["way-points", "tracks", "routes", "positions-of-tracks"]);
    let (names, rows, aside) = read(&path, None).unwrap();
    assert_eq!(names, ["ele", "time", "name", "depth", "geometry"]);
    assert_eq!(rows, [["4.5", "2026-11-20T10:00:00Z", "TG-01", "2.5", "-123.8 46.2 4.5"]]);
    assert!(aside[0].reason.contains("lat=\"96.2\""), "{}", aside[0].reason);
    let (_, rows, _) = read(&path, Some("routes")).unwrap();
    assert_eq!(rows, [["round", "LINESTRING (2 1, 4 3)"]]);
    let (_, rows, _) = read(&path, Some("tracks")).unwrap();
    assert_eq!(rows[0][1].split_once(", (").unwrap().1, "8 7 NaN, 10 9 NaN))", "heights where there are any");
    let (names, rows, _) = read(&path, Some("positions-of-tracks")).unwrap();
    assert_eq!(names, ["track", "segment", "ele", "geometry"]);
    assert_eq!((rows.len(), rows[2].join(" ").as_str()), (4, "walk 2  8 7"));
    // What a point says under the name of a column that is made stands beside it.
    let [bare, own] = ["/>", "><extensions><track>T9</track></extensions></trkpt>"]
        .map(|end| format!("<trkpt lat=\"7\" lon=\"8\"{end}"));
    let own = GPX.replacen(&bare, &own, 1);
    assert_ne!(own, GPX);
    std::fs::write(&path, own).unwrap();
    let (_, rows, _) = read(&path, Some("positions-of-tracks")).unwrap();
    assert_eq!(rows[2][0], "walk; T9");
    assert!(
        read(&path, Some("roads")).unwrap_err().contains("it has: way-points, tracks, routes, positions-of-tracks")
    );
}

const RSS: &str = r#"<?xml version="1.0"?><rss version="2.0" xmlns:georss="http://www.georss.org/georss" xmlns:gml="http://www.opengis.net/gml"><channel><title>Tern gauges</title>
<item><title>High water</title><guid isPermaLink="false">g-01</guid><category>level</category><category>alert</category><georss:point>46.2 -123.8</georss:point><gauge><id>017</id><value unit="m">2.5</value></gauge></item>
<item><title>Low water</title><guid isPermaLink="false">g-02</guid><georss:where><gml:Point><gml:pos>46.1 -123.7</gml:pos></gml:Point></georss:where></item>
<item><title>Swapped</title><georss:point>-123.8 46.2</georss:point></item>
<item><title>Nowhere</title></item>
</channel></rss>"#;

#[test]
fn feeds_are_tables_with_positions() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("alerts.xml");
    std::fs::write(&path, RSS).unwrap();
    assert_eq!(layers(&path).unwrap(), ["rss/channel/item", "rss/channel/item/guid"]);
    let (names, rows, aside) = read(&path, None).unwrap();
    assert_eq!(
        names,
        ["title", "guid", "guid.isPermaLink", "category", "gauge.id", "gauge.value", "gauge.value.unit", "geometry"]
    );
    assert_eq!(rows[0], ["High water", "g-01", "false", "level; alert", "017", "2.5", "m", "-123.8 46.2"]);
    assert_eq!(rows[1][7], "-123.7 46.1");
    let why: Vec<(u64, &str)> = aside.iter().map(|a| (a.source_row, a.reason.as_str())).collect();
    assert_eq!(why[0].0, 3);
    assert!(why[0].1.contains("the first number is a latitude"), "{}", why[0].1);
    assert_eq!((why.len(), rows[2][7].as_str()), (1, ""), "an item without a place is a row without a geometry");
    // A ring with a hole, a system that feeds do not have, and names that are GeoRSS's in another name space.
    let item = |inside: &str| format!("<item>{inside}</item>");
    let polygon = item(
        "<g:where><m:Polygon><m:exterior><m:LinearRing><m:posList>0 0 0 4 4 4 0 0</m:posList></m:LinearRing></m:exterior><m:interior><m:LinearRing><m:posList>1 1 1 2 2 2 1 1</m:posList></m:LinearRing></m:interior></m:Polygon></g:where>",
    );
    let other = item("<g:where><m:Point srsName='EPSG:2269'><m:pos>7 9</m:pos></m:Point></g:where>");
    let bus = item("<line>12</line><point>5</point>");
    std::fs::write(&path, format!("<rss xmlns:g='http://www.georss.org/georss' xmlns:m='http://www.opengis.net/gml'><channel>{polygon}{other}{bus}</channel></rss>")).unwrap();
    let (names, rows, aside) = read(&path, None).unwrap();
    assert_eq!(names, ["line", "point", "geometry"]);
    assert_eq!(rows, [["", "", "POLYGON ((0 0, 4 0, 4 4, 0 0), (1 1, 2 1, 2 2, 1 1))"], ["12", "5", ""]]);
    assert!(aside[0].reason.contains("EPSG:2269"), "{}", aside[0].reason);
    // Rows are those of one path; the same name elsewhere is something else.
    std::fs::write(&path, "<a><x><row n='1'/><row n='2'/></x><y><row n='3'/></y></a>").unwrap();
    assert_eq!(read(&path, None).unwrap().1, [["1"], ["2"]]);
    // Any XML, with the element that is a row chosen by its name.
    std::fs::write(&path, "<survey><site n='1'><reading at='10:00'>2.5</reading><reading at='11:00'>2.7</reading></site><site n='2'><reading at='10:00'>1</reading></site></survey>").unwrap();
    let (names, rows, _) = read(&path, None).unwrap();
    assert_eq!((names.as_slice(), rows.len()), (["n", "reading", "reading.at"].map(String::from).as_slice(), 2));
    assert_eq!(rows[0], ["1", "2.5; 2.7", "10:00; 11:00"]);
    let (names, rows, _) = read(&path, Some("reading")).unwrap();
    assert_eq!(names, ["at", "reading"]);
    assert_eq!(rows, [["10:00", "2.5"], ["11:00", "2.7"], ["10:00", "1"]]);
    assert!(read(&path, Some("gauge")).unwrap_err().contains("survey/site, survey/site/reading"));
}

#[test]
fn what_we_write_is_in_the_order_of_the_schema() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out.kml");
    let schema = Arc::new(Schema::new(vec![
        Field::new("label <1>", DataType::Utf8, true),
        Field::new("width", DataType::Float64, true),
        Field::new("open", DataType::Boolean, true),
        geometry_field(Some("EPSG:4326")),
    ]));
    let shapes =
        [Some("POINT Z (1 2 3.25)"), Some("MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))"), None];
    let columns: Vec<ArrayRef> = vec![
        Arc::new(StringArray::from(vec![Some("a & b"), None, Some("c")])),
        Arc::new(Float64Array::from(vec![1.25, 2.0, 3.0])),
        Arc::new(BooleanArray::from(vec![Some(true), None, Some(false)])),
        Arc::new(shapes.iter().map(|s| s.map(|s| wkb::write(&wkt::read(s).unwrap()))).collect::<BinaryArray>()),
    ];
    let batch = Batch::new(schema.clone(), columns, vec![1, 2, 3]).unwrap();
    let mut writer = create(&path, true).unwrap();
    for name in ["gates", "culverts"] {
        let mut styles = vec![ColumnStyle { digits: None, longest: None }; 4];
        styles[1].digits = Some(2);
        let crs = CrsText {
            code: Some(4326),
            name: "WGS 84".into(),
            wkt: String::new(),
            wkt2: None,
            geographic: true,
            north_first: Some(true),
        };
        let layer =
            LayerOut { name: name.into(), schema: schema.clone(), styles, crs: Some(crs), show: Default::default() };
        let encoder = writer.start_layer(&layer).unwrap();
        writer.write(encoder.encode(&batch)).unwrap();
        writer.end_layer().unwrap();
    }
    writer.finish(&RunAbout::default(), &SetAsideTable::default()).unwrap().0.publish().unwrap();
    let text = std::fs::read_to_string(&path).unwrap();
    // In the schema a document has its name, then schemas, then features; a placemark its data before its geometry.
    let order: Vec<usize> = ["<name>gates", "<Schema ", "<Placemark>", "<ExtendedData>", "<Point>", "<name>culverts"]
        .iter()
        .map(|t| text.find(t).unwrap_or_else(|| panic!("{t}")))
        .collect();
    assert!(order.windows(2).all(|w| w[0] < w[1]), "{order:?}");
    assert!(text.contains("<SimpleField type=\"double\" name=\"width\">"));
    assert!(text.contains("<altitudeMode>absolute</altitudeMode><coordinates>1,2,3.25</coordinates>"));
    let (names, rows, _) = read(&path, None).unwrap();
    assert_eq!(names, ["name", "folder", "label <1>", "width", "open", "geometry"]);
    assert_eq!(rows.len(), 6);
    assert_eq!(rows[0], ["a & b", "gates", "a & b", "1.25", "true", shapes[0].unwrap()]);
    assert_eq!(rows[4], ["", "culverts", "", "2.00", "", shapes[1].unwrap()]);
}

#[test]
fn colours_and_balloons_of_styles() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("styled.kml");
    std::fs::write(&path, "<kml><Document><Style id='s'><LineStyle><color>7f0000ff</color></LineStyle><BalloonStyle><text>$[name]: $[width] m</text></BalloonStyle></Style><Placemark><name>a</name><styleUrl>#s</styleUrl><ExtendedData><Data name='width'><value>2</value></Data></ExtendedData><Point><coordinates>1,2</coordinates></Point></Placemark><Placemark><name>b</name><styleUrl>#s</styleUrl><Style><IconStyle><color>ff00ff00</color></IconStyle></Style><Point><coordinates>1,2</coordinates></Point></Placemark></Document></kml>").unwrap();
    let (names, rows, _) = read(&path, None).unwrap();
    assert_eq!(names, ["name", "width", "color", "balloon", "geometry"]);
    assert_eq!(rows[0][2..4], ["#FF0000", "a: 2 m"]);
    assert_eq!(rows[1][2..4], ["#00FF00", "b:  m"], "its own style counts more than the shared one");
}

/// A style behind the placemark that uses it.
#[test]
fn icons_are_found_wherever_their_style_stands() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("late.kml");
    std::fs::write(&path, "<kml><Document><Placemark><styleUrl>#s</styleUrl><Point><coordinates>1,2</coordinates></Point></Placemark><Style id='s'><IconStyle><Icon><href>late.png</href></Icon></IconStyle></Style></Document></kml>").unwrap();
    let (names, rows, _) = read(&path, None).unwrap();
    assert_eq!(
        (names.as_slice(), rows[0][0].as_str()),
        (["icon", "geometry"].map(String::from).as_slice(), "late.png")
    );
}

#[test]
fn other_documents_are_named() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.kml");
    for (text, part) in [
        ("<html><body/></html>", "is a web page"),
        ("<ServiceExceptionReport/>", "is what a service answers when it refuses"),
        ("<g:Point xmlns:g='http://www.opengis.net/gml/3.2'/>", "the collection holds no feature"),
        ("<list><one/></list>", "no element of the document is there more than once"),
        ("<kml><Document>", "the file was cut"),
        ("<kml><Document/></kml>", "no Placemark"),
        ("<kml><Document><Style><Placemark/></Style></Document></kml>", "take it out of there"),
        ("<gpx/>", "no way point, route or track"),
        ("<<<", "begins as XML does and is none"),
    ] {
        std::fs::write(&path, text).unwrap();
        let message = read(&path, None).unwrap_err();
        assert!(message.contains(part), "{text}: {message}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn damaged_documents_do_no_harm(kml in any::<bool>(), cut in 0usize..3000, flips in prop::collection::vec((0usize..3000, any::<u8>()), 0..6)) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.xml");
        let mut bytes = if kml { KML } else { GPX }.as_bytes().to_vec();
        for (at, bits) in flips {
            let n = bytes.len();
            bytes[at % n] ^= bits;
        }
        bytes.truncate(cut.max(1));
        std::fs::write(&path, bytes).unwrap();
        let _ = read(&path, None);
        let _ = read(&path, Some("tracks"));
    }
}

/// More placemarks than travel together, so that several threads read them: with folders that change, go and come again, styles
/// behind them, geometry of other kinds and columns that only late ones have, and one that cannot be read.
#[test]
fn many_placemarks_keep_their_order_their_folders_and_their_columns() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("many.kml");
    let (many, each) = (12_000, 500);
    let mut text = String::from(
        "<?xml version='1.0'?>\n<k:kml xmlns:k='http://www.opengis.net/kml/2.2'><k:Document><k:name>all</k:name>",
    );
    for i in 0..many {
        if i % each == 0 {
            // Every third stretch is in no folder.
            let name = match i / each % 3 {
                2 => "<!-- <Placemark>no</Placemark> -->".to_string(),
                _ => format!("<k:Folder><k:name>reach {}</k:name>", i / each),
            };
            text.push_str(&name);
        }
        let late = if i == many - 2 {
            "<k:ExtendedData><k:Data name='late'><k:value>yes</k:value></k:Data></k:ExtendedData>"
        } else {
            ""
        };
        let at = match i {
            7 => "<k:Point><k:coordinates>nowhere</k:coordinates></k:Point>".to_string(),
            8 => "<k:LineString><k:coordinates>1,2 3,4</k:coordinates></k:LineString>".to_string(),
            _ => format!("<k:Point><k:coordinates>{},{}</k:coordinates></k:Point>", f64::from(i) / 100.0, 45),
        };
        text.push_str(&format!(
            "<k:Placemark id='>{i}'><k:name>gate {i} &amp; <![CDATA[</Placemark>]]></k:name><k:styleUrl>#s</k:styleUrl>{late}{at}</k:Placemark>\n"
        ));
        if i % each == each - 1 && i / each % 3 != 2 {
            text.push_str("</k:Folder>");
        }
    }
    text.push_str("<k:Style id='s'><k:IconStyle><k:Icon><k:href>late.png</k:href></k:Icon></k:IconStyle></k:Style></k:Document></k:kml>");
    std::fs::write(&path, &text).unwrap();
    let all = common::read(&path, &InputOptions::default()).unwrap();
    assert_eq!(all.names, ["name", "folder", "late", "icon", "geometry"]);
    assert_eq!(all.rows.len(), many as usize - 1);
    assert_eq!(all.aside.iter().map(|r| r.source_row).collect::<Vec<_>>(), [8]);
    assert!(all.aside[0].values[1] == "reach 0", "{:?}", all.aside[0]);
    let rows: Vec<u64> = (1..=many as u64).filter(|n| *n != 8).collect();
    assert_eq!(all.numbers, rows);
    for (row, number) in all.rows.iter().zip(&all.numbers) {
        let i = number - 1;
        let reach = if i / each as u64 % 3 == 2 { String::new() } else { format!("reach {}", i / each as u64) };
        assert_eq!((row[0].as_str(), row[1].as_str()), (format!("gate {i} & </Placemark>").as_str(), reach.as_str()));
        assert_eq!((row[2].as_str(), row[3].as_str()), (if i == many as u64 - 2 { "yes" } else { "" }, "late.png"));
    }
    // What is broken in one of them is said with its place in the file, and so is what is broken around them.
    let at = text.rfind("<k:value>").unwrap();
    let broken = format!("{}{}", &text[..at], text[at..].replacen("</k:value>", "</k:valve>", 1));
    let around = text.replacen("</k:Document></k:kml>", "</k:kml>", 1);
    for (text, sign) in [(broken, at), (around.clone(), around.len())] {
        std::fs::write(&path, text).unwrap();
        let told = common::read(&path, &InputOptions::default()).unwrap_err();
        let place: usize = told.rsplit_once("(after ").unwrap().1.trim_end_matches(" bytes)").parse().unwrap();
        assert!(told.contains("not well-formed XML") && place.abs_diff(sign) < 40, "{told}; {sign}");
    }
}
