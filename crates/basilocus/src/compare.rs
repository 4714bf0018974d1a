//! The same rows placed twice: how far apart, worst first.

use crate::Error;
use crate::engine::Cancel;
use crate::pipeline::Pipeline;
use crate::plan::{LayerPlan, OutputPlan, Plan, PositionPlan};
use crate::run::RunOptions;
use crate::source::open;
use basilocus_formats::{FormatError, delimited};
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::Geodesic;
use basilocus_geodesy::operation::Operation;
use serde::Serialize;
use std::collections::{BTreeMap, HashMap};
use std::io::Write;
use std::path::{Path, PathBuf};

/// What is to be compared.
#[derive(Debug, Clone, Default)]
pub struct ComparePlan {
    /// The first table or layer.
    pub a: PathBuf,
    /// The second one.
    pub b: PathBuf,
    /// Column that tells the rows apart; the order of the rows without it.
    pub key: Option<String>,
    /// System of the first one's coordinates, where the file does not say.
    pub from_a: Option<String>,
    /// System of the second one's coordinates.
    pub from_b: Option<String>,
    /// Distances from here on are far apart, metres.
    pub far_m: f64,
    /// A table or layer of all rows, worst first.
    pub output: Option<PathBuf>,
    /// Whether an existing output is replaced.
    pub overwrite: bool,
}

/// A row of both.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Pair {
    /// What tells it from others.
    pub key: String,
    /// Metres between both positions, along the ellipsoid.
    pub distance_m: f64,
    /// Longitude and latitude in the first one, degrees in WGS 84.
    pub a: [f64; 2],
    /// Longitude and latitude in the second one.
    pub b: [f64; 2],
    /// Levels of both, where they are geocoded.
    pub levels: [String; 2],
}

/// What a comparison came to.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct CompareReport {
    /// How the files were read.
    pub understood: Vec<String>,
    /// Rows with a position in the first one.
    pub rows_a: u64,
    /// Rows with a position in the second one.
    pub rows_b: u64,
    /// Rows that are in both.
    pub pairs: u64,
    /// Rows of the first one alone, some of them.
    pub only_a: Vec<String>,
    /// How many there are.
    pub only_a_count: u64,
    /// Rows of the second one alone, some of them.
    pub only_b: Vec<String>,
    /// How many there are.
    pub only_b_count: u64,
    /// Rows that could not be used, by file and reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Median distance, metres.
    pub median_m: f64,
    /// Distance that 95 % of the rows do not exceed, metres.
    pub most_of_95_m: f64,
    /// Largest distance, metres.
    pub largest_m: f64,
    /// The limit.
    pub far_m: f64,
    /// Pairs at that distance or farther.
    pub far: u64,
    /// Pairs at exactly one place.
    pub same: u64,
    /// Pairs of levels with the number of rows and their median distance.
    pub levels: Vec<(String, String, u64, f64)>,
    /// All pairs, worst first.
    #[serde(skip)]
    pub all: Vec<Pair>,
    /// The worst ones.
    pub worst: Vec<Pair>,
    /// Files written.
    pub outputs: Vec<PathBuf>,
}

/// Examples that are given of rows on one side.
const EXAMPLES: usize = 5;

struct Placed {
    lon: f64,
    lat: f64,
    level: String,
}

/// Compares two placings of the same rows.
///
/// # Errors
/// Where a file cannot be read or has no coordinates, a key stands twice, or the output cannot be written.
pub fn compare(plan: &ComparePlan, worst: usize, cancel: &Cancel) -> Result<CompareReport, Error> {
    let mut report = CompareReport { far_m: plan.far_m, ..Default::default() };
    let from_b = plan.from_b.as_ref().or(plan.from_a.as_ref());
    let a = placed(&plan.a, plan.from_a.as_ref(), plan.key.as_deref(), &mut report)?;
    let b = placed(&plan.b, from_b, plan.key.as_deref(), &mut report)?;
    (report.rows_a, report.rows_b) = (a.0.len() as u64, b.0.len() as u64);
    let geodesic = Geodesic::new(&Ellipsoid::wgs84());
    let mut pairs = Vec::new();
    for key in &a.1 {
        let here = &a.0[key];
        let Some(there) = b.0.get(key) else {
            report.only_a_count += 1;
            if report.only_a.len() < EXAMPLES {
                report.only_a.push(key.clone());
            }
            continue;
        };
        let line = geodesic.inverse(here.lon, here.lat, there.lon, there.lat);
        pairs.push(Pair {
            key: key.clone(),
            distance_m: line.distance_m,
            a: [here.lon, here.lat],
            b: [there.lon, there.lat],
            levels: [here.level.clone(), there.level.clone()],
        });
    }
    for key in b.1.iter().filter(|k| !a.0.contains_key(*k)) {
        report.only_b_count += 1;
        if report.only_b.len() < EXAMPLES {
            report.only_b.push(key.clone());
        }
    }
    if pairs.is_empty() {
        return Err(Error::Plan(format!(
            "{} and {} have no row in common; say with --key which column tells the rows apart",
            plan.a.display(),
            plan.b.display()
        )));
    }
    // Equal distances keep the order of the rows.
    pairs.sort_by(|x, y| y.distance_m.total_cmp(&x.distance_m));
    let n = pairs.len();
    let at = |share: f64| pairs[n - 1 - ((n - 1) as f64 * share).round() as usize].distance_m;
    let median = (pairs[(n - 1) / 2].distance_m + pairs[n / 2].distance_m) / 2.0;
    (report.median_m, report.most_of_95_m, report.largest_m) = (median, at(0.95), at(1.0));
    report.pairs = n as u64;
    report.far = pairs.iter().filter(|p| p.distance_m >= plan.far_m).count() as u64;
    report.same = pairs.iter().filter(|p| p.distance_m < 1e-3).count() as u64;
    let mut by_level: BTreeMap<(String, String), Vec<f64>> = BTreeMap::new();
    for p in pairs.iter().filter(|p| !(p.levels[0].is_empty() && p.levels[1].is_empty())) {
        by_level.entry((p.levels[0].clone(), p.levels[1].clone())).or_default().push(p.distance_m);
    }
    report.levels = by_level
        .into_iter()
        .map(|((a, b), mut d)| {
            d.sort_by(f64::total_cmp);
            (a, b, d.len() as u64, d[d.len() / 2])
        })
        .collect();
    report.worst = pairs.iter().take(worst).cloned().collect();
    report.all = pairs;
    if let Some(output) = &plan.output {
        write(&report, output, plan.overwrite, cancel)?;
        report.outputs.push(output.clone());
    }
    Ok(report)
}

/// The positions of a file by their key, and the keys in order.
#[allow(clippy::type_complexity)]
fn placed(
    path: &Path,
    from: Option<&String>,
    key: Option<&str>,
    report: &mut CompareReport,
) -> Result<(HashMap<String, Placed>, Vec<String>), Error> {
    let mut plan = LayerPlan::new(path);
    let mut reader = open(path, &plan.input.options()?)?;
    let carried = reader.about().crs.clone();
    if from.is_none() && carried.is_none() {
        report.understood.push(format!("{}: WGS 84, as nothing else is said", path.display()));
    }
    let from = from.cloned().or(carried).unwrap_or_else(|| "EPSG:4326".into());
    plan.position = Some(PositionPlan { from: Some(from), ..Default::default() });
    let pipeline = Pipeline::new(&plan, reader.as_mut(), &[], false, "")?;
    // How the table was cut into cells is of no interest here; which numbers are the coordinates is.
    let told = pipeline.understood.iter().filter(|u| u.starts_with("positions"));
    report.understood.extend(told.map(|u| format!("{}: {u}", path.display())));
    let names: Vec<String> = pipeline.schema().fields().iter().map(|f| f.name().clone()).collect();
    let find = |wanted: &str| names.iter().position(|n| n.eq_ignore_ascii_case(wanted));
    let key_column = match key {
        None => None,
        Some(k) => Some(find(k).ok_or_else(|| Error::NoColumn {
            path: path.to_path_buf(),
            wanted: k.into(),
            names: names.clone(),
        })?),
    };
    let level_column = find("level");
    let crs = pipeline.source().ok_or_else(|| Error::NoPosition { path: path.to_path_buf(), names: names.clone() })?;
    let operation = Operation::between(crs, &Catalogue::embedded().get(4326)?, None)?;
    let (mut out, mut order) = (HashMap::new(), Vec::new());
    let mut failed: Option<Error> = None;
    let file = path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    reader.read(&mut |block| {
        let (rows, aside) = match pipeline.texts_and_positions_of(block, [key_column, level_column]) {
            Ok(found) => found,
            Err(e) => {
                failed = Some(e);
                return false;
            }
        };
        for class in aside {
            *report.set_aside.entry(format!("{file}: {class}")).or_default() += 1;
        }
        for (row, [key, level], x, y) in rows {
            let Some((lon, lat, _)) = operation.apply_one(x, y, 0.0) else {
                *report.set_aside.entry(format!("{file}: cannot be transformed")).or_default() += 1;
                continue;
            };
            let key = if key_column.is_some() { key } else { format!("row {row}") };
            if out.contains_key(&key) {
                failed = Some(Error::Plan(format!(
                    "{}: row {row}: \"{key}\" is the key of an earlier row too; a column that tells rows apart is expected",
                    path.display()
                )));
                return false;
            }
            order.push(key.clone());
            out.insert(key, Placed { lon, lat, level });
        }
        true
    })?;
    match failed {
        Some(e) => Err(e),
        None => Ok((out, order)),
    }
}

/// Writes all pairs as a table or layer at the positions of the first file.
fn write(report: &CompareReport, output: &Path, overwrite: bool, cancel: &Cancel) -> Result<(), Error> {
    let io = |e: std::io::Error| FormatError::Write { path: output.to_path_buf(), problem: e.to_string() };
    let folder = tempfile::tempdir().map_err(io)?;
    let table = folder.path().join("comparison.csv");
    let mut file = std::io::BufWriter::new(std::fs::File::create(&table).map_err(io)?);
    file.write_all(b"key,distance_m,level_a,level_b,lon,lat,lon_b,lat_b\n").map_err(io)?;
    for p in &report.all {
        let numbers = [p.a[0], p.a[1], p.b[0], p.b[1]].map(|v| format!("{v:.7}"));
        let distance = format!("{:.2}", p.distance_m);
        let cells = [&p.key, &distance, &p.levels[0], &p.levels[1], &numbers[0], &numbers[1], &numbers[2], &numbers[3]];
        file.write_all(delimited::line(cells.map(String::as_str)).as_bytes()).map_err(io)?;
    }
    file.into_inner().map_err(|e| io(e.into_error()))?;
    let position = PositionPlan {
        from: Some("EPSG:4326".into()),
        x: Some("lon".into()),
        y: Some("lat".into()),
        ..Default::default()
    };
    let layer = LayerPlan { name: Some("comparison".into()), position: Some(position), ..LayerPlan::new(&table) };
    let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(output)], ..Default::default() };
    crate::run(&plan, &RunOptions { overwrite, cancel: cancel.clone(), ..Default::default() })?;
    Ok(())
}
