//! The examples run, and say what they promise.

use std::process::Command;

fn run(name: &str, arguments: &[&str]) -> String {
    // `cargo test` has built the examples beside this test; a lone `--test examples` has not.
    let built = std::env::current_exe()
        .unwrap()
        .parent()
        .and_then(std::path::Path::parent)
        .map(|p| p.join("examples").join(name));
    let mut command = match built.filter(|p| p.exists()) {
        Some(path) => Command::new(path),
        None => {
            let mut c = Command::new(env!("CARGO"));
            c.args(["run", "-q", "-p", "basilocus", "--example", name, "--"]);
            c
        }
    };
    let o = command.args(arguments).output().unwrap();
    assert!(o.status.success(), "{name}: {}", String::from_utf8_lossy(&o.stderr));
    String::from_utf8(o.stdout).unwrap()
}

#[test]
fn examples_run() {
    let out = run("read_a_position", &["46 12 0 N 123 48 0 W"]);
    assert!(out.contains("degrees, minutes and seconds") && out.contains("10T 438277.8 5116580.3"), "{out}");
    assert!(run("read_a_position", &["10 20"]).contains("2 readings"));
    assert!(run("transform_columns", &[]).contains("western states"));
    assert!(run("find_a_system", &["utm", "10", "north", "wgs"]).contains("EPSG:32610"));
    let out = run("match_addresses", &[]);
    assert!(
        out.contains("\"Herron\" read as \"Heron\"") && out.contains("set aside: Ternport is not in region WA"),
        "{out}"
    );
    assert!(run("run_a_plan", &[]).contains("2 rows in, 1 out"));
}
