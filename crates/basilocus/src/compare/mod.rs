//! The same rows twice: how far apart their positions are, worst first, and which of their cells are not the same.

mod causes;
mod cells;
mod displacement;
mod rows;

use crate::coordinates::expectation;
use crate::doubts::DoubtReport;
use crate::drawing::comparison::{self, SAME_M};
use crate::drawing::output::{PictureOutput, USUAL_SIZE, is_picture};
use crate::engine::Cancel;
use crate::paths::Paths;
use crate::steps::Positions;
use crate::{Error, Layer, RunOptions};
use arrow_array::{ArrayRef, Float64Array, RecordBatch, StringArray};
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::geodesic::Geodesic;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub use cells::{CellChange, ColumnChange};
pub use displacement::{Displacement, Explained, Shift, Turned};

/// What is to be compared.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct ComparePlan {
    /// The first table or layer
    pub a: PathBuf,
    /// The second one, of the same rows
    pub b: PathBuf,
    /// Column that tells the rows apart; their order unless said, where both have as many rows
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    pub key: Option<String>,
    /// System of the coordinates of the first one; WGS 84 where neither this nor the file says it
    #[cfg_attr(feature = "arguments", arg(long = "from", value_name = "CRS"))]
    pub from_a: Option<String>,
    /// System of the coordinates of the second one; that of the first unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from_b: Option<String>,
    /// Where the positions of both should be: W,S,E,N in degrees, the name of an area, a layer or a reference; what lies elsewhere
    /// is explained
    #[cfg_attr(feature = "arguments", arg(long, value_name = "PLACE", allow_hyphen_values = true))]
    pub expect: Option<String>,
    /// Rows to show, worst first
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", default_value_t = 10))]
    pub most: usize,
    /// Distances from here on are counted as far apart, metres
    #[cfg_attr(feature = "arguments", arg(long = "far", value_name = "METRES", default_value_t = 50.0))]
    pub far_m: f64,
    /// Write all rows with their distances, worst first (.csv, .tsv, .xlsx, .geojson, .gpkg), or draw them: arrows from the
    /// first place to the second and how often which distance is found (.png, .svg, .html); several times
    #[cfg_attr(feature = "arguments", arg(short, long = "output", value_name = "FILE"))]
    pub outputs: Vec<PathBuf>,
    /// Replace an output that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
}

impl ComparePlan {
    /// Two files, row by row; ten are shown, and 50 m are far.
    pub fn new(a: impl Into<PathBuf>, b: impl Into<PathBuf>) -> Self {
        ComparePlan {
            a: a.into(),
            b: b.into(),
            key: None,
            from_a: None,
            from_b: None,
            expect: None,
            most: 10,
            far_m: 50.0,
            outputs: Vec::new(),
            overwrite: false,
        }
    }
}

/// A row of both.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema), schemars(rename = "PlacedTwice"))]
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
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct CompareReport {
    /// How the files were read.
    pub interpretation: Vec<String>,
    /// Rows with a position in the first one.
    pub rows_a: u64,
    /// Rows with a position in the second one.
    pub rows_b: u64,
    /// Rows that are in both, those without a position among them where a key tells rows apart.
    pub rows_in_both: u64,
    /// Rows that have a position in both.
    pub pairs: u64,
    /// Rows of the first one alone, some of them.
    pub only_a: Vec<String>,
    /// How many there are.
    pub only_a_count: u64,
    /// Rows of the second one alone, some of them.
    pub only_b: Vec<String>,
    /// How many there are.
    pub only_b_count: u64,
    /// Rows of both that have a position in the first one alone, some of them.
    pub lost_place: Vec<String>,
    /// How many there are.
    pub lost_place_count: u64,
    /// Rows of both that have a position in the second one alone, some of them.
    pub got_place: Vec<String>,
    /// How many there are.
    pub got_place_count: u64,
    /// Columns with cells that are not the same in both, where a key tells rows apart.
    pub cells: Vec<ColumnChange>,
    /// Columns of the first one alone.
    pub columns_only_a: Vec<String>,
    /// Columns of the second one alone.
    pub columns_only_b: Vec<String>,
    /// Rows without a position, by file and reason.
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
    /// What the rows that moved have in common, and what would give just that.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub displacement: Option<Displacement>,
    /// Pairs of levels with the number of rows and their median distance.
    pub levels: Vec<(String, String, u64, f64)>,
    /// All pairs, worst first.
    #[serde(skip)]
    pub all: Vec<Pair>,
    /// The worst ones.
    pub worst: Vec<Pair>,
    /// Suspicions about positions that are not where they should be.
    pub doubts: Vec<DoubtReport>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// A side of a comparison.
struct Side {
    /// The system that its positions were in.
    crs: Crs,
}

/// Examples that are given of rows on one side.
const EXAMPLES: usize = 5;

/// Counts a row, and takes it as an example where there are few.
fn noted(examples: &mut Vec<String>, count: &mut u64, row: &str) {
    *count += 1;
    if examples.len() < EXAMPLES {
        examples.push(row.to_string());
    }
}

/// Compares two placings of the same rows.
///
/// # Errors
/// Where a file cannot be read or has no coordinates, a key stands twice, or the output cannot be written.
///
/// ```
/// use basilocus::Cancel;
/// use basilocus::compare::{ComparePlan, compare};
///
/// let folder = tempfile::tempdir()?;
/// let (old, new) = (folder.path().join("old.csv"), folder.path().join("new.csv"));
/// std::fs::write(&old, "gate,lon,lat\nA,-123.8,46.2\nB,-123.7,46.1\n")?;
/// std::fs::write(&new, "gate,lon,lat\nB,-123.7,46.101\nA,-123.8,46.2\n")?;
/// let plan = ComparePlan { key: Some("gate".into()), ..ComparePlan::new(old, new) };
/// let report = compare(&plan, &Cancel::default())?;
/// assert_eq!((report.pairs, report.far, report.same), (2, 1, 1));
/// assert_eq!(report.worst[0].key, "B");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn compare(plan: &ComparePlan, cancel: &Cancel) -> Result<CompareReport, Error> {
    let mut paths = Paths::default();
    paths.read(&plan.a, "one of the tables");
    paths.read(&plan.b, "one of the tables");
    plan.outputs.iter().try_for_each(|output| paths.written(output, "an output"))?;
    // Their places are taken before anything is read.
    let drawn = plan.outputs.iter().filter(|o| is_picture(o));
    let pictures = drawn.map(|o| PictureOutput::map(o, USUAL_SIZE, plan.overwrite)).collect::<Result<Vec<_>, _>>()?;
    let mut report = CompareReport { far_m: plan.far_m, ..Default::default() };
    let from_b = plan.from_b.as_ref().or(plan.from_a.as_ref());
    let expected = plan.expect.as_deref().map(|e| expectation::find(e, cancel)).transpose()?;
    let [a, b] = [(&plan.a, plan.from_a.as_ref()), (&plan.b, from_b)].map(|(path, from)| {
        let asked = rows::Asked { from, key: plan.key.as_deref(), expected: expected.as_ref() };
        rows::read(path, asked, &mut report, cancel)
    });
    let (a, b) = (a?, b?);
    if plan.key.is_none() {
        if a.count != b.count {
            return Err(Error::Usage(format!(
                "{} has {} rows and {} has {}: their order pairs rows only where both have as many; say with `key` which column tells the rows apart",
                plan.a.display(),
                a.count,
                plan.b.display(),
                b.count
            )));
        }
        report.interpretation.push("rows paired by their order in the files; `key` pairs them by a column".into());
    }
    (report.rows_a, report.rows_b) = (a.placed(), b.placed());
    let geodesic = Geodesic::new(&Ellipsoid::wgs84());
    let (mut pairs, mut common) = (Vec::new(), 0u64);
    for key in &a.order {
        let here = &a.rows[key];
        let Some(there) = b.rows.get(key) else {
            noted(&mut report.only_a, &mut report.only_a_count, &here.name);
            continue;
        };
        common += 1;
        let (at, to) = match (here.place, there.place) {
            (Some(at), Some(to)) => (at, to),
            (Some(_), None) => {
                noted(&mut report.lost_place, &mut report.lost_place_count, &here.name);
                continue;
            }
            (None, Some(_)) => {
                noted(&mut report.got_place, &mut report.got_place_count, &here.name);
                continue;
            }
            (None, None) => continue,
        };
        let line = geodesic.inverse(at[0], at[1], to[0], to[1]);
        pairs.push(Pair {
            key: here.name.clone(),
            distance_m: line.distance_m,
            a: at,
            b: to,
            levels: [here.level.clone(), there.level.clone()],
        });
    }
    for key in b.order.iter().filter(|k| !a.rows.contains_key(*k)) {
        noted(&mut report.only_b, &mut report.only_b_count, &b.rows[key].name);
    }
    if common == 0 {
        return Err(Error::Usage(format!(
            "{} and {} have no row in common; say with `key` which column tells the rows apart",
            plan.a.display(),
            plan.b.display()
        )));
    }
    if plan.key.is_some() {
        let changes = cells::changes(&a, &b, plan.most);
        (report.cells, report.columns_only_a, report.columns_only_b) =
            (changes.columns, changes.only_a, changes.only_b);
    }
    report.rows_in_both = common;
    // Equal distances keep the order of the rows.
    pairs.sort_by(|x, y| y.distance_m.total_cmp(&x.distance_m));
    if let Some(last) = pairs.len().checked_sub(1) {
        let at = |share: f64| pairs[last - (last as f64 * share).round() as usize].distance_m;
        let median = (pairs[last / 2].distance_m + pairs[last.div_ceil(2)].distance_m) / 2.0;
        (report.median_m, report.most_of_95_m, report.largest_m) = (median, at(0.95), at(1.0));
    }
    report.pairs = pairs.len() as u64;
    report.far = pairs.iter().filter(|p| p.distance_m >= plan.far_m).count() as u64;
    report.same = pairs.iter().filter(|p| p.distance_m < SAME_M).count() as u64;
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
    // Two matches of one address are apart by what each was matched to.
    if let (true, Some(of_a), Some(of_b)) = (report.levels.is_empty(), &a.crs, &b.crs) {
        let sides = [of_a, of_b].map(|crs| Side { crs: crs.clone() });
        report.displacement = displacement::of(&pairs, &sides)?;
    }
    report.worst = pairs.iter().take(plan.most).cloned().collect();
    report.all = pairs;
    for output in plan.outputs.iter().filter(|o| !is_picture(o)) {
        write(&report, output, plan.overwrite, cancel)?;
        report.outputs.push(output.clone());
    }
    for picture in pictures {
        let (path, notices) = comparison::draw(picture, &report.all, plan, cancel)?;
        report.interpretation.extend(notices);
        report.outputs.push(path);
    }
    Ok(report)
}

/// What rows that were placed twice have in common, and what would give just that; the pairs are longitude and latitude,
/// degrees in WGS 84. Nothing where a system has no way to degrees, and where too few rows moved by more than a millimetre.
pub fn displacement_of(pairs: &[[[f64; 2]; 2]], systems: [&Crs; 2]) -> Option<Displacement> {
    let geodesic = Geodesic::new(&Ellipsoid::wgs84());
    let pair = |[a, b]: &[[f64; 2]; 2]| {
        let distance_m = geodesic.inverse(a[0], a[1], b[0], b[1]).distance_m;
        Pair { key: String::new(), distance_m, a: *a, b: *b, levels: Default::default() }
    };
    let pairs: Vec<Pair> = pairs.iter().map(pair).collect();
    displacement::of(&pairs, &systems.map(|crs| Side { crs: crs.clone() })).ok()?
}

/// Writes all pairs as a table or layer at the positions of the first file.
fn write(report: &CompareReport, output: &Path, overwrite: bool, cancel: &Cancel) -> Result<(), Error> {
    // A hundredth of a metre, and a centimetre in degrees.
    let rounded = |v: f64, digits: i32| (v * 10f64.powi(digits)).round() / 10f64.powi(digits);
    let text = |f: &dyn Fn(&Pair) -> &str| -> ArrayRef {
        Arc::new(report.all.iter().map(|p| Some(f(p))).collect::<StringArray>())
    };
    let number = |f: &dyn Fn(&Pair) -> f64, digits: i32| -> ArrayRef {
        Arc::new(report.all.iter().map(|p| rounded(f(p), digits)).collect::<Float64Array>())
    };
    let columns: [(&str, ArrayRef); 8] = [
        ("key", text(&|p| &p.key)),
        ("distance_m", number(&|p| p.distance_m, 2)),
        ("level_a", text(&|p| &p.levels[0])),
        ("level_b", text(&|p| &p.levels[1])),
        ("lon", number(&|p| p.a[0], 7)),
        ("lat", number(&|p| p.a[1], 7)),
        ("lon_b", number(&|p| p.b[0], 7)),
        ("lat_b", number(&|p| p.b[1], 7)),
    ];
    let records = RecordBatch::try_from_iter_with_nullable(columns.map(|(name, array)| (name, array, true)))
        .map_err(|e| Error::Defect(format!("the pairs do not make a table: {e}")))?;
    Layer::from_records("comparison", vec![records])?
        .positions(Positions::in_system("EPSG:4326")?.in_columns("lon", "lat"))
        .write(output)?
        .run_with(&RunOptions { overwrite, cancel: cancel.clone(), ..Default::default() })?;
    Ok(())
}
