//! A grid of heights as a picture: colours by height, light by slope.

use crate::Error;
use crate::engine::Cancel;
use crate::terrain::{HeightGrid, ground_on_the_ellipsoid};
use basilocus_draw::canvas::Pixels;
use basilocus_draw::color::{Color, ramp};
use basilocus_draw::map::View;
use basilocus_draw::scene::{Layer, Ramp, united};
use basilocus_geodesy::crs::{Crs, Kind};
use basilocus_geodesy::operation::Operation;
use basilocus_terrain::gradient::{Measure, each_row};
use basilocus_terrain::shade::{Light, Sun};
use basilocus_terrain::{Grid, Ground, HeightRows, RectifiedGrid};
use std::num::NonZeroUsize;

/// Pixels along the longer side of a grid in a page.
const PAGE: f64 = 1400.0;

/// The way from a map to a grid; `None` where they are in one system.
fn way(grid: &HeightGrid, map: &Crs, back: bool) -> Result<Option<Operation>, Error> {
    let Some(of_grid) = &grid.crs else {
        if matches!(map.kind, Kind::Engineering { .. }) {
            return Ok(None);
        }
        return Err(Error::Usage("a grid says no system; say it with `from`".into()));
    };
    let (of_grid, map) = (of_grid.horizontal(), map.horizontal());
    if of_grid.is_same(map) {
        return Ok(None);
    }
    let (a, b) = if back { (map, of_grid) } else { (of_grid, map) };
    Ok(Some(Operation::between(a, b, None)?))
}

/// West, south, east, north of the edges of a grid on a map.
///
/// # Errors
/// Where there is no way between the systems.
pub(super) fn bounds_in(grid: &HeightGrid, map: &Crs) -> Result<[f64; 4], Error> {
    let frame = grid.frame();
    let [w, s, e, n] = frame.bounds();
    let (hx, hy) = (frame.step_x / 2.0, frame.step_y / 2.0);
    let [w, s, e, n] = [w - hx, s - hy, e + hx, n + hy];
    let Some(way) = way(grid, map, false)? else { return Ok([w, s, e, n]) };
    let mut bounds: Option<[f64; 4]> = None;
    // Edges bend: places along them.
    for i in 0..=32 {
        let t = f64::from(i) / 32.0;
        let (x, y) = (w + (e - w) * t, s + (n - s) * t);
        for [x, y] in [[x, s], [x, n], [w, y], [e, y]] {
            if let Some((x, y, _)) = way.apply_one(x, y, 0.0) {
                bounds = Some(bounds.map_or([x, y, x, y], |b| united(b, [x, y, x, y])));
            }
        }
    }
    bounds.ok_or_else(|| Error::Usage(format!("a grid has no place on a map in {}", map.title())))
}

/// The picture of a grid, and how many of its pixels have a height.
///
/// # Errors
/// Where the grid cannot be read.
pub(super) fn draw(
    grid: &mut HeightGrid,
    name: &str,
    map: &Crs,
    bounds: [f64; 4],
    view: Option<&View>,
    cancel: &Cancel,
) -> Result<(Layer, u64), Error> {
    let back = way(grid, map, true)?;
    let [w, s, e, n] = bounds;
    // A pixel of the picture is one of the map; of a page, which one comes closer to, a quarter of a cell where there is room.
    let unit = match view {
        Some(view) => view.unit(),
        None => ((e - w).max(n - s) / PAGE).max((e - w) / (4.0 * grid.frame().columns as f64)),
    };
    let most = view.map_or([PAGE; 2], |v| v.size);
    let columns = ((e - w) / unit).ceil().clamp(1.0, most[0].max(1.0)) as usize;
    let rows = ((n - s) / unit).ceil().clamp(1.0, most[1].max(1.0)) as usize;
    let (step_x, step_y) = ((e - w) / columns as f64, (n - s) / rows as f64);
    let frame = RectifiedGrid { west: w + step_x / 2.0, north: n - step_y / 2.0, step_x, step_y, columns, rows };
    let mut seen = Grid::empty(frame);
    for row in 0..rows {
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        let mut x: Vec<f64> = (0..columns).map(|c| frame.x(c)).collect();
        let mut y = vec![frame.y(row); columns];
        if let Some(back) = &back {
            back.apply(&mut x, &mut y, &mut vec![0.0; columns]);
        }
        for column in 0..columns {
            // In the outer halves of the outermost cells their own height is what is known.
            let mut z = grid.height_at(x[column], y[column], false)?;
            if z.is_nan() {
                z = grid.height_at(x[column], y[column], true)?;
            }
            seen.heights[row * columns + column] = z;
        }
    }
    let known = seen.heights.iter().filter(|z| z.is_finite()).count() as u64;
    let range = range_of(&seen.heights);
    let ground = match &map.kind {
        Kind::Projected { .. } | Kind::Geographic { .. } => ground_on_the_ellipsoid(map)?,
        _ => Ground::plane(),
    };
    let sun = |azimuth_deg, weight| Sun { azimuth_deg, altitude_deg: 45.0, weight };
    let light = Light::new(&[sun(315.0, 0.75), sun(45.0, 0.25)], exaggeration(&seen, range))
        .ok_or_else(|| Error::Defect("suns that stand nowhere".into()))?;
    let measure = Measure { ground: &ground, metres_per_height: grid.unit.unit.metres, threads: NonZeroUsize::MIN };
    let heights = seen.heights.clone();
    let mut colors = Vec::with_capacity(heights.len());
    let span = (range[1] - range[0]).max(f64::MIN_POSITIVE);
    let lit = each_row(
        &mut seen,
        &measure,
        |gradients, [lit]| light.on_row(gradients, lit),
        |row, [values]| {
            for (column, light) in values.iter().enumerate() {
                let z = heights[row * columns + column];
                colors.push(if z.is_nan() { Color([0, 0, 0, 0]) } else { shaded(ramp((z - range[0]) / span), *light) });
            }
            Ok(())
        },
    );
    lit.unwrap_or_else(|never: std::convert::Infallible| match never {});
    let title = if grid.unit.is_said { format!("height, {}", grid.unit.unit.sign()) } else { "height".into() };
    let layer = Layer::Picture {
        name: name.to_string(),
        pixels: Pixels { size: [columns, rows], colors },
        bounds,
        legend: Some(Ramp { title, range }),
    };
    Ok((layer, known))
}

/// The range that colours are spread over: without the outermost hundredth on both sides, which a spike may be.
fn range_of(heights: &[f64]) -> [f64; 2] {
    let mut known: Vec<f64> = heights.iter().copied().filter(|z| z.is_finite()).collect();
    if known.is_empty() {
        return [0.0, 1.0];
    }
    known.sort_unstable_by(f64::total_cmp);
    let at = |share: f64| known[((known.len() - 1) as f64 * share).round() as usize];
    [at(0.01), at(0.99)]
}

/// How many times heights are taken, so that a flat shows its forms and mountains do not burn out.
fn exaggeration(seen: &Grid, range: [f64; 2]) -> f64 {
    let [w, s, e, n] = seen.frame.bounds();
    let slope = (range[1] - range[0]) / (e - w).max(n - s).max(f64::MIN_POSITIVE);
    (0.05 / slope.max(1e-12)).clamp(1.0, 10.0)
}

/// A colour in a light: darker below the light of level ground, brighter above.
fn shaded(color: Color, light: f64) -> Color {
    let level = std::f64::consts::FRAC_1_SQRT_2;
    let light = if light.is_nan() { level } else { light };
    let [r, g, b, _] = color.0;
    let part = |v: u8| {
        let v = f64::from(v);
        let lit = if light < level {
            v * (0.35 + 0.65 * light / level)
        } else {
            v + (255.0 - v) * 0.6 * (light - level) / (1.0 - level)
        };
        lit.round().clamp(0.0, 255.0) as u8
    };
    Color::rgb(part(r), part(g), part(b))
}
