//! Where everything goes: the frame with the layers, the legend beside it, scale bar and notes below, a title above.

use crate::PictureError;
use crate::bitmap;
use crate::canvas::{Canvas, Path, Pixels};
use crate::color::{CATEGORIES, Color, INK, NOTHING, PALE_INK, PAPER, ramp};
use crate::font::{outlines, width};
use crate::scene::{Layer, MOST_CATEGORIES, Marks, Paint, Ramp, Scene, Shape};

/// Size of letters.
const TEXT: f64 = 12.0;
const SMALL: f64 = 10.0;
const TITLE: f64 = 18.0;
/// Room around the frame: left and below for the numbers of the grid.
const LEFT: f64 = 56.0;
const EDGE: f64 = 14.0;
const LEGEND: f64 = 190.0;
/// From here on the points of a layer are drawn by how dense they are.
pub const MANY: usize = 20_000;

/// From the plane to pixels.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct View {
    /// West, south, east, north of the frame.
    pub window: [f64; 4],
    /// Upper left corner of the frame.
    pub corner: [f64; 2],
    /// Width and height of the frame.
    pub size: [f64; 2],
}

impl View {
    /// A frame that shows a window, widened along one axis so that lengths are alike along both.
    pub fn around(window: [f64; 4], corner: [f64; 2], size: [f64; 2]) -> Self {
        let [w, s, e, n] = window;
        let middle = [(w + e) / 2.0, (s + n) / 2.0];
        // A window of one place has a size all the same, and marks do not stand on its edge.
        let least = [w, s, e, n].into_iter().fold(0.0f64, |a, v| a.max(v.abs())) * 1e-9 + 1e-9;
        let wide = ((e - w) * 1.06).max(least);
        let high = ((n - s) * 1.06).max(least);
        let unit = (wide / size[0]).max(high / size[1]);
        let half = size.map(|v| v * unit / 2.0);
        let window = [middle[0] - half[0], middle[1] - half[1], middle[0] + half[0], middle[1] + half[1]];
        View { window, corner, size }
    }

    /// A frame around a place, by the units of the plane that a pixel is.
    fn around_exactly(middle: [f64; 2], unit: f64, size: [f64; 2]) -> Self {
        let half = size.map(|v| v * unit / 2.0);
        let window = [middle[0] - half[0], middle[1] - half[1], middle[0] + half[0], middle[1] + half[1]];
        View { window, corner: [0.0; 2], size }
    }

    /// Units of the plane that a pixel is.
    pub fn unit(&self) -> f64 {
        (self.window[2] - self.window[0]) / self.size[0]
    }

    /// The pixel of a position.
    pub fn pixel(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let unit = self.unit();
        [self.corner[0] + (x - self.window[0]) / unit, self.corner[1] + (self.window[3] - y) / unit]
    }
}

/// The frame that a scene has on so many pixels: who makes the lines of the grid has to know what is shown.
pub fn view(scene: &Scene, size: [f64; 2]) -> View {
    let top = if scene.title.is_some() { EDGE + TITLE + 12.0 } else { EDGE };
    let below = 40.0 + scene.notes.len() as f64 * (SMALL + 4.0);
    let frame = [(size[0] - LEFT - LEGEND - 2.0 * EDGE).max(40.0), (size[1] - top - below - EDGE).max(40.0)];
    View::around(scene.window, [LEFT, top], frame)
}

/// Draws a scene.
pub fn draw(scene: &Scene, size: [f64; 2], canvas: &mut dyn Canvas) {
    let view = view(scene, size);
    if let Some(title) = &scene.title {
        let title = shortened(title, TITLE, size[0] - LEFT - EDGE);
        text(canvas, &title, [LEFT, EDGE + TITLE - 2.0], TITLE, INK);
    }
    canvas.clip(Some((view.corner, view.size)));
    let mut taken = Taken::default();
    let (below, above): (Vec<&Layer>, Vec<&Layer>) =
        scene.layers.iter().partition(|l| matches!(l, Layer::Picture { .. }));
    let below_is_empty = below.is_empty();
    for layer in below {
        if let Layer::Picture { pixels, bounds, .. } = layer {
            let [x, y] = view.pixel([bounds[0], bounds[3]]);
            let [right, bottom] = view.pixel([bounds[2], bounds[1]]);
            canvas.picture(pixels, [x, y], [right - x, bottom - y]);
        }
    }
    grid_lines(scene, &view, canvas);
    for layer in above {
        if let Layer::Marks(marks) = layer {
            draw_marks(marks, &view, !below_is_empty, canvas);
        }
    }
    for layer in &scene.layers {
        if let Layer::Marks(marks) = layer {
            labels(marks, &view, canvas, &mut taken);
        }
    }
    canvas.clip(None);
    canvas.stroke(&Path::rectangle(view.corner, view.size), 1.0, INK);
    grid_labels(scene, &view, canvas);
    legend(scene, &view, canvas);
    let bottom = view.corner[1] + view.size[1];
    if let Some(metres) = scene.metres_per_unit {
        scale_bar(metres * view.unit(), scene.in_feet, [LEFT, bottom + 32.0], view.size[0] / 4.0, canvas);
    }
    if scene.north_deg.abs() > 0.5 {
        north_arrow(scene.north_deg, [view.corner[0] + view.size[0] - 26.0, view.corner[1] + 30.0], canvas);
    }
    for (i, note) in scene.notes.iter().enumerate() {
        let y = bottom + 46.0 + (i as f64 + 0.6) * (SMALL + 4.0);
        text(canvas, &shortened(note, SMALL, size[0] - LEFT - EDGE), [LEFT, y], SMALL, PALE_INK);
    }
}

pub(crate) fn text(canvas: &mut dyn Canvas, words: &str, at: [f64; 2], size: f64, color: Color) {
    canvas.fill(&outlines(words, at, size), color);
}

/// A text that fits into a width, cut with a sign that it was.
pub(crate) fn shortened(words: &str, size: f64, room: f64) -> String {
    if width(words, size) <= room {
        return words.to_string();
    }
    let mut cut = String::new();
    for c in words.chars() {
        if width(&format!("{cut}{c}…"), size) > room {
            break;
        }
        cut.push(c);
    }
    cut.trim_end().to_string() + "…"
}

fn grid_lines(scene: &Scene, view: &View, canvas: &mut dyn Canvas) {
    for line in &scene.grid {
        let points: Vec<[f64; 2]> = line.points.iter().map(|p| view.pixel(*p)).collect();
        canvas.stroke(&Path::line(&points), 0.6, INK.covering(0.25));
    }
}

/// Where a line first meets an edge of the frame, which lies along an axis at a pixel.
fn meets(points: &[[f64; 2]], axis: usize, at: f64, within: [f64; 2]) -> Option<f64> {
    points.windows(2).find_map(|p| {
        let (a, b) = (p[0][axis] - at, p[1][axis] - at);
        if a == b || a * b > 0.0 {
            return None;
        }
        let other = 1 - axis;
        let there = p[0][other] + (p[1][other] - p[0][other]) * a / (a - b);
        (within[0]..=within[1]).contains(&there).then_some(there)
    })
}

fn grid_labels(scene: &Scene, view: &View, canvas: &mut dyn Canvas) {
    let ([left, top], [wide, high]) = (view.corner, view.size);
    let mut taken = Taken::default();
    for line in &scene.grid {
        let points: Vec<[f64; 2]> = line.points.iter().map(|p| view.pixel(*p)).collect();
        let long = width(&line.label, SMALL);
        let place = if line.is_upright {
            meets(&points, 1, top + high - 0.01, [left, left + wide])
                .map(|x| [x - long / 2.0, top + high + SMALL + 4.0])
        } else {
            meets(&points, 0, left + 0.01, [top, top + high]).map(|y| [left - long - 5.0, y + SMALL * 0.35])
        };
        // One that ends inside of the frame says its number at its end.
        let place = place.or_else(|| {
            let ends = [points.first()?, points.last()?];
            if line.is_upright {
                let [x, y] = ends.into_iter().max_by(|a, b| a[1].total_cmp(&b[1]))?;
                Some([x - long / 2.0, y + SMALL + 4.0])
            } else {
                let [x, y] = ends.into_iter().min_by(|a, b| a[0].total_cmp(&b[0]))?;
                Some([x - long - 5.0, y + SMALL * 0.35])
            }
        });
        let inside =
            |[x, y]: &[f64; 2]| *x >= 0.0 && *y >= top && *x + long <= left + wide + EDGE && *y <= top + high + 20.0;
        if let Some([x, y]) = place.filter(inside)
            && taken.take([x - 4.0, y - SMALL, x + long + 4.0, y + 2.0])
        {
            text(canvas, &line.label, [x, y], SMALL, PALE_INK);
        }
    }
}

fn draw_marks(marks: &Marks, view: &View, is_over_picture: bool, canvas: &mut dyn Canvas) {
    // What lies over a picture must not hide it.
    let fill = if is_over_picture { 0.12 } else { 0.35 };
    let points = marks.shapes.iter().filter(|s| matches!(s, Shape::Point(_))).count();
    if points > MANY {
        density(marks, view, canvas);
    }
    let radius = if points > 2000 {
        1.8
    } else if points > 300 {
        2.8
    } else {
        4.0
    };
    let pixels = |list: &[[f64; 2]]| list.iter().map(|p| view.pixel(*p)).collect::<Vec<_>>();
    // Areas lie below lines, and lines below points.
    for (i, shape) in marks.shapes.iter().enumerate() {
        if let Shape::Polygon(rings) = shape {
            let rings: Vec<Vec<[f64; 2]>> = rings.iter().map(|r| pixels(r)).collect();
            let path = Path::rings(rings.iter().map(Vec::as_slice));
            canvas.fill(&path, marks.paint.color(i).covering(fill));
            canvas.stroke(&path, 1.2, marks.paint.color(i));
        }
    }
    for (i, shape) in marks.shapes.iter().enumerate() {
        if let Shape::Line(line) = shape {
            canvas.stroke(&Path::line(&pixels(line)), 1.6, marks.paint.color(i));
        }
    }
    if points > MANY {
        return;
    }
    for (i, shape) in marks.shapes.iter().enumerate() {
        if let Shape::Point(p) = shape {
            let mark = Path::circle(view.pixel(*p), radius);
            canvas.fill(&mark, marks.paint.color(i));
            if radius > 2.0 {
                canvas.stroke(&mark, 0.9, PAPER);
            }
        }
    }
}

/// Many points: how many there are at a pixel, from pale to dark in the colour of the layer, or the mean of their colours
/// where these say something.
fn density(marks: &Marks, view: &View, canvas: &mut dyn Canvas) {
    let [columns, rows] = view.size.map(|v| v.ceil().max(1.0) as usize);
    let mut counts = vec![0u32; columns * rows];
    let mut sums = vec![[0u32; 3]; columns * rows];
    for (i, shape) in marks.shapes.iter().enumerate() {
        let Shape::Point(p) = shape else { continue };
        let [x, y] = view.pixel(*p);
        let (x, y) = ((x - view.corner[0]).floor(), (y - view.corner[1]).floor());
        if !(x >= 0.0 && y >= 0.0 && x < columns as f64 && y < rows as f64) {
            continue;
        }
        let at = y as usize * columns + x as usize;
        counts[at] += 1;
        let color = marks.paint.color(i).0;
        sums[at].iter_mut().zip(color).for_each(|(sum, v)| *sum += u32::from(v));
    }
    let most = f64::from(counts.iter().copied().max().unwrap_or(1).max(1));
    let color = |(count, sum): (&u32, &[u32; 3])| {
        if *count == 0 {
            return Color([0, 0, 0, 0]);
        }
        let [r, g, b] = sum.map(|v| (v / count) as u8);
        let share = if most > 1.0 { f64::from(*count).ln() / most.ln() } else { 1.0 };
        Color::rgb(r, g, b).covering(0.3 + 0.7 * share)
    };
    let colors = counts.iter().zip(&sums).map(color).collect();
    canvas.picture(&Pixels { size: [columns, rows], colors }, view.corner, [columns as f64, rows as f64]);
}

/// The marks of a layer as a picture that lets through what is below, of at most so many pixels; with the bounds it lies in.
///
/// # Errors
/// As for other pictures.
pub(crate) fn picture_of(marks: &Marks, window: [f64; 4], most: [f64; 2]) -> Result<(Pixels, [f64; 4]), PictureError> {
    let view = View::around(window, [0.0, 0.0], most);
    // Only the pixels of the window itself: what is around it is empty.
    let [w, s, e, n] = window;
    let size = [(e - w), (n - s)].map(|v| (v / view.unit()).ceil().clamp(64.0, 20_000.0) + 4.0);
    let view = View::around_exactly([(w + e) / 2.0, (s + n) / 2.0], view.unit(), size);
    let mut canvas = bitmap::Bitmap::clear(size.map(|v| v as u32))?;
    draw_marks(marks, &view, true, &mut canvas);
    Ok((canvas.into_pixels(), view.window))
}

/// Rectangles in which something stands.
#[derive(Default)]
struct Taken(Vec<[f64; 4]>);

impl Taken {
    /// Takes a rectangle (left, top, right, bottom), unless it overlaps one that is taken.
    fn take(&mut self, new: [f64; 4]) -> bool {
        let overlaps = |old: &[f64; 4]| new[0] < old[2] && old[0] < new[2] && new[1] < old[3] && old[1] < new[3];
        let free = !self.0.iter().any(overlaps);
        if free {
            self.0.push(new);
        }
        free
    }
}

/// Labels that overlap nothing: beside points, along lines, inside of areas; those without room are left out.
fn labels(marks: &Marks, view: &View, canvas: &mut dyn Canvas, taken: &mut Taken) {
    for (shape, label) in marks.shapes.iter().zip(&marks.labels) {
        let Some(label) = label else { continue };
        let long = width(label, SMALL);
        let places = match shape {
            Shape::Point(p) => beside(view.pixel(*p), long),
            Shape::Line(line) => along(&line.iter().map(|p| view.pixel(*p)).collect::<Vec<_>>(), long),
            Shape::Polygon(rings) => {
                let middle = inside(rings).map(|p| view.pixel(p));
                middle.map(|[x, y]| Place { at: [x - long / 2.0, y + SMALL * 0.35], turn: 0.0 }).into_iter().collect()
            }
        };
        let free = places.into_iter().find(|place| {
            let [w, n, e, s] = place.around(long);
            let [left, top] = view.corner;
            let is_inside = w >= left && e <= left + view.size[0] && n >= top && s <= top + view.size[1];
            is_inside && taken.take([w, n, e, s])
        });
        if let Some(Place { at, turn }) = free {
            let path = outlines(label, at, SMALL).turned(turn, at);
            canvas.stroke(&path, 2.4, PAPER.covering(0.85));
            canvas.fill(&path, INK);
        }
    }
}

/// Where a label begins, and how it is turned: radians clockwise.
struct Place {
    at: [f64; 2],
    turn: f64,
}

impl Place {
    /// The rectangle (left, top, right, bottom) around a label of a width.
    fn around(&self, long: f64) -> [f64; 4] {
        let (sin, cos) = self.turn.sin_cos();
        let corner = |u: f64, v: f64| [self.at[0] + u * cos - v * sin, self.at[1] + u * sin + v * cos];
        let corners = [corner(-1.0, 2.0), corner(long + 1.0, 2.0), corner(-1.0, -SMALL), corner(long + 1.0, -SMALL)];
        let bounds = corners.map(|[x, y]| [x, y, x, y]);
        bounds.into_iter().reduce(crate::scene::united).unwrap_or_default()
    }
}

/// On the right of a point, else on its left, above, below.
fn beside([x, y]: [f64; 2], long: f64) -> Vec<Place> {
    let (away, high) = (7.0, SMALL);
    let places = [
        [x + away, y + high * 0.35],
        [x - away - long, y + high * 0.35],
        [x - long / 2.0, y - away],
        [x - long / 2.0, y + away + high * 0.8],
    ];
    places.map(|at| Place { at, turn: 0.0 }).into()
}

/// In a line, where it is straight enough for a text to be read, never upside down.
fn along(line: &[[f64; 2]], long: f64) -> Vec<Place> {
    let mut lengths = vec![0.0];
    for pair in line.windows(2) {
        let step = (pair[1][0] - pair[0][0]).hypot(pair[1][1] - pair[0][1]);
        lengths.push(lengths.last().copied().unwrap_or(0.0) + step);
    }
    let whole = lengths.last().copied().unwrap_or(0.0);
    let there = |length: f64| -> Option<[f64; 2]> {
        let i = lengths.partition_point(|l| *l < length).clamp(1, line.len().checked_sub(1)?);
        let (a, b) = (line[i - 1], line[i]);
        let t = (length - lengths[i - 1]) / (lengths[i] - lengths[i - 1]).max(f64::MIN_POSITIVE);
        Some([a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t])
    };
    let shares = [0.5, 0.4, 0.6, 0.3, 0.7, 0.2, 0.8, 0.1, 0.9];
    let place = |share: f64| {
        let middle = whole * share;
        if middle < long * 0.6 || middle + long * 0.6 > whole {
            return None;
        }
        let (mut a, mut b) = (there(middle - long / 2.0)?, there(middle + long / 2.0)?);
        if a[0] > b[0] {
            (a, b) = (b, a);
        }
        let turn = (b[1] - a[1]).atan2(b[0] - a[0]);
        let is_straight = (b[0] - a[0]).hypot(b[1] - a[1]) > long * 0.94;
        // The foot of the letters stands below the line, so that it runs through their middle.
        let below = SMALL * 0.35;
        let at = [a[0] - below * turn.sin(), a[1] + below * turn.cos()];
        is_straight.then_some(Place { at, turn })
    };
    shares.into_iter().filter_map(place).collect()
}

/// A place inside of rings: the middle of the widest part of a level line through them.
fn inside(rings: &[Vec<[f64; 2]>]) -> Option<[f64; 2]> {
    let points = || rings.iter().flatten();
    let (low, high) = points().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), p| (a.min(p[1]), b.max(p[1])));
    [0.5, 0.4, 0.6, 0.3, 0.7].into_iter().find_map(|share| {
        // Off any corner that stands exactly there.
        let y = low + (high - low) * (share + 1e-4);
        let mut crossings: Vec<f64> = rings
            .iter()
            .flat_map(|ring| ring.windows(2))
            .filter_map(|pair| {
                let [a, b] = pair else { return None };
                let crosses = (a[1] > y) != (b[1] > y);
                crosses.then(|| a[0] + (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]))
            })
            .collect();
        crossings.sort_by(f64::total_cmp);
        let widest = crossings.chunks_exact(2).max_by(|p, q| (p[1] - p[0]).total_cmp(&(q[1] - q[0])))?;
        Some([(widest[0] + widest[1]) / 2.0, y])
    })
}

fn legend(scene: &Scene, view: &View, canvas: &mut dyn Canvas) {
    let x = view.corner[0] + view.size[0] + EDGE;
    let mut y = view.corner[1] + TEXT;
    let bottom = view.corner[1] + view.size[1];
    let room = LEGEND - 26.0;
    for layer in scene.layers.iter().rev() {
        if y > bottom {
            break;
        }
        match layer {
            Layer::Marks(marks) => {
                let form = marks.shapes.first();
                match &marks.paint {
                    Paint::Plain(_) => {
                        sign(canvas, form, [x, y], marks.paint.color(0));
                        text(canvas, &shortened(&marks.name, TEXT, room), [x + 22.0, y], TEXT, INK);
                        y += TEXT + 8.0;
                    }
                    Paint::Categories { title, names, of } => {
                        text(
                            canvas,
                            &shortened(&format!("{}: {title}", marks.name), TEXT, LEGEND - EDGE),
                            [x, y],
                            TEXT,
                            INK,
                        );
                        y += TEXT + 6.0;
                        let shown = names.iter().take(MOST_CATEGORIES).zip(CATEGORIES);
                        let others = names.len() > MOST_CATEGORIES || of.iter().any(Option::is_none);
                        let rest = others.then_some(("others, or none".to_string(), NOTHING));
                        for (name, color) in shown.map(|(n, c)| (n.clone(), c)).chain(rest) {
                            sign(canvas, form, [x, y], color);
                            text(canvas, &shortened(&name, SMALL, room), [x + 22.0, y], SMALL, INK);
                            y += SMALL + 6.0;
                        }
                        y += 6.0;
                    }
                    Paint::Numbers { ramp, .. } => {
                        y = ramp_sign(canvas, &format!("{}: {}", marks.name, ramp.title), ramp, [x, y])
                    }
                }
            }
            Layer::Picture { name, legend: Some(ramp), .. } => {
                y = ramp_sign(canvas, &format!("{name}: {}", ramp.title), ramp, [x, y]);
            }
            Layer::Picture { name, .. } => {
                text(canvas, &shortened(name, TEXT, LEGEND - EDGE), [x, y], TEXT, INK);
                y += TEXT + 8.0;
            }
        }
    }
}

/// What a mark of a layer looks like.
fn sign(canvas: &mut dyn Canvas, form: Option<&Shape>, [x, y]: [f64; 2], color: Color) {
    let middle = y - TEXT * 0.33;
    match form {
        Some(Shape::Polygon(_)) => {
            let path = Path::rectangle([x, middle - 5.0], [15.0, 10.0]);
            canvas.fill(&path, color.covering(0.35));
            canvas.stroke(&path, 1.2, color);
        }
        Some(Shape::Line(_)) => canvas.stroke(&Path::line(&[[x, middle], [x + 15.0, middle]]), 2.0, color),
        _ => canvas.fill(&Path::circle([x + 7.5, middle], 4.0), color),
    }
}

/// A range of colours with its ends; gives where the next entry goes.
fn ramp_sign(canvas: &mut dyn Canvas, title: &str, of: &Ramp, [x, y]: [f64; 2]) -> f64 {
    const STEPS: usize = 60;
    text(canvas, &shortened(title, TEXT, LEGEND - EDGE), [x, y], TEXT, INK);
    let wide = LEGEND - 40.0;
    let top = y + 6.0;
    let colors = (0..STEPS).map(|i| ramp((i as f64 + 0.5) / STEPS as f64)).collect();
    canvas.picture(&Pixels { size: [STEPS, 1], colors }, [x, top], [wide, 10.0]);
    canvas.stroke(&Path::rectangle([x, top], [wide, 10.0]), 0.6, PALE_INK);
    let [low, high] = of.range.map(short);
    text(canvas, &low, [x, top + 22.0], SMALL, INK);
    text(canvas, &high, [x + wide - width(&high, SMALL), top + 22.0], SMALL, INK);
    top + 40.0
}

/// A number with the digits that a legend needs.
pub(crate) fn short(v: f64) -> String {
    let digits = if v.abs() >= 1000.0 {
        0
    } else if v.abs() >= 10.0 {
        1
    } else {
        2
    };
    let text = format!("{v:.digits$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_string() } else { text }
}

/// A bar of a round length, with its middle.
fn scale_bar(metres_per_pixel: f64, in_feet: bool, [x, y]: [f64; 2], longest: f64, canvas: &mut dyn Canvas) {
    let per_pixel = if in_feet { metres_per_pixel / 0.3048 } else { metres_per_pixel };
    let most = per_pixel * longest;
    if !(most > 0.0 && most.is_finite()) {
        return;
    }
    let power = 10f64.powi(most.log10().floor() as i32);
    let length = [5.0, 2.0, 1.0].into_iter().map(|n| n * power).find(|l| *l <= most).unwrap_or(power);
    let wide = length / per_pixel;
    let half = |from: f64| Path::rectangle([x + from, y], [wide / 2.0, 5.0]);
    canvas.fill(&half(0.0), INK);
    canvas.fill(&half(wide / 2.0), PAPER);
    canvas.stroke(&Path::rectangle([x, y], [wide, 5.0]), 0.8, INK);
    let words = match (in_feet, length) {
        (true, l) if l >= 5280.0 * 2.0 => format!("{} ft ({} miles)", short(l), short(l / 5280.0)),
        (true, l) => format!("{} ft", short(l)),
        (false, l) if l >= 1000.0 => format!("{} km", short(l / 1000.0)),
        (false, l) => format!("{} m", short(l)),
    };
    text(canvas, &words, [x + wide + 6.0, y + 6.0], SMALL, INK);
}

/// An arrow to the north.
fn north_arrow(north_deg: f64, [x, y]: [f64; 2], canvas: &mut dyn Canvas) {
    let (sin, cos) = north_deg.to_radians().sin_cos();
    let at = |along: f64, aside: f64| [x + along * sin + aside * cos, y - along * cos + aside * sin];
    canvas.fill(&Path::circle([x, y], 21.0), PAPER.covering(0.8));
    canvas.fill(&Path::rings([&[at(16.0, 0.0), at(-10.0, 7.0), at(-5.0, 0.0), at(-10.0, -7.0)][..]]), INK);
    let letter = at(-14.0, 0.0);
    text(canvas, "N", [letter[0] - width("N", SMALL) / 2.0, letter[1] + SMALL * 0.35], SMALL, INK);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_frame_shows_the_window_with_equal_lengths_along_both_axes() {
        let view = View::around([0.0, 0.0, 100.0, 10.0], [50.0, 20.0], [400.0, 300.0]);
        assert!((view.unit() - 106.0 / 400.0).abs() < 1e-12);
        let ([x, y], [u, v]) = (view.pixel([0.0, 0.0]), view.pixel([100.0, 10.0]));
        assert!(((u - x) / 100.0 - (y - v) / 10.0).abs() < 1e-9, "a unit is as long along both");
        let middle = view.pixel([50.0, 5.0]);
        assert!((middle[0] - 250.0).abs() < 1e-9 && (middle[1] - 170.0).abs() < 1e-9);
        let one = View::around([7.0, 8.0, 7.0, 8.0], [0.0, 0.0], [100.0, 100.0]);
        assert!(one.unit() > 0.0 && one.pixel([7.0, 8.0]) == [50.0, 50.0]);
    }

    #[test]
    fn labels_overlap_nothing() {
        let mut taken = Taken::default();
        assert!(taken.take([0.0, 0.0, 10.0, 10.0]) && taken.take([10.0, 0.0, 20.0, 10.0]));
        assert!(!taken.take([5.0, 5.0, 8.0, 8.0]) && !taken.take([-5.0, -5.0, 30.0, 30.0]));
    }

    #[test]
    fn labels_lie_in_their_lines_and_areas() {
        // A line to the left and down is read from left to right all the same.
        let places = along(&[[100.0, 0.0], [0.0, 100.0]], 40.0);
        let first = &places[0];
        assert!((first.turn + std::f64::consts::FRAC_PI_4).abs() < 1e-9);
        assert!((first.at[0] - (50.0 - 20.0 / 2f64.sqrt())).abs() < SMALL, "{:?}", first.at);
        assert!(along(&[[0.0, 0.0], [30.0, 0.0]], 40.0).is_empty(), "too short");
        let zigzag: Vec<[f64; 2]> = (0..40).map(|i| [f64::from(i), f64::from(i % 2 * 20)]).collect();
        assert!(along(&zigzag, 40.0).is_empty(), "too crooked");
        assert!(along(&[], 40.0).is_empty() && along(&[[1.0, 1.0]], 40.0).is_empty());
        // The middle of the box around a horseshoe is outside of it.
        let shoe = vec![
            [0.0, 0.0],
            [30.0, 0.0],
            [30.0, 30.0],
            [20.0, 30.0],
            [20.0, 10.0],
            [10.0, 10.0],
            [10.0, 30.0],
            [0.0, 30.0],
            [0.0, 0.0],
        ];
        let [x, y] = inside(&[shoe]).unwrap();
        assert!((y - 15.0).abs() < 0.1 && ((0.0..10.0).contains(&x) || (20.0..30.0).contains(&x)), "{x} {y}");
        assert_eq!(inside(&[vec![[1.0, 1.0]; 4]]), None);
    }

    #[test]
    fn texts_are_cut_where_there_is_no_room() {
        assert_eq!(shortened("Tern Estuary", 12.0, 500.0), "Tern Estuary");
        let cut = shortened("Ternport Levee District", 12.0, 80.0);
        assert!(cut.ends_with('…') && width(&cut, 12.0) <= 80.0 && cut.len() > 6, "{cut}");
    }

    #[test]
    fn a_grid_line_says_its_number_where_it_leaves_the_frame() {
        let line = [[10.0, 0.0], [20.0, 50.0], [30.0, 120.0]];
        assert_eq!(meets(&line, 1, 50.0, [0.0, 100.0]), Some(20.0));
        assert_eq!(meets(&line, 1, 85.0, [0.0, 100.0]), Some(25.0));
        assert_eq!(meets(&line, 1, 200.0, [0.0, 100.0]), None);
        assert_eq!(meets(&line, 1, 50.0, [0.0, 10.0]), None, "beside the frame");
    }

    #[test]
    fn numbers_of_a_legend_are_short() {
        for (v, words) in [(0.0, "0"), (2.7512, "2.75"), (12.0, "12"), (1234.5, "1234"), (-0.5, "-0.5"), (100.0, "100")]
        {
            assert_eq!(short(v), words);
        }
    }
}
