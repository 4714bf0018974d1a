//! What is drawn: layers from below to above, and what stands around them. Positions are in the plane of the map.

use crate::canvas::Pixels;
use crate::color::{CATEGORIES, Color, NOTHING, ramp};

/// A map that is to be drawn.
#[derive(Debug, Clone, PartialEq)]
pub struct Scene {
    /// West, south, east, north of what is shown; the frame may show more.
    pub window: [f64; 4],
    /// A heading.
    pub title: Option<String>,
    /// Lines below: where the data comes from, its system.
    pub notes: Vec<String>,
    /// From below to above.
    pub layers: Vec<Layer>,
    /// Metres that a unit of the plane is in the middle of the map; without it there is no scale bar.
    pub metres_per_unit: Option<f64>,
    /// Whether the scale bar is in feet.
    pub in_feet: bool,
    /// Which way north is in the middle of the map, degrees clockwise from up; an arrow says so where it is not nearly up.
    pub north_deg: f64,
    /// Lines of the grid, with what each says where it leaves the frame.
    pub grid: Vec<GridLine>,
}

/// A line of the grid of coordinates.
#[derive(Debug, Clone, PartialEq)]
pub struct GridLine {
    /// Its places in the plane.
    pub points: Vec<[f64; 2]>,
    /// What it says: an easting, a parallel.
    pub label: String,
    /// Whether it runs up and down, so that its label stands below; others say theirs on the left.
    pub is_upright: bool,
}

/// A layer.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Layer {
    /// Points, lines and polygons.
    Marks(Marks),
    /// A picture that lies in the plane: relief, a grid in colours.
    Picture {
        /// What it is called.
        name: String,
        /// The picture.
        pixels: Pixels,
        /// West, south, east, north of its edges.
        bounds: [f64; 4],
        /// What its colours say.
        legend: Option<Ramp>,
    },
}

/// Marks of one layer.
#[derive(Debug, Clone, PartialEq)]
pub struct Marks {
    /// What the layer is called.
    pub name: String,
    /// The marks.
    pub shapes: Vec<Shape>,
    /// How they are coloured.
    pub paint: Paint,
    /// A text beside each mark, where there is room.
    pub labels: Vec<Option<String>>,
}

/// A mark.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Shape {
    /// A point.
    Point([f64; 2]),
    /// A line.
    Line(Vec<[f64; 2]>),
    /// Rings, the first around what is inside and the others around holes.
    Polygon(Vec<Vec<[f64; 2]>>),
}

/// How marks are coloured.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Paint {
    /// All alike, by the place of the layer among the colours of categories.
    Plain(usize),
    /// By categories.
    Categories {
        /// What the values belong to.
        title: String,
        /// The categories, the commonest first.
        names: Vec<String>,
        /// The category of each mark; `None` for those that have none.
        of: Vec<Option<usize>>,
    },
    /// By numbers.
    Numbers {
        /// What the range is.
        ramp: Ramp,
        /// The number of each mark; NaN for those that have none.
        of: Vec<f64>,
    },
}

/// A range of numbers in colours.
#[derive(Debug, Clone, PartialEq)]
pub struct Ramp {
    /// What they are.
    pub title: String,
    /// Lowest and highest.
    pub range: [f64; 2],
}

impl Ramp {
    /// The colour of a number; that of nothing for NaN.
    pub fn color(&self, value: f64) -> Color {
        let [low, high] = self.range;
        if value.is_nan() {
            NOTHING
        } else if high > low {
            ramp((value - low) / (high - low))
        } else {
            ramp(0.5)
        }
    }
}

/// Categories that have a colour of their own; all others share one.
pub const MOST_CATEGORIES: usize = CATEGORIES.len();

impl Paint {
    /// The colour of a mark.
    pub fn color(&self, mark: usize) -> Color {
        match self {
            Paint::Plain(place) => CATEGORIES[place % CATEGORIES.len()],
            Paint::Categories { of, .. } => {
                of.get(mark).copied().flatten().and_then(|c| CATEGORIES.get(c)).copied().unwrap_or(NOTHING)
            }
            Paint::Numbers { ramp, of } => ramp.color(of.get(mark).copied().unwrap_or(f64::NAN)),
        }
    }
}

impl Marks {
    /// Marks of one colour.
    pub fn plain(name: impl Into<String>, shapes: Vec<Shape>) -> Self {
        Marks { name: name.into(), shapes, paint: Paint::Plain(0), labels: Vec::new() }
    }
}

impl Shape {
    /// West, south, east, north; `None` without a place.
    pub fn bounds(&self) -> Option<[f64; 4]> {
        let points: Box<dyn Iterator<Item = &[f64; 2]>> = match self {
            Shape::Point(p) => Box::new(std::iter::once(p)),
            Shape::Line(line) => Box::new(line.iter()),
            Shape::Polygon(rings) => Box::new(rings.iter().flatten()),
        };
        points.map(|[x, y]| [*x, *y, *x, *y]).reduce(united)
    }
}

/// The bounds around two.
pub fn united(a: [f64; 4], b: [f64; 4]) -> [f64; 4] {
    [a[0].min(b[0]), a[1].min(b[1]), a[2].max(b[2]), a[3].max(b[3])]
}

impl Scene {
    /// An empty map of a window.
    pub fn new(window: [f64; 4]) -> Self {
        Scene {
            window,
            title: None,
            notes: Vec::new(),
            layers: Vec::new(),
            metres_per_unit: None,
            in_feet: false,
            north_deg: 0.0,
            grid: Vec::new(),
        }
    }
}
