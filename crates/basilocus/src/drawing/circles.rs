//! What a projection does: circles that are equally large on the ground, as the map shows them, with how many times too large
//! or too small the map shows their areas.

use crate::Error;
use basilocus_draw::round;
use basilocus_draw::scene::{Layer, Marks, Paint, Rows, Shape};
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::geodesic::Geodesic;
use basilocus_geodesy::operation::Operation;

/// Places around a circle.
const PLACES: usize = 90;
/// Circles stand in so many columns and rows.
const COLUMNS: usize = 6;
const ROWS: usize = 4;
/// Neighbouring places of a ring are nearer to each other than that share of the ring's size.
const MOST_STEP: f64 = 0.4;

/// Circles over a frame; `None` where the system is not tied to the Earth.
///
/// # Errors
/// Where the system has no way from degrees.
pub(super) fn layer(crs: &Crs, frame: [f64; 4], place: usize) -> Result<Option<Layer>, Error> {
    let (Some(geographic), Some(datum)) = (crs.geographic(), crs.datum()) else { return Ok(None) };
    let metres = match &crs.kind {
        Kind::Projected { unit, .. } => unit.metres,
        // A degree of the equator.
        _ => datum.ellipsoid.semi_major_m.to_radians(),
    };
    let (to_degrees, forward) = (Operation::to_degrees(crs)?, Operation::between(&geographic, crs, None)?);
    let projection = crs.projection()?;
    let [w, s, e, n] = frame;
    let spacing = ((e - w) / COLUMNS as f64).min((n - s) / ROWS as f64);
    let (middles, is_world) = middles(crs, frame, &to_degrees);
    // On maps of the world small ones, so that they show what happens at their middles.
    let wide_m = round::step(spacing * metres * if is_world { 0.2 } else { 0.6 }, 1.0) / 2.0;
    let geodesic = Geodesic::new(&datum.ellipsoid);
    let (mut shapes, mut labels, mut rows) = (Vec::new(), Vec::new(), Rows::default());
    let names = ["longitude", "latitude", "area_on_the_map", "largest_scale", "smallest_scale", "angles_off_degrees"];
    rows.columns = names.map(String::from).to_vec();
    for (lon, lat) in middles {
        let Some((x, y, _)) = forward.apply_one(lon, lat, 0.0) else { continue };
        let place = |i: usize| {
            let there = geodesic.direct(lon, lat, i as f64 * 360.0 / PLACES as f64, wide_m / 2.0);
            forward.apply_one(there.lon_deg, there.lat_deg, 0.0).map(|(x, y, _)| [x, y])
        };
        let Some(mut ring) = (0..PLACES).map(place).collect::<Option<Vec<_>>>() else { continue };
        ring.push(ring[0]);
        let longest = |list: &mut dyn Iterator<Item = f64>| list.fold(0.0f64, f64::max);
        let far = longest(&mut ring.iter().map(|p| (p[0] - x).hypot(p[1] - y)));
        let step = longest(&mut ring.windows(2).map(|p| (p[1][0] - p[0][0]).hypot(p[1][1] - p[0][1])));
        // One that an edge of the map cuts, or that a pole lies in, has no ring.
        if !(far.is_finite() && step < far * MOST_STEP) {
            continue;
        }
        let twice: f64 = ring.windows(2).map(|p| (p[0][0] - x) * (p[1][1] - y) - (p[1][0] - x) * (p[0][1] - y)).sum();
        let flat = std::f64::consts::PI * (wide_m / 2.0 / metres).powi(2);
        let d = projection.as_ref();
        let d = d.and_then(|p| p.distortion(&datum.ellipsoid, lon - datum.prime_meridian_deg, lat));
        // At the middle itself where the projection's derivatives are known, else that of the ring.
        let times = times_words(d.map_or(twice.abs() / 2.0 / flat, |d| d.area_scale));
        let numbers = d.map(|d| [d.largest_scale, d.smallest_scale, d.angular_distortion_deg]);
        let [largest, smallest, angles] = numbers.map(|n| n.map(|v| format!("{v:.6}"))).unwrap_or_default();
        rows.of.push(rows.cells.len());
        rows.places.push(None);
        rows.numbers.push(rows.cells.len() as u64 + 1);
        rows.reasons.push(None);
        rows.cells.push(vec![format!("{lon:.4}"), format!("{lat:.4}"), times.clone(), largest, smallest, angles]);
        labels.push(Some(times));
        shapes.push(Shape::Polygon(vec![ring]));
    }
    if shapes.is_empty() {
        return Ok(None);
    }
    let wide = if wide_m >= 1000.0 { format!("{} km", wide_m / 1000.0) } else { format!("{wide_m} m") };
    let mut marks = Marks::plain(format!("{wide} wide, × area"), shapes);
    marks.paint = Paint::Plain(place);
    (marks.labels, marks.rows) = (labels, Some(rows));
    Ok(Some(Layer::Marks(marks)))
}

/// Where circles stand, degrees: at round ones on maps of the world, which is told, else evenly over the frame.
fn middles(crs: &Crs, frame: [f64; 4], to_degrees: &Operation) -> (Vec<(f64, f64)>, bool) {
    let [w, s, e, n] = frame;
    let degrees = |x: f64, y: f64| to_degrees.apply_one(x, y, 0.0).map(|(lon, lat, _)| (lon, lat));
    let even = |i: usize, j: usize| {
        let share = |i: usize, of: usize| (i as f64 + 0.5) / of as f64;
        [w + (e - w) * share(i, COLUMNS), s + (n - s) * share(j, ROWS)]
    };
    let places = (0..ROWS).flat_map(|j| (0..COLUMNS).map(move |i| even(i, j)));
    let found: Vec<(f64, f64)> = places.filter_map(|[x, y]| degrees(x, y)).collect();
    let span = |of: &dyn Fn(&(f64, f64)) -> f64| {
        let (low, high) =
            found.iter().map(of).fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        high - low
    };
    if found.len() == ROWS * COLUMNS && span(&|p| p.0).max(span(&|p| p.1)) < 60.0
        || crs.is_geographic() && span(&|p| p.0) < 60.0
    {
        return (found, false);
    }
    let lats = [-80.0, -60.0, -40.0, -20.0, 0.0, 20.0, 40.0, 60.0, 80.0];
    (lats.into_iter().flat_map(|lat| (-5..=5).map(move |i| (f64::from(i) * 30.0, lat))).collect(), true)
}

/// How many times as large, with the digits that say something.
fn times_words(times: f64) -> String {
    let digits = match (times - 1.0).abs() {
        d if d < 0.001 => 5,
        d if d < 0.1 => 4,
        _ => 2,
    };
    format!("× {times:.digits$}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::crs::Catalogue;

    fn times(code: u32, frame: [f64; 4]) -> Vec<(f64, f64, f64)> {
        let crs = Catalogue::embedded().get(code).unwrap();
        let Some(Layer::Marks(marks)) = layer(&crs, frame, 0).unwrap() else { panic!() };
        let rows = marks.rows.unwrap();
        let number = |t: &String| t.trim_start_matches("× ").parse::<f64>().unwrap();
        rows.cells.iter().map(|c| (number(&c[0]), number(&c[1]), number(&c[2]))).collect()
    }

    #[test]
    fn circles_of_a_map_with_true_areas_are_equally_large() {
        // Lambert's azimuthal equal-area projection of Europe.
        for (lon, lat, times) in times(3035, [2_500_000.0, 1_400_000.0, 7_500_000.0, 5_500_000.0]) {
            assert!((times - 1.0).abs() < 0.002, "{lon} {lat}: {times}");
        }
    }

    #[test]
    fn the_north_of_a_web_map_is_too_large_by_what_mercator_makes_of_it() {
        let found = times(3857, [-20e6, -18e6, 20e6, 18e6]);
        // The scale of Mercator is 1 / cos of the latitude along both axes (within the ellipsoid's flattening).
        for (lon, lat, times) in found.iter().filter(|f| f.1.abs() <= 60.0) {
            let expected = 1.0 / lat.to_radians().cos().powi(2);
            assert!((times / expected - 1.0).abs() < 0.01, "{lon} {lat}: {times}, {expected}");
        }
        assert!(found.iter().any(|f| f.1 == 60.0 && f.2 > 3.8));
    }

    #[test]
    fn a_zone_of_utm_is_nearly_true() {
        let found = times(32610, [400_000.0, 5_000_000.0, 600_000.0, 5_130_000.0]);
        assert_eq!(found.len(), ROWS * COLUMNS);
        assert!(found.iter().all(|f| (f.2 - 0.9992).abs() < 0.0003), "{found:?}");
    }
}
