//! Every projection method against `tools/reference-projections.py` (40 digits, defining formulas), forward and
//! inverse, in `tests/data/projections.tsv`.

use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::projection::{METHODS, Parameters, Projection};
use std::collections::BTreeMap;

fn build(definition: &str, a: &str, rf: &str) -> (String, Projection) {
    let mut parts = definition.split(';');
    let method = parts.next().unwrap().to_string();
    let parameters = Parameters(
        parts.map(|p| p.split_once('=').unwrap()).map(|(n, v)| (n.to_string(), v.parse().unwrap())).collect(),
    );
    let ellipsoid = Ellipsoid::new("reference", a.parse().unwrap(), rf.parse().unwrap());
    let projection = Projection::from_parameters("reference", &method, &parameters, &ellipsoid, 1.0).unwrap();
    (method, projection)
}

#[test]
fn every_method_against_its_defining_formulas() {
    let mut worst: BTreeMap<String, (usize, f64, f64)> = BTreeMap::new();
    let mut wrong = Vec::new();
    for line in include_str!("data/projections.tsv").lines().skip(1) {
        let f: Vec<&str> = line.split('\t').collect();
        let (method, projection) = build(f[0], f[1], f[2]);
        let [lon, lat, x, y] = [3, 4, 5, 6].map(|i| f[i].parse::<f64>().unwrap());
        let Some((fx, fy)) = projection.forward(lon, lat) else {
            wrong.push(format!("no number: {line}"));
            continue;
        };
        // The plane is stretched without limit towards some edges; there the error counts as a share of the distance.
        let miss = (fx - x).hypot(fy - y) / (x.hypot(y) / 1e7).max(1.0);
        // Where the map squeezes a line into a point (a pole) or runs along its rim, the inverse is not unique or
        // has no digits: there the image of the answer counts.
        let back = projection.inverse(x, y).map_or(f64::NAN, |(ilon, ilat)| {
            let d_lon = (ilon - lon + 540.0).rem_euclid(360.0) - 180.0;
            let ground = (d_lon * lat.to_radians().cos()).hypot(ilat - lat) * 111_320.0;
            let image = projection.forward(ilon, ilat).map_or(f64::NAN, |(bx, by)| (bx - x).hypot(by - y));
            ground.min(if lat.abs() > 89.0 { image / (x.hypot(y) / 1e7).max(1.0) } else { f64::INFINITY })
        });
        if !(miss < 1e-6 && back < 1e-6) {
            wrong.push(format!("forward {miss:.1e} m, inverse {back:.1e} m: {line}"));
        }
        let entry = worst.entry(method).or_default();
        *entry = (entry.0 + 1, entry.1.max(miss), entry.2.max(back));
    }
    for (method, (points, forward, inverse)) in &worst {
        println!("{method:<45} {points:>4} points, forward {forward:.1e} m, inverse {inverse:.1e} m");
    }
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
    assert!(worst.values().all(|w| w.0 >= 20), "at least 20 points a method");
    // Every method of the library is in the file, or (the first two) in high-precision.tsv, or is one of those
    // with the axes turned or a zone before it, which `variants.rs` compares with theirs.
    let plain = |n: &str| n.chars().filter(|c| c.is_alphanumeric()).collect::<String>().to_lowercase();
    for about in METHODS {
        let in_file = about.names.iter().any(|n| worst.keys().any(|m| plain(m) == plain(n)));
        let elsewhere =
            ["Transverse Mercator", "Lambert Conic Conformal"].iter().any(|p| about.names[0].starts_with(p));
        assert!(in_file || elsewhere, "{}", about.names[0]);
    }
}
