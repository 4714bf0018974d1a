//! Charts: lines over a distance, and bars of how often something is found.

use crate::canvas::{Canvas, Path};
use crate::color::{CATEGORIES, INK, PALE_INK, PAPER};
use crate::font::width;
use crate::map::{shortened, text};
use crate::round;

const TEXT: f64 = 12.0;
const SMALL: f64 = 10.0;
const TITLE: f64 = 18.0;
const LEFT: f64 = 66.0;
const EDGE: f64 = 14.0;

/// A chart that is to be drawn.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Chart {
    /// A heading.
    pub title: Option<String>,
    /// Lines below: where the data comes from.
    pub notes: Vec<String>,
    /// What stands below the frame, and what on its left.
    pub axes: [String; 2],
    /// What is drawn.
    pub content: Content,
}

/// What a chart shows.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Content {
    /// Lines, each in a colour of its own.
    Lines(Vec<Series>),
    /// Bars that stand side by side on a zero line: where each begins and ends, and how high it is.
    Bars(Vec<[f64; 3]>),
}

/// A line of a chart.
#[derive(Debug, Clone, PartialEq)]
pub struct Series {
    /// What it is called.
    pub name: String,
    /// Its parts: between two of them nothing is known.
    pub parts: Vec<Vec<[f64; 2]>>,
}

impl Default for Content {
    fn default() -> Self {
        Content::Lines(Vec::new())
    }
}

impl Content {
    /// Lowest and highest along both axes.
    fn range(&self) -> [[f64; 2]; 2] {
        let none = [f64::INFINITY, f64::NEG_INFINITY];
        let wider = |r: [f64; 2], v: f64| [r[0].min(v), r[1].max(v)];
        let points: Vec<[f64; 2]> = match self {
            Content::Lines(list) => list.iter().flat_map(|s| s.parts.iter().flatten()).copied().collect(),
            Content::Bars(bars) => bars.iter().flat_map(|[a, b, high]| [[*a, 0.0], [*b, *high]]).collect(),
        };
        let range = |axis: usize| points.iter().map(|p| p[axis]).filter(|v| v.is_finite()).fold(none, wider);
        [range(0), range(1)].map(|[low, high]| if high > low { [low, high] } else { around(low, high) })
    }
}

/// A range around one number, or around nothing.
fn around(low: f64, high: f64) -> [f64; 2] {
    if low == high { [low - 0.5, high + 0.5] } else { [0.0, 1.0] }
}

/// Draws a chart into a rectangle.
pub(crate) fn draw_in(chart: &Chart, [left, top]: [f64; 2], size: [f64; 2], canvas: &mut dyn Canvas) {
    let above = if chart.title.is_some() { EDGE + TITLE + 12.0 } else { EDGE } + TEXT + 4.0;
    let below = 44.0 + chart.notes.len() as f64 * (SMALL + 4.0);
    let corner = [left + LEFT, top + above];
    let frame = [(size[0] - LEFT - EDGE).max(40.0), (size[1] - above - below).max(30.0)];
    if let Some(title) = &chart.title {
        text(canvas, &shortened(title, TITLE, frame[0]), [corner[0], top + EDGE + TITLE - 2.0], TITLE, INK);
    }
    let [along, high] = chart.content.range();
    // Lines stand free of the frame; bars stand on it.
    let room = (high[1] - high[0]) * 0.08;
    let high = match chart.content {
        Content::Lines(_) => [high[0] - room, high[1] + room],
        Content::Bars(_) => [0.0, high[1] + room],
    };
    let pixel = |[x, y]: [f64; 2]| {
        let u = corner[0] + (x - along[0]) / (along[1] - along[0]) * frame[0];
        [u, corner[1] + (high[1] - y) / (high[1] - high[0]) * frame[1]]
    };
    let bottom = corner[1] + frame[1];
    let step = round::step(along[1] - along[0], (frame[0] / 90.0).max(2.0));
    for x in round::multiples(step, along[0], along[1]) {
        let [u, _] = pixel([x, high[0]]);
        canvas.stroke(&Path::line(&[[u, corner[1]], [u, bottom]]), 0.6, INK.covering(0.18));
        let words = format!("{x:.0$}", round::digits(step));
        text(canvas, &words, [u - width(&words, SMALL) / 2.0, bottom + SMALL + 4.0], SMALL, PALE_INK);
    }
    let step = round::step(high[1] - high[0], (frame[1] / 40.0).max(2.0));
    for y in round::multiples(step, high[0], high[1]) {
        let [_, v] = pixel([along[0], y]);
        canvas.stroke(&Path::line(&[[corner[0], v], [corner[0] + frame[0], v]]), 0.6, INK.covering(0.18));
        let words = format!("{y:.0$}", round::digits(step));
        text(canvas, &words, [corner[0] - width(&words, SMALL) - 5.0, v + SMALL * 0.35], SMALL, PALE_INK);
    }
    match &chart.content {
        Content::Bars(bars) => {
            for [a, b, count] in bars {
                let ([u, v], [right, foot]) = (pixel([*a, *count]), pixel([*b, 0.0]));
                let bar = Path::rectangle([u + 0.5, v], [(right - u - 1.0).max(0.5), foot - v]);
                canvas.fill(&bar, CATEGORIES[0]);
            }
        }
        Content::Lines(list) => lines(list, corner, &pixel, canvas),
    }
    canvas.stroke(&Path::rectangle(corner, frame), 1.0, INK);
    let [below, beside] = &chart.axes;
    let wide = width(below, TEXT);
    text(canvas, below, [corner[0] + frame[0] - wide, bottom + SMALL + TEXT + 10.0], TEXT, INK);
    text(canvas, &shortened(beside, TEXT, frame[0]), [left + EDGE, corner[1] - 6.0], TEXT, INK);
    for (i, note) in chart.notes.iter().enumerate() {
        let y = bottom + 46.0 + (i as f64 + 0.4) * (SMALL + 4.0);
        text(canvas, &shortened(note, SMALL, size[0] - LEFT - EDGE), [left + LEFT, y], SMALL, PALE_INK);
    }
}

fn lines(list: &[Series], corner: [f64; 2], pixel: &dyn Fn([f64; 2]) -> [f64; 2], canvas: &mut dyn Canvas) {
    for (series, color) in list.iter().zip(CATEGORIES) {
        for part in &series.parts {
            let points: Vec<[f64; 2]> = part.iter().map(|p| pixel(*p)).collect();
            match points[..] {
                [one] => canvas.fill(&Path::circle(one, 2.0), color),
                _ => canvas.stroke(&Path::line(&points), 1.8, color),
            }
        }
    }
    for (i, (series, color)) in list.iter().zip(CATEGORIES).enumerate() {
        let [x, y] = [corner[0] + 12.0, corner[1] + 18.0 + i as f64 * (TEXT + 5.0)];
        let name = shortened(&series.name, TEXT, 260.0);
        let paper = Path::rectangle([x - 6.0, y - TEXT - 1.0], [width(&name, TEXT) + 38.0, TEXT + 5.0]);
        canvas.fill(&paper, PAPER.covering(0.8));
        canvas.stroke(&Path::line(&[[x, y - 4.0], [x + 18.0, y - 4.0]]), 2.2, color);
        text(canvas, &name, [x + 24.0, y], TEXT, INK);
    }
}

/// Bars of how often numbers are found, side by side over their range, at most so many; empty without numbers.
///
/// ```
/// let bars = basilocus_draw::chart::histogram(&[0.0, 0.1, 0.2, 3.9], 4);
/// assert_eq!(bars, [[0.0, 1.0, 3.0], [1.0, 2.0, 0.0], [2.0, 3.0, 0.0], [3.0, 4.0, 1.0]]);
/// ```
pub fn histogram(numbers: &[f64], most: usize) -> Vec<[f64; 3]> {
    let known = || numbers.iter().copied().filter(|v| v.is_finite());
    let (low, high) = (known().fold(f64::INFINITY, f64::min), known().fold(f64::NEG_INFINITY, f64::max));
    if !(low <= high) {
        return Vec::new();
    }
    let step = round::step((high - low).max(low.abs().max(high.abs()) * 1e-12), most.max(1) as f64);
    let first = (low / step).floor();
    let place = |v: f64| ((v / step).floor() - first) as usize;
    let mut counts = vec![0u64; place(high) + 1];
    known().for_each(|v| counts[place(v)] += 1);
    let bar = |(i, n): (usize, &u64)| [(first + i as f64) * step, (first + i as f64 + 1.0) * step, *n as f64];
    counts.iter().enumerate().map(bar).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::vector::Vector;

    #[test]
    fn every_number_is_in_a_bar() {
        let numbers: Vec<f64> = (0..1000).map(|i| (f64::from(i) * 0.737).sin() * 12.3).collect();
        let bars = histogram(&numbers, 30);
        assert!(bars.len() <= 31 && bars.iter().map(|b| b[2]).sum::<f64>() == 1000.0);
        for [a, b, n] in bars {
            let within = numbers.iter().filter(|v| (a..b).contains(*v)).count() as f64;
            // A number that stands on a border may be counted on its other side by the last bit.
            assert!((within - n).abs() <= 1.0, "{a} to {b}: {within} and {n}");
        }
        assert_eq!(histogram(&[f64::NAN], 10), Vec::<[f64; 3]>::new());
        assert_eq!(histogram(&[7.0; 5], 10).iter().map(|b| b[2]).sum::<f64>(), 5.0);
        assert_eq!(histogram(&[0.0; 5], 10).len(), 1);
    }

    #[test]
    fn a_gap_of_a_line_is_not_bridged() {
        let part = |from: f64| vec![[from, 1.0], [from + 10.0, 2.0]];
        let series = Series { name: "crest".into(), parts: vec![part(0.0), part(50.0)] };
        let chart = Chart {
            title: Some("Levee".into()),
            axes: ["distance, m".into(), "height, m".into()],
            content: Content::Lines(vec![series]),
            ..Default::default()
        };
        let mut canvas = Vector::new([600, 300]);
        draw_in(&chart, [0.0, 0.0], [600.0, 300.0], &mut canvas);
        let svg = canvas.into_svg();
        let lines: Vec<&str> = svg.lines().filter(|l| l.contains("stroke-width=\"1.8\"")).collect();
        assert_eq!(lines.len(), 2, "{lines:?}");
        // The first part begins at the left of the frame, the second ends at its right.
        assert!(lines[0].contains(&format!("d=\"M{LEFT} ")) && lines[1].contains("L586 "), "{lines:?}");
    }
}
