//! Projection kernels against a loop with one `sin_cos` and one `atan2` a point.

use crate::{Random, paired};
use basilocus::geodesy::ellipsoid::Ellipsoid;
use basilocus::geodesy::projection::{Framed, LambertConformalConic, Projection, TransverseMercator};
use basilocus::geodesy::zone::UtmZone;
use std::hint::black_box;

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
    let e = Ellipsoid::wgs84();
    let utm = Projection::TransverseMercator(TransverseMercator::utm(&e, UtmZone { number: 10, north: true }));
    let lambert = LambertConformalConic::two_standard_parallels(&e, 43.0, 44.0, 46.0)
        .map(|cone| Projection::LambertConformalConic(Framed::new(cone, -120.5, 2e6, 0.0)))
        .expect("parallels make a cone");
    println!("kernels, {POINTS} points, ratio to one sin_cos and one atan2 a point");
    for (name, projection) in [("transverse Mercator", &utm), ("Lambert conformal conic", &lambert)] {
        let (mut x, mut y) = (lon.clone(), lat.clone());
        projection.forward_batch(&mut x, &mut y);
        for (direction, from, inverse) in
            [("forward", (&lon, &lat), false), ("inverse", (&x.clone(), &y.clone()), true)]
        {
            let (ours, base, ratio) = paired(
                9,
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
            println!(
                "  {name:<24} {direction}  {:6.1} ns a point, floor {:5.1} ns, ratio {ratio:.2}",
                ours * 1e9 / POINTS as f64,
                base * 1e9 / POINTS as f64
            );
        }
    }
}
