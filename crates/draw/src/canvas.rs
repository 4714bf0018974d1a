//! What a painter can do. Pixels are counted from the upper left corner, x to the right and y down.

use crate::color::Color;

/// A path of straight and curved parts.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Path(pub Vec<Part>);

/// A part of a path.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Part {
    /// Begins at a place.
    Move([f64; 2]),
    /// A straight line.
    Line([f64; 2]),
    /// A curve with one place that draws it.
    Curve([f64; 2], [f64; 2]),
    /// Back to the beginning.
    Close,
}

impl Path {
    /// A line through places.
    pub fn line(points: &[[f64; 2]]) -> Self {
        let part = |(i, p): (usize, &[f64; 2])| if i == 0 { Part::Move(*p) } else { Part::Line(*p) };
        Path(points.iter().enumerate().map(part).collect())
    }

    /// Rings, the first around what is inside and the others around holes.
    pub fn rings<'a>(rings: impl IntoIterator<Item = &'a [[f64; 2]]>) -> Self {
        let mut path = Path::default();
        for ring in rings {
            path.0.extend(Path::line(ring).0);
            path.0.push(Part::Close);
        }
        path
    }

    /// A rectangle.
    pub fn rectangle([x, y]: [f64; 2], [width, height]: [f64; 2]) -> Self {
        Path::rings([&[[x, y], [x + width, y], [x + width, y + height], [x, y + height]][..]])
    }

    /// The path turned about a place, radians clockwise.
    pub fn turned(mut self, by: f64, [x, y]: [f64; 2]) -> Self {
        let (sin, cos) = by.sin_cos();
        let turn = |p: &mut [f64; 2]| {
            let (u, v) = (p[0] - x, p[1] - y);
            *p = [x + u * cos - v * sin, y + u * sin + v * cos];
        };
        for part in &mut self.0 {
            match part {
                Part::Move(p) | Part::Line(p) => turn(p),
                Part::Curve(c, p) => [c, p].into_iter().for_each(turn),
                Part::Close => {}
            }
        }
        self
    }

    /// A circle, of eight curves.
    pub fn circle([x, y]: [f64; 2], radius: f64) -> Self {
        let at = |eighths: f64, r: f64| {
            let (sin, cos) = (eighths * std::f64::consts::FRAC_PI_4).sin_cos();
            [x + r * cos, y + r * sin]
        };
        // The place that draws an eighth stands where the tangents of its ends meet.
        let outer = radius / std::f64::consts::FRAC_PI_8.cos();
        let mut path = Path(vec![Part::Move(at(0.0, radius))]);
        path.0.extend((0..8).map(|i| Part::Curve(at(f64::from(i) + 0.5, outer), at(f64::from(i) + 1.0, radius))));
        path.0.push(Part::Close);
        path
    }
}

/// Pixels of a picture that is put into another one.
#[derive(Debug, Clone, PartialEq)]
pub struct Pixels {
    /// Columns and rows.
    pub size: [usize; 2],
    /// Row by row from the top.
    pub colors: Vec<Color>,
}

/// What a painter can do.
pub trait Canvas {
    /// Fills what is inside of a path; where rings overlap an even number of times nothing is.
    fn fill(&mut self, path: &Path, color: Color);

    /// Draws along a path.
    fn stroke(&mut self, path: &Path, width: f64, color: Color);

    /// Puts a picture into a rectangle: its corner and size.
    fn picture(&mut self, pixels: &Pixels, corner: [f64; 2], size: [f64; 2]);

    /// From here on only what lies inside of a rectangle is drawn; `None` ends that.
    fn clip(&mut self, to: Option<([f64; 2], [f64; 2])>);
}
