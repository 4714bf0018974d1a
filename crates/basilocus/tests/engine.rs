//! The engine with steps that this file makes up: what it promises them, and what it holds them to.

use basilocus::arrow::array::{Array as _, ArrayRef, Int64Array, RecordBatch, StringArray};
use basilocus::arrow::schema::DataType;
use basilocus::engine::{Account, Column, Columns, Rows, Setting};
use basilocus::formats::Format;
use basilocus::steps::{Bound, Collect, Collected, Look, Positions, Step, To, Wish, Work};
use basilocus::table::{Batch, Reason};
use basilocus::{Cancel, Error, ErrorKind, Layer, Progress, Report, RunOptions};
use std::path::PathBuf;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap().replace("\r\n", "\n")
    }

    /// Names of all files, those of a run that failed among them.
    fn names(&self) -> Vec<String> {
        let names = std::fs::read_dir(self.0.path()).unwrap();
        let mut names: Vec<String> = names.map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect();
        names.sort();
        names
    }
}

fn layer(table: &str) -> Layer {
    Layer::from_reader(table.as_bytes(), Format::Delimited).unwrap()
}

fn numbered(rows: usize) -> String {
    let rows: Vec<String> = (0..rows).map(|i| format!("{i},{}", ["a", "b", "c"][i % 3])).collect();
    format!("n,kind\n{}\n", rows.join("\n"))
}

/// A step of functions.
struct Made<B, W> {
    bind: B,
    work: W,
    wish: Wish,
}

impl<B, W> std::fmt::Debug for Made<B, W> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Made")
    }
}

type Doing = Arc<dyn Fn(Rows, &mut Account) -> Result<Rows, Error> + Send + Sync>;

struct Do(Doing);

impl Work for Do {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        (self.0)(rows, account)
    }
}

impl<B: Fn(Columns) -> Result<Columns, Error> + Send + Sync> Step for Made<B, Doing> {
    fn bind(&self, columns: Columns, _: &mut Setting) -> Result<Bound, Error> {
        Ok(Bound::blocks((self.bind)(columns)?, Do(self.work.clone())))
    }

    fn name(&self) -> &str {
        "made"
    }

    fn wish(&self) -> Wish {
        self.wish
    }
}

fn step(
    bind: impl Fn(Columns) -> Result<Columns, Error> + Send + Sync + 'static,
    work: impl Fn(Rows, &mut Account) -> Result<Rows, Error> + Send + Sync + 'static,
) -> impl Step {
    Made { bind, work: Arc::new(work) as Doing, wish: Wish::Nothing }
}

fn texts(rows: &Rows, column: &str) -> Vec<String> {
    let column = rows.column(column).unwrap().as_any().downcast_ref::<StringArray>().unwrap().clone();
    column.iter().map(|t| t.unwrap_or("").to_string()).collect()
}

#[test]
fn a_step_gets_rows_that_are_in_use_and_their_numbers_in_the_source() {
    let f = Folder::new();
    let odd_go = step(Ok, |rows, account| {
        for (at, row) in rows.source_rows().iter().enumerate() {
            if row % 2 == 1 {
                account.set_aside(at, Reason::new("odd"), format!("row {row} is odd"));
            }
        }
        Ok(rows)
    });
    let all_even = step(Ok, |rows, _| {
        assert!(rows.source_rows().iter().all(|r| r % 2 == 0), "those set aside do not come again");
        Ok(rows)
    });
    let report =
        layer("n,kind\n0,a\n1,b\n2,c\n").step(odd_go).step(all_even).write(f.path("o.csv")).unwrap().run().unwrap();
    // The header is row 1.
    assert_eq!((report.rows_in, report.rows_out, report.set_aside["odd"]), (3, 2, 1));
    assert_eq!(f.read("o.csv"), "n,kind\n0,a\n2,c\n");
    assert_eq!(f.read("o.set-aside.csv"), "source_row,reason,n,kind\n3,row 3 is odd,1,b\n");
}

#[test]
fn what_is_set_aside_has_the_values_of_the_source_whatever_steps_did() {
    let f = Folder::new();
    let last = step(Ok, |rows, account| {
        (0..rows.len()).for_each(|row| account.set_aside(row, "never", "not wanted"));
        Ok(rows)
    });
    let layer = layer("gate,kind\nNorth, culvert \n").trim().rename("gate", "name").set("state", "OR").step(last);
    layer.write(f.path("o.csv")).unwrap().run().unwrap();
    assert_eq!(f.read("o.set-aside.csv"), "source_row,reason,gate,kind\n2,not wanted,North, culvert \n");
    assert_eq!(f.read("o.csv"), "name,kind,state\n");
}

#[test]
fn rows_left_out_are_counted_and_written_nowhere() {
    let f = Folder::new();
    let only_a = step(Ok, |rows, account| {
        let kinds = texts(&rows, "kind");
        let others = kinds.iter().enumerate().filter(|(_, k)| *k != "a");
        others.for_each(|(row, _)| account.leave_out(row, Reason::OTHER_VALUE));
        Ok(rows)
    });
    let report = layer(&numbered(9)).step(only_a).write(f.path("o.csv")).unwrap().run().unwrap();
    assert_eq!((report.rows_in, report.rows_out, report.left_out["another value"]), (9, 3, 6));
    assert_eq!(f.names(), ["o.csv"], "no file of rows set aside");
}

#[test]
fn a_step_that_gives_other_columns_than_it_said_is_a_defect() {
    let f = Folder::new();
    let lies = step(
        |mut columns: Columns| {
            columns.push(Column::added("length", DataType::Int64));
            Ok(columns)
        },
        |rows, _| Ok(rows),
    );
    let e = layer("n\n1\n").step(lies).write(f.path("o.csv")).unwrap().run().unwrap_err();
    assert_eq!(e.kind(), ErrorKind::Defect);
    assert!(e.to_string().contains("\"made\" said that its columns are n, length, and gave n"), "{e}");
    assert!(f.names().is_empty(), "{:?}", f.names());
}

#[test]
fn columns_of_other_lengths_are_a_defect() {
    let f = Folder::new();
    let short = step(Ok, |rows, _| {
        let schema = rows.records().schema();
        rows.with_columns(&schema, vec![Arc::new(StringArray::from(vec!["one"])) as ArrayRef])
    });
    let e = layer("n\n1\n2\n").step(short).write(f.path("o.csv")).unwrap().run().unwrap_err();
    assert_eq!(e.kind(), ErrorKind::Defect, "{e}");
}

#[test]
fn a_step_that_panics_ends_the_run_and_leaves_nothing() {
    let f = Folder::new();
    for threads in [1, 2, 16] {
        let breaks = step(Ok, |rows: Rows, _| {
            assert!(!texts(&rows, "n").iter().any(|n| n == "70000"), "no number seventy thousand");
            Ok(rows)
        });
        let options = RunOptions { threads: std::num::NonZeroUsize::new(threads), ..Default::default() };
        let layer = layer(&numbered(100_000)).step(breaks).write(f.path("o.csv")).unwrap();
        let e = layer.run_with(&options).unwrap_err();
        assert_eq!(e.kind(), ErrorKind::Defect);
        assert!(e.to_string().contains("block ") && e.to_string().contains("no number seventy thousand"), "{e}");
        assert!(f.names().is_empty(), "{:?}", f.names());
    }
}

#[test]
fn an_error_of_a_step_is_the_error_of_the_run() {
    let f = Folder::new();
    let fails = step(Ok, |_, _| Err(Error::Data("the tide is out".into())));
    let e = layer("n\n1\n").step(fails).write(f.path("o.csv")).unwrap().run().unwrap_err();
    assert_eq!((e.to_string().as_str(), e.kind()), ("the tide is out", ErrorKind::Data));
    let fails = step(|_| Err(Error::Usage("no such tide".into())), |rows, _| Ok(rows));
    let e = layer("n\n1\n").step(fails).write(f.path("o.csv")).unwrap().run().unwrap_err();
    assert_eq!(e.kind(), ErrorKind::Usage);
    assert!(f.names().is_empty());
}

#[test]
fn what_a_step_needs_is_done_before_it() {
    let f = Folder::new();
    let needs = |wish| {
        let bind = |columns: Columns| {
            assert_eq!(columns.placed().map(|p| p.crs.code), Some(Some(4326)));
            Ok(columns)
        };
        Made { bind, work: Arc::new(|rows: Rows, _: &mut Account| Ok(rows)) as Doing, wish }
    };
    let table = "gate,lon,lat\nA,-123.8,46.2\n";
    // Positions that the list reads, and positions that the engine reads because an output holds geometry.
    let said = layer(table).positions(Positions::in_system("EPSG:4326").unwrap()).step(needs(Wish::Positions));
    said.write(f.path("a.csv")).unwrap().run().unwrap();
    let e = layer(table).step(needs(Wish::Positions)).write(f.path("b.csv")).unwrap().run().unwrap_err();
    assert!(e.to_string().contains("no reference system is said"), "{e}");
    // Nothing is found where there is nothing to be found.
    let none = Made {
        bind: |columns: Columns| {
            assert!(columns.placed().is_none());
            Ok(columns)
        },
        work: Arc::new(|rows: Rows, _: &mut Account| Ok(rows)) as Doing,
        wish: Wish::PositionsIfFound,
    };
    layer("gate,width\nA,3\n").step(none).write(f.path("c.csv")).unwrap().run().unwrap();
}

/// Says in each row how many there are.
#[derive(Debug)]
struct HowMany;

struct Counting {
    columns: Columns,
    rows: AtomicU64,
}

struct Telling {
    schema: basilocus::arrow::schema::SchemaRef,
    rows: u64,
}

impl Step for HowMany {
    fn bind(&self, mut columns: Columns, _: &mut Setting) -> Result<Bound, Error> {
        columns.push(Column::added("of", DataType::Int64));
        Ok(Bound::AfterLook(Box::new(Counting { columns, rows: AtomicU64::new(0) })))
    }
}

impl Look for Counting {
    fn purpose(&self) -> &'static str {
        "counting"
    }

    fn look(&self, rows: &Rows) {
        self.rows.fetch_add(rows.len() as u64, Ordering::Relaxed);
    }

    fn bind(self: Box<Self>, setting: &mut Setting) -> Result<(Columns, Box<dyn Work>), Error> {
        let rows = self.rows.into_inner();
        setting.note(format!("{rows} rows were counted"));
        let schema = self.columns.schema();
        Ok((self.columns, Box::new(Telling { schema, rows })))
    }
}

impl Work for Telling {
    fn apply(&self, rows: Rows, _: &mut Account) -> Result<Rows, Error> {
        let numbers = Int64Array::from_value(self.rows as i64, rows.len());
        rows.with_added(&self.schema, [Arc::new(numbers) as ArrayRef])
    }
}

#[test]
fn a_step_can_look_at_all_rows_first() {
    let f = Folder::new();
    let only = |kind: &str| vec![format!("kind={kind}")];
    let report = layer(&numbered(7)).values(only("a")).step(HowMany).write(f.path("o.csv")).unwrap().run().unwrap();
    assert_eq!(f.read("o.csv"), "n,kind,of\n0,a,3\n3,a,3\n6,a,3\n", "as the rows are after the steps before");
    assert!(report.notices.contains(&"3 rows were counted".to_string()), "{:?}", report.notices);
}

/// One row a kind, with how many rows it had.
#[derive(Debug)]
struct Together;

struct Gathering {
    kinds: std::collections::BTreeMap<String, i64>,
    rows: u64,
}

impl Step for Together {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        columns.require("kind", setting.source())?;
        Ok(Bound::All(Box::new(Gathering { kinds: Default::default(), rows: 0 })))
    }
}

impl Collect for Gathering {
    fn take(&mut self, rows: Rows) -> Result<(), Error> {
        for kind in texts(&rows, "kind") {
            *self.kinds.entry(kind).or_default() += 1;
            self.rows += 1;
        }
        Ok(())
    }

    fn give(self: Box<Self>) -> Result<Collected, Error> {
        let mut columns = Columns::default();
        columns.push(Column::added("kind", DataType::Utf8));
        columns.push(Column::added("rows", DataType::Int64));
        let kinds: StringArray = self.kinds.keys().map(Some).collect();
        let rows: Int64Array = self.kinds.values().copied().collect();
        let arrays: Vec<ArrayRef> = vec![Arc::new(kinds), Arc::new(rows)];
        let records = RecordBatch::try_new(columns.schema(), arrays).unwrap();
        let made = self.kinds.len() as u64;
        let batch = Batch::of(records, (1..=made).collect()).unwrap();
        let joined = self.rows - made;
        Ok(Collected { columns, batch, set_aside: Vec::new(), joined, notices: vec!["put together".into()] })
    }
}

#[test]
fn a_step_can_make_other_rows_of_all_of_them() {
    let f = Folder::new();
    let report =
        layer(&numbered(8)).step(Together).rename("rows", "count").write(f.path("o.csv")).unwrap().run().unwrap();
    assert_eq!(f.read("o.csv"), "kind,count\na,3\nb,3\nc,2\n");
    assert_eq!((report.rows_in, report.rows_out, report.joined), (8, 3, 5), "the account adds up");
    assert!(report.notices.contains(&"put together".to_string()));
    let e = layer("a\n1\n").step(Together).write(f.path("p.csv")).unwrap().run().unwrap_err();
    assert!(e.to_string().contains("there is no column \"kind\""), "{e}");
}

/// Writes down what is told.
#[derive(Default)]
struct Told(Mutex<Vec<String>>, AtomicU64);

impl Progress for Told {
    fn start(&self, layer: &str, pass: &str, _: u64) {
        self.0.lock().unwrap().push(format!("{layer}: {pass}"));
    }

    fn advance(&self, _: u64, rows: u64) {
        self.1.fetch_add(rows, Ordering::Relaxed);
    }

    fn finish(&self) {
        self.0.lock().unwrap().push("done".into());
    }
}

#[test]
fn every_pass_is_told_with_its_purpose() {
    let f = Folder::new();
    let told = Told::default();
    let options = RunOptions { progress: Some(&told), ..Default::default() };
    // A workbook wants types, which is a pass of its own.
    let counted = layer(&numbered(5)).named("gates").step(HowMany);
    counted.write(f.path("o.xlsx")).unwrap().run_with(&options).unwrap();
    let passes = told.0.into_inner().unwrap();
    let expected = ["gates: counting", "done", "gates: looking at all values", "done", "gates: writing", "done"];
    assert_eq!(passes, expected);
    assert_eq!(told.1.into_inner(), 15, "each pass sees every row");
}

#[test]
fn a_run_that_is_stopped_half_way_leaves_nothing() {
    let f = Folder::new();
    let cancel = Cancel::default();
    let stop = cancel.clone();
    let stops = step(Ok, move |rows: Rows, _| {
        if texts(&rows, "n").iter().any(|n| n == "50000") {
            stop.cancel();
        }
        Ok(rows)
    });
    let layer = layer(&numbered(200_000)).step(stops).write(f.path("o.csv")).unwrap().write(f.path("o.gpkg"));
    let e = layer.unwrap().run_with(&RunOptions { cancel, ..Default::default() }).unwrap_err();
    assert_eq!(e.kind(), ErrorKind::Cancelled);
    assert!(f.names().is_empty(), "{:?}", f.names());
}

#[test]
fn outputs_come_together_or_not_at_all() {
    let f = Folder::new();
    let table = "gate,lon,lat\nA,-123.8,46.2\n";
    let placed = || layer(table).positions(Positions::in_system("EPSG:4326").unwrap());
    std::fs::write(f.path("b.geojson"), "another file").unwrap();
    let both = || placed().write(f.path("a.csv")).unwrap().write(f.path("b.geojson")).unwrap();
    let e = both().run().unwrap_err();
    assert!(e.to_string().contains("b.geojson: exists already"), "{e}");
    assert_eq!(f.names(), ["b.geojson"]);
    assert_eq!(f.read("b.geojson"), "another file");
    let report = both().run_with(&RunOptions { overwrite: true, ..Default::default() }).unwrap();
    assert_eq!(report.outputs.len(), 2);
    assert_eq!(f.names(), ["a.csv", "b.geojson"]);
    assert!(f.read("b.geojson").contains("\"Point\""));
}

fn split(f: &Folder, table: &str, by: &str) -> Result<Report, Error> {
    layer(table).split_by(by).write(f.path("part.csv"))?.run_with(&RunOptions { overwrite: true, ..Default::default() })
}

#[test]
fn a_file_for_each_value_and_every_row_in_one_of_them() {
    let f = Folder::new();
    let report = split(&f, "n,kind\n1,a\n2,b\n3,a\n4,\n5,A\n", "kind").unwrap();
    assert_eq!(report.rows_out, 5);
    assert_eq!(f.names(), ["part-A.csv", "part-a_2.csv", "part-b.csv", "part-empty.csv"]);
    assert_eq!(f.read("part-a_2.csv"), "n,kind\n1,a\n3,a\n");
    assert!(
        report.notices.iter().any(|n| n.contains("4 parts by kind") && n.contains("together 5 rows")),
        "{:?}",
        report.notices
    );
    let e = split(&f, "n,kind\n1,a\n", "sort").unwrap_err();
    assert!(e.to_string().contains("`split_by` sort: there is no such column; it has: n, kind"), "{e}");
    let e = split(&f, &numbered_kinds(1_001), "kind").unwrap_err();
    assert!(e.to_string().contains("more than 1000 different values"), "{e}");
}

fn numbered_kinds(n: usize) -> String {
    let rows: Vec<String> = (0..n).map(|i| format!("{i},kind {i}")).collect();
    format!("n,kind\n{}\n", rows.join("\n"))
}

#[test]
fn rows_as_they_come_are_those_of_a_file() {
    let f = Folder::new();
    let made = || {
        layer("gate,lon,lat\nA,-123.8,46.2\nB,x,46\nC,-123.7,46.1\n")
            .positions(Positions::in_system("EPSG:4326").unwrap())
            .then(To::system("EPSG:32610").unwrap())
    };
    let (mut names, mut set_aside) = (Vec::new(), Vec::new());
    for block in made().rows().unwrap() {
        let block = block.unwrap();
        let column = block.records.column_by_name("gate").unwrap();
        let column = column.as_any().downcast_ref::<StringArray>().unwrap();
        names.extend(column.iter().flatten().map(String::from));
        set_aside.extend(block.set_aside.iter().map(|r| (r.source_row, r.class.to_string())));
    }
    assert_eq!(names, ["A", "C"]);
    assert_eq!(set_aside, [(3, "not a coordinate".to_string())]);
    let report = made().write(f.path("o.csv")).unwrap().run().unwrap();
    assert_eq!((report.rows_out, report.set_aside["not a coordinate"]), (2, 1));
}

#[test]
fn records_that_cannot_be_rows_are_refused() {
    let one = |name: &str| {
        let column: ArrayRef = Arc::new(StringArray::from(vec!["x"]));
        RecordBatch::try_from_iter([(name, column)]).unwrap()
    };
    let f = Folder::new();
    let outcome = |records| Layer::from_records("t", records).and_then(|l| l.write(f.path("o.csv"))?.run());
    assert!(outcome(vec![one("a"), one("b")]).unwrap_err().to_string().contains("differ in their columns"));
    assert!(outcome(vec![]).unwrap_err().to_string().contains("no batch of rows"));
    let map: ArrayRef = Arc::new(basilocus::arrow::array::NullArray::new(1));
    let e = outcome(vec![RecordBatch::try_from_iter([("nothing", map)]).unwrap()]).unwrap_err();
    assert!(e.to_string().contains("nothing"), "the column is named: {e}");
    let report = outcome(vec![one("a"), one("a")]).unwrap();
    assert_eq!(report.rows_out, 2);
}

#[test]
fn numbers_of_threads_change_no_byte_of_steps_of_ones_own() {
    let f = Folder::new();
    let mut all = Vec::new();
    for threads in [1, 2, 16] {
        let options =
            RunOptions { threads: std::num::NonZeroUsize::new(threads), overwrite: true, ..Default::default() };
        let layer = layer(&numbered(120_000)).step(step(Ok, |rows, account| {
            let sevens: Vec<usize> =
                texts(&rows, "n").iter().enumerate().filter(|(_, n)| n.ends_with('7')).map(|(i, _)| i).collect();
            sevens.into_iter().for_each(|row| account.set_aside(row, "seven", "ends in a seven"));
            Ok(rows)
        }));
        layer.write(f.path("o.csv")).unwrap().run_with(&options).unwrap();
        all.push((f.read("o.csv"), f.read("o.set-aside.csv")));
    }
    assert!(all[0] == all[1] && all[1] == all[2]);
    assert_eq!(all[0].0.lines().count() + all[0].1.lines().count(), 120_002);
}
