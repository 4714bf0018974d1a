//! Heights at the command line: what is printed, what is written, what a wrong word leads to.
#![allow(missing_docs)]

mod common;

use common::Folder;

/// A bank of 8 by 5 points, two metres apart, that rises a metre a step to the east, with a point off the grid.
fn bank() -> Folder {
    let f = Folder::new();
    let text: String =
        (0..40).map(|i| format!("{} {} {}\n", 438_000 + i % 8 * 2, 5_116_000 + i / 8 * 2, i % 8)).collect();
    f.write("bank.xyz", text + "438001 5116001 4\n");
    f
}

#[test]
fn a_look_says_whether_the_spacing_is_uniform() {
    let f = bank();
    let out = f.ok(&["look", "bank.xyz"]);
    assert!(
        out.contains("spacing    uniform: 8 columns and 5 rows at 2; 0 of its places empty, 1 points off it"),
        "{out}"
    );
    f.write("few.xyz", "438000.1 5116000.7 1\n438003.3 5116004.1 2\n438007.9 5116001.2 3\n438001.4 5116009.6 2\n");
    let out = f.ok(&["look", "few.xyz"]);
    assert!(out.contains("spacing    scattered, "), "{out}");
}

#[test]
fn a_grid_that_is_turned_is_one_and_its_heights_are_taken_between_its_points() {
    let f = Folder::new();
    // Three steps to the east and one to the south make a row of a grid of 10 by 6.
    let at = |i: i32| (438_000 + i % 10 * 3 + i / 10, 5_116_000 - i % 10 + i / 10 * 3, i % 10);
    let lines: String = (0..60).map(at).map(|(x, y, z)| format!("{x} {y} {z}\n")).collect();
    f.write("quay.xyz", lines);
    let spaced = "  spacing    uniform: 10 columns and 6 rows at 3.162, its rows turned 18.43 degrees clockwise from east; 0 of its places empty, 0 points off it (more than 0.1 of a step; the others by 0.000 at most), 0 at a place that has one\n";
    let out = f.ok(&["look", "quay.xyz"]);
    assert!(out.contains(spaced), "{out}");
    // In degrees too, whose steps are small.
    f.write(
        "degrees.xyz",
        (0..60)
            .map(at)
            .map(|(x, y, z)| {
                format!(
                    "{:.5} {:.5} {z}\n",
                    f64::from(x - 438_000) * 1e-4 - 123.8,
                    f64::from(y - 5_116_000) * 1e-4 + 46.2
                )
            })
            .collect::<String>(),
    );
    let out = f.ok(&["look", "degrees.xyz"]);
    assert!(
        out.contains(
            "uniform: 10 columns and 6 rows at 0.0003162, its rows turned 18.43 degrees clockwise from east; 0 of"
        ),
        "{out}"
    );
    let to = ["--from", "EPSG:32610", "-o", "quay.asc"];
    let out = f.ok(&[&["terrain", "grid", "quay.xyz"], &to[..]].concat());
    for line in [
        spaced,
        "cells of 3.162 by 3.162, WGS 84 / UTM zone 10N (EPSG:32610); heights of the triangles between points; none outside of them\n",
        "  ledger     60 rows in = 60 used + 0 repeated + 0 set aside\n",
        "  note       cells of 3.162: the points are a grid whose rows are turned 18.43 degrees clockwise from east, so that the heights between them are taken (say another size with --cell)\n",
    ] {
        assert!(out.contains(line), "{line}{out}");
    }
    assert_eq!(
        f.refusal(&[&["terrain", "grid", "quay.xyz", "--by", "lattice", "--overwrite"], &to[..]].concat()),
        "[2] basilocus: --by lattice: the points are a grid whose rows are turned 18.43 degrees clockwise from east, and those of a raster run east; take triangles or mean"
    );
}

#[test]
fn points_become_a_grid_with_an_account_of_every_row() {
    let f = bank();
    let out = f.ok(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610+5703", "-o", "bank.tif"]);
    for line in [
        "  spacing    uniform: 8 columns and 5 rows at 2; 0 of its places empty, 1 points off it (more than 0.1 of a step; the others by 0.000 at most), 0 at a place that has one\n",
        "  grid       8 columns, 5 rows, cells of 2 by 2, ",
        "  heights    40 known, 0 not; 0 to 7\n",
        "  ledger     41 rows in = 40 used + 0 repeated + 1 set aside\n",
        "  set aside  1 off the grid\n",
        "  wrote      bank.tif\n  wrote      bank.set-aside.csv\n",
    ] {
        assert!(out.contains(line), "{line}{out}");
    }
    let out = f.ok(&["look", "bank.tif"]);
    for line in [
        "bank.tif: GeoTIFF\n",
        "  grid       8 columns and 5 rows of cells, 2 by 2; 32-bit float\n",
        "NAVD88 height",
        "  extent     x 438000 to 438014, y 5116000 to 5116008 (of the outermost heights)\n",
        "  heights    40 known, 0 not; 0.000 to 7.000, mean 3.500; unit metres\n",
    ] {
        assert!(out.contains(line), "{line}{out}");
    }
    assert_eq!(f.run(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610", "-o", "b.asc", "--strict"]).0, 3);
    assert_eq!(
        f.refusal(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610", "-o", "bank.tif"]),
        "[1] basilocus: bank.tif: exists already and is not replaced; add --overwrite, or name another file"
    );
    let message = f.refusal(&["terrain", "grid", "bank.xyz", "-o", "c.tif"]);
    assert!(
        message.contains("no reference system is said for columns \"x\" and \"y\"; say it with --from"),
        "{message}"
    );
    let message = f.refusal(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610", "-o", "c.png"]);
    assert!(message.contains("use one of .asc, .tif, .tiff"), "{message}");
}

#[test]
fn what_is_measured_is_printed_with_its_areas() {
    let f = bank();
    f.ok(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610", "-o", "bank.tif"]);
    f.write("reach.csv", "name;geometry\nA;\"POLYGON ((438000 5116000, 438007 5116000, 438007 5116008, 438000 5116008, 438000 5116000))\"\n");
    let areas = ["--inside", "reach.csv", "--inside-from", "EPSG:32610", "--name", "name", "--in-plane"];
    let out = f.ok(&[&["terrain", "volume", "bank.tif", "--above", "0"][..], &areas].concat());
    // 14 m by 8 m, 3.5 m in the mean; of the area 7 m, 1.75 m.
    for line in ["  above      0: 392.00 m³ on 112.00 m²\n", " 98.00        0.00     98.00       56.00\n"] {
        assert!(out.contains(line), "{line}{out}");
    }
    assert!(
        out.contains("nothing says the unit of the heights; they are taken as metres (say another with --height-unit)"),
        "{out}"
    );
    let out = f.ok(&[&["terrain", "change", "bank.tif", "bank.tif", "-o", "none.tif"][..], &areas].concat());
    assert!(
        out.contains("  net        0.00 m³; both are known on 112.00 m²\n") && out.contains("  wrote      none.tif\n"),
        "{out}"
    );
    let of_points = ["terrain", "volume", "bank.xyz", "--from", "EPSG:32610", "--in-plane", "--above", "0"];
    let out = f.ok(&of_points);
    assert!(out.contains("the points are a grid of 8 columns and 5 rows, 2 by 2 apart"), "{out}");
    assert!(out.contains("  above      0: 392.00 m³ on 112.00 m²\n"), "{out}");
    let message = f.refusal(&["terrain", "volume", "bank.xyz", "--above", "0"]);
    assert!(message.contains("bank.xyz: no reference system is said"), "{message}");
    let message = f.refusal(&["terrain", "volume", "bank.tif"]);
    assert!(message.starts_with("[2]") && message.contains("--above <HEIGHT>"), "{message}");
}

#[test]
fn relief_slopes_lines_and_profiles_are_written() {
    let f = bank();
    f.ok(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610", "-o", "bank.tif"]);
    let out = f.ok(&["terrain", "shade", "bank.tif", "-o", "relief.png", "--azimuth", "315,45", "--altitude", "30"]);
    assert!(out.contains("  steepness  mean 26.6°, steepest 26.6°\n"), "{out}");
    f.ok(&["terrain", "slope", "bank.tif", "-o", "slope.asc", "--unit", "percent", "--direction", "falls.tif"]);
    assert!(f.read("slope.asc").contains("\n49.98"), "{}", f.read("slope.asc"));
    let out = f.ok(&["terrain", "contour", "bank.tif", "--every", "2", "--base", "0.5", "-o", "lines.geojson"]);
    assert!(out.contains("  lines      4 at 4 heights, 0 of them closed\n") && !out.contains("-0 m"), "{out}");
    f.write("levee.csv", "name;geometry\nlevee;\"LINESTRING (438000 5116002, 438012 5116002)\"\n");
    let profile = ["terrain", "profile", "bank.tif", "levee.csv", "--lines-from", "EPSG:32610", "--name", "name"];
    let out = f.ok(&[&profile[..], &["--every", "4", "-o", "p.csv"]].concat());
    assert!(out.contains(" levee       12.00        5         0        0         6      6      0\n"), "{out}");
    assert_eq!(f.read("p.csv").lines().count(), 6);
    for name in ["relief.pgw", "relief.prj", "falls.tif", "slope.prj"] {
        assert!(f.names().contains(&name.to_string()), "{name}: {:?}", f.names());
    }
    f.ok(&[
        "terrain",
        "triangulate",
        "bank.xyz",
        "--from",
        "EPSG:32610",
        "-o",
        "triangles.gpkg",
        "--longest-edge",
        "3",
    ]);
}

#[test]
fn points_and_lines_get_their_heights() {
    let f = bank();
    f.ok(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610+5703", "-o", "bank.tif"]);
    f.write("gates.csv", "gate,x,y\nA,438003,5116004\nB,438900,5116004\n");
    let add = ["convert", "gates.csv", "--from", "EPSG:32610", "--heights", "bank.tif", "-o"];
    let out = f.ok(&[&add[..], &["set-aside.csv"]].concat());
    assert!(out.contains("heights of bank.tif in NAVD88 height") && out.contains("1 no height"), "{out}");
    assert_eq!(f.read("set-aside.csv"), "gate,x,y,height\nA,438003,5116004,1.500\n");
    f.ok(&[&add[..], &["kept.csv", "--heights-may-lack"]].concat());
    assert_eq!(f.read("kept.csv"), "gate,x,y,height\nA,438003,5116004,1.500\nB,438900,5116004,\n");
    f.ok(&[&add[..], &["nearest.csv", "--heights-nearest", "--save-plan", "heights.toml"]].concat());
    assert!(f.read("nearest.csv").contains("A,438003,5116004,2.000") || f.read("nearest.csv").contains("1.000"));
    assert!(f.read("heights.toml").contains("[layer.step.heights]"), "{}", f.read("heights.toml"));
    f.ok(&["run", "heights.toml", "--overwrite"]);
    let of_points = ["convert", "gates.csv", "--from", "EPSG:32610", "--heights", "bank.xyz", "-o", "x.csv"];
    let message = f.refusal(&of_points);
    assert!(
        message.contains("bank.xyz: no reference system is said for") && message.contains("--heights-from"),
        "{message}"
    );
    f.ok(&[&of_points[..], &["--heights-from", "EPSG:32610"]].concat());
    assert!(f.read("x.csv").contains("A,438003,5116004,1.500"), "{}", f.read("x.csv"));
}

#[test]
fn a_map_is_drawn_of_grids_and_layers() {
    let f = bank();
    f.ok(&["terrain", "grid", "bank.xyz", "--from", "EPSG:32610", "-o", "bank.tif"]);
    f.write("gates.csv", "gate,x,y\nA,438003,5116004\n");
    let out = f.ok(&["draw", "bank.tif", "gates.csv", "--from", "EPSG:32610", "--label", "gate", "-o", "map.png"]);
    assert!(out.contains("  map        in WGS 84 / UTM zone 10N (EPSG:32610)\n"), "{out}");
    assert!(out.contains("  layer      gates: 1 marks\n") && out.contains("  wrote      map.png\n"), "{out}");
    // Other commands draw what they read or wrote.
    let out = f.ok(&["look", "gates.csv", "--picture", "look.svg", "--from", "EPSG:32610"]);
    assert!(out.contains("layer      gates: ") && out.contains("wrote      look.svg"), "{out}");
    let out = f.ok(&[
        "convert",
        "gates.csv",
        "--from",
        "EPSG:32610",
        "--to",
        "EPSG:2269",
        "-o",
        "feet.csv",
        "--picture",
        "feet.html",
    ]);
    assert!(out.contains("wrote      feet.csv") && out.contains("wrote      feet.html"), "{out}");
    assert!(
        std::fs::read_to_string(f.path("feet.html")).unwrap().contains("(EPSG:2269)"),
        "in the system that was written"
    );
    let message =
        f.refusal(&["convert", "gates.csv", "--from", "EPSG:32610", "-o", "again.csv", "--picture", "feet.html"]);
    assert!(message.contains("exists already") && !f.path("again.csv").exists(), "before any work: {message}");
    let message = f.refusal(&["draw", "gates.csv", "-o", "other.png"]);
    assert!(
        message.contains("no reference system is said for columns \"x\" and \"y\"; say it with --from"),
        "{message}"
    );
    assert!(!f.names().contains(&"other.png".to_string()), "nothing half-written");
}
