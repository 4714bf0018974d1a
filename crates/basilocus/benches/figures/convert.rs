//! A CSV file from longitude and latitude to UTM, against a plain copy of it with the `csv` crate.

use crate::{Random, paired};
use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::{Positions, To};
use std::io::Write;
use std::path::Path;

pub fn run(rows: usize) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let source = folder.path().join("source.csv");
    write_source(&source, rows);
    let (ours, copy) = (folder.path().join("ours.csv"), folder.path().join("copy.csv"));
    let measured = paired("CSV to UTM to CSV", || convert(&source, &ours), || plain_copy(&source, &copy));
    println!(
        "convert, {rows} rows of 6 columns ({:.0} MB), longitude and latitude to UTM, CSV to CSV",
        std::fs::metadata(&source).map_or(0.0, |m| m.len() as f64 / 1e6)
    );
    println!("  against a copy with the csv crate: {measured}");
    // Peak memory is a process's own: a child does the work and says its high-water mark.
    for n in [rows, rows * 4] {
        if n != rows {
            write_source(&source, n);
        }
        let child = std::process::Command::new(std::env::current_exe().expect("own path"))
            .args(["--child", &source.to_string_lossy(), &ours.to_string_lossy()])
            .output();
        println!(
            "  peak memory with {n} rows: {}",
            child.map_or("not known".into(), |o| String::from_utf8_lossy(&o.stdout).trim().to_string())
        );
    }
}

pub fn child(arguments: &[String]) {
    convert(Path::new(&arguments[0]), Path::new(&arguments[1]));
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let peak =
        status.lines().find_map(|l| l.strip_prefix("VmHWM:")).map_or("not known".into(), |v| v.trim().to_string());
    println!("{peak}");
}

fn convert(source: &Path, target: &Path) {
    let positions = Positions::in_system("EPSG:4326").expect("a system");
    let layer = LayerPlan::new(source).with(positions).with(To::system("EPSG:32610").expect("a system"));
    let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(target)], ..Default::default() };
    let report = basilocus::run(&plan, &basilocus::RunOptions { overwrite: true, ..Default::default() })
        .expect("the conversion runs");
    assert_eq!(report.rows_in, report.rows_out);
}

pub(crate) fn plain_copy(source: &Path, target: &Path) {
    let mut reader = csv::Reader::from_path(source).expect("the source is there");
    let mut writer = csv::Writer::from_path(target).expect("the folder is there");
    writer.write_byte_record(reader.byte_headers().expect("a header")).expect("written");
    let mut record = csv::ByteRecord::new();
    while reader.read_byte_record(&mut record).expect("a record") {
        writer.write_byte_record(&record).expect("written");
    }
    writer.flush().expect("written");
}

pub(crate) fn write_source(path: &Path, rows: usize) {
    let mut random = Random(11);
    let mut file = std::io::BufWriter::new(std::fs::File::create(path).expect("the folder is there"));
    writeln!(file, "id,name,lon,lat,kind,remark").expect("written");
    for i in 0..rows {
        let (lon, lat) = (-126.0 + 6.0 * random.unit(), 42.0 + 8.0 * random.unit());
        writeln!(file, "{i},gate {},{lon:.7},{lat:.7},culvert,seen at low water", i % 977).expect("written");
    }
    file.flush().expect("written");
}
