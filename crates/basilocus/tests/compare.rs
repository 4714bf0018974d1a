//! What a colleague changed in a table that came back: cells, rows, places.

use basilocus::compare::{CellChange, ComparePlan, CompareReport, compare};
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::Positions;
use basilocus::{Cancel, RunOptions, run};
use rust_xlsxwriter::Workbook;
use std::path::{Path, PathBuf};

const SENT: &str = "gate,owner,length,day,lat,lon\nA-01,Reed,12.50,2026-11-01,46.2,-123.8\nA-02,Holt,13,2026-11-02,46.3,-123.7\nA-03,Marsh,7,,46.1,-123.9\nA-04,Vale,8,2026-11-05,46.15,-123.95\nA-05,Finn,9,2026-11-06,,\n";

fn told(a: &Path, b: &Path) -> CompareReport {
    compare(&ComparePlan { key: Some("gate".into()), ..ComparePlan::new(a, b) }, &Cancel::default()).unwrap()
}

fn file(folder: &tempfile::TempDir, name: &str, text: &str) -> PathBuf {
    let path = folder.path().join(name);
    std::fs::write(&path, text).unwrap();
    path
}

#[test]
fn a_table_that_came_back_says_what_was_changed() {
    let folder = tempfile::tempdir().unwrap();
    let sent = file(&folder, "sent.csv", SENT);
    let back = SENT
        .replace("Reed,12.50", "Reed & Sons,12.5")
        .replace("Marsh,7,,46.1", "Marsh,7.5,,46.1001")
        .replace("46.15,-123.95", ",")
        .replace("2026-11-06,,", "2026-11-06,46.2,-123.7")
        .replace("A-02,", "A-06,");
    let r = told(&sent, &file(&folder, "back.csv", &back));
    assert_eq!((&r.only_a[..], &r.only_b[..], r.rows_in_both), (&["A-02".to_string()][..], &["A-06".into()][..], 4));
    assert_eq!((&r.lost_place[..], &r.got_place[..]), (&["A-04".to_string()][..], &["A-05".into()][..]));
    assert_eq!((r.pairs, r.same), (2, 1));
    let cells: Vec<(&str, u64)> = r.cells.iter().map(|c| (c.column.as_str(), c.rows)).collect();
    assert_eq!(cells, [("owner", 1), ("length", 1)], "12.50 is 12.5, and coordinates are told as moves");
    let change = CellChange { key: "A-01".into(), a: "Reed".into(), b: "Reed & Sons".into() };
    assert_eq!(r.cells[0].examples, [change]);
    assert!(told(&sent, &sent).cells.is_empty());
}

#[test]
fn a_workbook_that_was_sent_and_came_back_is_the_same_but_for_what_was_changed() {
    let folder = tempfile::tempdir().unwrap();
    let sent = file(&folder, "sent.csv", SENT);
    let ours = folder.path().join("ours.xlsx");
    let layer = LayerPlan::new(&sent).with(Positions { from: Some("EPSG:4326".into()), ..Default::default() });
    let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(&ours)], ..Default::default() };
    run(&plan, &RunOptions::default()).unwrap();
    let r = told(&sent, &ours);
    assert!(r.cells.is_empty() && r.far == 0, "numbers and dates of a workbook say the same: {r:?}");
    assert_eq!(
        (r.only_a, r.columns_only_b),
        (vec!["A-05".to_string()], vec![]),
        "a row without a place is on another sheet"
    );
    // A colleague's own workbook: a column more, one less, a date as a date.
    let mut book = Workbook::new();
    let sheet = book.add_worksheet();
    for (column, name) in ["gate", "owner", "remark", "lat", "lon"].iter().enumerate() {
        sheet.write(0, column as u16, *name).unwrap();
    }
    sheet.write(1, 0, "A-01").unwrap();
    sheet.write(1, 1, "Reed").unwrap();
    sheet.write(1, 3, 46.2).unwrap();
    sheet.write(1, 4, -123.8).unwrap();
    let theirs = folder.path().join("theirs.xlsx");
    book.save(&theirs).unwrap();
    let r = told(&ours, &theirs);
    assert_eq!((r.pairs, r.only_a_count, r.cells.len()), (1, 3, 0));
    assert_eq!((r.columns_only_a.join(" "), r.columns_only_b.join(" ")), ("length day".into(), "remark".into()));
}

#[test]
fn tables_without_coordinates_are_compared_by_their_cells() {
    let folder = tempfile::tempdir().unwrap();
    let a = file(&folder, "a.csv", "gate,owner\n0101,Reed\n0102,Holt\n");
    let b = file(&folder, "b.csv", "gate,owner\n0102,Holt\n0101,Read\n");
    let r = told(&a, &b);
    assert_eq!((r.rows_in_both, r.pairs, r.cells[0].rows, &r.cells[0].examples[0].key[..]), (2, 0, 1, "0101"));
    let message = compare(&ComparePlan::new(&a, &b), &Cancel::default()).unwrap_err().to_string();
    assert!(message.contains("no columns of coordinates were found"), "{message}");
    let other = file(&folder, "c.csv", "gate,owner\n0103,Reed\n");
    let plan = ComparePlan { key: Some("gate".into()), ..ComparePlan::new(&a, other) };
    let message = compare(&plan, &Cancel::default()).unwrap_err().to_string();
    assert!(message.contains("have no row in common"), "{message}");
}

#[test]
fn what_lies_elsewhere_is_explained() {
    let folder = tempfile::tempdir().unwrap();
    let a = file(&folder, "a.csv", "gate,lon,lat\n1,-123.81,46.21\n2,-123.72,46.12\n3,-123.93,46.33\n");
    let b = file(&folder, "b.csv", "gate,lon,lat\n1,-123.81,46.21\n2,123.72,46.12\n3,123.93,46.33\n");
    let plan =
        ComparePlan { key: Some("gate".into()), expect: Some("-124.5,45,-122,47".into()), ..ComparePlan::new(&a, &b) };
    let r = compare(&plan, &Cancel::default()).unwrap();
    let told: Vec<(&str, &str, u64)> = r.doubts.iter().map(|d| (d.layer.as_str(), d.id.as_str(), d.rows)).collect();
    assert_eq!(told, [("b.csv", "missing-sign", 2)], "{:?}", r.doubts);
    let without = ComparePlan { expect: None, ..plan };
    assert!(compare(&without, &Cancel::default()).unwrap().doubts.is_empty());
}
