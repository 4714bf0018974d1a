//! Heights, each against one pass that does no more than touch what it touches.

use crate::measure::{Measured, paired};
use basilocus::Cancel;
use basilocus::formats::raster::{RasterOut, RasterPlace, RasterValues, create_raster, open_raster};
use basilocus::terrain::plain::contour::{Levels, contours};
use basilocus::terrain::plain::gradient::{GradientRow, Measure, each_row};
use basilocus::terrain::plain::shade::{Light, Sun};
use basilocus::terrain::plain::slope::{SlopeUnit, steepness_of_row};
use basilocus::terrain::plain::triangulation::triangulate;
use basilocus::terrain::plain::volume::{Level, change, volume};
use basilocus::terrain::plain::{Grid, Ground, RectifiedGrid};
use basilocus::terrain::{ChangePlan, GridPlan, GridReading, VolumePlan, grid_of};
use std::hint::black_box;
use std::num::NonZeroUsize;
use std::path::Path;

/// Cells along a side.
const SIDE: usize = 4000;
/// Points that become triangles.
const POINTS: usize = 1_000_000;

pub fn run(rows: usize) {
    let frame = RectifiedGrid { west: 0.0, north: 0.0, step_x: 2.0, step_y: 2.0, columns: SIDE, rows: SIDE };
    let hills =
        |x: f64, y: f64| 50.0 + 20.0 * (x / 300.0).sin() * (y / 250.0).cos() + 5.0 * (x / 31.0 + y / 47.0).sin();
    let mut grid = Grid::from_function(frame, hills);
    let later = Grid::from_function(frame, |x, y| 0.3 * (x / 90.0).sin() * (y / 70.0).sin());
    println!("terrain, {SIDE} × {SIDE} heights");
    let ratio = |what: &str, floor: &str, measured: Measured| println!("  {what}, against {floor}: {measured}");
    let threads = std::thread::available_parallelism().unwrap_or(NonZeroUsize::MIN);
    let (ground, measure_ground) = (Ground::plane(), Ground::plane());
    let measure = Measure { ground: &measure_ground, metres_per_height: 1.0, threads };
    let copied = grid.clone();
    let copy = || {
        let mut into = vec![0.0; copied.heights.len()];
        into.copy_from_slice(&copied.heights);
        black_box(&into);
    };
    let light = Light::new(&[Sun { azimuth_deg: 315.0, altitude_deg: 45.0, weight: 1.0 }], 1.0).expect("a sun");
    ratio(
        "relief",
        "a copy of the heights",
        paired("relief", || each(&mut grid, &measure, |row, into| light.on_row(row, into)), copy),
    );
    ratio(
        "slope in degrees",
        "a copy of the heights",
        paired(
            "slope in degrees",
            || each(&mut grid, &measure, |row, into| steepness_of_row(row, SlopeUnit::Degrees, into)),
            copy,
        ),
    );
    let levels = Levels::new(0.0, 50.0).expect("a step");
    let mut lines = 0;
    let draw = |grid: &mut Grid, lines: &mut usize| {
        contours(grid, &levels, |line| {
            *lines += line.points.len();
            Ok(())
        })
        .unwrap_or_else(|never| match never {});
    };
    ratio(
        "contours, one level",
        "a copy of the heights",
        paired("contours, one level", || draw(&mut grid, &mut lines), copy),
    );
    let read = |grid: &Grid| grid.heights.iter().filter(|z| z.is_finite()).sum::<f64>();
    let mut differences = later.clone();
    ratio(
        "volume above a level",
        "the sum of the heights",
        paired(
            "volume above a level",
            || {
                let parts = volume(&mut grid, &ground, 1.0, Level::flat(50.0), &[]);
                black_box(parts.unwrap_or_else(|never| match never {}));
            },
            || {
                black_box(read(&copied));
            },
        ),
    );
    ratio(
        "change with a threshold",
        "the sum of the heights of both",
        paired(
            "change with a threshold",
            || {
                let parts = change(&mut differences, &ground, 1.0, 0.05, &[]);
                black_box(parts.unwrap_or_else(|never| match never {}));
            },
            || {
                black_box(read(&copied) + read(&later));
            },
        ),
    );
    files(&grid, &later, &ratio);
    triangles(&ratio);
    points_to_grid(rows, &ratio);
    black_box(lines);
}

/// Volume and change of grids in files, against reading both.
fn files(grid: &Grid, differences: &Grid, ratio: &impl Fn(&str, &str, Measured)) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let (before, after) = (folder.path().join("before.tif"), folder.path().join("after.tif"));
    let f = grid.frame;
    let place = RasterPlace {
        west: f.west,
        north: f.north,
        step_x: f.step_x,
        step_y: f.step_y,
        columns: f.columns,
        rows: f.rows,
    };
    let out = RasterOut { place, crs: None, keys: None, vertical: None, values: RasterValues::Numbers };
    let write = |path: &Path, height: &dyn Fn(usize) -> f64| {
        let mut writer = create_raster(path, out.clone(), false).expect("a grid");
        for row in 0..f.rows {
            let values: Vec<f64> = (0..f.columns).map(|column| height(row * f.columns + column)).collect();
            writer.row(&values).expect("a row");
        }
        writer.finish().expect("a grid").0.publish().expect("a grid");
    };
    write(&before, &|i| grid.heights[i]);
    write(&after, &|i| grid.heights[i] + differences.heights[i]);
    let read = |path: &Path| {
        let mut reader = open_raster(path).expect("a grid");
        let (place, (width, height)) = (reader.about().place, reader.about().chunk);
        for down in 0..place.rows.div_ceil(height) {
            for across in 0..place.columns.div_ceil(width) {
                black_box(reader.chunk(across, down).expect("a part"));
            }
        }
    };
    let reading = GridReading { from: Some("EPSG:32610".into()), ..Default::default() };
    let of_volume = VolumePlan { in_plane: true, reading: reading.clone(), ..VolumePlan::new(&before, 50.0) };
    let of_change = ChangePlan { in_plane: true, reading, threshold: 0.05, ..ChangePlan::new(&before, &after) };
    ratio(
        "volume of a GeoTIFF",
        "reading it",
        paired(
            "volume of a GeoTIFF",
            || {
                black_box(basilocus::terrain::volume(&of_volume, &Cancel::default(), &()).is_ok());
            },
            || read(&before),
        ),
    );
    ratio(
        "change between two GeoTIFFs",
        "reading both",
        paired(
            "change between two GeoTIFFs",
            || {
                black_box(basilocus::terrain::change(&of_change, &Cancel::default(), &()).is_ok());
            },
            || {
                read(&before);
                read(&after);
            },
        ),
    );
}

/// What `value` makes of all gradients, row by row, as the commands do.
fn each(grid: &mut Grid, measure: &Measure, make: impl Fn(&GradientRow, &mut [f64]) + Sync) {
    each_row(
        grid,
        measure,
        |row, [into]| make(row, into),
        |_, values: [&[f64]; 1]| {
            black_box(values);
            Ok(())
        },
    )
    .unwrap_or_else(|never| match never {});
}

fn triangles(ratio: &impl Fn(&str, &str, Measured)) {
    let mut random = crate::Random(7);
    let points: Vec<[f64; 3]> =
        (0..POINTS).map(|_| [random.unit() * 3000.0, random.unit() * 3000.0, random.unit()]).collect();
    let bare = || {
        let points = points.iter().map(|p| spade::Point2::new(p[0], p[1])).collect();
        let mesh = spade::ConstrainedDelaunayTriangulation::<spade::Point2<f64>>::bulk_load_cdt(points, Vec::new());
        black_box(mesh.is_ok());
    };
    let ours = || {
        black_box(triangulate(points.clone(), &[], None).is_ok());
    };
    ratio(&format!("triangles of {POINTS} points"), "the package alone", paired("triangles", ours, bare));
}

fn points_to_grid(rows: usize, ratio: &impl Fn(&str, &str, Measured)) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let (source, output) = (folder.path().join("tile.xyz"), folder.path().join("tile.tif"));
    let columns = 1000;
    let line = |i: usize| {
        format!(
            "{} {} {:.2}\n",
            438_000 + 2 * (i % columns),
            5_116_000 + 2 * (i / columns),
            50.0 + (i % 977) as f64 / 100.0
        )
    };
    std::fs::write(&source, (0..rows).map(line).collect::<String>()).expect("a source");
    let mut plan = GridPlan { overwrite: true, ..GridPlan::new(&source, &output) };
    plan.positions.from = Some("EPSG:32610".into());
    let ours = || {
        black_box(grid_of(&plan, &Cancel::default(), &()).is_ok());
    };
    ratio(
        &format!("XYZ text of {rows} rows to a GeoTIFF"),
        "reading and parsing three numbers a row",
        paired("XYZ text to GeoTIFF", ours, || three_numbers(&source)),
    );
}

fn three_numbers(source: &Path) {
    use std::io::BufRead;
    let file = std::fs::File::open(source).expect("the source");
    let mut sum = 0.0;
    for line in std::io::BufReader::new(file).lines().map_while(Result::ok) {
        sum += line.split_ascii_whitespace().filter_map(|w| w.parse::<f64>().ok()).sum::<f64>();
    }
    black_box(sum);
}
