//! Rows that were placed twice: an arrow from the first place to the second one for each, and how long they are.

use super::output::PictureOutput;
use super::{DegreeBounds, around, system_for};
use crate::Error;
use crate::compare::{ComparePlan, Pair};
use crate::engine::Cancel;
use basilocus_draw::chart::{Chart, Content, histogram};
use basilocus_draw::scene::{Layer, Marks, Paint, Rows, Scene, Shape, united};
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use std::path::PathBuf;

/// From here on only the longest arrows are drawn.
const MOST_ARROWS: usize = 20_000;
/// Arrows of the usual displacements are about so long, pixels.
const ARROW: f64 = 36.0;
/// Bars of the histogram.
const BARS: usize = 40;
/// Pairs that are nearer than that stand at the same place, metres.
pub(crate) const SAME_M: f64 = 1e-3;

/// Draws pairs, worst first.
///
/// # Errors
/// Those of systems and of writing.
pub(crate) fn draw(
    output: PictureOutput,
    pairs: &[Pair],
    plan: &ComparePlan,
    cancel: &Cancel,
) -> Result<(PathBuf, Vec<String>), Error> {
    let shown = &pairs[..pairs.len().min(MOST_ARROWS)];
    let mut notices = Vec::new();
    if shown.len() < pairs.len() {
        notices.push(format!("the picture has the {MOST_ARROWS} longest arrows of {}", pairs.len()));
    }
    let of = |p: &[f64; 2]| [p[0], p[1], p[0], p[1]];
    let bounds = DegreeBounds::of(shown.iter().map(|p| &p.a)).bounds().unwrap_or_default();
    let crs = system_for(bounds)?;
    let way = Operation::between(&Catalogue::embedded().get(4326)?, &crs, None)?;
    let placed = |p: [f64; 2]| way.apply_one(p[0], p[1], 0.0).map(|(x, y, _)| [x, y]);
    let ends: Vec<Option<[[f64; 2]; 2]>> = shown.iter().map(|p| Some([placed(p.a)?, placed(p.b)?])).collect();
    let known = || ends.iter().flatten();
    let window = known().map(|[a, _]| of(a)).reduce(united).ok_or_else(|| Error::Data("no pair has a place".into()))?;
    let mut scene = Scene::new(window);
    let [a, b] = [&plan.a, &plan.b].map(|p| super::file_name(p));
    scene.title = Some(format!("From {a} to {b}"));
    let size = if output.is_page() { output.size().map(f64::from) } else { basilocus_draw::above_chart(output.size()) };
    let view = basilocus_draw::map::view(&scene, size);
    let lengths: Vec<f64> = known().map(|[a, b]| (b[0] - a[0]).hypot(b[1] - a[1])).filter(|l| *l > SAME_M).collect();
    let times = exaggeration(&lengths, view.unit());
    let unit = view.unit();
    let words = if times == 1.0 { "in their true length".to_string() } else { format!("{times} times as long") };
    let mut arrows = Marks::plain(format!("arrows {words}"), Vec::new());
    let (mut kinds, mut of_arrows) = (Vec::new(), table());
    let mut same = Marks::plain("at the same place", Vec::new());
    same.paint = Paint::Plain(2);
    let mut of_same = table();
    // The longest are drawn last, above the others.
    for (pair, ends) in shown.iter().zip(&ends).rev() {
        let Some([a, b]) = *ends else { continue };
        let (marks, rows) = if pair.distance_m < SAME_M {
            same.shapes.push(Shape::Point(a));
            (&same, &mut of_same)
        } else {
            let tip = [a[0] + (b[0] - a[0]) * times, a[1] + (b[1] - a[1]) * times];
            scene.window = united(scene.window, of(&tip));
            kinds.push(Some(usize::from(pair.distance_m < plan.far_m)));
            arrows.shapes.push(arrow(a, tip, unit));
            (&arrows, &mut of_arrows)
        };
        rows.of.push(rows.cells.len());
        rows.places.push(Some(pair.a));
        rows.numbers.push(marks.shapes.len() as u64);
        rows.reasons.push(None);
        let number = |v: f64| format!("{v:.7}");
        let cells = [pair.key.clone(), format!("{:.3}", pair.distance_m), number(pair.b[0]), number(pair.b[1])];
        rows.cells.push(cells.into());
    }
    let far = plan.far_m;
    let names = vec![format!("{far} m and more"), format!("less than {far} m")];
    arrows.paint = Paint::Categories { title: "apart".into(), names, of: kinds };
    (arrows.rows, same.rows) = (Some(of_arrows), Some(of_same));
    for marks in [same, arrows] {
        if !marks.shapes.is_empty() {
            scene.layers.push(Layer::Marks(marks));
        }
    }
    scene.notes = vec![format!("Arrows lead from the place in {a} to that in {b}, {words}; {}", crs.title())];
    let view = basilocus_draw::map::view(&scene, size);
    around(&mut scene, &crs, false, view.window)?;
    let distances: Vec<f64> = pairs.iter().map(|p| p.distance_m).collect();
    let chart = Chart {
        axes: ["metres apart".into(), "rows".into()],
        content: Content::Bars(histogram(&distances, BARS)),
        ..Default::default()
    };
    Ok((output.write_map_with_chart(&scene, &chart, cancel)?, notices))
}

fn table() -> Rows {
    let columns = ["key", "distance_m", "longitude, second", "latitude, second"].map(String::from);
    Rows { columns: columns.into(), ..Default::default() }
}

/// How many times arrows are drawn as long as they are: 1, 2 or 5 times a power of ten, so that the usual ones can be seen.
fn exaggeration(lengths: &[f64], unit: f64) -> f64 {
    let mut sorted = lengths.to_vec();
    sorted.sort_by(f64::total_cmp);
    let Some(usual) = sorted.get(sorted.len() / 2) else { return 1.0 };
    let wanted = ARROW * unit / usual;
    if wanted <= 1.0 {
        return 1.0;
    }
    // The round number below the wanted one.
    let power = 10f64.powi(wanted.log10().floor() as i32);
    [5.0, 2.0, 1.0].into_iter().map(|n| n * power).find(|n| *n <= wanted * (1.0 + 1e-9)).unwrap_or(1.0)
}

/// A line with a head, which is as large as the length allows.
fn arrow(from: [f64; 2], tip: [f64; 2], unit: f64) -> Shape {
    let (dx, dy) = (tip[0] - from[0], tip[1] - from[1]);
    let length = dx.hypot(dy);
    let head = (7.0 * unit).min(length * 0.5);
    let (u, v) = (dx / length * head, dy / length * head);
    let barb = |side: f64| [tip[0] - u - side * v * 0.5, tip[1] - v + side * u * 0.5];
    Shape::Line(vec![from, tip, barb(1.0), tip, barb(-1.0)])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn arrows_are_longer_by_a_round_number_and_never_shorter() {
        assert_eq!(exaggeration(&[], 10.0), 1.0);
        assert_eq!(exaggeration(&[1.0; 5], 10.0), 200.0);
        assert_eq!(exaggeration(&[0.02], 100.0), 100_000.0);
        assert_eq!(exaggeration(&[500.0], 10.0), 1.0);
        assert_eq!(exaggeration(&[1.0, 2.0, 3.0], 2.0 / 36.0), 1.0);
    }

    #[test]
    fn the_head_of_an_arrow_is_at_its_tip() {
        let Shape::Line(line) = arrow([0.0, 0.0], [30.0, 40.0], 1.0) else { panic!() };
        assert_eq!((line[0], line[1], line[3]), ([0.0, 0.0], [30.0, 40.0], [30.0, 40.0]));
        for barb in [line[2], line[4]] {
            let back = (barb[0] - 30.0).hypot(barb[1] - 40.0);
            assert!((back - 7.0 * 1.25f64.sqrt()).abs() < 1e-9, "{barb:?}");
            assert!(barb[0].hypot(barb[1]) < 50.0);
        }
    }
}
