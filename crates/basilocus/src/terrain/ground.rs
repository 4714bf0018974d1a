//! How long the units of a system are on the ground.

use crate::Error;
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::latitude::{meridian_radius, normal_radius};
use basilocus_geodesy::operation::Operation;
use basilocus_terrain::{Ground, RectifiedGrid};
use std::sync::Arc;

/// The lengths of units of a system, with what to tell of them. Without a system, or with `in_plane`, a plane whose unit is
/// that of the system.
///
/// # Errors
/// [`Error::Usage`] for degrees in a plane.
pub(super) fn ground_of(
    crs: Option<&Crs>,
    frame: &RectifiedGrid,
    in_plane: bool,
    notes: &mut Vec<String>,
) -> Result<Ground, Error> {
    let plane = |metres: f64| Ok(Ground::of_unit(metres));
    let Some(crs) = crs else {
        notes.push("the grid has no system: its unit is taken as metre".into());
        return plane(1.0);
    };
    let horizontal = crs.horizontal();
    match &horizontal.kind {
        Kind::Geographic { .. } if in_plane => Err(Error::Usage(format!(
            "`in_plane`: {} has degrees, which are no plane to measure in",
            horizontal.title()
        ))),
        Kind::Projected { unit, .. } if in_plane => {
            notes.push(format!("measured in the plane of {}, in {}", horizontal.title(), unit.plural()));
            plane(unit.metres)
        }
        Kind::Projected { .. } | Kind::Geographic { .. } => {
            let ground = on_the_ellipsoid(horizontal)?;
            let [w, s, e, n] = frame.bounds();
            let [x, y] = ground.at((w + e) / 2.0, (s + n) / 2.0);
            if !(x > 0.0 && y > 0.0) {
                return Err(Error::Data(format!(
                    "the middle of the grid is at {}, {}, where {} has no numbers; say the system that the grid is in with `from`",
                    (w + e) / 2.0,
                    (s + n) / 2.0,
                    horizontal.title()
                )));
            }
            notes.push(format!(
                "measured on the ground (the ellipsoid of {}): in the middle of the grid a cell is {:.4} m by {:.4} m",
                horizontal.title(),
                x * frame.step_x,
                y * frame.step_y
            ));
            Ok(ground)
        }
        Kind::Engineering { unit } => {
            if unit.is_none() {
                notes.push("the unit of the local grid is not said and taken as metre".into());
            }
            plane(unit.as_ref().map_or(1.0, |u| u.metres))
        }
        _ => Err(Error::Usage(format!("{} has no plane in which a grid could lie", crs.title()))),
    }
}

/// Lengths on the ellipsoid: along x as they are, along y so that their product is the area.
///
/// # Errors
/// [`Error::Usage`] for a system without a datum.
pub(crate) fn on_the_ellipsoid(crs: &Crs) -> Result<Ground, Error> {
    let datum = crs.datum().ok_or_else(|| Error::Usage(format!("{} has no datum", crs.title())))?;
    let (to_degrees, ellipsoid) = (Operation::to_degrees(crs)?, datum.ellipsoid.clone());
    // Far enough that the difference keeps ten digits, near enough that the scale does not change.
    let reach = if crs.is_geographic() { 1e-4 } else { 50.0 };
    Ok(Ground::by_place(Arc::new(move |x, y| {
        let (mut lon, mut lat) = ([x - reach, x + reach, x, x], [y, y, y - reach, y + reach]);
        to_degrees.apply(&mut lon, &mut lat, &mut [0.0; 4]);
        let sin = ((lat[0] + lat[1]) / 2.0).to_radians().sin();
        let (east, north) =
            (normal_radius(&ellipsoid, sin) * (1.0 - sin * sin).sqrt(), meridian_radius(&ellipsoid, sin));
        let part = |a: usize, b: usize| {
            let turn = (lon[b] - lon[a] + 180.0).rem_euclid(360.0) - 180.0;
            [turn.to_radians() * east, (lat[b] - lat[a]).to_radians() * north].map(|v| v / (2.0 * reach))
        };
        let (along_x, along_y) = (part(0, 1), part(2, 3));
        let length = along_x[0].hypot(along_x[1]);
        [length, (along_x[0] * along_y[1] - along_x[1] * along_y[0]).abs() / length]
    })))
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::crs::Catalogue;
    use basilocus_geodesy::geodesic::{Geodesic, area};

    #[test]
    fn a_cell_is_as_large_as_its_geodesic_ring() {
        // By the area of polygons, which another part of the library computes.
        for (code, x, y, size) in [
            (4326, -123.8, 46.2, 0.001),
            (32610, 438_000.0, 5_116_000.0, 1000.0),
            (2269, 7_400_000.0, 900_000.0, 3000.0),
            (3857, -13_781_000.0, 5_812_000.0, 1000.0),
            (3035, 4_500_000.0, 2_000_000.0, 1000.0),
        ] {
            let crs = Catalogue::embedded().get(code).unwrap();
            let ground = on_the_ellipsoid(&crs).unwrap();
            let [metres_x, metres_y] = ground.at(x, y);
            let to_degrees = Operation::to_degrees(&crs).unwrap();
            let corner = |dx: f64, dy: f64| {
                let (lon, lat, _) = to_degrees.apply_one(x + dx * size / 2.0, y + dy * size / 2.0, 0.0).unwrap();
                (lon, lat)
            };
            let ring = [corner(-1.0, -1.0), corner(1.0, -1.0), corner(1.0, 1.0), corner(-1.0, 1.0)];
            let ellipsoid = &crs.datum().unwrap().ellipsoid;
            let expected = area::ring(ellipsoid, &ring).area_m2.abs();
            let ours = metres_x * metres_y * size * size;
            assert!((ours / expected - 1.0).abs() < 1e-6, "{code}: {ours} {expected}");
            let (a, b) = (corner(-1.0, 0.0), corner(1.0, 0.0));
            let side = Geodesic::new(ellipsoid).inverse(a.0, a.1, b.0, b.1).distance_m;
            assert!((metres_x * size / side - 1.0).abs() < 1e-7, "{code}: {} {side}", metres_x * size);
        }
    }
}
