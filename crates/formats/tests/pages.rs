//! Tables of web pages as browsers save them.
#![cfg(feature = "pages")]

mod common;

use basilocus_formats::{InputOptions, layers};
use common::read_bytes;

const PAGE: &str = r#"<!DOCTYPE html>
<html><head><meta charset="utf-8"><title>Gates</title><script>var x = "<table><tr><td>no</td></tr></table>";</script></head>
<body><table class="layout"><tr><td>Menu</td></tr></table>
<table><caption>Tide gates</caption>
<thead><tr><th rowspan="2">Gate</th><th colspan="2">Position</th><th></th><th rowspan="2">Owner</th></tr>
<tr><th>Latitude</th><th>Longitude</th><th></th></tr></thead>
<tbody><tr><td colspan="5">North district</td></tr>
<tr><td><a href="/g/1">G-1</a></td><td>46&deg;12'00"N</td><td>-123.8</td><td></td><td rowspan=2>Tern &amp; Board</td></tr>
<tr><td>G-2</td><td>46.21</td><td>-123.79</td><td></td></tr>
<tr><th rowspan="1">Gate</th><th>Latitude</th><th>Longitude</th><th></th><th>Owner</th></tr>
<tr><td>G-3<td>46.22<td>-123.78<td><td>Mühle
<tr><td>G-4<td>46.22
<tr><td><td><td><td><td>
</tbody></table>
<table><tr><th>id<th>level<tr><td>1<td>2.5<tr><td>2<td>2.7</table></body></html>"#;

fn of(layer: Option<&str>) -> InputOptions {
    InputOptions { layer: layer.map(String::from), ..Default::default() }
}

#[test]
fn a_table_is_chosen_by_its_caption_or_number() {
    let message = read_bytes("a.html", PAGE.as_bytes(), &of(None)).unwrap_err();
    assert!(message.contains("`layer`: Tide gates, table 2"), "{message}");
    for layer in ["table 2", "2", "Table 2"] {
        let r = read_bytes("a.html", PAGE.as_bytes(), &of(Some(layer))).unwrap();
        assert_eq!((r.names.clone(), r.rows.len()), (vec!["id".to_string(), "level".into()], 2), "{layer}");
    }
    let message = read_bytes("a.html", PAGE.as_bytes(), &of(Some("weirs"))).unwrap_err();
    assert!(message.contains("there is no table \"weirs\"; it has: Tide gates, table 2"), "{message}");
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.htm");
    std::fs::write(&path, PAGE).unwrap();
    assert_eq!(layers(&path).unwrap(), ["Tide gates", "table 2"]);
    let message = read_bytes("b.html", b"<html><body>Hello</body></html>", &of(None)).unwrap_err();
    assert!(message.contains("is a web page without a table"), "{message}");
}

#[test]
fn merged_headers_headings_and_blanks() {
    let r = read_bytes("a.html", PAGE.as_bytes(), &of(Some("tide gates"))).unwrap();
    assert_eq!(r.names, ["Gate", "Position Latitude", "Position Longitude", "Owner"]);
    assert_eq!(
        r.rows,
        [
            ["G-1", "46°12'00\"N", "-123.8", "Tern & Board"],
            ["G-2", "46.21", "-123.79", "Tern & Board"],
            ["G-3", "46.22", "-123.78", "Mühle"]
        ]
    );
    assert_eq!(r.numbers, [4, 5, 7]);
    let aside: Vec<(u64, &str)> = r.aside.iter().map(|a| (a.source_row, a.class.as_str())).collect();
    // A header that is repeated is no row of values; its own spelling decides.
    assert_eq!(aside, [(3, "heading in the table"), (6, "header again"), (8, "ragged row"), (9, "blank row")]);
    assert!(r.notes.iter().any(|n| n == "2 rows of headers are joined"), "{:?}", r.notes);
    assert!(r.notes.iter().any(|n| n == "1 column without a name or a value is left out"), "{:?}", r.notes);
}

#[test]
fn pages_say_their_encoding() {
    let (latin, _, _) = encoding_rs::WINDOWS_1252.encode(PAGE);
    let at = latin.windows(5).position(|w| w == b"utf-8").unwrap();
    let text = [&latin[..at], b"iso-8859-1", &latin[at + 5..]].concat();
    let r = read_bytes("a.html", &text, &of(Some("1"))).unwrap();
    assert_eq!(r.rows[2][3], "Mühle");
}

#[test]
fn pages_in_xml_are_pages_too() {
    let text = "<?xml version=\"1.0\"?>\n<!DOCTYPE html PUBLIC \"-//W3C//DTD XHTML 1.0 Strict//EN\" \"x.dtd\">\n<html xmlns=\"http://www.w3.org/1999/xhtml\"><body><table><tr><th>id</th><th>lon</th></tr><tr><td>1</td><td>-123.8</td></tr></table></body></html>";
    let r = read_bytes("a.xhtml", text.as_bytes(), &of(None)).unwrap();
    assert_eq!((r.names, r.rows), (vec!["id".to_string(), "lon".into()], vec![vec!["1".to_string(), "-123.8".into()]]));
}
