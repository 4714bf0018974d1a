//! Delimited text as it arrives: encodings, line ends, quotes, blank and ragged rows.

use basilocus_formats::{Block, FormatError, InputOptions, open};
use std::path::PathBuf;

struct Table {
    names: Vec<String>,
    rows: Vec<(u64, Vec<String>)>,
    set_aside: Vec<(u64, String)>,
    notes: Vec<String>,
}

fn read_with(bytes: &[u8], options: &InputOptions) -> Result<Table, FormatError> {
    let folder = tempfile::tempdir().unwrap();
    let path: PathBuf = folder.path().join("table.csv");
    std::fs::write(&path, bytes).unwrap();
    let mut reader = open(&path, options)?;
    let decoder = reader.decoder();
    let mut table = Table {
        names: reader.schema().fields().iter().map(|f| f.name().clone()).collect(),
        rows: Vec::new(),
        set_aside: Vec::new(),
        notes: reader.about().notes.clone(),
    };
    let mut error = None;
    reader.read(&mut |block: Block| match decoder.decode(block) {
        Ok(d) => {
            table.rows.extend((0..d.batch.len()).map(|r| (d.batch.source_rows()[r], d.batch.row_texts(r))));
            table.set_aside.extend(d.set_aside.into_iter().map(|s| (s.source_row, s.reason)));
            true
        }
        Err(e) => {
            error = Some(e);
            false
        }
    })?;
    error.map_or(Ok(table), Err)
}

fn read(bytes: &[u8]) -> Table {
    match read_with(bytes, &InputOptions::default()) {
        Ok(t) => t,
        Err(e) => panic!("{e}"),
    }
}

fn refusal(bytes: &[u8]) -> String {
    match read_with(bytes, &InputOptions::default()) {
        Ok(_) => panic!("it was read"),
        Err(e) => e.to_string().split_once(": ").map(|(_, m)| m.to_string()).unwrap_or_default(),
    }
}

#[test]
fn encodings() {
    for bytes in [
        "name,town\nJosé,Gray\n".as_bytes().to_vec(),
        b"\xEF\xBB\xBFname,town\nJos\xC3\xA9,Gray\n".to_vec(),
        b"name,town\nJos\xE9,Gray\n".to_vec(),
        [b"\xFF\xFE".to_vec(), "name,town\nJosé,Gray\n".encode_utf16().flat_map(u16::to_le_bytes).collect()].concat(),
        [b"\xFE\xFF".to_vec(), "name,town\r\nJosé,Gray\r\n".encode_utf16().flat_map(u16::to_be_bytes).collect()]
            .concat(),
    ] {
        let t = read(&bytes);
        assert_eq!(t.names, ["name", "town"]);
        assert_eq!(t.rows, [(2, vec!["José".to_string(), "Gray".to_string()])], "{:?}", t.notes);
    }
    let latin9 = InputOptions { encoding: Some("iso-8859-15".into()), ..Default::default() };
    assert_eq!(read_with(b"price\n12\xA4\n", &latin9).unwrap().rows[0].1, ["12€"]);
    let wrong = InputOptions { encoding: Some("klingon".into()), ..Default::default() };
    assert!(read_with(b"a\n1\n", &wrong).err().unwrap().to_string().contains("`encoding` klingon"));
}

#[test]
fn a_byte_that_is_not_utf8_late_in_the_file_names_its_line() {
    let mut bytes = b"id,name\n".to_vec();
    for i in 0..40_000 {
        bytes.extend(format!("{i},gate\n").bytes());
    }
    bytes.extend(b"x,caf\xE9\n");
    assert!(refusal(&bytes).contains("byte 0xE9 is not UTF-8"));
    let with_line = read_with(&bytes, &InputOptions::default()).err().unwrap().to_string();
    assert!(with_line.contains("line 40002"), "{with_line}");
}

#[test]
fn rows_keep_their_line_numbers() {
    let t = read(b"id,note\n1,\"two\nlines\"\n2,x\n\n3,y\r\n4,z\n\n\n");
    assert_eq!(
        t.rows.iter().map(|(n, r)| (*n, r[0].as_str())).collect::<Vec<_>>(),
        [(2, "1"), (4, "2"), (6, "3"), (7, "4")]
    );
    assert_eq!(t.set_aside, [(5, "blank row".to_string())], "the blank line inside counts, those at the end do not");
    let t = read(b"id,note\r\n1,a\r\n\r\n2,b\r\n");
    assert_eq!(t.rows.iter().map(|(n, _)| *n).collect::<Vec<_>>(), [2, 4]);
    assert_eq!(t.set_aside.len(), 1);
}

#[test]
fn ragged_rows_are_set_aside_whole() {
    let t = read(b"a,b,c\n1,2,3\n1,2\n1,2,3,4,5\n,,\n");
    assert_eq!(t.rows.len(), 1);
    insta_like(
        &t.set_aside,
        &[(3, "2 fields where the header has 3"), (4, "5 fields where the header has 3"), (5, "blank row")],
    );
}

#[track_caller]
fn insta_like(got: &[(u64, String)], wanted: &[(u64, &str)]) {
    assert_eq!(got.len(), wanted.len(), "{got:?}");
    for ((n, text), (m, part)) in got.iter().zip(wanted) {
        assert!(n == m && text.contains(part), "{n} {text}");
    }
}

#[test]
fn titles_above_the_header_and_names_that_repeat() {
    let t = read(b"Survey of gates\nsummer 1958\nid,name,name,\n1,a,b,c\n2,a,b,c\n");
    assert_eq!(t.names, ["id", "name", "name_2", "column_4"]);
    assert_eq!(t.rows[0].0, 4);
    assert!(t.notes.iter().any(|n| n.contains("2 lines above the header")), "{:?}", t.notes);
    let t = read(b"1,46.2\n2,46.3\n");
    assert_eq!((t.names, t.rows.len()), (vec!["column_1".to_string(), "column_2".to_string()], 2));
    let options = InputOptions { header_row: Some(3), ..Default::default() };
    let t = read_with(b"x,y\nunits,units\nid,name\n1,a\n", &options).unwrap();
    assert_eq!((t.names, t.rows[0].0), (vec!["id".to_string(), "name".to_string()], 4));
    let options =
        InputOptions { skip_lines: Some(2), header_row: Some(0), delimiter: Some(b';'), ..Default::default() };
    let t = read_with(b"\"a title\nwith a quote\n1;2\n3;4\n", &options).unwrap();
    assert_eq!((t.rows.len(), t.rows[0].0), (2, 3));
}

#[test]
fn what_cannot_be_read_says_why() {
    assert!(refusal(b"").contains("the file is empty"));
    assert!(refusal(b" \n \n").contains("nothing but blanks"));
    assert!(refusal(b"# a,b\n").contains("nothing but remarks"));
    assert!(refusal(b"a,b\n1,\"2\n3,4\n").contains("never closed"));
    assert!(refusal(b"\0\x01\x02binary").contains("binary"));
    assert!(refusal(b"%PDF-1.7 ...").contains("PDF"));
}

#[test]
fn a_quote_that_is_never_closed_does_not_fill_the_memory() {
    let mut bytes = b"id,note\n1,\"open\n".to_vec();
    bytes.resize(40 * 1024 * 1024, b'x');
    let message = refusal(&bytes);
    assert!(message.contains("16 MB"), "{message}");
}

#[test]
fn a_large_file_in_many_blocks_keeps_every_row() {
    let mut text = String::from("id,note\n");
    for i in 0..200_000 {
        text.push_str(&format!("{i},{}\n", if i % 1000 == 0 { "\"a, \"\"quoted\"\"\nnote\"" } else { "plain" }));
    }
    let t = read(text.as_bytes());
    assert_eq!(t.rows.len(), 200_000);
    assert!(t.rows.iter().enumerate().all(|(i, (_, r))| r[0] == i.to_string()));
    // Every thousandth row takes two lines.
    assert_eq!(t.rows[199_999].0, 200_001 + 200);
}

/// What is copied from a page has a column of pictures or flags that is empty in the text, and that its header lacks.
#[test]
fn a_header_that_is_a_column_off() {
    let rows = |first: &str, rest: &[[&str; 4]]| {
        let lines: Vec<String> = rest.iter().map(|r| r.join("\t")).collect();
        read(format!("{first}\n{}\n", lines.join("\n")).as_bytes())
    };
    let t = rows("Name\tLat\tLon", &[["", "Gate", "46.1", "-123.8"], ["", "Weir", "46.2", "-123.7"]]);
    assert_eq!(t.names, ["column_1", "Name", "Lat", "Lon"]);
    assert_eq!(t.rows[1].1, ["", "Weir", "46.2", "-123.7"]);
    assert!(
        t.notes.iter().any(|n| n.contains("the empty column 1 is taken for the one without a name")),
        "{:?}",
        t.notes
    );
    let t = rows("Rank\tLat\tLon", &[["1st", " ", "46.1", "-123.8"], ["2nd", "", "46.2", "-123.7"]]);
    assert_eq!(t.names, ["Rank", "column_2", "Lat", "Lon"]);
    // Which of two it is nobody can tell; and with commas a field more may be a decimal.
    let t = rows("Name\tLat\tLon", &[["", "", "46.1", "-123.8"], ["", "", "46.2", "-123.7"]]);
    assert_eq!((t.rows.len(), t.set_aside.len()), (0, 2));
    // Numbers alone are no text of points where a field is empty.
    let t = rows("Rank\tLat\tLon", &[["1", "", "46.1", "-123.8"], ["2", "", "46.2", "-123.7"]]);
    assert_eq!(t.names, ["Rank", "column_2", "Lat", "Lon"]);
    let t = read(b"id,lon,lat\n,-123,8,46.2\n,-123,7,46.1\n");
    assert_eq!((t.rows.len(), t.set_aside.len()), (0, 2));
}
