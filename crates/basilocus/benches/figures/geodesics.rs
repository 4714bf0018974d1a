//! Geodesics against one `sin_cos` and one `atan2` a line: lines all over the globe, lines of a few kilometres, lines
//! between nearly antipodal positions, and the edges of a ring.

use crate::Random;
use crate::measure::{Measured, paired};
use basilocus::geodesy::ellipsoid::Ellipsoid;
use basilocus::geodesy::geodesic::{Geodesic, area};
use std::hint::black_box;

const LINES: usize = 100_000;

pub fn run() {
    let mut random = Random(23);
    let mut places = |wide: f64| -> Vec<[f64; 4]> {
        (0..LINES)
            .map(|_| {
                let (lon, lat) = (360.0 * random.unit() - 180.0, 178.0 * random.unit() - 89.0);
                let (east, north) = (wide * (random.unit() - 0.5), wide * (random.unit() - 0.5));
                [lon, lat, lon + east, (lat + north).clamp(-90.0, 90.0)]
            })
            .collect()
    };
    let (far, near) = (places(360.0), places(0.05));
    let antipodal: Vec<[f64; 4]> = far.iter().map(|p| [p[0], p[1], p[0] + 179.8, -p[1] + 0.1]).collect();
    let ring: Vec<(f64, f64)> = (0..LINES)
        .map(|i| {
            let (s, c) = (i as f64 / LINES as f64 * std::f64::consts::TAU).sin_cos();
            (-123.0 + 2.0 * c, 46.0 + s)
        })
        .collect();
    let earth = Ellipsoid::wgs84();
    let geodesic = Geodesic::new(&earth);
    let floor = || {
        let mut sum = 0.0;
        for p in &far {
            let (s, c) = p[1].to_radians().sin_cos();
            sum += (s + p[0]).atan2(c);
        }
        black_box(sum);
    };
    println!("geodesics, {LINES} lines, ratio to one sin_cos and one atan2 a line");
    let print = |what: &str, m: Measured| {
        let each = |seconds: f64| seconds * 1e9 / LINES as f64;
        let (ours, floor) = (each(m.ours.processor), each(m.floor.processor));
        println!("  {what}: {ours:.0} ns a line, floor {floor:.0} ns, ratio {:.1}", m.ratio.processor);
    };
    for (what, list) in [
        ("inverse, all over the globe", &far),
        ("inverse, some kilometres", &near),
        ("inverse, nearly antipodal", &antipodal),
    ] {
        let all = || {
            let sum: f64 = list.iter().map(|p| geodesic.inverse(p[0], p[1], p[2], p[3]).distance_m).sum();
            black_box(sum);
        };
        print(what, paired(what, all, floor));
    }
    let length = || {
        black_box(area::path_length_m(&earth, &ring));
    };
    let whole = || {
        black_box(area::ring(&earth, &ring).area_m2);
    };
    print("length of a path, an edge", paired("length of a path, an edge", length, floor));
    print("area and perimeter of a ring, an edge", paired("area and perimeter of a ring, an edge", whole, floor));
    let direct = || {
        let sum: f64 = far.iter().map(|p| geodesic.direct(p[0], p[1], p[2], 5e6 + p[3]).lat_deg).sum();
        black_box(sum);
    };
    print("direct", paired("direct", direct, floor));
}
