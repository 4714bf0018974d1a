//! The published worked examples of `tests/data/worked-examples.tsv`, forward and inverse.

use basilocus_geodesy::crs::{Catalogue, Kind};
use basilocus_geodesy::ellipsoid::Ellipsoid;
use basilocus_geodesy::projection::{Parameters, Projection};

#[test]
fn published_worked_examples() {
    let mut wrong = Vec::new();
    let mut checked = 0;
    for line in include_str!("data/worked-examples.tsv").lines().skip(1) {
        let f: Vec<&str> = line.split('\t').collect();
        let number = |i: usize| f[i].parse::<f64>().unwrap();
        let (projection, unit_m) = if let Ok(code) = f[0].parse::<u32>() {
            let crs = Catalogue::embedded().get(code).unwrap();
            let Kind::Projected { unit, .. } = &crs.kind else { panic!("{code} is not projected") };
            (crs.projection().unwrap().unwrap(), unit.metres)
        } else {
            let pairs: Vec<(&str, &str)> = f[0].split(';').map(|p| p.split_once('=').unwrap()).collect();
            let text = |key: &str| pairs.iter().find(|(k, _)| *k == key).map(|(_, v)| *v);
            let value = |key: &str| text(key).map(|v| v.parse::<f64>().unwrap());
            let method = text("method").unwrap();
            let ellipsoid = Ellipsoid::new("example", value("a").unwrap(), value("rf").unwrap());
            let parameters =
                Parameters(pairs.iter().filter_map(|(k, v)| v.parse().ok().map(|v| (k.to_string(), v))).collect());
            let unit_m = value("unit").unwrap_or(1.0);
            (Projection::from_parameters("example", method, &parameters, &ellipsoid, unit_m).unwrap(), unit_m)
        };
        // Half a unit of the last published decimal, and a little for the rounding of the published input.
        let decimals = f[3].split('.').nth(1).map_or(0, str::len) as i32;
        let tolerance = 0.6 * 10f64.powi(-decimals);
        let (mut x, mut y) = ([number(1)], [number(2)]);
        projection.forward_batch(&mut x, &mut y);
        let (x, y) = (x[0] / unit_m, y[0] / unit_m);
        if !((x - number(3)).abs() <= tolerance && (y - number(4)).abs() <= tolerance) {
            wrong.push(format!("{}: {x} {y}, published {} {}", f[5], f[3], f[4]));
        }
        let (mut lon, mut lat) = ([number(3) * unit_m], [number(4) * unit_m]);
        projection.inverse_batch(&mut lon, &mut lat);
        let degrees = tolerance * unit_m / 60_000.0;
        let east = (lon[0] - number(1)).abs() * number(2).to_radians().cos();
        if !(east <= degrees && (lat[0] - number(2)).abs() <= degrees) {
            wrong.push(format!("{}: inverse {} {}, published {} {}", f[5], lon[0], lat[0], f[1], f[2]));
        }
        checked += 1;
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    assert_eq!(checked, 36, "all of them");
}
