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
    /// What positions in the plane are called, for the page.
    pub axes: Axes,
}

/// What positions in the plane are called.
#[derive(Debug, Clone, PartialEq)]
pub struct Axes {
    /// Of the axis to the right, and of the one upwards.
    pub names: [String; 2],
    /// The sign behind a number: `m`, `°`; none where nothing is known.
    pub unit: String,
    /// Digits after the point that a position is shown with.
    pub digits: usize,
    /// Whether the lines of the grid are straight ones of round numbers, which a page draws anew when it is moved.
    pub are_the_grid: bool,
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
    /// What the rows hold that the marks belong to: a page shows it.
    pub rows: Option<Rows>,
}

/// What is known of the marks of a layer.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Rows {
    /// Names of the columns.
    pub columns: Vec<String>,
    /// The texts of each row, as many as there are columns.
    pub cells: Vec<Vec<String>>,
    /// Longitude and latitude of a place of each row, degrees of WGS 84, where it has one.
    pub places: Vec<Option<[f64; 2]>>,
    /// The number of each row in its file, as a person counts it.
    pub numbers: Vec<u64>,
    /// Why a row has no mark, of those that have none.
    pub reasons: Vec<Option<String>>,
    /// The row of each mark, by its place among the rows: one row may have several.
    pub of: Vec<usize>,
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
    /// How far along the range a number is, 0 to 1; `None` for NaN.
    pub fn share(&self, value: f64) -> Option<f64> {
        let [low, high] = self.range;
        let share = if high > low { ((value - low) / (high - low)).clamp(0.0, 1.0) } else { 0.5 };
        (!value.is_nan()).then_some(share)
    }

    /// The colour of a number; that of nothing for NaN.
    pub fn color(&self, value: f64) -> Color {
        self.share(value).map_or(NOTHING, ramp)
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
        Marks { name: name.into(), shapes, paint: Paint::Plain(0), labels: Vec::new(), rows: None }
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
            axes: Axes { names: ["x", "y"].map(String::from), unit: String::new(), digits: 2, are_the_grid: false },
        }
    }
}
