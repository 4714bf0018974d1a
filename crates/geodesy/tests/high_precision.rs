//! Values of `tools/reference-values.py` (40 digits, independent formulations) in `tests/data/high-precision.tsv`.

use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::projection::{Framed, LambertConformalConic, TransverseMercator};

#[test]
fn projections_against_high_precision() {
    let ellipsoids = [Ellipsoid::wgs84(), Ellipsoid::new("Clarke 1866", 6_378_206.4, 294.978698213898)];
    let mut worst = [0.0f64; 4];
    for line in include_str!("data/high-precision.tsv").lines().skip(1) {
        let f: Vec<&str> = line.split('\t').collect();
        let [lon, lat, x, y] = [2, 3, 4, 5].map(|i| f[i].parse::<f64>().unwrap());
        let e = ellipsoids.iter().find(|e| e.name == f[1]).unwrap();
        let (forward, inverse, kind) = if f[0] == "tm" {
            let p = Framed::new(TransverseMercator::new(e, 0.0, 0.9996), 0.0, 0.0, 0.0);
            (p.forward(lon, lat), p.inverse(x, y), usize::from(lon.abs() > 4.0))
        } else {
            let cone = LambertConformalConic::two_standard_parallels(e, 43.5, 44.25, 46.0).unwrap();
            let p = Framed::new(cone, -120.5, 0.0, 0.0);
            (p.forward(lon, lat), p.inverse(x, y), if lat >= 30.0 && lon < -110.0 { 2 } else { 3 })
        };
        let (fx, fy) = forward.unwrap_or_else(|| panic!("{line}"));
        // Far from a cone's parallels the plane is stretched by the scale; an error counts on the ground.
        let ground = if kind >= 2 { (x.hypot(y) / 6.4e6).max(1.0) } else { 1.0 };
        worst[kind] = worst[kind].max((fx - x).abs().max((fy - y).abs()) / ground);
        let (ilon, ilat) = inverse.unwrap_or_else(|| panic!("{line}"));
        let metres = ((ilon - lon) * lat.to_radians().cos()).hypot(ilat - lat) * 111_320.0;
        worst[kind] = worst[kind].max(metres);
    }
    // Two units in the last place of a northing of ten million metres are 4 nm: the format's own limit.
    assert!(worst[0] < 5e-9, "transverse Mercator in the zone: {} m", worst[0]);
    assert!(worst[1] < 1e-6, "transverse Mercator to 40° from the meridian: {} m", worst[1]);
    assert!(worst[2] < 1e-7, "Lambert conformal conic: {} m", worst[2]);
    assert!(worst[3] < 1e-6, "Lambert conformal conic, a third of the globe away: {} m", worst[3]);
    println!("worst: {worst:?} m");
}
