//! The ground of a levee in the fictitious estuary, before and after a flood: what a lidar survey of it would be. Invented.

use std::fmt::Write;

/// Columns and rows of the tile, and metres between them.
pub const SIZE: (usize, usize) = (160, 120);
/// Metres between two heights.
pub const STEP: f64 = 2.0;
/// Easting and northing of the south-western height in NAD83 / UTM zone 10N.
pub const CORNER: (f64, f64) = (437_190.0, 5_116_180.0);

/// A number from 0 to 1 that looks like chance and is the same everywhere: bits of a product, no rounding.
fn chance(column: usize, row: usize, date: u64) -> f64 {
    let mut v = (column as u64) << 32 ^ (row as u64) << 8 ^ date;
    v = (v ^ v >> 31).wrapping_mul(0x9E37_79B9_7F4A_7C15);
    v = (v ^ v >> 29).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    (v >> 33) as f64 / (1u64 << 31) as f64
}

/// How far a place is from the crest of the levee, metres: positive on the river's side.
fn from_crest(x: f64, y: f64) -> f64 {
    // It falls by 0.28 to the east.
    let (dx, dy) = (x - 160.0, y - 118.0);
    (dy + 0.28 * dx) / 1.0385
}

/// The height in centimetres of a place in the tile, metres from its corner.
fn centimetres(x: f64, y: f64, after: bool) -> f64 {
    let d = from_crest(x, y);
    let bell = |cx: f64, cy: f64, r: f64| {
        let q = ((x - cx) / r).powi(2) + ((y - cy) / r).powi(2);
        1.0 / (1.0 + q * q)
    };
    // A flat that rises a little away from the river, a bank, a slough.
    let flat = if d > 0.0 { 120.0 - d.min(60.0) * 0.9 } else { 210.0 + (-d).min(120.0) * 0.35 };
    let levee = (460.0 - (d.abs() - 2.0).max(0.0) * 34.0).max(flat);
    let slough = 130.0 * bell(x.clamp(40.0, 90.0), 30.0 + 0.2 * x, 9.0).min(1.0);
    let slough = if d < -20.0 { slough * ((45.0 - (x - 65.0).abs()).clamp(0.0, 10.0) / 10.0) } else { 0.0 };
    let mut z = levee - slough;
    if after {
        // The levee broke: a gap of some forty metres, a hole below it, and sand on the land.
        let gap = bell(205.0, 105.0, 21.0);
        z -= (z - 150.0).max(0.0) * (1.6 * gap).min(1.0);
        z -= 190.0 * bell(202.0, 88.0, 13.0);
        z += 55.0 * bell(190.0, 52.0, 26.0);
    }
    z
}

/// A survey as XYZ text, metres. The pond gave no echo, and after the flood the hole, where water stands, none either.
pub fn survey(after: bool) -> String {
    let (columns, rows) = SIZE;
    let mut out = String::from("# Tern Estuary, invented. NAD83 / UTM zone 10N, NAVD88 height, metres\n");
    for row in 0..rows {
        for column in 0..columns {
            let (x, y) = (column as f64 * STEP, row as f64 * STEP);
            let z = centimetres(x, y, after);
            let pond = ((x - 262.0) / 17.0).powi(2) + ((y - 32.0) / 9.0).powi(2) < 1.0;
            if pond || z < 42.0 {
                continue;
            }
            let noise = (chance(column, row, u64::from(after)) - 0.5) * 6.0;
            // Whole centimetres.
            let z = (z + noise).round() / 100.0;
            let _ = writeln!(out, "{} {} {z:.2}", CORNER.0 + x, CORNER.1 + y);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_flood_takes_the_levee_and_leaves_sand() {
        let changed = |x, y| centimetres(x, y, true) - centimetres(x, y, false);
        assert!(changed(205.0, 105.0) < -200.0 && changed(190.0, 52.0) > 40.0);
        assert!(changed(20.0, 160.0).abs() < 3.0, "far from it nothing happened");
        let before = survey(false);
        assert!(before.lines().count() > 18_000 && before.lines().count() < SIZE.0 * SIZE.1, "a pond is missing");
    }
}
