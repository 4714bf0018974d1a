//! Text without delimiters: fixed columns and XYZ.

mod common;

use basilocus_formats::{Format, InputOptions, detect};
use common::read_bytes;
use proptest::prelude::*;

fn fixed(widths: &str) -> InputOptions {
    InputOptions { fixed: Some(widths.into()), ..Default::default() }
}

#[test]
fn a_ruler_under_the_header_is_found() {
    let text = "Survey of 1958\n\nStation   Name         East\n------- ------------ --------\n001     Mill Slough   7366633\n002     Bär           7366634\n003     Much too long name 736\n\n004     ok            1\n005\ttab\n\n";
    let r = read_bytes("a.txt", text.as_bytes(), &InputOptions::default()).unwrap();
    assert_eq!(r.names, ["Station", "Name", "East"]);
    assert_eq!(r.rows, [["001", "Mill Slough", "7366633"], ["002", "Bär", "7366634"], ["004", "ok", "1"]]);
    assert_eq!(r.numbers, [5, 6, 9], "rows are lines of the file");
    let aside: Vec<(u64, &str)> = r.aside.iter().map(|a| (a.source_row, a.class.as_str())).collect();
    assert_eq!(aside, [(7, "ragged row"), (8, "blank row"), (10, "ragged row")]);
    assert!(r.aside[0].reason.contains("runs over the border between columns 2 and 3"), "{}", r.aside[0].reason);
    assert_eq!(r.aside[0].values[0], "003     Much too long name 736", "nothing of the line is lost");
}

#[test]
fn widths_are_of_characters() {
    let r = read_bytes("a.txt", "no name        x\n01 Mühle    12.5\n02 Cutter    3.0\n".as_bytes(), &fixed("3,9,4"))
        .unwrap();
    assert_eq!(r.names, ["no", "name", "x"]);
    assert_eq!(r.rows, [["01", "Mühle", "12.5"], ["02", "Cutter", "3.0"]]);
    // The same in an encoding of one byte a character, without a header.
    let options = InputOptions { header_row: Some(0), ..fixed("3,9,*") };
    let r = read_bytes("a.txt", b"01 M\xFChle    12.5 m\n", &options).unwrap();
    assert_eq!((r.names[2].as_str(), r.rows[0][1].as_str(), r.rows[0][2].as_str()), ("column_3", "Mühle", "12.5 m"));
    let r = read_bytes("a.txt", b"a  b\n1  2  longer\n", &fixed("3,2")).unwrap();
    assert!(r.aside[0].reason.contains("longer than its 5"), "{}", r.aside[0].reason);
    assert!(read_bytes("a.txt", b"a b\n1 2\n", &fixed("3,x")).unwrap_err().contains("`fixed` 3,x: \"x\" is no width"));
    assert!(read_bytes("a.txt", b"a b\n", &fixed("3,2")).unwrap_err().contains("no row below"));
    let both = InputOptions { delimiter: Some(b';'), ..fixed("3") };
    assert!(read_bytes("a.txt", b"a b\n1 2\n", &both).unwrap_err().contains("`fixed` is for text without delimiters"));
}

#[test]
fn xyz_with_any_separators() {
    let text = "# survey of the dike\n7366633.86  940706.86   12.4\n 7366634.86\t940707.86;13.4\n// a remark\n7366635.86,  940708.86\t 14.40\n\n7366636.86 940709.86\n1 2 3 4 5\n";
    let r = read_bytes("a.xyz", text.as_bytes(), &InputOptions::default()).unwrap();
    assert_eq!(r.names, ["x", "y", "z"]);
    assert_eq!(r.rows[1], ["7366634.86", "940707.86", "13.4"]);
    assert_eq!(r.rows[2][2], "14.40", "digits stay as they are");
    assert_eq!(r.numbers, [2, 3, 5]);
    let aside: Vec<(u64, &str)> = r.aside.iter().map(|a| (a.source_row, a.class.as_str())).collect();
    assert_eq!(aside, [(6, "blank row"), (7, "ragged row"), (8, "ragged row")]);
    assert_eq!(r.aside[2].values, ["1", "2", "3 4 5"]);
    // Named by a first line of words; more columns than three.
    let r = read_bytes("b.xyz", b"east north up class\n1 2  3 4\n5 6  7 8\n", &InputOptions::default()).unwrap();
    assert_eq!(r.names, ["east", "north", "up", "class"]);
    assert!(read_bytes("c.xyz", b"# nothing\n\n", &InputOptions::default()).is_err());
}

#[test]
fn what_has_one_sign_at_a_time_stays_a_table() {
    let folder = tempfile::tempdir().unwrap();
    let of = |name: &str, text: &str| {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        detect(&path).unwrap()
    };
    assert_eq!(of("a.txt", "1 2 3\n4 5 6\n"), Format::Delimited);
    assert_eq!(of("a.txt", "1  2   3\n4  5   6\n"), Format::Xyz);
    assert_eq!(of("a.csv", "1,2,3\n4,5,6\n"), Format::Delimited);
    assert_eq!(of("a.csv", "1, 2, 3\n4, 5, 6\n"), Format::Delimited, "a comma and a blank are a table with blanks");
    assert_eq!(of("a.csv", "1,,3\n4,,6\n"), Format::Delimited, "empty fields are fields");
    assert_eq!(of("a.xyz", "name,x\nMill Slough,2\n"), Format::Delimited, "words are no points, whatever the name");
    assert_eq!(of("a.txt", "a  b\n-  -\n1  2\n"), Format::Fixed);
}

#[test]
fn blocks_join_without_a_seam() {
    let line = |i: u32| format!("{}.5  {}.25   {}\n", 7_000_000 + i, 900_000 + i, i % 100);
    let text: String = (0..60_000).map(line).collect();
    let r = read_bytes("a.xyz", text.as_bytes(), &InputOptions::default()).unwrap();
    assert_eq!((r.rows.len(), r.aside.len()), (60_000, 0));
    assert_eq!(r.numbers, (1..=60_000).collect::<Vec<u64>>());
    assert_eq!(r.rows[59_999], ["7059999.5", "959999.25", "99"]);
}

proptest! {
    #[test]
    fn any_bytes_do_no_harm(bytes in prop::collection::vec(any::<u8>(), 1..400), widths in prop::collection::vec(1usize..9, 1..6)) {
        let widths: Vec<String> = widths.iter().map(usize::to_string).collect();
        let _ = read_bytes("a.txt", &bytes, &fixed(&widths.join(",")));
        let _ = read_bytes("a.xyz", &bytes, &InputOptions::default());
    }

    /// Rows in are rows out and rows set aside.
    #[test]
    fn every_line_is_accounted_for(lines in prop::collection::vec("[0-9 ]{0,12}", 1..30)) {
        let text = format!("a    b\n---- ----\n{}\nend  end\n", lines.join("\n"));
        let r = read_bytes("a.txt", text.as_bytes(), &InputOptions::default()).unwrap();
        prop_assert_eq!(r.rows.len() + r.aside.len(), lines.len() + 1);
    }
}
