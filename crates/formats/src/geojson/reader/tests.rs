use super::*;
use proptest::prelude::*;
use std::io::Write;

/// A file of its bytes.
fn file(bytes: &[u8]) -> tempfile::NamedTempFile {
    let mut file = tempfile::Builder::new().suffix(".geojson").tempfile().unwrap();
    file.write_all(bytes).unwrap();
    file
}

type Rows = (Vec<(u64, Vec<String>)>, Vec<SetAsideRow>);

/// The rows of a file, in the quick way, and with each feature read by the general parser.
fn both(bytes: &[u8]) -> Option<(Rows, Rows)> {
    struct Slow<'l>(&'l Layout, super::Rows, u64);
    impl<'a> Features<'a> for Slow<'_> {
        fn usual(&mut self, _: &mut Scanner<'a>) -> Option<()> {
            None
        }
        fn other(&mut self, text: &'a [u8]) {
            self.0.add(&mut self.1, self.2, text);
            self.2 += 1;
        }
    }
    let file = file(bytes);
    let mut reader = GeoJsonReader::open(file.path(), &InputOptions::default()).ok()?;
    let layout = reader.layout.clone();
    let (mut quick, mut slow) = (Rows::default(), Rows::default());
    let add = |rows: &mut Rows, decoded: Decoded| {
        let numbers = decoded.batch.source_rows().iter();
        rows.0.extend(numbers.enumerate().map(|(i, n)| (*n, decoded.batch.row_texts(i))));
        rows.1.extend(decoded.set_aside);
    };
    reader
        .read(&mut |block| {
            let Block::Raw { bytes, first } = &block else { unreachable!() };
            let mut all = Slow(&layout, layout.rows(), *first);
            pieces::walk(bytes, layout.sequence, &mut all);
            add(&mut slow, layout.finish(all.1, 0).unwrap());
            add(&mut quick, layout.decode(block).unwrap());
            true
        })
        .unwrap();
    Some((quick, slow))
}

/// A feature, mostly as they are, now and then broken.
fn feature() -> impl Strategy<Value = String> {
    let value = prop_oneof![
        Just("null".to_string()),
        Just("true".to_string()),
        "-?[0-9]{1,3}",
        "-?[0-9]{1,9}\\.[0-9]{1,12}",
        "-?[1-9]e-?[0-9]{1,2}",
        "[0-9]{17,21}",
        "\"[a-z\u{e4}\u{4e2d} ,:{}\\[\\]]{0,12}\"",
        "\"[a-z]{0,3}\\\\[nt\"u][a-z]{0,3}\"",
        Just("[1,\"a\"]".to_string()),
        Just("{\"in\":2,\"deep\":{\"er\":\"x\"}}".to_string()),
        Just("01".to_string()),
        Just("-0".to_string()),
    ];
    let property = ("[a-e]", value, "[ \n]?").prop_map(|(n, v, blank)| format!("\"{n}\"{blank}:{blank}{v}"));
    let geometry = prop_oneof![
        4 => "-?[0-9]{1,3}\\.[0-9]{1,9},[0-9]{1,2}(,[0-9]{1,3})?".prop_map(|c| format!("{{\"type\":\"Point\",\"coordinates\":[{c}]}}")),
        1 => Just("{\"coordinates\":[1,2],\"type\":\"Point\"}".to_string()),
        1 => Just("null".to_string()),
        1 => Just("{\"type\":\"LineString\",\"coordinates\":[[1,2],[3,4.5,6]]}".to_string()),
        1 => Just("{\"type\":\"Polygon\",\"coordinates\":[[[0,0],[1,0],[1,1],[0,0]]],\"bbox\":[0,0,1,1]}".to_string()),
        1 => Just("{\"type\":\"Point\",\"coordinates\":[1,\"x\"]}".to_string()),
        1 => Just("{\"type\":\"Point\",\"coordinates\":[1,2,]}".to_string()),
    ];
    let id = prop_oneof![3 => Just(String::new()), 1 => Just("\"id\":7,".to_string()), 1 => Just("\"id\":null,".to_string())];
    (id, geometry, prop::collection::vec(property, 0..5), 0..30u8).prop_map(|(id, geometry, properties, odd)| {
        let properties = properties.join(",");
        let whole = format!("{{\"type\":\"Feature\",{id}\"geometry\":{geometry},\"properties\":{{{properties}}}}}");
        match odd {
            0 => whole.replace("\"type\":\"Feature\",", ""),
            1 => whole.replace("Feature", "Fixture"),
            2 => whole.replace("\"properties\"", "\"geometry\""),
            3 => whole.replace("\"geometry\":", "\"extra\":[{\"a\":\"}\"}],\"geometry\":"),
            4 => format!("{},\"id\":\"late\"}}", &whole[..whole.len() - 1]),
            5 => whole.replacen(':', ";", 1),
            _ => whole,
        }
    })
}

proptest! {
    /// What is read the quick way is what the general parser reads.
    #[test]
    fn quick_or_by_the_general_parser(features in prop::collection::vec(feature(), 1..6), separator in 0..3u8) {
        let text = match separator {
            0 => format!("{{\"type\":\"FeatureCollection\",\"features\":[\n{}\n]}}", features.join(",\n")),
            1 => features.iter().map(|f| format!("{}\n", f.replace('\n', ""))).collect(),
            _ => features.iter().map(|f| format!("\u{1e}{f}\n")).collect(),
        };
        if let Some((quick, slow)) = both(text.as_bytes()) {
            prop_assert_eq!(&quick, &slow);
            prop_assert_eq!(quick.0.len() + quick.1.len(), features.len());
        }
    }
}

proptest! {
    /// Files that were cut or changed give rows, rows set aside or an error, the same in both ways, and no panic.
    #[test]
    fn damaged_files_do_no_harm(
        lines in any::<bool>(),
        cut in 0usize..1200,
        flips in prop::collection::vec((0usize..1000, any::<u8>()), 0..5),
        more in prop::collection::vec((0usize..1000, "[\\[\\]{}\",:\\\\\u{1e}\n]"), 0..3),
    ) {
        let features: Vec<String> = (0..4)
            .map(|n| format!(
                "{{\"type\":\"Feature\",\"id\":{n},\"geometry\":{{\"type\":\"LineString\",\"coordinates\":[[{n},1.25],[2,3.5]]}},\"properties\":{{\"name\":\"gate \\\"{n}\\\"\",\"in\":{{\"deep\":[{n}]}},\"n\":-{n}.5e1}}}}"
            ))
            .collect();
        let text = if lines {
            features.join("\n")
        } else {
            format!("{{\"type\":\"FeatureCollection\",\"features\":[{}],\"name\":\"x\"}}", features.join(",\n"))
        };
        let mut bytes = text.into_bytes();
        for (at, sign) in more {
            let at = at.min(bytes.len());
            bytes.splice(at..at, sign.bytes());
        }
        for (at, value) in flips {
            if let Some(b) = bytes.get_mut(at) {
                *b = value;
            }
        }
        bytes.truncate(cut);
        if let Some((quick, slow)) = both(&bytes) {
            prop_assert_eq!(quick, slow);
        }
    }
}

#[test]
fn the_quick_way_is_taken() {
    // Were it not, the comparison above would compare nothing.
    let names = Columns::new(vec![("a".into(), DataType::Int64), ("b".into(), DataType::Utf8)]);
    let mut row = Row::new(&names);
    let text =
        r#"{"type":"Feature","geometry":{"type":"Point","coordinates":[-123.8,46.2]},"properties":{"a":1,"b":"x"}}"#;
    assert!(row.read(&mut Scanner::new(text, 0), &names, true).is_some());
}

/// A sequence whose features take several lines each, as RFC 8142 lets them.
#[test]
fn features_of_several_lines_in_a_sequence() {
    let one = |n: u8| {
        format!(
            "\u{1e}{{\"type\":\"Feature\",\n \"geometry\":{{\"type\":\"Point\",\n\"coordinates\":[{n},2]}},\n\"properties\":{{\"a\":{n}}}}}\n"
        )
    };
    let (quick, slow) = both((one(1) + &one(2)).as_bytes()).unwrap();
    assert_eq!(quick, slow);
    assert_eq!(quick.0.iter().map(|(n, row)| (*n, row[0].as_str())).collect::<Vec<_>>(), [(1, "1"), (2, "2")]);
}

/// Features longer than the blocks in which a file is read, and such that lie across their edges.
#[test]
fn features_of_any_length() {
    let feature = |n: usize, length: usize| {
        let line = (0..length).map(|i| format!("[{},{}]", n, i % 80)).collect::<Vec<_>>().join(",");
        format!(
            "{{\"type\":\"Feature\",\"geometry\":{{\"type\":\"LineString\",\"coordinates\":[{line}]}},\"properties\":{{\"n\":{n}}}}}"
        )
    };
    let features: Vec<String> = (0..40).map(|n| feature(n, [3, 20_000, 90_000, 700][n % 4])).collect();
    for text in [
        format!("{{\"type\":\"FeatureCollection\",\"features\":[{}],\"name\":\"x\"}}", features.join(" ,\n ")),
        features.join("\n"),
    ] {
        let (quick, slow) = both(text.as_bytes()).unwrap();
        assert!(quick == slow);
        let expected: Vec<(u64, String)> = (0..40).map(|n| (n + 1, n.to_string())).collect();
        assert_eq!(quick.0.iter().map(|(n, row)| (*n, row[0].clone())).collect::<Vec<_>>(), expected);
    }
}

#[test]
fn where_a_file_is_broken() {
    let message = |text: &str| {
        let file = file(text.as_bytes());
        let e = GeoJsonReader::open(file.path(), &InputOptions::default()).err().unwrap().to_string();
        e.replace(&file.path().display().to_string(), "o.geojson")
    };
    let head = "{\"type\":\"FeatureCollection\",\n\"features\":[\n{\"type\":\"Feature\",\n\"geometry\":null}";
    insta::assert_snapshot!(message(&format!("{head},\n")), @"o.geojson, line 5: is not valid GeoJSON: it ends in the middle; the file was cut, get it again");
    insta::assert_snapshot!(message(&format!("{head},\n7]}}")), @"o.geojson, line 5: is not valid GeoJSON: one of its features is no object");
    insta::assert_snapshot!(message(&format!("{head}]}}\n\nmore")), @"o.geojson, line 6: is not valid GeoJSON: something stands behind the end");
    insta::assert_snapshot!(message("{\"type\":\"FeatureCollection\",\"features\":{}}"), @"o.geojson, line 1: is not valid GeoJSON: an array of features is expected");
    insta::assert_snapshot!(message("{\"type\":\"FeatureCollection\",\n\"crs\":nope,\"features\":[]}"), @r#"o.geojson, line 2: is not valid GeoJSON: the value of "crs" is not valid JSON"#);
}
