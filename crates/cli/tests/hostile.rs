//! The real binary under attack: pipes for files, files in each other's way, files that do something of their own, signals
//! at any moment.

mod common;

use common::Folder;
use rusqlite::Connection;

/// Points in a table without a header.
fn bare_points(rows: usize) -> String {
    (0..rows).map(|i| format!("{i},{},46.2\n", -123.0 - i as f64 / 1e6)).collect()
}

#[test]
fn one_file_has_one_part_in_a_run() {
    let f = Folder::new();
    f.write("ap.csv", "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.8,46.2\n");
    f.write("ask.csv", "address\n\"12 Heron Ln, Ternport OR 97981\"\n");
    f.write("pairs.csv", "point,x,y,e,n\nA,0,0,500000,5000000\nB,100,0,500100,5000000\nC,0,100,500000,5000100\n");
    f.ok(&["reference", "build", "ap.csv", "-o", "ap.reference"]);
    f.ok(&["convert", "gates.csv", "--from", "EPSG:4326", "-o", "sp.shp", "-q"]);
    let before: Vec<(String, Vec<u8>)> =
        f.names().into_iter().map(|n| (n.clone(), std::fs::read(f.path(&n)).unwrap())).collect();
    let convert = "convert gates.csv --from EPSG:4326 --overwrite -o";
    for line in [
        &format!("{convert} x.geojson --save-plan x.geojson"),
        &format!("{convert} x.geojson --save-plan gates.csv"),
        &format!("{convert} x.geojson --save-plan x.set-aside.csv"),
        &format!("{convert} x.geojson -o x.geojson"),
        &format!("{convert} t.shp -o t.dbf"),
        &format!("{convert} t.csv -o T.CSV"),
        "convert sp.shp --overwrite -o x.csv -o sp.dbf",
        "convert sp.shp --overwrite --set-aside sp.csv -o sp.csv",
        "select sp.shp --inside sp.shp --overwrite -o sp.dbf",
        "geocode ask.csv --reference ap.reference --overwrite -o g.csv --review g.csv",
        "geocode ask.csv --reference ap.reference --overwrite -o g.xlsx --review g.xlsx",
        "geocode ask.csv --reference ap.reference --overwrite -o g.csv --remember ap.reference",
        "reference build ap.csv --overwrite -o ap.csv",
        "fit pairs.csv --to EPSG:32610 --overwrite -o pairs.csv",
        "compare sp.shp sp.shp --overwrite -o sp.dbf",
    ] {
        let message = f.refusal(&line.split(' ').collect::<Vec<_>>());
        let is_ending = message.contains("is a .toml file");
        assert!(
            is_ending
                || message.starts_with("[2]")
                    && (message.contains("one file would be") || message.contains("is named twice")),
            "{line}: {message}"
        );
    }
    // A model may be replaced by what it was the model of.
    f.ok(&["convert", "gates.csv", "--from", "EPSG:4326", "-o", "model.gpkg", "-q"]);
    f.ok(&[
        "convert",
        "gates.csv",
        "--from",
        "EPSG:4326",
        "--like",
        "model.gpkg",
        "-o",
        "model.gpkg",
        "--overwrite",
        "-q",
    ]);
    std::fs::remove_file(f.path("model.gpkg")).unwrap();
    f.names().into_iter().filter(|n| n.contains("set-aside")).for_each(|n| std::fs::remove_file(f.path(&n)).unwrap());
    let before: Vec<(String, Vec<u8>)> = before.into_iter().filter(|(n, _)| !n.contains("set-aside")).collect();
    let after: Vec<(String, Vec<u8>)> =
        f.names().into_iter().map(|n| (n.clone(), std::fs::read(f.path(&n)).unwrap())).collect();
    assert!(before == after, "{:?}", f.names());
}

#[test]
fn a_part_of_a_layer_takes_no_file_that_is_read() {
    let f = Folder::new();
    f.write("out-a.csv", "kind,lon,lat\na,-123.8,46.2\nb,-123.7,46.1\n");
    let line = ["select", "out-a.csv", "--from", "EPSG:4326", "-o", "out.csv", "--split-by", "kind", "--overwrite"];
    let message = f.refusal(&line);
    assert!(message.contains("out-a.csv: one file would be a source and the part of a"), "{message}");
    assert!(f.read("out-a.csv").contains("b,-123.7,46.1"));
}

#[test]
fn a_plan_is_saved_together_with_the_outputs_or_not_at_all() {
    let f = Folder::new();
    let line = ["convert", "gates.csv", "--from", "EPSG:4326", "-o", "no/x.csv", "--save-plan", "p.toml"];
    assert!(f.refusal(&line).contains("does not exist"));
    assert!(!f.path("p.toml").exists());
    f.write("p.toml", "old");
    let line = ["convert", "gates.csv", "--from", "EPSG:4326", "-o", "x.csv", "--save-plan", "p.toml"];
    assert!(f.refusal(&line).contains("p.toml: exists already"));
    assert_eq!((f.read("p.toml"), f.path("x.csv").exists()), ("old".to_string(), false));
}

#[test]
fn triggers_of_a_file_do_not_run_when_a_layer_is_added() {
    let f = Folder::new();
    f.write("a.csv", format!("id,lon,lat\n{}", bare_points(60)));
    f.write("b.csv", format!("id,lon,lat\n{}", bare_points(40)));
    f.ok(&["convert", "a.csv", "--from", "EPSG:4326", "-o", "t.gpkg", "-q"]);
    Connection::open(f.path("t.gpkg"))
        .unwrap()
        .execute_batch(
            "CREATE TRIGGER eats AFTER INSERT ON gpkg_contents BEGIN DELETE FROM b WHERE id > 5; DELETE FROM a; END;",
        )
        .unwrap();
    f.ok(&["convert", "b.csv", "--from", "EPSG:4326", "-o", "t.gpkg", "--append", "-q"]);
    let connection = Connection::open(f.path("t.gpkg")).unwrap();
    let count = |table: &str| -> i64 {
        connection.query_row(&format!("SELECT count(*) FROM {table}"), [], |r| r.get(0)).unwrap()
    };
    assert_eq!((count("a"), count("b")), (60, 40));
}

#[test]
fn views_are_read_and_endless_ones_do_no_harm() {
    let f = Folder::new();
    f.write("a.csv", format!("id,lon,lat\n{}", bare_points(60)));
    f.ok(&["convert", "a.csv", "--from", "EPSG:4326", "-o", "v.gpkg", "-q"]);
    let connection = Connection::open(f.path("v.gpkg")).unwrap();
    let views = "CREATE VIEW few AS SELECT feature_id, geometry, id FROM a WHERE id < 20;
        INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id) VALUES ('few', 'features', 'few', 4326);
        INSERT INTO gpkg_geometry_columns VALUES ('few', 'geometry', 'POINT', 4326, 0, 0);
        CREATE TABLE kept (id INTEGER PRIMARY KEY, note TEXT) WITHOUT ROWID;
        INSERT INTO kept VALUES (2, 'two'), (1, 'one');
        INSERT INTO gpkg_contents (table_name, data_type, identifier) VALUES ('kept', 'attributes', 'kept');";
    connection.execute_batch(views).unwrap();
    let r = f.json(&["convert", "v.gpkg", "--layer", "few", "-o", "few.csv", "--json"]);
    assert_eq!((r["rows_in"].as_u64(), r["rows_out"].as_u64()), (Some(20), Some(20)));
    f.ok(&["convert", "v.gpkg", "--layer", "kept", "-o", "kept.csv", "-q"]);
    assert_eq!(f.read("kept.csv"), "id,note\n1,one\n2,two\n");
    let endless = "ALTER TABLE gpkg_contents RENAME TO old;
        CREATE VIEW gpkg_contents AS WITH RECURSIVE r(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM r)
        SELECT 't' || x AS table_name, 'features' AS data_type FROM r;";
    connection.execute_batch(endless).unwrap();
    assert!(f.refusal(&["look", "v.gpkg"]).contains("more than 10000 layers"));
}

#[test]
fn more_columns_than_a_format_or_anybody_holds_are_refused() {
    let f = Folder::new();
    let header = |n: usize| (0..n).map(|i| format!("c{i},")).collect::<String>();
    f.write("wide.csv", format!("{}lon,lat\n{}-123.8,46.2\n", header(3000), ",".repeat(3000)));
    let message = f.refusal(&["convert", "wide.csv", "--from", "EPSG:4326", "-o", "x.gpkg"]);
    assert!(message.contains("a GeoPackage holds 1998 columns of a layer at most, and wide has 3002"), "{message}");
    f.write("wider.csv", format!("{}lon,lat\n{}-123.8,46.2\n", header(12_000), ",".repeat(12_000)));
    let message = f.refusal(&["convert", "wider.csv", "--from", "EPSG:4326", "-o", "x.csv"]);
    assert!(message.contains("has 12002 columns, and a table has 10000 at most"), "{message}");
    f.write("widest.csv", format!("{}lon,lat\n{}-123.8,46.2\n", header(60_000), ",".repeat(60_000)));
    assert!(f.refusal(&["look", "widest.csv"]).contains("its first line is longer than 262144 bytes"));
    assert!(!f.names().iter().any(|n| n.starts_with("x.")));
}

#[test]
fn what_cells_hold_does_nothing_to_a_terminal() {
    let f = Folder::new();
    let plain = "plain text in this row,-123.7,46.3\n".repeat(40);
    f.write("e.csv", format!("id,lon,lat\n\u{1b}[31mred\u{1b}[0m,-123.8,46.2\n\u{202e}a\u{9b}b,-123.8,46.1\n{plain}"));
    let out = f.ok(&["look", "e.csv"]);
    assert!(out.contains("␛[31mred␛[0m"), "{out}");
    assert!(!out.contains(['\u{1b}', '\u{202e}', '\u{9b}']), "{out:?}");
    let text = f.ok(&["look", "e.csv", "--json"]);
    assert!(text.contains("\\u001b[31mred") && text.contains("\\u202ea\\u009bb") && !text.contains('\u{9b}'), "{text}");
    let r = f.json(&["convert", "e.csv", "--from", "EPSG:4326", "-o", "o.csv", "--json"]);
    assert_eq!(r["rows_out"], 42);
    assert!(f.read("o.csv").contains("\u{1b}[31mred\u{1b}[0m,-123.8"), "data stays as it is");
}

#[test]
fn a_balloon_shows_values_and_runs_nothing() {
    let f = Folder::new();
    f.write("s.csv", "note,lon,lat\n<script>alert(1)</script> & <b>,-123.8,46.2\n");
    let to = ["convert", "s.csv", "--from", "EPSG:4326", "-o", "s.kml", "--balloon", "<i>{note}</i>", "-q"];
    f.ok(&to);
    let text = f.read("s.kml");
    let page = "&lt;i&gt;&amp;lt;script&amp;gt;alert(1)&amp;lt;/script&amp;gt; &amp;amp; &amp;lt;b&amp;gt;&lt;/i&gt;";
    assert!(text.contains(&format!("<description>{page}</description>")), "{text}");
}

#[cfg(unix)]
mod unix {
    use super::bare_points;
    use super::common::Folder;
    use std::io::{BufRead, BufReader, Write};
    use std::os::unix::ffi::OsStrExt;
    use std::os::unix::fs::PermissionsExt;
    use std::path::Path;
    use std::process::{Child, Command, Stdio};
    use std::time::{Duration, Instant};

    fn binary() -> Command {
        Command::new(assert_cmd::cargo::cargo_bin("basilocus"))
    }

    #[test]
    fn pipes_are_read_whole_whatever_their_name() {
        let f = Folder::new();
        let table = bare_points(50_000);
        let line = ["convert", "/dev/stdin", "--header-row", "0", "--coordinates", "column_2,column_3"];
        let more = ["--order", "longitude-first", "--from", "EPSG:4326", "-o", "a.csv", "--json"];
        let o = f.command(&[&line[..], &more[..]].concat()).write_stdin(table.clone()).output().unwrap();
        let report: serde_json::Value = serde_json::from_slice(&o.stdout).unwrap();
        assert_eq!((report["rows_in"].as_u64(), report["rows_out"].as_u64()), (Some(50_000), Some(50_000)));
        let made = Command::new("mkfifo").arg(f.path("pipe")).status().unwrap();
        assert!(made.success());
        let path = f.path("pipe");
        let writer = std::thread::spawn(move || std::fs::write(path, format!("id,lon,lat\n{table}")).unwrap());
        let r = f.json(&["convert", "pipe", "--from", "EPSG:4326", "-o", "b.csv", "--json"]);
        writer.join().unwrap();
        assert_eq!(r["rows_out"], 50_000);
        let o = f.command(&["look", "/dev/stdin"]).write_stdin("").output().unwrap();
        assert!(String::from_utf8_lossy(&o.stderr).contains("/dev/stdin: nothing comes from there"));
    }

    #[test]
    fn names_that_are_no_unicode_fail_before_anything_is_written_or_not_at_all() {
        let f = Folder::new();
        let odd = f.0.path().join(std::ffi::OsStr::from_bytes(b"in\xFF.csv"));
        std::fs::copy(f.path("gates.csv"), &odd).unwrap();
        let run = |more: &[&str]| {
            let mut command = binary();
            command.current_dir(f.0.path()).arg("convert").arg(&odd).args(["--from", "EPSG:4326"]).args(more);
            command.output().unwrap()
        };
        let o = run(&["-o", "a.csv", "--json"]);
        assert!(serde_json::from_slice::<serde_json::Value>(&o.stdout).is_ok());
        let o = run(&["-o", "b.csv", "--save-plan", "p.toml"]);
        assert!(String::from_utf8_lossy(&o.stderr).contains("is no Unicode text"), "{o:?}");
        assert!(!f.path("b.csv").exists() && !f.path("p.toml").exists());
    }

    /// A run with temporary files of its own, at a moment that the test chooses.
    fn started(f: &Folder, line: &[&str], input: Stdio) -> Child {
        let temporary = f.path("temporary");
        std::fs::create_dir_all(&temporary).unwrap();
        let mut command = binary();
        command.current_dir(f.0.path()).args(line).env("TMPDIR", temporary);
        command.stdin(input).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
    }

    fn is_full(folder: &Path) -> bool {
        std::fs::read_dir(folder).is_ok_and(|mut d| d.next().is_some())
    }

    fn until(what: &str, mut there: impl FnMut() -> bool) {
        let start = Instant::now();
        while !there() {
            assert!(start.elapsed() < Duration::from_secs(60), "{what} does not come");
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    fn signal(child: &Child, name: &str) {
        assert!(Command::new("kill").args([name, &child.id().to_string()]).status().unwrap().success());
    }

    #[test]
    fn a_signal_ends_a_run_that_waits_for_input_and_leaves_nothing() {
        for name in ["-INT", "-TERM", "-HUP"] {
            let f = Folder::new();
            let line = ["convert", "-", "--from", "EPSG:4326", "-o", "out.csv"];
            let mut child = started(&f, &line, Stdio::piped());
            let mut input = child.stdin.take().unwrap();
            input.write_all(b"id,lon,lat\n1,-123.8,46.2\n").unwrap();
            until("the copy of standard input", || is_full(&f.path("temporary")));
            signal(&child, name);
            let o = child.wait_with_output().unwrap();
            drop(input);
            assert_eq!(o.status.code(), Some(1), "{name}");
            assert!(String::from_utf8_lossy(&o.stderr).contains("stopped; no output was written"), "{o:?}");
            assert!(!is_full(&f.path("temporary")) && f.names() == ["gates.csv", "temporary"], "{:?}", f.names());
        }
    }

    #[test]
    fn a_run_that_is_killed_leaves_the_old_output_whole() {
        let f = Folder::new();
        f.write("many.csv", format!("id,lon,lat\n{}", bare_points(60_000)));
        let line = ["convert", "many.csv", "--from", "EPSG:4326", "--to", "EPSG:32610", "--overwrite", "-o", "out.shp"];
        let names = ["out.shp", "out.shx", "out.dbf", "out.prj"];
        f.write("few.csv", "id,lon,lat\n1,-123.8,46.2\n");
        let read = || names.map(|n| std::fs::read(f.path(n)).unwrap());
        f.ok(&line);
        let new = read();
        f.ok(&["convert", "few.csv", "--from", "EPSG:4326", "--to", "EPSG:32610", "--overwrite", "-o", "out.shp"]);
        let old = read();
        assert!(old != new);
        let started_at = Instant::now();
        started(&f, &line, Stdio::null()).wait().unwrap();
        let whole = started_at.elapsed();
        for at in 0..100u32 {
            std::fs::write(f.path("few.csv"), "id,lon,lat\n1,-123.8,46.2\n").unwrap();
            let mut child = started(&f, &line, Stdio::null());
            // Moments all over the run, some behind its end.
            std::thread::sleep(whole * at / 95);
            let name = if at.is_multiple_of(2) { "-KILL" } else { "-TERM" };
            let _ = Command::new("kill").args([name, &child.id().to_string()]).output();
            child.wait().unwrap();
            let now = read();
            // The four files move one after the other; each is the old one or the new one, never a part.
            for (i, bytes) in now.iter().enumerate() {
                assert!(*bytes == old[i] || *bytes == new[i], "{} after {at}", names[i]);
            }
            if name == "-TERM" {
                assert!(now == old || now == new, "files of two runs after {at}");
            }
        }
    }

    #[test]
    fn a_reference_that_is_cut_while_it_is_open_ends_the_run_with_a_word() {
        let f = Folder::new();
        let points: String = (0..40_000)
            .map(|i| format!("{},Street {},Ternport,OR,97981,{},46.2\n", i % 100, i / 100, -123.0 - f64::from(i) / 1e6))
            .collect();
        f.write("ap.csv", format!("number,street,locality,region,postcode,lon,lat\n{points}"));
        f.ok(&["reference", "build", "ap.csv", "-o", "ap.reference"]);
        let line = ["geocode", "-", "--reference", "ap.reference", "-o", "out.csv", "--no-progress"];
        let asks: String = (0..200_000).map(|i| format!("{} Street {} Ternport OR\n", i % 100, i % 400)).collect();
        let mut child = started(&f, &line, Stdio::piped());
        child.stdin.take().unwrap().write_all(format!("address\n{asks}").as_bytes()).unwrap();
        until("the output", || f.names().iter().any(|n| n.ends_with(".partial")));
        std::fs::OpenOptions::new().write(true).open(f.path("ap.reference")).unwrap().set_len(4096).unwrap();
        let o = child.wait_with_output().unwrap();
        let words = String::from_utf8_lossy(&o.stderr).into_owned();
        assert_eq!(o.status.code(), Some(1), "{words}");
        assert!(words.contains("ap.reference") || words.contains("was cut by another program"), "{words}");
        assert_eq!(f.names(), ["ap.csv", "ap.reference", "gates.csv", "temporary"]);
    }

    #[test]
    fn an_output_beyond_the_limit_of_file_sizes_is_an_error_and_leaves_nothing() {
        let f = Folder::new();
        f.write("many.csv", format!("id,lon,lat\n{}", bare_points(60_000)));
        let binary = assert_cmd::cargo::cargo_bin("basilocus");
        let script = format!("ulimit -f 200; exec {} convert many.csv --from EPSG:4326 -o out.csv", binary.display());
        let o = Command::new("sh").arg("-c").arg(script).current_dir(f.0.path()).output().unwrap();
        assert_eq!(o.status.code(), Some(1), "{o:?}");
        let words = String::from_utf8_lossy(&o.stderr).into_owned();
        assert!(words.contains("out.csv: cannot be written") && words.contains("nothing was left behind"), "{words}");
        assert_eq!(f.names(), ["gates.csv", "many.csv"]);
    }

    /// The disk is full after so many bytes, at places all over an output: what was there is there as it was, or the new one is
    /// there as a whole, with all the files that belong to it; nothing else is left, and the word says what failed.
    #[test]
    fn a_full_disk_leaves_the_old_output_or_the_new_one() {
        const ENDINGS: [&str; 11] = ["csv", "xlsx", "geojson", "gpkg", "shp", "dbf", "kml", "kmz", "gml", "gpx", "dxf"];
        let f = Folder::new();
        f.write("old.csv", format!("id,lon,lat\n{}", bare_points(3)));
        f.write("new.csv", format!("id,lon,lat\n{}", bare_points(1_500)));
        let whole = |ending: &str, source: &str| {
            let out = format!("out.{ending}");
            f.ok(&["convert", source, "--from", "EPSG:4326", "-o", &out, "--overwrite"]);
            parts(&f)
        };
        let (mut failed, mut done) = (0, 0);
        for ending in ENDINGS {
            let new = whole(ending, "new.csv");
            let largest = new.iter().map(|(_, bytes)| bytes.len()).max().unwrap() as u64 / 1024 + 2;
            let old = whole(ending, "old.csv");
            assert_ne!(old, new, "{ending}");
            // Spools and databases write more than is left of them.
            for limit in (0..10).map(|i| i * largest / 8) {
                let line = format!("convert new.csv --from EPSG:4326 -o out.{ending} --overwrite");
                let binary = assert_cmd::cargo::cargo_bin("basilocus");
                let script = format!("ulimit -f {limit}; exec {} {line}", binary.display());
                let o = Command::new("bash").arg("-c").arg(script).current_dir(f.0.path()).output().unwrap();
                let words = String::from_utf8_lossy(&o.stderr).into_owned();
                match o.status.code() {
                    Some(0) => {
                        done += 1;
                        assert_eq!(parts(&f), new, "{ending} below {limit} KiB");
                        assert_eq!(whole(ending, "old.csv"), old);
                    }
                    Some(1) => {
                        failed += 1;
                        assert!(words.contains(&format!("out.{ending}")), "{ending} below {limit} KiB: {words}");
                        assert_eq!(parts(&f), old, "{ending} below {limit} KiB");
                    }
                    other => panic!("{ending} below {limit} KiB: {other:?} {words}"),
                }
            }
            parts(&f).iter().for_each(|(name, _)| std::fs::remove_file(f.path(name)).unwrap());
        }
        assert!(failed > 5 * ENDINGS.len() && done >= ENDINGS.len(), "{failed} failed, {done} done");
    }

    /// All files of outputs, and whatever else a run left beside them.
    fn parts(f: &Folder) -> Vec<(String, Vec<u8>)> {
        let names =
            f.names().into_iter().filter(|n| !["gates.csv", "old.csv", "new.csv", "temporary"].contains(&n.as_str()));
        names.map(|n| (n.clone(), std::fs::read(f.path(&n)).unwrap())).collect()
    }

    #[test]
    fn who_reads_the_first_line_only_is_no_error() {
        for line in [&["completions", "bash"][..], &["doubts"], &["crs", "find", "utm"]] {
            let mut child = binary().args(line).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
            let mut first = String::new();
            BufReader::with_capacity(1, child.stdout.take().unwrap()).read_line(&mut first).unwrap();
            let o = child.wait_with_output().unwrap();
            assert!(o.status.success() && o.stderr.is_empty(), "{line:?}: {o:?}");
        }
    }

    #[test]
    fn what_is_unpacked_is_for_its_user_alone() {
        let f = Folder::new();
        let line = ["convert", "-", "--from", "EPSG:4326", "-o", "out.csv"];
        let mut child = started(&f, &line, Stdio::piped());
        let input = child.stdin.take().unwrap();
        until("the copy of standard input", || is_full(&f.path("temporary")));
        let folder = std::fs::read_dir(f.path("temporary")).unwrap().next().unwrap().unwrap();
        assert_eq!(folder.metadata().unwrap().permissions().mode() & 0o777, 0o700);
        drop(input);
        child.wait().unwrap();
    }

    #[test]
    fn two_runs_onto_one_shapefile_do_not_mix_their_parts() {
        let f = Folder::new();
        f.write("one.csv", format!("id,lon,lat\n{}", bare_points(10)));
        f.write("two.csv", format!("id,lon,lat\n{}", bare_points(500)));
        let line = |name| ["convert", name, "--from", "EPSG:4326", "--overwrite", "-o", "out.shp"];
        for _ in 0..30 {
            let both = ["one.csv", "two.csv"].map(|name| started(&f, &line(name), Stdio::null()));
            both.into_iter().for_each(|child| assert!(child.wait_with_output().unwrap().status.success()));
            let size = |ending: &str| std::fs::metadata(f.path(&format!("out.{ending}"))).unwrap().len();
            let (shapes, index, table) = (size("shp"), size("shx"), size("dbf"));
            let rows = (index - 100) / 8;
            assert_eq!(shapes, 100 + rows * 28);
            assert!((rows == 10) == (table < 2000), "{rows} shapes, {table} bytes of rows");
        }
    }
}
