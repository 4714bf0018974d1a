//! What the tests of this crate share: made-up data of the estuary, and queries as texts.
#![allow(dead_code)]

use basilocus::addresses::reference::{BuildPlan, build};
use basilocus::arrow::array::RecordBatch;
use datafusion::arrow::util::display::{ArrayFormatter, FormatOptions};
use datafusion::prelude::SessionContext;
use std::fmt::Write;
use std::io::{BufRead, BufReader, Write as _};
use std::net::TcpListener;
use std::path::{Path, PathBuf};

/// Streets of the invented town.
const STREETS: [&str; 8] =
    ["Heron Ln", "Gull St", "Tern Ave", "Sedge Rd", "Otter Way", "Plover Ct", "Marsh Dr", "Dunlin St"];
/// Houses of a street.
const HOUSES: usize = 40;

/// Where a house stands.
fn house(street: usize, number: usize) -> (f64, f64) {
    (-123.80 + street as f64 * 0.003, 46.20 + number as f64 * 0.0005)
}

/// An address reference of 320 houses.
pub fn reference(folder: &Path) -> PathBuf {
    let (points, reference) = (folder.join("points.csv"), folder.join("town.reference"));
    let mut houses = String::from("number,street,locality,region,postcode,lon,lat\n");
    for (at, street) in STREETS.iter().enumerate() {
        for number in 1..=HOUSES {
            let (lon, lat) = house(at, number);
            writeln!(houses, "{number},{street},Ternport,OR,97981,{lon:.6},{lat:.6}").unwrap();
        }
    }
    std::fs::write(&points, houses).unwrap();
    let plan = BuildPlan { sources: vec![points], output: reference.clone(), ..Default::default() };
    build(&plan, &basilocus::Cancel::default(), &()).unwrap();
    reference
}

/// Owners with addresses, some misspelt, in so many files: `owners/part-0.csv` and on. One row of the file `wrong` is of a
/// town that nobody knows. All rows are told apart by their number.
pub fn owners(folder: &Path, files: usize, rows: usize, wrong: Option<usize>) -> PathBuf {
    let owners = folder.join("owners");
    std::fs::create_dir_all(&owners).unwrap();
    for file in 0..files {
        let mut text = String::from("owner,address,acres\n");
        for row in 0..rows {
            let id = file * rows + row;
            let (street, number) = (id * 7 % STREETS.len(), id * 11 % HOUSES + 1);
            let address = match id % 5 {
                0 => format!("{number} {}, Trenport OR 97981", STREETS[street]),
                1 => format!("{number} {}, Ternport", STREETS[street].to_uppercase()),
                _ => format!("{number} {}, Ternport OR 97981", STREETS[street]),
            };
            let address =
                if Some(file) == wrong && row == rows / 2 { "1 Nowhere Rd, Elsewhere TX".into() } else { address };
            writeln!(text, "{id:06},\"{address}\",{}", id as f64 / 8.0).unwrap();
        }
        std::fs::write(owners.join(format!("part-{file}.csv")), text).unwrap();
    }
    owners
}

/// An address of the web that answers with what is made each time that it is asked.
pub fn store(mut made: impl FnMut() -> Vec<u8> + Send + 'static) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}/town.reference", listener.local_addr().unwrap());
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let mut stream = stream.unwrap();
            // The question ends with a blank line.
            let mut lines = BufReader::new(stream.try_clone().unwrap()).lines();
            while lines.next().is_some_and(|line| !line.unwrap().is_empty()) {}
            let bytes = made();
            let head = format!("HTTP/1.1 200 OK\r\nContent-Length: {}\r\nConnection: close\r\n\r\n", bytes.len());
            stream.write_all(head.as_bytes()).unwrap();
            stream.write_all(&bytes).unwrap();
        }
    });
    address
}

/// Two districts, west and east, which hold all houses.
pub fn districts(folder: &Path) -> PathBuf {
    let path = folder.join("districts.geojson");
    let square = |name: &str, west: f64, east: f64| {
        format!(
            r#"{{"type":"Feature","properties":{{"district":"{name}"}},"geometry":{{"type":"Polygon","coordinates":[[[{west},46.1],[{east},46.1],[{east},46.4],[{west},46.4],[{west},46.1]]]}}}}"#
        )
    };
    let (west, east) = (square("West", -123.9, -123.7895), square("East", -123.7895, -123.7));
    std::fs::write(&path, format!(r#"{{"type":"FeatureCollection","features":[{west},{east}]}}"#)).unwrap();
    path
}

/// A session here, with its ledger.
pub fn session() -> SessionContext {
    let context = SessionContext::new();
    basilocus_sql::register(&context).unwrap();
    context
}

/// The rows of a query, or its error in the words that a user sees.
pub async fn batches(context: &SessionContext, sql: &str) -> Result<Vec<RecordBatch>, String> {
    let told = |e: datafusion::error::DataFusionError| basilocus_sql::words(&e);
    context.sql(sql).await.map_err(told)?.collect().await.map_err(told)
}

/// All cells, row by row, as texts.
pub async fn cells(context: &SessionContext, sql: &str) -> Vec<Vec<String>> {
    let mut out = Vec::new();
    for batch in batches(context, sql).await.unwrap_or_else(|e| panic!("{sql}\n{e}")) {
        let options = FormatOptions::default().with_null("null");
        let columns: Vec<ArrayFormatter> =
            batch.columns().iter().map(|c| ArrayFormatter::try_new(c.as_ref(), &options).unwrap()).collect();
        for row in 0..batch.num_rows() {
            out.push(columns.iter().map(|c| c.value(row).to_string()).collect());
        }
    }
    out
}

/// The only cell.
pub async fn cell(context: &SessionContext, sql: &str) -> String {
    let rows = cells(context, sql).await;
    assert_eq!((rows.len(), rows[0].len()), (1, 1), "{sql}");
    rows[0][0].clone()
}

/// What is told of a query that cannot be run.
pub async fn error(context: &SessionContext, sql: &str) -> String {
    match batches(context, sql).await {
        Ok(rows) => panic!("{sql} gave {rows:?}"),
        Err(e) => e,
    }
}

/// The only cell as a number.
pub async fn number(context: &SessionContext, sql: &str) -> f64 {
    cell(context, sql).await.parse().unwrap_or_else(|_| panic!("{sql} gave no number"))
}
