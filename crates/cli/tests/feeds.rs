//! A feed becomes points again and again: the real command reads the real stand-in over the loopback.
#![cfg(all(feature = "serve", feature = "http"))]

mod stand_in;

use stand_in::StandIn;
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use tempfile::TempDir;

fn ran(folder: &TempDir, arguments: &[&str]) -> (Option<i32>, String) {
    let output = assert_cmd::Command::cargo_bin("basilocus")
        .unwrap()
        .current_dir(folder)
        .env("BASILOCUS_CACHE", folder.path().join("cache"))
        .args(arguments)
        .output()
        .unwrap();
    let text = String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
    (output.status.code(), text)
}

#[test]
fn a_feed_is_read_as_it_changes() {
    let folder = tempfile::tempdir().unwrap();
    let feed = StandIn::of("feed", &["--period", "1"]);
    let (status, text) = ran(
        &folder,
        &[
            "convert",
            &feed.feed("gauges.xml"),
            "-o",
            "gauges.kml",
            "--every",
            "0.4s",
            "--turns",
            "6",
            "--network-link",
            "live.kml",
            "--save-plan",
            "gauges.plan.toml",
        ],
    );
    assert_eq!(status, Some(0), "{text}");
    let lines: Vec<&str> = text.lines().collect();
    assert_eq!(lines.len(), 6, "{text}");
    let count = |what: &str| lines.iter().filter(|l| l.contains(what)).count();
    assert!(count("6 rows in = 6 out + 0 set aside") >= 2 && count("as before") >= 1, "{text}");
    let link = std::fs::read_to_string(folder.path().join("live.kml")).unwrap();
    assert!(link.contains("<href>gauges.kml</href>") && link.contains("<refreshInterval>1</refreshInterval>"));
    assert!(std::fs::read_to_string(folder.path().join("gauges.kml")).unwrap().contains("Ternport wharf"));
    // The same by the plan, as objects.
    let (status, text) =
        ran(&folder, &["run", "gauges.plan.toml", "--overwrite", "--every", "0.2s", "--turns", "2", "--json"]);
    assert_eq!(status, Some(0), "{text}");
    for (line, turn) in text.lines().zip(1..) {
        let report: serde_json::Value = serde_json::from_str(line).unwrap();
        assert_eq!(report["turn"], turn);
        assert!(report["outcome"] == "unchanged" || report["report"]["rows_out"] == 6, "{line}");
    }
}

#[test]
fn rows_are_kept_by_their_key_over_runs() {
    let folder = tempfile::tempdir().unwrap();
    let feed = StandIn::of("feed", &["--period", "1"]);
    let readings = |arguments: &[&str]| {
        let base = [
            "convert",
            &feed.feed("gauges.csv"),
            "--from",
            "EPSG:4326",
            "-o",
            "history.csv",
            "--join",
            "reading=gauge,read",
        ];
        ran(&folder, &[&base[..], arguments].concat())
    };
    // A key of a column that a step makes is none of the feed.
    let (status, text) = readings(&["--key", "reading"]);
    assert!(status == Some(1) && text.contains("reading"), "{text}");
    let (status, text) = readings(&["--key", "read", "--every", "0.5s", "--turns", "4"]);
    assert_eq!(status, Some(0), "{text}");
    // All gauges of a turn have one time: the first one of each turn is taken, and the others are set aside, told.
    assert!(text.contains("5 key of another row of this turn"), "{text}");
    let rows = |text: String| text.lines().count() - 1;
    let before = rows(std::fs::read_to_string(folder.path().join("history.csv")).unwrap());
    assert!(before >= 2, "{before}");
    std::thread::sleep(Duration::from_millis(1100));
    let (status, text) = readings(&["--key", "read", "--overwrite"]);
    let after = rows(std::fs::read_to_string(folder.path().join("history.csv")).unwrap());
    assert!(status == Some(0) && after == before + 1, "{before} {after} {text}");
}

#[test]
fn what_cannot_be_done_again_and_again_is_told_at_once() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("a.csv"), "lon,lat\n-123.8,46.2\n").unwrap();
    let base = ["convert", "a.csv", "--from", "EPSG:4326"];
    for (arguments, status, part) in [
        (&["-o", "a.geojson", "--every", "5"][..], 2, "5m"),
        (&["-o", "a.geojson", "--every", "0s"], 2, "a tenth of a second"),
        (&["-o", "-", "--every", "5m"], 2, "standard output"),
        (&["-o", "a.geojson", "--every", "5m", "--network-link", "b.kml"], 2, "KML output"),
        (&["-o", "a.kml", "--every", "5m", "--network-link", "a.kml"], 2, "of its own"),
        (&["-o", "a.geojson", "--turns", "2"], 2, "--every"),
    ] {
        let (code, text) = ran(&folder, &[&base[..], arguments].concat());
        assert!(code == Some(status) && text.contains(part), "{arguments:?}: {text}");
    }
    std::fs::write(folder.path().join("a.geojson"), "mine").unwrap();
    let (code, text) = ran(&folder, &[&base[..], &["-o", "a.geojson", "--every", "0.1s"]].concat());
    assert!(code == Some(2) || text.contains("overwrite"), "{text}");
    assert_eq!(std::fs::read_to_string(folder.path().join("a.geojson")).unwrap(), "mine");
}

#[cfg(unix)]
#[test]
fn a_loop_ends_in_good_order() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("a.csv"), "lon,lat\n-123.8,46.2\n").unwrap();
    let mut child = Command::new(assert_cmd::cargo::cargo_bin("basilocus"))
        .args(["convert", "a.csv", "--from", "EPSG:4326", "-o", "a.geojson", "--every", "1h"])
        .current_dir(&folder)
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
    assert!(line.contains("turn 1  1 rows in = 1 out"), "{line}");
    Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    let end = Instant::now() + Duration::from_secs(10);
    let status = loop {
        if let Some(status) = child.try_wait().unwrap() {
            break status;
        }
        assert!(Instant::now() < end, "it does not end");
        std::thread::sleep(Duration::from_millis(10));
    };
    assert_eq!(status.code(), Some(0));
    assert!(std::fs::read_to_string(folder.path().join("a.geojson")).unwrap().contains("-123.8"));
}
