//! NTv2 and GTX files: read in both byte orders, applied both ways, refused where they are broken.

#[path = "common/synthetic.rs"]
mod synthetic;

use basilocus_geodesy::datum::{GeoidGrid, GridShift};
use proptest::prelude::*;
use synthetic::{Rectangle, gtx, ntv2};

/// Bilinear between nodes reproduces a bilinear field exactly, so the field itself is the truth.
fn field(lon: f64, lat: f64) -> [f64; 3] {
    [3.0 + 0.5 * (lon + 124.0) - 0.25 * (lat - 46.0), -0.4 + 0.125 * (lat - 46.0) * (lon + 124.0), 0.5]
}

fn finer(lon: f64, lat: f64) -> [f64; 3] {
    let [a, b, _] = field(lon, lat);
    [a + 0.01, b + 0.02, 0.125]
}

fn estuary(big: bool) -> Vec<u8> {
    ntv2(
        &[
            Rectangle {
                name: "WHOLE",
                parent: "NONE",
                limits: [-125.0, 45.0, -122.0, 47.0],
                step: 0.25,
                shift: &field,
            },
            Rectangle {
                name: "MOUTH",
                parent: "WHOLE",
                limits: [-124.0, 46.0, -123.5, 46.5],
                step: 0.125,
                shift: &finer,
            },
        ],
        big,
    )
}

#[test]
fn both_byte_orders_give_the_field() {
    for big in [false, true] {
        let grid = GridShift::parse(&estuary(big)).unwrap();
        assert_eq!((grid.from.as_str(), grid.to.as_str()), ("OLD", "NEW"));
        assert_eq!(grid.names(), ["WHOLE", "MOUTH"]);
        assert_eq!(grid.extent_deg(), [-125.0, 45.0, -122.0, 47.0]);
        for (lon, lat) in [(-124.9, 45.1), (-122.1, 46.9), (-123.3, 46.2), (-125.0, 47.0), (-122.0, 45.0)] {
            let s = grid.at(lon, lat).unwrap();
            let [d_lon, d_lat, accuracy] = field(lon, lat);
            // Single precision: seven digits of three seconds.
            assert!((s.lon_deg * 3600.0 - d_lon).abs() < 1e-6, "{lon} {lat} {s:?} {d_lon}");
            assert!((s.lat_deg * 3600.0 - d_lat).abs() < 1e-6, "{lon} {lat} {s:?} {d_lat}");
            assert!((s.accuracy_m.unwrap() - accuracy * 2f64.sqrt()).abs() < 1e-6);
        }
    }
}

#[test]
fn the_finest_grid_that_holds_a_place_counts() {
    let grid = GridShift::parse(&estuary(false)).unwrap();
    for (lon, lat, fine) in [(-123.8, 46.2, true), (-123.4, 46.2, false), (-123.5, 46.5, true), (-124.1, 46.2, false)] {
        let s = grid.at(lon, lat).unwrap();
        let truth = if fine { finer(lon, lat) } else { field(lon, lat) };
        assert!((s.lon_deg * 3600.0 - truth[0]).abs() < 1e-6, "{lon} {lat}");
    }
}

#[test]
fn outside_is_nothing_and_becomes_no_number() {
    let grid = GridShift::parse(&estuary(true)).unwrap();
    for (lon, lat) in [(-125.01, 46.0), (-121.99, 46.0), (-123.0, 44.99), (-123.0, 47.01), (f64::NAN, 46.0)] {
        assert_eq!(grid.at(lon, lat), None);
        let (mut x, mut y) = ([lon, -123.0], [lat, 46.0]);
        grid.forward_batch(&mut x, &mut y);
        assert!(x[0].is_nan() && y[0].is_nan() && x[1].is_finite(), "{lon} {lat}");
    }
}

#[test]
fn files_that_are_cut_or_lie_about_their_size_are_refused() {
    let good = estuary(false);
    for n in (0..good.len() - 16).step_by(7) {
        assert!(GridShift::parse(&good[..n]).is_err(), "cut at {n}");
    }
    // A count of nodes, of sub-grids and a step that promise gigabytes.
    let count = 11 * 16 + 10 * 16 + 8;
    let mut huge = good.clone();
    huge[count..count + 4].copy_from_slice(&i32::MAX.to_le_bytes());
    assert!(GridShift::parse(&huge).unwrap_err().to_string().contains("nodes"));
    let mut many = good.clone();
    many[2 * 16 + 8..2 * 16 + 12].copy_from_slice(&i32::MAX.to_le_bytes());
    assert!(GridShift::parse(&many).is_err());
    let mut negative = good.clone();
    negative[2 * 16 + 8..2 * 16 + 12].copy_from_slice(&(-1i32).to_le_bytes());
    assert!(GridShift::parse(&negative).is_err());
    let mut step = good;
    step[11 * 16 + 8 * 16 + 8..11 * 16 + 8 * 16 + 16].copy_from_slice(&1e-300f64.to_le_bytes());
    assert!(GridShift::parse(&step).is_err());
}

#[test]
fn a_grid_that_names_itself_as_parent_is_no_circle() {
    let own = [Rectangle { name: "A", parent: "A", limits: [-125.0, 45.0, -124.0, 46.0], step: 0.5, shift: &field }];
    let grid = GridShift::parse(&ntv2(&own, false)).unwrap();
    assert!(grid.at(-124.5, 45.5).is_some());
}

#[test]
fn heights_between_nodes() {
    let grid = GeoidGrid::parse(&gtx([-125.0, 45.0, -122.0, 47.0], 0.5, &|x, y| x / 8.0 + y / 4.0)).unwrap();
    let n = grid.at(-123.7, 46.3).unwrap();
    assert!((n - (-123.7 / 8.0 + 46.3 / 4.0)).abs() < 1e-6, "{n}");
}

/// Shifts so large beside the cells that the way back leads through other cells, and into a finer grid and out of it.
#[test]
fn there_and_back_across_cells_and_grids() {
    let far = |lon: f64, lat: f64| [900.0 + 40.0 * (lon + 124.0), -700.0 + 30.0 * (lat - 46.0), 0.5];
    let rectangle = |name, parent, limits, step| Rectangle { name, parent, limits, step, shift: &far };
    let file = ntv2(
        &[
            rectangle("WHOLE", "NONE", [-125.0, 45.0, -122.0, 47.0], 0.125),
            rectangle("MOUTH", "WHOLE", [-124.0, 46.0, -123.5, 46.5], 0.0625),
        ],
        false,
    );
    let grid = GridShift::parse(&file).unwrap();
    let mut across = 0;
    for i in 0..80 {
        for j in 0..60 {
            let (lon, lat) = (-124.6 + 0.025 * f64::from(i), 45.3 + 0.0271 * f64::from(j));
            let (mut x, mut y) = ([lon], [lat]);
            grid.forward_batch(&mut x, &mut y);
            across += u32::from((x[0] / 0.125).floor() != (lon / 0.125).floor());
            grid.inverse_batch(&mut x, &mut y);
            // What single precision and another grid's nodes leave: a thousandth of a second of a shift of 900 at most.
            assert!((x[0] - lon).abs() < 3e-8 && (y[0] - lat).abs() < 3e-8, "{lon} {lat}: {x:?} {y:?}");
        }
    }
    assert!(across > 4000, "{across}");
}

#[test]
fn places_on_the_rim_get_the_shift_of_the_last_nodes() {
    let grid = GridShift::parse(&estuary(false)).unwrap();
    for (lon, lat) in [(-125.0, 45.0), (-122.0, 47.0), (-125.0, 46.2), (-122.0, 46.9), (-123.0, 45.0)] {
        let s = grid.at(lon, lat).unwrap();
        let (mut x, mut y) = ([lon], [lat]);
        grid.forward_batch(&mut x, &mut y);
        assert!((x[0] - lon - s.lon_deg).abs() < 1e-13 && (y[0] - lat - s.lat_deg).abs() < 1e-13);
    }
}

proptest! {
    #[test]
    fn there_and_back(lon in -124.99f64..-122.01, lat in 45.01f64..46.99, big: bool) {
        let grid = GridShift::parse(&estuary(big)).unwrap();
        let (mut x, mut y) = ([lon], [lat]);
        grid.forward_batch(&mut x, &mut y);
        prop_assume!(x[0].is_finite());
        grid.inverse_batch(&mut x, &mut y);
        // On the rim of the finer grid the field jumps, so a place may have no way back to itself there.
        let [w, s, e, n] = [-124.0, 46.0, -123.5, 46.5];
        let beside = (lon - w).abs().min((lon - e).abs()).min((lat - s).abs()).min((lat - n).abs());
        prop_assume!(beside > 1e-4);
        prop_assert!((x[0] - lon).abs() < 1e-11 && (y[0] - lat).abs() < 1e-11, "{} {}", x[0] - lon, y[0] - lat);
    }

    #[test]
    fn no_bytes_make_it_panic(mut bytes in Just(estuary(false)), at in 0usize..4000, value: u8) {
        let at = at % bytes.len();
        bytes[at] = value;
        if let Ok(grid) = GridShift::parse(&bytes) {
            let _ = grid.at(-123.8, 46.2);
        }
    }
}
