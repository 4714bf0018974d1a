//! GML: documents written by hand from the standards, of every version that is read, and what we write.

mod common;

use basilocus_formats::{InputOptions, Presentation, layers};
use common::{layer, read, read_bytes, system, write};
use proptest::prelude::*;

const GML32: &str = r##"<?xml version="1.0" encoding="UTF-8"?>
<wfs:FeatureCollection xmlns:wfs="http://www.opengis.net/wfs/2.0" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:t="http://tern.example/t" xmlns:o="http://tern.example/o" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" xmlns:xlink="http://www.w3.org/1999/xlink">
<gml:boundedBy><gml:Envelope srsName="urn:ogc:def:crs:EPSG::4326"><gml:lowerCorner>46 -124</gml:lowerCorner><gml:upperCorner>47 -123</gml:upperCorner></gml:Envelope></gml:boundedBy>
<wfs:member><t:Gate gml:id="g.1"><t:code>007</t:code><o:code>other</o:code><t:owner><t:Person><t:name>Ada</t:name></t:Person></t:owner><t:width uom="m">1.5</t:width><t:part xlink:href="#p"/><t:tag>a</t:tag><t:tag>b</t:tag><t:at><gml:Point gml:id="p1"><gml:pos>46.2 -123.8</gml:pos></gml:Point></t:at></t:Gate></wfs:member>
<wfs:member><t:Gate gml:id="g.2"><t:code>008</t:code><t:width xsi:nil="true" uom="m"/><t:at><gml:Point gml:id="p2" srsDimension="3"><gml:pos>46.3 -123.9 4.5</gml:pos></gml:Point></t:at></t:Gate></wfs:member>
<wfs:member><t:Gate gml:id="g.3"><t:at><gml:Point gml:id="p3" srsName="EPSG:2269"><gml:pos>46.3 -123.9</gml:pos></gml:Point></t:at></t:Gate></wfs:member>
<wfs:member><t:Gate gml:id="g.4"><t:at><gml:Point gml:id="p4"><gml:pos>x -123.9</gml:pos></gml:Point></t:at></t:Gate></wfs:member>
</wfs:FeatureCollection>"##;

fn north_first() -> InputOptions {
    InputOptions { north_first: Some(true), ..Default::default() }
}

#[test]
fn features_of_three_name_spaces_with_what_is_nested_in_them() {
    let r = read_bytes("a.gml", GML32.as_bytes(), &north_first()).unwrap();
    assert_eq!(
        r.names,
        ["gml_id", "code", "code_", "owner.Person.name", "width", "width.uom", "part", "tag", "geometry"],
        "of two names that differ in their space alone both are kept"
    );
    assert_eq!(r.rows[0], ["g.1", "007", "other", "Ada", "1.5", "m", "#p", "a; b", "-123.8 46.2"]);
    assert_eq!(r.rows[1], ["g.2", "008", "", "", "", "m", "", "", "-123.9 46.3 4.5"]);
    assert_eq!(r.crs.as_deref(), Some("EPSG:4326"));
    let reasons: Vec<(&str, &str)> = r.aside.iter().map(|a| (a.class.as_str(), a.reason.as_str())).collect();
    assert_eq!(reasons[0].0, "another system");
    assert!(reasons[0].1.contains("EPSG:2269") && reasons[1].1.contains("\"x\" is no number"), "{reasons:?}");
    // Who does not know the registry gets the positions as they stand.
    let r = read_bytes("a.gml", GML32.as_bytes(), &InputOptions::default()).unwrap();
    assert_eq!(r.rows[0][8], "46.2 -123.8");
}

/// A collection of features with one geometry each, in well-known text.
fn shapes(geometries: &[&str], version: &str) -> Vec<String> {
    let features: String =
        geometries.iter().map(|g| format!("<gml:featureMember><A><g>{g}</g></A></gml:featureMember>")).collect();
    let text = format!(
        "<gml:FeatureCollection xmlns:gml=\"http://www.opengis.net/gml{version}\">{features}</gml:FeatureCollection>"
    );
    let r = read_bytes("a.gml", text.as_bytes(), &InputOptions::default()).unwrap();
    assert!(r.aside.is_empty(), "{:?}", r.aside);
    r.column("geometry").into_iter().map(String::from).collect()
}

#[test]
fn geometry_of_the_profile() {
    let ring = |list: &str| format!("<gml:LinearRing><gml:posList>{list}</gml:posList></gml:LinearRing>");
    let polygon = format!(
        "<gml:Polygon><gml:exterior>{}</gml:exterior><gml:interior>{}</gml:interior></gml:Polygon>",
        ring("0 0 4 0 4 4 0 4 0 0"),
        ring("1 1 1 2 2 2 1 1")
    );
    let found = shapes(
        &[
            "<gml:LineString><gml:posList srsDimension='3'>0 0 1 1 1 2</gml:posList></gml:LineString>",
            "<gml:LineString><gml:pos>0 0</gml:pos><gml:pos>1 1</gml:pos></gml:LineString>",
            &polygon,
            &format!("<gml:MultiSurface><gml:surfaceMember>{polygon}</gml:surfaceMember></gml:MultiSurface>"),
            &format!(
                "<gml:Surface><gml:patches><gml:PolygonPatch><gml:exterior>{}</gml:exterior></gml:PolygonPatch></gml:patches></gml:Surface>",
                ring("0 0 1 0 1 1 0 0")
            ),
            "<gml:MultiPoint><gml:pointMembers><gml:Point><gml:pos>1 2</gml:pos></gml:Point><gml:Point><gml:pos>3 4</gml:pos></gml:Point></gml:pointMembers></gml:MultiPoint>",
            "<gml:Curve><gml:segments><gml:LineStringSegment><gml:posList>0 0 1 0</gml:posList></gml:LineStringSegment><gml:LineStringSegment><gml:posList>1 0 1 5</gml:posList></gml:LineStringSegment></gml:segments></gml:Curve>",
            "<gml:OrientableCurve orientation='-'><gml:baseCurve><gml:LineString><gml:posList>0 0 1 0</gml:posList></gml:LineString></gml:baseCurve></gml:OrientableCurve>",
            "<gml:MultiCurve><gml:curveMember><gml:LineString><gml:posList>0 0 1 0</gml:posList></gml:LineString></gml:curveMember></gml:MultiCurve>",
            "<gml:MultiGeometry><gml:geometryMember><gml:Point><gml:pos>1 2</gml:pos></gml:Point></gml:geometryMember><gml:geometryMember><gml:LineString><gml:posList>0 0 1 0</gml:posList></gml:LineString></gml:geometryMember></gml:MultiGeometry>",
            "<gml:Envelope><gml:lowerCorner>0 1</gml:lowerCorner><gml:upperCorner>2 3</gml:upperCorner></gml:Envelope>",
        ],
        "/3.2",
    );
    assert_eq!(
        found,
        [
            "LINESTRING Z (0 0 1, 1 1 2)",
            "LINESTRING (0 0, 1 1)",
            "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1))",
            "MULTIPOLYGON (((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1)))",
            "POLYGON ((0 0, 1 0, 1 1, 0 0))",
            "MULTIPOINT ((1 2), (3 4))",
            "LINESTRING (0 0, 1 0, 1 5)",
            "LINESTRING (1 0, 0 0)",
            "MULTILINESTRING ((0 0, 1 0))",
            "GEOMETRYCOLLECTION (POINT (1 2), LINESTRING (0 0, 1 0))",
            "POLYGON ((0 1, 2 1, 2 3, 0 3, 0 1))",
        ]
    );
    // The second version: tuples whose signs the element says, and corners by names.
    let found = shapes(
        &[
            "<gml:LineString><gml:coordinates>0,0 1,1</gml:coordinates></gml:LineString>",
            "<gml:Point><gml:coordinates cs=';' ts=' ' decimal=','>1,5;2,5</gml:coordinates></gml:Point>",
            "<gml:Polygon><gml:outerBoundaryIs><gml:LinearRing><gml:coordinates>0,0 1,0 1,1</gml:coordinates></gml:LinearRing></gml:outerBoundaryIs></gml:Polygon>",
            "<gml:Point><gml:coord><gml:X>7</gml:X><gml:Y>8</gml:Y></gml:coord></gml:Point>",
        ],
        "",
    );
    assert_eq!(
        found,
        ["LINESTRING (0 0, 1 1)", "POINT (1.5 2.5)", "POLYGON ((0 0, 1 0, 1 1, 0 0))", "POINT (7 8)"],
        "a ring that is left open is closed"
    );
}

#[test]
fn arcs_become_chords_and_say_so() {
    let text = "<gml:FeatureCollection xmlns:gml='http://www.opengis.net/gml'><gml:featureMember><A><g><gml:Curve><gml:segments><gml:Arc><gml:posList>5 0 0 5 -5 0</gml:posList></gml:Arc></gml:segments></gml:Curve></g></A></gml:featureMember></gml:FeatureCollection>";
    let r = read_bytes("a.gml", text.as_bytes(), &InputOptions::default()).unwrap();
    let line = r.rows[0][0].trim_start_matches("LINESTRING (").trim_end_matches(')');
    let radii: Vec<f64> = line
        .split(", ")
        .map(|p| p.split_once(' ').unwrap())
        .map(|(x, y)| x.parse::<f64>().unwrap().hypot(y.parse().unwrap()))
        .collect();
    assert_eq!(radii.len(), 91);
    assert!(radii.iter().all(|r| (r - 5.0).abs() < 1e-9));
    assert!(r.notes.iter().any(|n| n.contains("arcs are drawn as chords")), "{:?}", r.notes);
}

#[test]
fn each_type_of_feature_is_a_layer() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("two.gml");
    let text = "<c xmlns:gml='http://www.opengis.net/gml'><gml:featureMembers><Gate><n>1</n></Gate><Road><n>2</n></Road><Gate><n>3</n></Gate></gml:featureMembers></c>";
    // The outermost element is of nobody's name space; the ending does not decide, so it is XML that repeats elements.
    std::fs::write(&path, text.replace("<c ", "<gml:FeatureCollection ").replace("</c>", "</gml:FeatureCollection>"))
        .unwrap();
    assert_eq!(layers(&path).unwrap(), ["Gate", "Road"]);
    assert!(read(&path, &InputOptions::default()).unwrap_err().contains("choose one with `layer`: Gate, Road"));
    let of = |name: &str| read(&path, &InputOptions { layer: Some(name.into()), ..Default::default() });
    assert_eq!(of("gate").unwrap().rows, [["1"], ["3"]]);
    assert!(of("Lake").unwrap_err().contains("no layer \"Lake\""));
}

#[test]
fn what_is_written_is_read_back_and_turned_as_the_registry_has_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out put.gml");
    let rows = [
        (Some("a & b"), Some(1.25), Some(7), Some("POINT Z (-123.8 46.2 4.5)")),
        (None, None, Some(-1), Some("POLYGON ((0 0, 0 4, 4 4, 4 0, 0 0), (1 1, 2 2, 1 2, 1 1))")),
        (Some("c"), Some(2.0), None, Some("MULTILINESTRING ((0 0, 1 1), (2 2, 3 3))")),
        (Some("d"), None, None, Some("GEOMETRYCOLLECTION (POINT (1 2), MULTIPOINT ((3 4), (5 6)))")),
        (Some("e"), None, None, None),
    ];
    let (out, batch) = layer(&rows, system(4326, true), Presentation::default());
    let told = write(&path, &out, &batch).unwrap();
    assert!(told[0].contains("out put.xsd"), "{told:?}");
    let text = std::fs::read_to_string(&path).unwrap();
    assert!(text.contains(
        "srsName=\"http://www.opengis.net/def/crs/EPSG/0/4326\" srsDimension=\"3\"><gml:pos>46.2 -123.8 4.5"
    ));
    assert!(text.contains("xsi:schemaLocation=\"urn:x-basilocus:out_put out%20put.xsd\""), "{text}");
    let schema = std::fs::read_to_string(path.with_extension("xsd")).unwrap();
    assert!(schema.contains("<element name=\"count\" type=\"long\" minOccurs=\"0\"/>"), "{schema}");
    assert!(schema.contains("<element name=\"geometry\" type=\"gml:GeometryPropertyType\""));
    let r = read(&path, &north_first()).unwrap();
    assert_eq!(r.column("name"), ["a & b", "", "c", "d", "e"]);
    assert_eq!(r.column("count"), ["7", "-1", "", "", ""]);
    let expected = [
        "POINT Z (-123.8 46.2 4.5)",
        // The outer ring against the clock, the inner one with it.
        "POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1))",
        "MULTILINESTRING ((0 0, 1 1), (2 2, 3 3))",
        "GEOMETRYCOLLECTION (POINT (1 2), MULTIPOINT ((3 4), (5 6)))",
        "",
    ];
    assert_eq!(r.column("geometry"), expected);
    // Every identifier is there once, as XML wants it; rows that were one in the source too.
    let (out, batch) = layer(&rows, system(4326, true), Presentation::default());
    let batch = basilocus_table::Batch::of(batch.into_parts().0, vec![1, 1, 1, 2, 2]).unwrap();
    write(&path, &out, &batch).unwrap();
    let text = std::fs::read_to_string(&path).unwrap();
    let mut ids: Vec<&str> = text.split("gml:id=\"").skip(1).map(|t| t.split('"').next().unwrap()).collect();
    let all = ids.len();
    ids.sort_unstable();
    ids.dedup();
    assert_eq!(ids.len(), all);
}

#[test]
fn what_cannot_be_written_is_refused_or_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.gml");
    let rows = [(Some("a"), None, None, Some("LINESTRING Z (0 0 1, 1 1 2)"))];
    let mut own = system(4326, true);
    own.code = None;
    let (out, batch) = layer(&rows, own, Presentation::default());
    assert!(write(&path, &out, &batch).unwrap_err().to_string().contains("names its system by a code"));
    assert!(!path.exists() && !path.with_extension("xsd").exists());
    let mut unknown = system(2193, false);
    unknown.north_first = None;
    let (out, batch) = layer(&rows, unknown, Presentation::default());
    let told = write(&path, &out, &batch).unwrap();
    assert!(told.iter().any(|t| t.contains("easting first, under the older form")), "{told:?}");
    assert!(std::fs::read_to_string(&path).unwrap().contains("epsg.xml#2193"));
}

/// The widely spread parser of another language agrees that what we write is well-formed, where it is there.
#[test]
fn another_parser_reads_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.gml");
    let (out, batch) = layer(
        &[(Some("<&>\"'\u{1}ü"), Some(1.0), None, Some("POINT (1 2)"))],
        system(4326, true),
        Presentation::default(),
    );
    write(&path, &out, &batch).unwrap();
    let script = "import sys,xml.etree.ElementTree as e\nfor f in sys.argv[1:]: print(len(list(e.parse(f).iter())))";
    let files = [path.clone(), path.with_extension("xsd")];
    match std::process::Command::new("python3").arg("-c").arg(script).args(&files).output() {
        Ok(o) => assert!(o.status.success(), "{}", String::from_utf8_lossy(&o.stderr)),
        Err(_) => eprintln!("no python3 here: the other parser was not asked"),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn damaged_documents_do_no_harm(cut in 0usize..4000, flips in prop::collection::vec((0usize..4000, any::<u8>()), 0..6)) {
        let mut bytes = GML32.as_bytes().to_vec();
        for (at, bits) in flips {
            let n = bytes.len();
            bytes[at % n] ^= bits;
        }
        bytes.truncate(cut.max(1));
        let _ = read_bytes("a.gml", &bytes, &north_first());
    }
}
