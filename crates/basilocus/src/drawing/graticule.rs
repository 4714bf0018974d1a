//! Lines of the grid, and which way north is.

use crate::Error;
use basilocus_draw::round;
use basilocus_draw::scene::GridLine;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::operation::Operation;

/// About so many lines stand in a frame.
const LINES: f64 = 6.0;
/// Places of a meridian or parallel.
const PLACES: usize = 180;

/// Lines of equal eastings and northings in a frame.
pub(super) fn lines_of_system([w, s, e, n]: [f64; 4], sign: &str) -> Vec<GridLine> {
    let step = round::step((e - w).max(n - s), LINES);
    let digits = round::digits(step);
    let upright = round::multiples(step, w, e).map(|x| GridLine {
        points: vec![[x, s], [x, n]],
        label: format!("{x:.digits$}{sign}"),
        is_upright: true,
    });
    let level = round::multiples(step, s, n).map(|y| GridLine {
        points: vec![[w, y], [e, y]],
        label: format!("{y:.digits$}{sign}"),
        is_upright: false,
    });
    upright.chain(level).collect()
}

/// Meridians and parallels in a frame, as a system bends them.
///
/// # Errors
/// Where the system has no way to degrees.
pub(super) fn meridians_and_parallels(crs: &Crs, frame: [f64; 4]) -> Result<Vec<GridLine>, Error> {
    let [w, s, e, n] = frame;
    let Some(geographic) = crs.geographic() else { return Ok(Vec::new()) };
    let forward = Operation::between(&geographic, crs, None)?;
    // How far degrees reach in the frame, by a few hundred places of it.
    let to_degrees = Operation::to_degrees(crs)?;
    let mut reach: Option<[f64; 4]> = None;
    for i in 0..=20 {
        for j in 0..=20 {
            let at = [w + (e - w) * f64::from(i) / 20.0, s + (n - s) * f64::from(j) / 20.0];
            if let Some((lon, lat, _)) = to_degrees.apply_one(at[0], at[1], 0.0) {
                let one = [lon, lat, lon, lat];
                reach = Some(reach.map_or(one, |r| basilocus_draw::scene::united(r, one)));
            }
        }
    }
    let Some([west, south, east, north]) = reach else { return Ok(Vec::new()) };
    let steps = [30.0, 20.0, 10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1];
    let span = (east - west).max(north - south);
    let step = steps.into_iter().find(|s| span / s >= LINES - 1.0).unwrap_or(0.1);
    let numbers = |low: f64, high: f64| {
        let (first, last) = ((low / step).floor() as i64, (high / step).ceil() as i64);
        (first..=last).map(move |i| i as f64 * step)
    };
    let path = |of: &dyn Fn(f64) -> (f64, f64)| -> Vec<[f64; 2]> {
        let place = |i: usize| {
            let (lon, lat) = of(i as f64 / PLACES as f64);
            forward.apply_one(lon, lat, 0.0).map(|(x, y, _)| [x, y])
        };
        (0..=PLACES).filter_map(place).collect()
    };
    let mut lines = Vec::new();
    for lon in numbers(west, east).filter(|l| (-180.0..=180.0).contains(l)) {
        let (low, high) = ((south - step).max(-90.0), (north + step).min(90.0));
        let points = path(&|t| (lon, low + (high - low) * t));
        lines.push(GridLine { points, label: degrees(lon, ["W", "E"]), is_upright: true });
    }
    for lat in numbers(south, north).filter(|l| (-90.0..=90.0).contains(l)) {
        let (low, high) = ((west - step).max(-180.0), (east + step).min(180.0));
        let points = path(&|t| (low + (high - low) * t, lat));
        lines.push(GridLine { points, label: degrees(lat, ["S", "N"]), is_upright: false });
    }
    Ok(lines)
}

fn degrees(v: f64, [below, above]: [&str; 2]) -> String {
    let number = format!("{:.1}", v.abs());
    let number = number.trim_end_matches('0').trim_end_matches('.');
    let side = if v < 0.0 {
        below
    } else if v > 0.0 {
        above
    } else {
        ""
    };
    format!("{number}°{side}")
}

/// Which way north is at a place, degrees clockwise from up.
///
/// # Errors
/// Where there is no way from degrees.
pub(super) fn north(crs: &Crs, [lon, lat]: [f64; 2]) -> Result<Option<f64>, Error> {
    let Some(geographic) = crs.geographic() else { return Ok(None) };
    let forward = Operation::between(&geographic, crs, None)?;
    let (south, north) = ((lat - 1e-4).max(-90.0), (lat + 1e-4).min(90.0));
    let (Some(a), Some(b)) = (forward.apply_one(lon, south, 0.0), forward.apply_one(lon, north, 0.0)) else {
        return Ok(None);
    };
    Ok(Some((b.0 - a.0).atan2(b.1 - a.1).to_degrees()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::crs::Catalogue;

    #[test]
    fn lines_stand_at_round_numbers() {
        let lines = lines_of_system([438_010.0, 5_116_010.0, 438_290.0, 5_116_210.0], "");
        let labels: Vec<&str> = lines.iter().filter(|l| l.is_upright).map(|l| l.label.as_str()).collect();
        assert_eq!(labels, ["438050", "438100", "438150", "438200", "438250"]);
        assert_eq!(lines_of_system([0.0, 0.0, 0.3, 0.3], "°")[1].label, "0.05°");
    }

    #[test]
    fn the_meridians_of_a_world_map_reach_from_pole_to_pole() {
        let world = super::super::equal_earth().unwrap();
        let lines = meridians_and_parallels(&world, [-17.2e6, -8.4e6, 17.2e6, 8.4e6]).unwrap();
        let zero = lines.iter().find(|l| l.is_upright && l.label == "0°").unwrap();
        assert!(zero.points.iter().all(|p| p[0].abs() < 1e-6) && zero.points.len() == PLACES + 1);
        let equator = lines.iter().find(|l| !l.is_upright && l.label == "0°").unwrap();
        assert!(equator.points.iter().all(|p| p[1].abs() < 1e-6));
        assert!(lines.iter().any(|l| l.label == "60°N") && lines.iter().any(|l| l.label == "150°W"));
    }

    #[test]
    fn north_leans_with_the_meridian() {
        let utm = Catalogue::embedded().get(32610).unwrap();
        assert!(north(&utm, [-123.0, 46.0]).unwrap().unwrap().abs() < 1e-9);
        // West of the central meridian true north is to the right of grid north.
        let west = north(&utm, [-125.0, 46.0]).unwrap().unwrap();
        assert!((west - 2.0 * 46f64.to_radians().sin()).abs() < 0.01, "{west}");
    }
}
