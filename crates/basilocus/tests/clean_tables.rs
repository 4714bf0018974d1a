//! No false alarm: two hundred tables as people have them, none with a slip in it, looked at and converted.

use basilocus::plan::LayerPlan;
use basilocus::steps::Positions;
use basilocus::{Cancel, Layer, look};
use std::fmt::Write;

/// Numbers that are the same each time.
struct Chance(u64);

impl Chance {
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1u64 << 53) as f64
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() * n as f64) as usize
    }

    fn within(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.next()
    }
}

/// A table, the system of its positions, and one that they are brought to.
struct Table {
    text: String,
    from: &'static str,
    to: &'static str,
}

const NAMES: [&str; 12] = [
    "Ternport",
    "Mill Slough",
    "North Tern",
    "Heron Reach",
    "Kestrel Point",
    "Low Moss",
    "Wren Hollow",
    "Alder Bar",
    "Sedge Island",
    "Plover Flats",
    "Otter Bend",
    "Reed Harbour",
];

/// Countries: west, south, east, north, and a system of theirs.
const COUNTRIES: [([f64; 4], &str); 10] = [
    ([-124.0, 44.2, -117.2, 45.9], "EPSG:2269"),
    ([6.1, 47.5, 11.9, 54.8], "EPSG:25832"),
    ([-4.5, 42.5, 7.5, 50.8], "EPSG:2154"),
    ([166.5, -47.0, 178.4, -34.5], "EPSG:2193"),
    ([-77.9, -16.0, -72.1, -1.5], "EPSG:32718"),
    ([20.7, 59.9, 31.2, 69.9], "EPSG:3067"),
    ([17.0, -34.5, 32.5, -22.5], "EPSG:4148"),
    ([130.0, 31.5, 145.0, 43.0], "EPSG:6668"),
    ([113.5, -38.5, 153.0, -12.5], "EPSG:3577"),
    ([-9.4, 37.1, -6.3, 42.0], "EPSG:3763"),
];

fn places(c: &mut Chance) -> Table {
    let ([w, s, e, n], to) = COUNTRIES[c.below(COUNTRIES.len())];
    let rows = [7, 40, 317, 1203][c.below(4)];
    let digits = 4 + c.below(4);
    let mut text = "id,place,population,lon,lat\n".to_string();
    for i in 0..rows {
        let (x, y) = (c.within(w, e), c.within(s, n));
        let name = NAMES[c.below(12)];
        let _ = writeln!(text, "{},{name} {i},{},{x:.digits$},{y:.digits$}", 100 + i * 3, c.below(90_000));
    }
    Table { text, from: "EPSG:4326", to }
}

fn events(c: &mut Chance) -> Table {
    let ([w, s, e, n], to) = COUNTRIES[c.below(COUNTRIES.len())];
    let stations: Vec<(f64, f64)> = (0..15).map(|_| (c.within(w, e), c.within(s, n))).collect();
    let mut text = "time;station;value;longitude;latitude\n".to_string();
    for i in 0..400 {
        let at = c.below(15);
        let (x, y) = stations[at];
        let day = 1 + i / 14;
        let _ =
            writeln!(text, "2026-11-{day:02}T{:02}:15:00Z;S{at:03};{:.1};{x:.5};{y:.5}", i % 24, c.within(-4.0, 30.0));
    }
    Table { text, from: "EPSG:4326", to }
}

fn postcodes(c: &mut Chance) -> Table {
    let ([w, s, e, n], to) = COUNTRIES[c.below(COUNTRIES.len())];
    let mut text = "postcode,town,lat,lon\n".to_string();
    for i in 0..120 {
        let (x, y) = (c.within(w, e), c.within(s, n));
        for town in 0..1 + c.below(6) {
            let _ = writeln!(text, "{:05},{} {town},{y:.4},{x:.4}", 1067 + i * 41, NAMES[c.below(12)]);
        }
    }
    Table { text, from: "EPSG:4326", to }
}

/// Eastings and northings inside of a system: its corner, and how far it reaches.
const GRIDS: [(&str, [f64; 2], f64, &str); 8] = [
    ("EPSG:32610", [430_000.0, 5_100_000.0], 30_000.0, "EPSG:4326"),
    ("EPSG:2269", [7_350_000.0, 850_000.0], 90_000.0, "EPSG:4269"),
    ("EPSG:25832", [500_000.0, 5_400_000.0], 100_000.0, "EPSG:4258"),
    ("EPSG:2193", [1_700_000.0, 5_400_000.0], 80_000.0, "EPSG:4167"),
    ("EPSG:3035", [4_200_000.0, 3_000_000.0], 300_000.0, "EPSG:4258"),
    ("EPSG:2154", [600_000.0, 6_500_000.0], 100_000.0, "EPSG:4171"),
    ("EPSG:28355", [400_000.0, 5_900_000.0], 60_000.0, "EPSG:4283"),
    ("EPSG:3067", [350_000.0, 6_900_000.0], 90_000.0, "EPSG:4258"),
];

fn surveyed(c: &mut Chance) -> Table {
    let (from, [x0, y0], reach, to) = GRIDS[c.below(GRIDS.len())];
    let digits = 1 + c.below(3);
    let mut text = "point\teasting\tnorthing\theight\tcode\n".to_string();
    for i in 0..[12, 85, 640][c.below(3)] {
        let (x, y) = (x0 + c.within(0.0, reach), y0 + c.within(0.0, reach));
        let code = ["GATE", "WEIR", "CREST"][c.below(3)];
        let _ = writeln!(text, "P{i:04}\t{x:.digits$}\t{y:.digits$}\t{:.2}\t{code}", c.within(-1.0, 40.0));
    }
    Table { text, from, to }
}

/// A straight walk across a place, a point every few metres.
fn transect(c: &mut Chance) -> Table {
    let (from, [x0, y0], _, to) = GRIDS[c.below(GRIDS.len())];
    let (dx, dy) = (c.within(1.0, 9.0), c.within(-9.0, 9.0));
    let mut text = "station,easting,northing\n".to_string();
    for i in 0..150 {
        let t = f64::from(i);
        let _ = writeln!(text, "{i},{:.2},{:.2}", x0 + 5000.0 + t * dx, y0 + 5000.0 + t * dy);
    }
    Table { text, from, to }
}

/// A grid of heights, row by row.
fn grid(c: &mut Chance) -> Table {
    let (from, [x0, y0], _, to) = GRIDS[c.below(GRIDS.len())];
    let (columns, step) = (20 + c.below(30), [1.0, 2.0, 5.0, 10.0][c.below(4)]);
    let mut text = "x,y,z\n".to_string();
    for row in 0..30 {
        for column in 0..columns {
            let (x, y) = (x0 + column as f64 * step, y0 + row as f64 * step);
            let _ = writeln!(text, "{x},{y},{:.2}", (x / 70.0).sin() + (y / 90.0).cos());
        }
    }
    Table { text, from, to }
}

/// Addresses with positions, houses with several flats.
fn addresses(c: &mut Chance) -> Table {
    let ([w, s, e, n], to) = COUNTRIES[c.below(COUNTRIES.len())];
    let (x0, y0) = (c.within(w + 0.5, e - 0.5), c.within(s + 0.5, n - 0.5));
    let mut text = "no,street,unit,town,lon,lat,remark\n".to_string();
    for i in 0..260 {
        let (x, y) = (x0 + c.within(-0.05, 0.05), y0 + c.within(-0.04, 0.04));
        for flat in 0..if i % 9 == 0 { 1 + c.below(5) } else { 1 } {
            let remark = ["", "gate locked", "see file 12-3", "moved in Mar 2019"][c.below(4)];
            let street = NAMES[c.below(12)];
            let _ = writeln!(text, "{},{street} Rd,{},Ternport,{x:.6},{y:.6},{remark}", 1 + i * 2, flat + 1);
        }
    }
    Table { text, from: "EPSG:4326", to }
}

/// Decimal commas between semicolons.
fn commas(c: &mut Chance) -> Table {
    let mut text = "Nr;Ort;Laenge;Breite;Menge\n".to_string();
    for i in 0..90 {
        let (x, y) = (c.within(7.0, 11.9), c.within(48.0, 54.0));
        let row = format!("{};{};{x:.5};{y:.5};{:.1}", i + 1, NAMES[c.below(12)], c.within(0.0, 900.0));
        let _ = writeln!(text, "{}", row.replace('.', ","));
    }
    Table { text, from: "EPSG:4326", to: "EPSG:25832" }
}

/// The whole world, islands across the 180th meridian among them.
fn world(c: &mut Chance) -> Table {
    let mut text = "airport,lat,lon\n".to_string();
    for i in 0..500 {
        let _ = writeln!(text, "A{i:03},{:.4},{:.4}", c.within(-60.0, 75.0), c.within(-180.0, 180.0));
    }
    Table { text, from: "EPSG:4326", to: "EPSG:4979" }
}

/// A country with a few islands far from it.
fn islands(c: &mut Chance) -> Table {
    let mut text = "harbour,lon,lat\n".to_string();
    for i in 0..300 {
        let _ = writeln!(text, "H{i},{:.5},{:.5}", c.within(167.0, 178.4), c.within(-46.5, -34.6));
    }
    for i in 0..6 {
        let _ = writeln!(text, "C{i},{:.5},{:.5}", -176.0 - c.next(), -43.7 - 0.6 * c.next());
    }
    Table { text, from: "EPSG:4326", to: "EPSG:4167" }
}

#[test]
fn clean_tables_raise_no_doubts() {
    let shapes: [fn(&mut Chance) -> Table; 10] =
        [places, events, postcodes, surveyed, transect, grid, addresses, commas, world, islands];
    let folder = tempfile::tempdir().unwrap();
    let mut told = Vec::new();
    for number in 0..200u64 {
        let table = shapes[number as usize % shapes.len()](&mut Chance(number * 7919 + 1));
        let file = folder.path().join(format!("clean_{number}.csv"));
        std::fs::write(&file, &table.text).unwrap();
        let looked = look(&LayerPlan::new(&file), 3, &Cancel::default(), &()).unwrap();
        let positions = Positions { from: Some(table.from.into()), ..Default::default() };
        let output = folder.path().join(format!("out_{number}.csv"));
        let report = Layer::open(&file)
            .unwrap()
            .positions(positions)
            .to(table.to)
            .unwrap()
            .write(&output)
            .unwrap()
            .run()
            .unwrap();
        assert_eq!(report.rows_in, report.rows_out, "table {number}: {:?}", report.set_aside);
        told.extend(
            looked.doubts.iter().chain(&report.doubts).map(|d| format!("table {number}: {}: {}", d.id, d.message)),
        );
    }
    assert!(told.len() <= 1, "{} doubts:\n{}", told.len(), told.join("\n"));
}
