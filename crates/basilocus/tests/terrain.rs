//! Heights from files to files: what is measured is what the ground is, every row is accounted for, and slips are told.

use basilocus::Cancel;
use basilocus::formats::raster::open_raster;
use basilocus::look;
use basilocus::plan::LayerPlan;
use basilocus::steps::Positions;
use basilocus::terrain::*;
use std::path::{Path, PathBuf};

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn at(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn file(&self, name: &str, text: impl AsRef<[u8]>) -> PathBuf {
        std::fs::write(self.at(name), text).unwrap();
        self.at(name)
    }

    fn text(&self, name: &str) -> String {
        std::fs::read_to_string(self.at(name)).unwrap()
    }

    /// An ASCII grid of heights by column and row from the north-west, cells of 10 with their middles from (0, 0) on.
    fn grid(&self, name: &str, columns: usize, rows: usize, height: impl Fn(usize, usize) -> f64) -> PathBuf {
        let mut text = format!(
            "ncols {columns}\nnrows {rows}\nxllcenter 438000\nyllcenter 5116000\ncellsize 10\nnodata_value -9999\n"
        );
        for row in 0..rows {
            let line: Vec<String> = (0..columns).map(|column| height(column, row).to_string()).collect();
            text += &(line.join(" ") + "\n");
        }
        self.file(name, text)
    }
}

fn utm() -> GridReading {
    GridReading { from: Some("EPSG:32610".into()), ..Default::default() }
}

fn heights(path: &Path) -> Vec<f64> {
    let mut raster = open_raster(path).unwrap();
    let (place, (width, height)) = (raster.about().place, raster.about().chunk);
    assert!(width >= place.columns, "one part across");
    (0..place.rows.div_ceil(height)).flat_map(|down| raster.chunk(0, down).unwrap()).collect()
}

fn xyz(columns: usize, rows: usize, step: f64, height: impl Fn(usize, usize) -> f64) -> String {
    let point = |i: usize| {
        let (column, row) = (i % columns, i / columns);
        format!("{} {} {}\n", 438_000.0 + column as f64 * step, 5_116_000.0 + row as f64 * step, height(column, row))
    };
    (0..columns * rows).map(point).collect()
}

#[test]
fn points_of_a_grid_become_it_and_all_others_are_set_aside() {
    let folder = Folder::new();
    let mut text = xyz(20, 15, 2.0, |c, r| (c + r) as f64);
    // Off the grid, another height at a place that has one, the same once more, and no height at all.
    text += "438001 5116000.9 3\n438000 5116000 77\n438002 5116000 1\n438004 5116000 high\n";
    let points = folder.file("tile.xyz", text);
    let mut plan = GridPlan::new(points, folder.at("tile.asc"));
    plan.positions = Positions { z: Some("z".into()), ..Positions::in_system("EPSG:32610").unwrap() };
    let report = grid_of(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!((report.spacing.is_uniform, report.columns, report.rows, report.by), (true, 20, 15, GridBy::Lattice));
    assert_eq!((report.spacing.off, report.spacing.empty), (1, 0));
    assert_eq!((report.rows_in, report.rows_used, report.rows_repeated), (304, 300, 1));
    assert_eq!(report.rows_in, report.rows_used + report.rows_repeated + report.set_aside.values().sum::<u64>());
    let aside = folder.text("tile.set-aside.csv");
    let lines: Vec<&str> = aside.lines().collect();
    assert_eq!(lines.len(), 4, "{aside}");
    for (line, begin, end) in
        [(1, "301,", "438001,5116000.9,3"), (2, "302,", "438000,5116000,77"), (3, "304,", "438004,5116000,high")]
    {
        assert!(lines[line].starts_with(begin) && lines[line].ends_with(end), "{aside}");
    }
    // Rows from the north.
    let heights = heights(&folder.at("tile.asc"));
    assert_eq!((heights[0], heights[299], heights[280]), (14.0, 19.0, 0.0));
    assert!(folder.text("tile.prj").contains("UTM zone 10N"));
    assert!(grid_of(&plan, &Cancel::default(), &()).unwrap_err().to_string().contains("exists already"));
}

#[test]
fn triangles_that_lie_over_others_are_told_with_their_volume() {
    let folder = Folder::new();
    // Two halves of a square of 10 m at a height of 3 m; and one of them again, a metre higher.
    let triangle = |z: u32, corners: [[u32; 2]; 4]| {
        let corners = corners.map(|[x, y]| format!("{} {} {z}", 438_000 + x, 5_116_000 + y));
        format!("\"POLYGON Z (({}))\"\n", corners.join(", "))
    };
    let south = [[0, 0], [10, 0], [10, 10], [0, 0]];
    let halves = format!("geom\n{}{}", triangle(3, south), triangle(3, [[0, 0], [10, 10], [0, 10], [0, 0]]));
    let volume_of = |text: String| {
        let surface = folder.file("halves.csv", text);
        let plan = VolumePlan { in_plane: true, reading: utm(), ..VolumePlan::new(&surface, 0.0) };
        volume(&plan, &Cancel::default(), &()).unwrap()
    };
    let told = |report: &VolumeReport| {
        let over =
            "2 triangles lie over others: there the ground has more than one height, of which volumes count each";
        report.interpretation.iter().any(|line| line.contains(over))
    };
    let report = volume_of(halves.clone());
    assert!(!told(&report) && (report.volume_m3 - 300.0).abs() < 1e-6, "{report:?}");
    let report = volume_of(halves + &triangle(4, south));
    assert!(told(&report) && (report.volume_m3 - 500.0).abs() < 1e-6, "{report:?}");
}

#[test]
fn a_look_at_a_turned_grid_and_a_grid_made_of_it_say_the_same() {
    let folder = Folder::new();
    let (turn, step) = (27.5f64.to_radians(), 2.0);
    let place = |i: usize| {
        let (along, across) = ((i % 50) as f64 * step, (i / 50) as f64 * step);
        (438_000.0 + along * turn.cos() - across * turn.sin(), 5_116_000.0 + along * turn.sin() + across * turn.cos())
    };
    let plane = |x: f64, y: f64| 10.0 + 0.1 * (x - 438_000.0) - 0.2 * (y - 5_116_000.0);
    // A hole, and a point that stands between four others.
    let mut rows: String = (0..50 * 30)
        .filter(|i| *i != 777)
        .map(|i| (place(i), i))
        .map(|((x, y), _)| format!("{x:.3} {y:.3} {:.3}\n", plane(x, y)))
        .collect();
    let (x, y) = (place(0).0 + turn.cos() - turn.sin(), place(0).1 + turn.sin() + turn.cos());
    rows.push_str(&format!("{x:.3} {y:.3} {:.3}\n", plane(x, y)));
    let points = folder.file("quay.xyz", rows);
    let looked = look(&LayerPlan::new(&points), 3, &Cancel::default(), &()).unwrap().spacing.unwrap();
    assert_eq!((looked.is_uniform, looked.size), (true, Some([50, 30])));
    assert_eq!((looked.off, looked.empty, looked.repeated), (1, 1, 0));
    assert!((looked.turn_deg.unwrap() - 27.5).abs() < 1e-3 && (looked.between_deg.unwrap() - 90.0).abs() < 1e-3);
    let mut plan = GridPlan::new(points, folder.at("quay.asc"));
    plan.positions.from = Some("EPSG:32610".into());
    let report = grid_of(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!(report.spacing, looked);
    assert_eq!((report.by, report.cell, report.rows_used), (GridBy::Triangles, [2.0; 2], 1500));
    let (place, heights) =
        (open_raster(&folder.at("quay.asc")).unwrap().about().place, heights(&folder.at("quay.asc")));
    assert!(heights.iter().filter(|z| z.is_finite()).count() > 1300);
    for (i, z) in heights.iter().enumerate().filter(|(_, z)| z.is_finite()) {
        let x = place.west + (i % place.columns) as f64 * place.step_x;
        let y = place.north - (i / place.columns) as f64 * place.step_y;
        assert!((z - plane(x, y)).abs() < 0.01, "{x} {y} {z}");
    }
}

#[test]
fn scattered_points_get_cells_that_suit_them() {
    let folder = Folder::new();
    let noise = |i: usize| ((i as f64 * 12.9898).sin() * 43758.5453).rem_euclid(1.0);
    let rows: String = (0..800)
        .map(|i| {
            let (x, y) = (noise(i) * 200.0, noise(i + 7919) * 100.0);
            format!("{i},{:.2},{:.2},{:.3}\n", 438_000.0 + x, 5_116_000.0 + y, 10.0 + 0.1 * x - 0.2 * y)
        })
        .collect();
    let points = folder.file("survey.csv", format!("id,easting,northing,height\n{rows}"));
    let mut plan = GridPlan::new(points, folder.at("survey.asc"));
    plan.positions.from = Some("EPSG:32610".into());
    let report = grid_of(&plan, &Cancel::default(), &()).unwrap();
    let mean = report.spacing.mean.unwrap();
    assert!(!report.spacing.is_uniform && (4.0..6.0).contains(&mean), "{mean}");
    assert_eq!((report.by, report.cell), (GridBy::Triangles, [if mean >= 5.0 { 5.0 } else { 2.0 }; 2]));
    assert!(report.notices[0].contains("apart in the mean"), "{:?}", report.notices);
    // The plane itself, wherever something is known.
    let (place, heights) =
        (open_raster(&folder.at("survey.asc")).unwrap().about().place, heights(&folder.at("survey.asc")));
    for (i, z) in heights.iter().enumerate().filter(|(_, z)| z.is_finite()) {
        let x = place.west + (i % place.columns) as f64 * place.step_x - 438_000.0;
        let y = place.north - (i / place.columns) as f64 * place.step_y - 5_116_000.0;
        assert!((z - (10.0 + 0.1 * x - 0.2 * y)).abs() < 0.01, "{x} {y} {z}");
    }
    let asked = GridPlan { by: Some(GridBy::Lattice), overwrite: true, ..plan.clone() };
    let message = grid_of(&asked, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("the points are no grid"), "{message}");
    let asked = GridPlan { by: Some(GridBy::Mean), cell: Some(20.0), overwrite: true, ..plan };
    let report = grid_of(&asked, &Cancel::default(), &()).unwrap();
    assert_eq!((report.cell, report.heights.unknown), ([20.0; 2], 0));
    assert_eq!(report.rows_in, report.rows_used + report.set_aside.values().sum::<u64>());
}

#[test]
fn steps_that_are_asked_for_of_a_grid_are_taken_from_its_surface() {
    let folder = Folder::new();
    let points = folder.file("tile.xyz", xyz(20, 20, 2.0, |c, r| (3 * c + r) as f64));
    let mut plan = GridPlan { cell: Some(1.0), ..GridPlan::new(points, folder.at("fine.asc")) };
    plan.positions.from = Some("EPSG:32610".into());
    let report = grid_of(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!((report.by, report.columns, report.rows), (GridBy::Triangles, 39, 39));
    let heights = heights(&folder.at("fine.asc"));
    assert!((heights[38 * 39 + 1] - 1.5).abs() < 1e-6, "between the first two points");
}

#[test]
fn what_is_no_grid_of_heights_is_told() {
    let folder = Folder::new();
    let cancel = Cancel::default();
    let flat = folder.file("flat.csv", "id,x,y\n1,438000,5116000\n2,438010,5116010\n");
    let mut plan = GridPlan::new(&flat, folder.at("out.tif"));
    plan.positions.from = Some("EPSG:32610".into());
    let message = |plan: &GridPlan| grid_of(plan, &cancel, &()).unwrap_err().to_string();
    assert!(message(&plan).contains("no heights were found among"), "{}", message(&plan));
    assert!(
        message(&GridPlan { output: folder.at("out.csv"), ..plan.clone() }).contains("no format that holds this grid")
    );
    assert!(message(&GridPlan { cell: Some(-1.0), ..plan.clone() }).contains("a size above zero"));
    assert!(
        message(&GridPlan { output: flat.clone(), ..plan.clone() })
            .contains("one file would be a source and the output")
    );
    let line = folder.file("line.xyz", "438000 5116000 1\n438001 5116001 2\n438002 5116002 3\n438003.5 5116003.5 4\n");
    let mut on_a_line =
        GridPlan { cell: Some(1.0), by: Some(GridBy::Triangles), ..GridPlan::new(line, folder.at("out.tif")) };
    on_a_line.positions.from = Some("EPSG:32610".into());
    assert!(message(&on_a_line).contains("three that are not on one line"), "{}", message(&on_a_line));
    assert_eq!(std::fs::read_dir(folder.0.path()).unwrap().count(), 2, "nothing was written");
}

#[test]
fn volumes_are_those_of_the_ground_and_of_its_parts() {
    let folder = Folder::new();
    // A wedge: 0 to 40 over 40 m, 30 m wide: 24,000 m³ in the plane.
    let grid = folder.grid("wedge.asc", 5, 4, |column, _| 10.0 * column as f64);
    let cancel = Cancel::default();
    let plane = VolumePlan { in_plane: true, reading: utm(), ..VolumePlan::new(&grid, 0.0) };
    let report = volume(&plane, &cancel, &()).unwrap();
    assert!((report.volume_m3 - 24_000.0).abs() < 1e-6 && (report.known_area_m2 - 1200.0).abs() < 1e-9, "{report:?}");
    // On the ground everything is larger by the square of the scale there, 0.99964.
    let ground = volume(&VolumePlan { in_plane: false, ..plane.clone() }, &cancel, &()).unwrap();
    let scale = (report.volume_m3 / ground.volume_m3).sqrt();
    assert!((scale - 0.999_647).abs() < 2e-6, "{scale}");
    // Below 20: half a wedge of 20 m by 30 m, 20 high; above it the same.
    let half = volume(&VolumePlan { above: 20.0, ..plane.clone() }, &cancel, &()).unwrap();
    assert!((half.below_volume_m3 - 6_000.0).abs() < 1e-6 && (half.volume_m3 - 6_000.0).abs() < 1e-6);
    // A plane that rises as the wedge does, one below it.
    let along = VolumePlan { above: -1.0, rise: vec![1.0, 0.0], at: vec![438_000.0, 0.0], ..plane.clone() };
    let along = volume(&along, &cancel, &()).unwrap();
    assert!((along.volume_m3 - 1200.0).abs() < 1e-6 && along.below_volume_m3 == 0.0);
    // Heights in feet.
    let feet = GridReading { height_unit: Some("foot".into()), ..utm() };
    let feet = volume(&VolumePlan { reading: feet, ..plane.clone() }, &cancel, &()).unwrap();
    assert!((feet.volume_m3 - 24_000.0 * 0.3048).abs() < 1e-6);
    let message = volume(&VolumePlan { rise: vec![1.0], ..plane.clone() }, &cancel, &()).unwrap_err().to_string();
    assert!(message.contains("two numbers each"), "{message}");
    let degrees = VolumePlan { reading: GridReading { from: Some("EPSG:4326".into()), ..Default::default() }, ..plane };
    assert!(volume(&degrees, &cancel, &()).unwrap_err().to_string().contains("no plane to measure in"));
}

/// Squares in the plane of the grid, as a layer.
fn squares(folder: &Folder, squares: &[(&str, [f64; 4])]) -> PathBuf {
    let rows: String = squares
        .iter()
        .map(|(name, [w, s, e, n])| format!("{name};\"POLYGON (({w} {s}, {e} {s}, {e} {n}, {w} {n}, {w} {s}))\"\n"))
        .collect();
    folder.file("districts.csv", format!("district;geometry\n{rows}"))
}

fn districts(folder: &Folder) -> AreaChoice {
    let areas = [("West", [438_000.0, 5_116_000.0, 438_015.0, 5_116_030.0]), ("Far", [0.0, 0.0, 1.0, 1.0])];
    AreaChoice {
        inside: Some(squares(folder, &areas)),
        inside_from: Some("EPSG:32610".into()),
        name: Some("district".into()),
        ..Default::default()
    }
}

#[test]
fn areas_cut_cells_and_those_beyond_the_grid_are_told() {
    let folder = Folder::new();
    let grid = folder.grid("wedge.asc", 5, 4, |column, _| 10.0 * column as f64);
    let plan = VolumePlan { in_plane: true, reading: utm(), areas: districts(&folder), ..VolumePlan::new(&grid, 0.0) };
    let report = volume(&plan, &Cancel::default(), &()).unwrap();
    // 15 m of the wedge: mean height 7.5.
    assert_eq!(report.areas.iter().map(|a| a.name.as_str()).collect::<Vec<_>>(), ["West", "Far"]);
    assert!((report.areas[0].above_m3 - 15.0 * 30.0 * 7.5).abs() < 1e-6, "{:?}", report.areas);
    assert_eq!(report.areas[1].known_m2, 0.0);
    assert_eq!(report.notices, ["1 of 2 areas lie where the ground is not known: Far"]);
    let lost = AreaChoice { inside_from: None, ..districts(&folder) };
    let message = volume(&VolumePlan { areas: lost, ..plan }, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("no reference system is said"), "{message}");
}

#[test]
fn change_is_lost_and_gained_whatever_the_cells() {
    let folder = Folder::new();
    let before = folder.grid("before.asc", 5, 4, |_, _| 10.0);
    let after = folder.grid("after.asc", 5, 4, |column, _| if column < 2 { 8.0 } else { 11.0 });
    let cancel = Cancel::default();
    let plan = ChangePlan {
        in_plane: true,
        reading: utm(),
        areas: districts(&folder),
        output: Some(folder.at("change.asc")),
        height_error: vec![0.03, 0.04],
        ..ChangePlan::new(&before, &after)
    };
    let report = change(&plan, &cancel, &()).unwrap();
    // Two metres are gone over 10 m, then the difference runs from −2 to 1 within 10 m, then a metre came over 20 m.
    let (lost, gained) = (30.0 * (20.0 + 20.0 / 3.0), 30.0 * (20.0 + 5.0 / 3.0));
    assert!((report.lost_m3 - lost).abs() < 1e-6 && (report.gained_m3 - gained).abs() < 1e-6, "{report:?}");
    assert!((report.net_m3 - (gained - lost)).abs() < 1e-6);
    let error = report.net_error_m3.unwrap();
    assert!((error.common_m3 - 0.05 * 1200.0).abs() < 1e-9);
    assert!((error.independent_m3 - 0.05 * 1200.0 / 12f64.sqrt()).abs() < 1e-9);
    assert_eq!(heights(&folder.at("change.asc"))[..5], [-2.0, -2.0, 1.0, 1.0, 1.0]);
    // What is below the threshold counts for nothing, what is beyond it as a whole.
    let noisy = ChangePlan { threshold: 1.5, output: None, ..plan.clone() };
    let noisy = change(&noisy, &cancel, &()).unwrap();
    assert!(noisy.gained_m3 == 0.0 && (noisy.lost_m3 - 30.0 * (20.0 + 10.0 / 6.0 * 1.75)).abs() < 1e-6, "{noisy:?}");
    // A hole in which water stands gave no echo: what was lost there is in no figure, and that is told.
    let hole = folder.grid("hole.asc", 5, 4, |column, row| if (column, row) == (0, 0) { -9999.0 } else { 8.0 });
    let unseen = change(&ChangePlan { after: hole, output: None, ..plan.clone() }, &cancel, &()).unwrap();
    assert!(
        unseen.notices.iter().any(|n| n.starts_with("1 heights are known in the earlier grid alone and 0")),
        "{:?}",
        unseen.notices
    );
    // The later grid with cells half as large: the same surface, the same change.
    let mut text = "ncols 9\nnrows 7\nxllcenter 438000\nyllcenter 5116000\ncellsize 5\n".to_string();
    for _ in 0..7 {
        text += "8 8 8 9.5 11 11 11 11 11\n";
    }
    let finer = folder.file("finer.asc", text);
    let finer = change(&ChangePlan { after: finer, output: None, ..plan.clone() }, &cancel, &()).unwrap();
    assert!((finer.lost_m3 - lost).abs() < 1e-6 && (finer.gained_m3 - gained).abs() < 1e-6);
    assert!(finer.interpretation.iter().any(|t| t.contains("cells of the grids are others")));
}

#[test]
fn heights_from_different_surfaces_are_not_subtracted() {
    let folder = Folder::new();
    let cancel = Cancel::default();
    let tif = |name: &str, system: &str| {
        let points = folder.file("t.xyz", xyz(4, 4, 1.0, |_, _| 1.0));
        let mut plan = GridPlan { overwrite: true, ..GridPlan::new(points, folder.at(name)) };
        plan.positions.from = Some(system.into());
        grid_of(&plan, &cancel, &()).unwrap();
        folder.at(name)
    };
    let (a, b, c) = (tif("a.tif", "EPSG:26910+5703"), tif("b.tif", "EPSG:26910+5773"), tif("c.tif", "EPSG:32610"));
    let message = change(&ChangePlan::new(&a, &b), &cancel, &()).unwrap_err().to_string();
    assert!(message.contains("counted from different surfaces"), "{message}");
    let message = change(&ChangePlan::new(&a, &c), &cancel, &()).unwrap_err().to_string();
    assert!(message.contains("the grids are in different systems"), "{message}");
    assert_eq!(change(&ChangePlan::new(&a, &a), &cancel, &()).unwrap().net_m3, 0.0);
    // What is carried is not overruled.
    let other = GridReading { from: Some("EPSG:32611".into()), ..Default::default() };
    let message =
        volume(&VolumePlan { reading: other, ..VolumePlan::new(&a, 0.0) }, &cancel, &()).unwrap_err().to_string();
    assert!(message.contains("carries its system"), "{message}");
}

#[test]
fn contours_of_a_grid_and_of_points_lie_on_the_same_plane() {
    let folder = Folder::new();
    let grid = folder.grid("plane.asc", 6, 5, |column, row| 2.0 * column as f64 + 0.5 * (4 - row) as f64);
    let points: String = (0..30)
        .map(|i| {
            format!(
                "{},{},{}\n",
                438_000 + i % 6 * 10,
                5_116_000 + i / 6 * 10,
                2.0 * f64::from(i % 6) + 0.5 * f64::from(i / 6)
            )
        })
        .collect();
    let points = folder.file("plane.csv", format!("x,y,z\n{points}"));
    for (source, name) in [(grid, "of-grid.csv"), (points, "of-points.csv")] {
        let mut plan = ContourPlan { base: 1.0, main: 2, ..ContourPlan::new(source, folder.at(name), 4.0) };
        plan.positions.from = Some("EPSG:32610".into());
        let report = contours_of(&plan, &Cancel::default(), &()).unwrap();
        assert_eq!((report.lines, report.closed, report.levels), (3, 0, 3), "{name}");
        let table = folder.text(name);
        let mut lines: Vec<&str> = table.lines().skip(1).collect();
        lines.sort_unstable();
        for (line, (height, main)) in lines.iter().zip([("1", "true"), ("5", "false"), ("9", "true")]) {
            assert!(line.starts_with(&format!("{height},{main},")), "{table}");
            let text = line.split('(').nth(1).unwrap().split(')').next().unwrap();
            for position in text.split(", ") {
                let (x, y) = position.split_once(' ').unwrap();
                let (x, y) = (x.parse::<f64>().unwrap() - 438_000.0, y.parse::<f64>().unwrap() - 5_116_000.0);
                assert!((0.2 * x + 0.05 * y - height.parse::<f64>().unwrap()).abs() < 1e-3, "{position}");
            }
        }
    }
    let mut many =
        ContourPlan { overwrite: true, ..ContourPlan::new(folder.at("plane.asc"), folder.at("of-grid.csv"), 1e-5) };
    many.positions.from = Some("EPSG:32610".into());
    let message = contours_of(&many, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("lines above each other; say a larger step"), "{message}");
    many.positions.z = Some("z".into());
    assert!(
        contours_of(&many, &Cancel::default(), &())
            .unwrap_err()
            .to_string()
            .contains("is a grid, which has no columns")
    );
}

#[test]
fn a_profile_has_heights_at_even_distances() {
    let folder = Folder::new();
    let grid = folder.grid("wedge.asc", 5, 4, |column, _| 10.0 * column as f64);
    let line = folder
        .file("line.csv", "name;geometry\nlevee;\"LINESTRING (438000 5116010, 438030 5116010, 438030 5116040)\"\n");
    let plan = ProfilePlan {
        every: Some(10.0),
        name: Some("name".into()),
        lines_from: Some("EPSG:32610".into()),
        reading: utm(),
        picture: Some(folder.at("profile.svg")),
        ..ProfilePlan::new(grid, line, folder.at("profile.csv"))
    };
    let report = profile(&plan, &Cancel::default(), &()).unwrap();
    let levee = &report.lines[0];
    // 60 m of the grid are 60.02 m on the ground; the last ten metres leave the grid.
    assert!((levee.length_m - 60.0 / 0.999_647).abs() < 1e-3, "{}", levee.length_m);
    assert_eq!((levee.name.as_str(), levee.places, levee.unknown), ("levee", 8, 2));
    assert!((levee.rise - 30.0).abs() < 0.01 && levee.fall.abs() < 0.01, "{levee:?}");
    let table = folder.text("profile.csv");
    let lines: Vec<&str> = table.lines().collect();
    assert_eq!((lines[0], lines[1]), ("line,distance_m,easting,northing,height", "levee,0,438000,5116010,0"));
    assert!(lines[2].starts_with("levee,10,438009.99") && lines[2].ends_with(",9.9965"), "{table}");
    assert!(lines[8].ends_with("438030,5116040,"), "{table}");
    assert_eq!(report.outputs, [folder.at("profile.csv"), folder.at("profile.svg")]);
    // A straight rise over 30 m and a level part; beyond the grid there is no line.
    let svg = folder.text("profile.svg");
    let line = svg.lines().find(|l| l.contains("stroke-width=\"1.8\"")).unwrap();
    let points = line.split(" d=\"M").nth(1).unwrap().split('L').count();
    assert_eq!(points, 6, "{line}");
    let page = ProfilePlan { picture: Some(folder.at("profile.html")), overwrite: true, ..plan.clone() };
    let message = profile(&page, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("no chart that is drawn; use one of .png, .svg"), "{message}");
    let no_lines =
        ProfilePlan { lines: squares(&folder, &[("A", [0.0, 0.0, 1.0, 1.0])]), name: None, overwrite: true, ..plan };
    let message = profile(&no_lines, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("none of its 1 rows is a line"), "{message}");
}

#[test]
fn triangles_have_three_heights_and_edges_along_break_lines() {
    let folder = Folder::new();
    let points = folder.file("bank.xyz", xyz(4, 4, 10.0, |_, _| 1.0) + "438000 5116000 9\n");
    let crest = folder.file("crest.csv", "geometry\n\"LINESTRING Z (438003 5116015 5, 438027 5116015 5)\"\n");
    let mut plan = TriangulatePlan::new(points, folder.at("bank.csv"));
    plan.positions.from = Some("EPSG:32610".into());
    let report =
        triangles_of(&TriangulatePlan { break_lines: Some(crest), ..plan.clone() }, &Cancel::default(), &()).unwrap();
    assert_eq!((report.rows_in, report.rows_used, report.break_lines), (17, 16, 1));
    assert_eq!(report.set_aside["another height at the same place"], 1);
    assert!(folder.text("bank.set-aside.csv").contains("17,"));
    let table = folder.text("bank.csv");
    assert_eq!(table.lines().count() as u64, report.triangles + 1);
    assert!(table.starts_with("triangle,height_1,height_2,height_3,"), "{table}");
    assert!(table.contains("POLYGON Z ((") && table.contains(",5,"), "{table}");
    let flat = folder.file("flat.csv", "geometry\n\"LINESTRING (438003 5116015, 438027 5116015)\"\n");
    let without = TriangulatePlan { break_lines: Some(flat), overwrite: true, ..plan };
    let message = triangles_of(&without, &Cancel::default(), &()).unwrap_err().to_string();
    assert!(message.contains("the line of row 2 has no heights"), "{message}");
}

#[test]
fn a_layer_with_heights_is_a_surface_wherever_a_grid_is() {
    let folder = Folder::new();
    let cancel = Cancel::default();
    // A plane of 1 in 10, at points that are no grid.
    let plane = |x: f64, y: f64| (x - 438_000.0) / 10.0 + (y - 5_116_000.0) / 20.0;
    let place = |i: usize| [438_000.0 + ((i * 37) % 101) as f64, 5_116_000.0 + ((i * 61) % 89) as f64];
    let row = |[x, y]: [f64; 2]| format!("{x} {y} {}\n", plane(x, y));
    let corners =
        [[0.0, 0.0], [100.0, 0.0], [0.0, 100.0], [100.0, 100.0]].map(|[x, y]| [438_000.0 + x, 5_116_000.0 + y]);
    let points: String = (0..200).map(place).chain(corners).map(row).collect();
    let points = folder.file("bank.xyz", points);
    let mut triangulation = TriangulatePlan::new(&points, folder.at("bank.geojson"));
    triangulation.positions.from = Some("EPSG:32610".into());
    triangulation.output = folder.at("bank.gpkg");
    triangles_of(&triangulation, &cancel, &()).unwrap();
    let lattice = folder.file("lattice.xyz", xyz(11, 11, 10.0, |column, row| column as f64 + row as f64 / 2.0));
    // Under a plane it is the middle height; the level 5 is reached along its diagonal.
    for (source, reading) in [(&points, utm()), (&triangulation.output, GridReading::default()), (&lattice, utm())] {
        let told = volume(
            &VolumePlan { in_plane: true, reading: reading.clone(), ..VolumePlan::new(source, 0.0) },
            &cancel,
            &(),
        )
        .unwrap();
        assert!((told.volume_m3 - 7.5 * 10_000.0).abs() < 1e-5, "{}: {told:?}", source.display());
        let line = folder.file("line.csv", "geometry\n\"LINESTRING (438003 5116015, 438027.5 5116015.25)\"\n");
        let mut plan = ProfilePlan::new(source, line, folder.at("line-heights.csv"));
        (plan.reading, plan.lines_from, plan.overwrite) = (reading.clone(), Some("EPSG:32610".into()), true);
        profile(&plan, &cancel, &()).unwrap();
        let table = folder.text("line-heights.csv");
        assert!(table.contains(",1.05\n") && table.contains(",3.5125\n"), "{}: {table}", source.display());
        let shade_plan = ShadePlan { reading, ..ShadePlan::new(source, folder.at("relief.tif")) };
        let shaded = shade(&ShadePlan { overwrite: true, ..shade_plan }, &cancel, &()).unwrap();
        assert!(shaded.size[0] >= 11, "{shaded:?}");
    }
    // A crest of lines with heights: their edges are those of the surface.
    let roof = folder.file(
        "roof.csv",
        "geometry\n\"LINESTRING Z (438000 5116000 0, 438020 5116000 0)\"\n\"LINESTRING Z (438000 5116010 8, 438020 5116010 8)\"\n\"LINESTRING Z (438000 5116020 0, 438020 5116020 0)\"\n\"LINESTRING (438000 5116030, 438020 5116030)\"\n",
    );
    let told =
        volume(&VolumePlan { in_plane: true, reading: utm(), ..VolumePlan::new(&roof, 0.0) }, &cancel, &()).unwrap();
    assert!((told.volume_m3 - 20.0 * 20.0 * 4.0).abs() < 1e-6, "{told:?}");
    assert!(told.interpretation.iter().any(|i| i.contains("1 rows have no heights")), "{told:?}");
    // Two banks with nothing between them.
    let bank = |from: f64| {
        let part = |i: usize, share: f64| (i as f64 * share).fract();
        (0..300).map(move |i| [438_000.0 + from + 23.0 * part(i, 0.618_034), 5_116_000.0 + 29.0 * part(i, 0.754_878)])
    };
    let banks = folder.file("banks.xyz", bank(0.0).chain(bank(4000.0)).map(row).collect::<String>());
    let plan = VolumePlan { in_plane: true, reading: utm(), ..VolumePlan::new(&banks, 0.0) };
    let told = volume(&plan, &cancel, &()).unwrap();
    assert!(told.interpretation.iter().any(|i| i.contains("across such gaps nobody measured")), "{told:?}");
    let flat = folder.file("flat.csv", "id,x,y\n1,438000,5116000\n2,438010,5116010\n");
    let message =
        volume(&VolumePlan { reading: utm(), ..VolumePlan::new(&flat, 0.0) }, &cancel, &()).unwrap_err().to_string();
    assert!(message.contains("no heights were found among"), "{message}");
    let with_number = GridReading { no_data: Some(-9999.0), ..utm() };
    let message = volume(&VolumePlan { reading: with_number, ..VolumePlan::new(&points, 0.0) }, &cancel, &())
        .unwrap_err()
        .to_string();
    assert!(message.contains("is no grid but a layer"), "{message}");
}

#[test]
fn a_grid_in_a_system_of_ones_own_carries_its_parameters() {
    let folder = Folder::new();
    let own = folder.file("own.wkt", "PROJCS[\"Estuary grid\",GEOGCS[\"NAD83\",DATUM[\"North_American_Datum_1983\",SPHEROID[\"GRS 1980\",6378137,298.257222101]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.0174532925199433],AUTHORITY[\"EPSG\",\"4269\"]],PROJECTION[\"Transverse_Mercator\"],PARAMETER[\"latitude_of_origin\",46],PARAMETER[\"central_meridian\",-123.75],PARAMETER[\"scale_factor\",1],PARAMETER[\"false_easting\",10000],PARAMETER[\"false_northing\",0],UNIT[\"metre\",1]]");
    let mut plan =
        GridPlan::new(folder.file("bank.xyz", xyz(6, 5, 2.0, |column, _| column as f64)), folder.at("bank.tif"));
    plan.positions.from = Some(own.display().to_string());
    let made = grid_of(&plan, &Cancel::default(), &()).unwrap();
    assert!(made.notices.is_empty() && !folder.at("bank.prj").exists(), "{made:?}");
    let seen = look(&LayerPlan::new(folder.at("bank.tif")), 5, &Cancel::default(), &()).unwrap();
    let said = seen.crs.unwrap();
    assert!(said.contains("Estuary grid"), "{said}");
}

#[test]
fn relief_and_slope_know_the_ground() {
    let folder = Folder::new();
    // Rising 10 m in 10 m of the grid to the east: 45 degrees but for the scale.
    let grid = folder.grid("wedge.asc", 5, 4, |column, _| 10.0 * column as f64);
    let cancel = Cancel::default();
    let plan = SlopePlan {
        reading: utm(),
        direction: Some(folder.at("falls.asc")),
        ..SlopePlan::new(&grid, folder.at("slope.asc"))
    };
    let report = slope(&plan, &cancel, &()).unwrap();
    let expected = 0.999_647f64.atan().to_degrees();
    assert!(heights(&folder.at("slope.asc")).iter().all(|s| (s - expected).abs() < 1e-4), "{report:?}");
    assert!(heights(&folder.at("falls.asc")).iter().all(|d| (d - 270.0).abs() < 1e-9), "to the west");
    assert!(report.doubts.is_empty());
    let lit =
        shade(&ShadePlan { reading: utm(), ..ShadePlan::new(&grid, folder.at("relief.tif")) }, &cancel, &()).unwrap();
    assert_eq!(lit.size, [5, 4]);
    // The sun in the north-west, 45 degrees high, on ground that faces west: cos = (sin 45° · cos 45° + 1/√2) / √2.
    let light = 1.0 + 254.0 * ((0.5f64.sqrt() * 0.5f64.sqrt() + 0.5f64.sqrt()) / 2f64.sqrt());
    let seen = open_raster(&folder.at("relief.tif")).unwrap().chunk(0, 0).unwrap();
    assert!((seen[6] - light).abs() <= 1.0, "{} {light}", seen[6]);
    // Metres taken as kilometres are walls.
    let walls = folder.grid("walls.asc", 5, 4, |column, row| 1000.0 * ((column * 7 + row * 5) % 4) as f64);
    let walls =
        slope(&SlopePlan { reading: utm(), ..SlopePlan::new(&walls, folder.at("walls-slope.asc")) }, &cancel, &())
            .unwrap();
    assert_eq!(walls.doubts[0].id.as_str(), "steep-ground");
    for (plan, expected) in [
        (ShadePlan { altitude: vec![95.0], ..ShadePlan::new(&grid, folder.at("x.png")) }, "degrees from 0 to 90"),
        (
            ShadePlan {
                azimuth: vec![0.0, 90.0],
                altitude: vec![1.0, 2.0, 3.0],
                ..ShadePlan::new(&grid, folder.at("x.png"))
            },
            "one height for all suns",
        ),
        (ShadePlan { exaggeration: 0.0, ..ShadePlan::new(&grid, folder.at("x.png")) }, "a number above zero"),
    ] {
        let message = shade(&plan, &cancel, &()).unwrap_err().to_string();
        assert!(message.contains(expected), "{message}");
    }
}

#[test]
fn a_look_at_a_grid_says_what_is_doubtful() {
    let folder = Folder::new();
    let see = |path: &Path| look(&LayerPlan::new(path), 5, &Cancel::default(), &()).unwrap();
    let text = "ncols 3\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 1\n-9999 2 3\n4 5 6\n";
    let report = see(&folder.file("a.asc", text));
    let grid = report.grid.unwrap();
    assert_eq!((grid.size, grid.cell, grid.heights.lowest), ([3, 2], [1.0, 1.0], -9999.0));
    assert_eq!((report.doubts[0].id.as_str(), report.doubts[0].rows), ("undeclared-no-data", 1));
    let declared = see(&folder.file("b.asc", text.replace("cellsize 1", "cellsize 1\nnodata_value -9999")));
    assert!(declared.doubts.is_empty());
    assert_eq!((declared.grid.unwrap().heights.unknown, declared.rows), (1, 5));
    let spaced = see(&folder.file("tile.xyz", xyz(9, 7, 0.5, |c, _| c as f64))).spacing.unwrap();
    assert_eq!((spaced.is_uniform, spaced.step, spaced.size), (true, Some([0.5, 0.5]), Some([9, 7])));
}

#[test]
fn a_grid_is_read_as_points_like_any_layer() {
    let folder = Folder::new();
    let grid =
        folder.grid("wedge.asc", 3, 2, |column, row| if column == 1 { -9999.0 } else { (column + 10 * row) as f64 });
    let report = basilocus::Layer::open(&grid)
        .unwrap()
        .positions(Positions::in_system("EPSG:32610").unwrap())
        .write(folder.at("points.csv"))
        .unwrap()
        .run()
        .unwrap();
    assert_eq!((report.rows_in, report.rows_out), (4, 4));
    let table = folder.text("points.csv");
    assert_eq!(table.lines().nth(2).unwrap(), "3,1,438020.0000,5116010.0000,2.0000", "{table}");
    assert_eq!(table.lines().nth(4).unwrap(), "3,2,438020.0000,5116000.0000,12.0000", "{table}");
}

#[test]
fn heights_are_brought_to_the_surface_of_the_layer_or_refused() {
    let folder = Folder::new();
    let points = folder.file("t.xyz", xyz(4, 4, 10.0, |c, _| c as f64));
    let mut plan = GridPlan::new(points, folder.at("g.tif"));
    plan.positions.from = Some("EPSG:26910+6360".into());
    grid_of(&plan, &Cancel::default(), &()).unwrap();
    let gates = folder.file("gates.csv", "gate,x,y,z\nA,438015,5116010,0\n");
    let run = |system: &str, name: &str| {
        let positions = Positions::in_system(system).unwrap().in_columns("x", "y");
        let layer = basilocus::Layer::open(&gates).unwrap().positions(Positions { z: Some("z".into()), ..positions });
        layer.heights(folder.at("g.tif")).unwrap().write(folder.at(name)).unwrap().run()
    };
    // NAVD88 in feet to NAVD88 in metres: 1.5 US survey feet.
    run("EPSG:26910+5703", "metres.csv").unwrap();
    assert!(folder.text("metres.csv").contains("0.457"), "{}", folder.text("metres.csv"));
    run("EPSG:26910+6360", "feet.csv").unwrap();
    assert!(folder.text("feet.csv").contains("1.500"), "{}", folder.text("feet.csv"));
    let message = run("EPSG:26910+5773", "other.csv").unwrap_err().to_string();
    assert!(message.contains("EPSG:57") || message.contains("height"), "{message}");
}

#[test]
fn points_that_lie_elsewhere_are_doubted() {
    let folder = Folder::new();
    // Northing first, as nothing says otherwise.
    let text: String =
        (0..60).map(|i| format!("{} {} {}\n", 5_116_000 + i % 10 * 2, 438_000 + i / 10 * 2, i)).collect();
    let mut plan = GridPlan::new(folder.file("swapped.xyz", text), folder.at("swapped.tif"));
    plan.positions.from = Some("EPSG:32610".into());
    let report = grid_of(&plan, &Cancel::default(), &()).unwrap();
    assert_eq!(report.doubts.iter().map(|d| d.id.as_str()).collect::<Vec<_>>(), ["swapped-axes"]);
    plan.positions = plan.positions.in_columns("y", "x");
    let mended = GridPlan { overwrite: true, ..plan };
    assert!(grid_of(&mended, &Cancel::default(), &()).unwrap().doubts.is_empty(), "what the doubt says mends it");
}

#[test]
fn a_local_grid_stays_a_plane_of_its_own() {
    let folder = Folder::new();
    // A pit of 4 by 4 m, one metre deep in the middle, in the numbers of the site.
    let text: String = (0..25).map(|i| format!("{} {} {}\n", i % 5, i / 5, if i == 12 { -1 } else { 0 })).collect();
    let points = folder.file("pit.xyz", text);
    for name in ["pit.tif", "pit.asc"] {
        let mut plan = GridPlan::new(&points, folder.at(name));
        plan.positions.from = Some("local".into());
        let made = grid_of(&plan, &Cancel::default(), &()).unwrap();
        assert_eq!((made.columns, made.rows), (5, 5));
        let report = volume(&VolumePlan::new(folder.at(name), 0.0), &Cancel::default(), &()).unwrap();
        // Four cells, each with one corner a metre lower: a quarter of a cubic metre each.
        assert!((report.below_volume_m3 - 1.0).abs() < 1e-9, "{name}: {report:?}");
        assert!(report.interpretation.iter().any(|t| t.contains("unit")), "{:?}", report.interpretation);
        let mut lines = ContourPlan::new(folder.at(name), folder.at(&format!("{name}.csv")), 0.5);
        lines.base = -0.25;
        assert_eq!(contours_of(&lines, &Cancel::default(), &()).unwrap().closed, 2, "{name}");
        let mut map = basilocus::drawing::DrawPlan::new([folder.at(name)], folder.at(&format!("{name}.svg")));
        map.in_crs = Some("local".into());
        basilocus::drawing::draw(&map, &Cancel::default(), &()).unwrap();
    }
}
