//! x
use basilocus_geodesy::{ellipsoid::Ellipsoid, geodesic::*};
fn main() {
    let e = Ellipsoid::wgs84();
    let g = Geodesic::new(&e);
    println!("{:?} {}", area::ring(&e, &[(0.0, 0.0), (90.0, 0.0), (0.0, 90.0)]), area::surface_m2(&g)/8.0);
    println!("{:?}", area::ring(&e, &[(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0,1.0)]));
    println!("{:?}", g.inverse(0.0, 30.0, 179.5, -30.0));
    println!("{:?}", g.inverse(0.0, 30.0, 179.8, -29.9));
    println!("{:?}", g.direct(0.0, 40.0, 30.0, 10_000_000.0));
}
