//! Kernels against a loop with one `sin_cos` and one `atan2` a point.

use crate::Random;
use crate::measure::{Measured, paired};
use basilocus::geodesy::crs::Catalogue;
use basilocus::geodesy::datum::GridShift;
use basilocus::geodesy::notation::{self, AxisOrder};
use basilocus::geodesy::operation::Operation;
use basilocus::geodesy::projection::Projection;
use std::hint::black_box;
use std::time::Instant;

const POINTS: usize = 1_000_000;

pub fn run() {
    let mut random = Random(7);
    let lon: Vec<f64> = (0..POINTS).map(|_| -126.0 + 6.0 * random.unit()).collect();
    let lat: Vec<f64> = (0..POINTS).map(|_| 42.0 + 8.0 * random.unit()).collect();
    let floor = || {
        let mut sum = 0.0;
        for (x, y) in lon.iter().zip(&lat) {
            let (s, c) = y.to_radians().sin_cos();
            sum += (s + *x).atan2(c);
        }
        black_box(sum);
    };
    let projection = |code: u32| -> Projection {
        Catalogue::embedded()
            .get(code)
            .and_then(|c| c.projection())
            .ok()
            .flatten()
            .unwrap_or_else(|| panic!("EPSG:{code} computes"))
    };
    println!("kernels, {POINTS} points, ratio to one sin_cos and one atan2 a point");
    for (name, code) in [
        ("transverse Mercator", 32610),
        ("Lambert conformal conic", 2269),
        ("Albers equal area", 5070),
        ("azimuthal equal area", 9311),
        ("polar stereographic", 3413),
    ] {
        let projection = projection(code);
        let (mut x, mut y) = (lon.clone(), lat.clone());
        projection.forward_batch(&mut x, &mut y);
        for (direction, from, inverse) in
            [("forward", (&lon, &lat), false), ("inverse", (&x.clone(), &y.clone()), true)]
        {
            let measured = paired(
                &format!("{name} {direction}"),
                || {
                    x.copy_from_slice(from.0);
                    y.copy_from_slice(from.1);
                    if inverse {
                        projection.inverse_batch(&mut x, &mut y)
                    } else {
                        projection.forward_batch(&mut x, &mut y)
                    }
                    black_box((&x, &y));
                },
                floor,
            );
            line(name, direction, measured);
        }
    }
    let c = Catalogue::embedded();
    // OSGB36 to WGS 84: seven parameters between two ellipsoids, over the same positions.
    if let (Ok(from), Ok(to)) = (c.get(4277), c.get(4326))
        && let Ok(op) = Operation::between(&from, &to, None)
    {
        let (mut x, mut y, mut z) = (lon.clone(), lat.clone(), vec![0.0; POINTS]);
        let measured = paired(
            "seven parameters",
            || {
                x.copy_from_slice(&lon);
                y.copy_from_slice(&lat);
                op.apply(&mut x, &mut y, &mut z);
                black_box((&x, &y));
            },
            floor,
        );
        line("seven parameters", "geog. 2D", measured);
    }
    let grid = GridShift::parse(&synthetic_grid()).expect("the synthetic grid is one");
    let (mut x, mut y) = (lon.clone(), lat.clone());
    for (direction, inverse) in [("forward", false), ("inverse", true)] {
        let measured = paired(
            &format!("NTv2 grid {direction}"),
            || {
                x.copy_from_slice(&lon);
                y.copy_from_slice(&lat);
                if inverse {
                    grid.inverse_batch(&mut x, &mut y)
                } else {
                    grid.forward_batch(&mut x, &mut y)
                }
                black_box((&x, &y));
            },
            floor,
        );
        line("NTv2 grid", direction, measured);
    }
    parsing(&lon, &lat);
    threads(&lon, &lat, &projection(2269));
}

fn line(name: &str, direction: &str, m: Measured) {
    let each = |seconds: f64| seconds * 1e9 / POINTS as f64;
    let (ours, floor, ratio) = (each(m.ours.processor), each(m.floor.processor), m.ratio.processor);
    println!("  {name:<24} {direction}  {ours:6.1} ns a point, floor {floor:5.1} ns, ratio {ratio:.2}");
}

/// Positions in degrees, minutes and seconds, and single angles, on one core.
fn parsing(lon: &[f64], lat: &[f64]) {
    let dms = notation::Notation::DegreesMinutesSeconds;
    let whole: Vec<String> = lon.iter().zip(lat).filter_map(|(x, y)| notation::print(*x, *y, dms, 2)).collect();
    let angles: Vec<String> = lat.iter().filter_map(|y| notation::print_angle(*y, true, dms, 2)).collect();
    let bytes = |texts: &[String]| {
        // The floor: every byte looked at once.
        let mut sum = 0u64;
        for t in texts {
            sum = sum.wrapping_add(t.bytes().map(u64::from).sum::<u64>());
        }
        black_box(sum);
    };
    let m = paired(
        "reading positions",
        || {
            for t in &whole {
                black_box(notation::read(t, AxisOrder::Reject).is_ok());
            }
        },
        || bytes(&whole),
    );
    println!(
        "  reading positions in degrees, minutes, seconds: {:.2} million a second; ratio {:.1} to looking at every byte ({:.1} ns)",
        POINTS as f64 / m.ours.processor / 1e6,
        m.ratio.processor,
        m.floor.processor * 1e9 / POINTS as f64
    );
    let m = paired(
        "reading angles",
        || {
            for t in &angles {
                black_box(notation::read_angle(t, true).is_ok());
            }
        },
        || bytes(&angles),
    );
    println!(
        "  reading angles in degrees, minutes, seconds: {:.2} million a second; ratio {:.1}",
        POINTS as f64 / m.ours.processor / 1e6,
        m.ratio.processor
    );
}

/// Two threads against one, on halves of the same columns; and what the machine gives the floor's loop.
fn threads(lon: &[f64], lat: &[f64], projection: &Projection) {
    let plain = |x: &mut [f64], y: &mut [f64]| {
        for (x, y) in x.iter_mut().zip(y) {
            let (s, c) = y.to_radians().sin_cos();
            *x = (s + *x).atan2(c);
        }
    };
    let ours = scaling(lon, lat, &|x, y| projection.forward_batch(x, y));
    let floor = scaling(lon, lat, &plain);
    println!("  two threads: {ours:.2} times one; the floor's loop {floor:.2} times (best of 25 each)");
}

fn scaling(lon: &[f64], lat: &[f64], work: &(dyn Fn(&mut [f64], &mut [f64]) + Sync)) -> f64 {
    let (mut x, mut y) = (lon.to_vec(), lat.to_vec());
    let mut best = [f64::INFINITY; 2];
    for _ in 0..25 {
        for (n, slot) in best.iter_mut().enumerate() {
            x.copy_from_slice(lon);
            y.copy_from_slice(lat);
            let started = Instant::now();
            if n == 0 {
                work(&mut x, &mut y);
            } else {
                let ((a, b), (c, d)) = (x.split_at_mut(POINTS / 2), y.split_at_mut(POINTS / 2));
                std::thread::scope(|s| {
                    s.spawn(|| work(a, c));
                    work(b, d);
                });
            }
            *slot = slot.min(started.elapsed().as_secs_f64());
        }
    }
    best[0] / best[1]
}

/// A grid of half a degree over the points, little-endian; values made up.
fn synthetic_grid() -> Vec<u8> {
    let mut out = Vec::new();
    let mut record = |label: &str, value: [u8; 8]| {
        out.extend(format!("{label:<8}").into_bytes());
        out.extend(value);
    };
    let integer = |v: i32| {
        let mut b = [0; 8];
        b[..4].copy_from_slice(&v.to_le_bytes());
        b
    };
    let text = |t: &str| {
        let mut b = [b' '; 8];
        b[..t.len()].copy_from_slice(t.as_bytes());
        b
    };
    let (west, south, step, columns, rows) = (-127i32, 41i32, 0.05f64, 161i32, 201i32);
    record("NUM_OREC", integer(11));
    record("NUM_SREC", integer(11));
    record("NUM_FILE", integer(1));
    record("GS_TYPE", text("SECONDS"));
    record("VERSION", text("NTv2.0"));
    record("SYSTEM_F", text("OLD"));
    record("SYSTEM_T", text("NEW"));
    for label in ["MAJOR_F", "MINOR_F", "MAJOR_T", "MINOR_T"] {
        record(label, 6_378_137f64.to_le_bytes());
    }
    record("SUB_NAME", text("ALL"));
    record("PARENT", text("NONE"));
    record("CREATED", text("20260101"));
    record("UPDATED", text("20260101"));
    let seconds = |d: f64| (d * 3600.0).to_le_bytes();
    record("S_LAT", seconds(f64::from(south)));
    record("N_LAT", seconds(f64::from(south) + step * f64::from(rows - 1)));
    record("E_LONG", seconds(-(f64::from(west) + step * f64::from(columns - 1))));
    record("W_LONG", seconds(-f64::from(west)));
    record("LAT_INC", seconds(step));
    record("LONG_INC", seconds(step));
    record("GS_COUNT", integer(columns * rows));
    for i in 0..columns * rows {
        for v in [0.4 + (i % 97) as f32 * 1e-4, 4.0 + (i % 89) as f32 * 1e-4, 0.3, 0.3] {
            out.extend(v.to_le_bytes());
        }
    }
    out
}
