//! Maps: what is drawn, and how it becomes PNG, SVG or a page for a browser. No files, no reference systems: positions come in a plane, easting and
//! northing, and whoever knows the system says how long a unit is.
//!
//! | module | what is in it |
//! |---|---|
//! | [`scene`] | layers of marks, and what stands around them |
//! | [`color`] | colours for categories and for numbers |
//! | [`map`] | where everything goes: frame, legend, scale bar, grid lines, labels |
//! | [`chart`] | lines over a distance, bars of how often something is found |
//! | [`mod@page`] | one page for a browser |
//! | [`canvas`] | what a painter can do; [`bitmap`] and [`vector`] are the two |
//! | [`round`] | round numbers for axes |
//! | [`font`] | letters as outlines, so that the same bytes come out everywhere |
//!
//! ```
//! use basilocus_draw::scene::{Layer, Marks, Scene, Shape};
//!
//! let gate = Shape::Point([438_000.0, 5_116_000.0]);
//! let mut scene = Scene::new([437_000.0, 5_115_000.0, 439_000.0, 5_117_000.0]);
//! scene.title = Some("Tide gates".into());
//! scene.layers.push(Layer::Marks(Marks::plain("gates", vec![gate])));
//! let svg = basilocus_draw::svg(&scene, [640, 480]);
//! assert!(svg.starts_with("<svg ") && svg.ends_with("</svg>\n"));
//! # Ok::<(), basilocus_draw::PictureError>(())
//! ```

pub mod bitmap;
pub mod canvas;
pub mod chart;
pub mod color;
pub mod font;
pub mod map;
pub mod page;
pub mod round;
pub mod scene;
pub mod vector;

pub use chart::Chart;
pub use scene::{Layer, Scene};

/// Why a picture could not be made.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum PictureError {
    /// Its size is none, or more than memory holds.
    #[error("a picture of {width} by {height} pixels cannot be made; 64 to 20000 along a side are expected")]
    Size {
        /// Pixels.
        width: u32,
        /// Pixels.
        height: u32,
    },
    /// The package that writes PNG failed.
    #[error("the picture cannot be packed: {0}")]
    Packing(String),
}

/// What can be painted on so many pixels.
pub trait Drawing {
    /// Paints it.
    fn draw(&self, size: [f64; 2], canvas: &mut dyn canvas::Canvas);
}

impl Drawing for Scene {
    fn draw(&self, size: [f64; 2], canvas: &mut dyn canvas::Canvas) {
        map::draw(self, size, canvas);
    }
}

impl Drawing for Chart {
    fn draw(&self, size: [f64; 2], canvas: &mut dyn canvas::Canvas) {
        chart::draw_in(self, [0.0, 0.0], size, canvas);
    }
}

/// What a map has of a picture with a chart below it, pixels.
pub fn above_chart([width, height]: [u32; 2]) -> [f64; 2] {
    [f64::from(width), (f64::from(height) * 0.68).round()]
}

/// A map with a chart below it.
impl Drawing for (&Scene, &Chart) {
    fn draw(&self, [width, height]: [f64; 2], canvas: &mut dyn canvas::Canvas) {
        let [_, split] = above_chart([width as u32, height as u32]);
        map::draw(self.0, [width, split], canvas);
        chart::draw_in(self.1, [0.0, split], [width, height - split], canvas);
    }
}

/// A map or chart as PNG, so many pixels wide and high.
///
/// # Errors
/// [`PictureError`].
pub fn png(of: &dyn Drawing, size: [u32; 2]) -> Result<Vec<u8>, PictureError> {
    let mut canvas = bitmap::Bitmap::new(size)?;
    of.draw(size.map(f64::from), &mut canvas);
    canvas.into_png()
}

/// A map or chart as SVG, with letters as outlines.
pub fn svg(of: &dyn Drawing, size: [u32; 2]) -> String {
    let mut canvas = vector::Vector::new(size);
    of.draw(size.map(f64::from), &mut canvas);
    canvas.into_svg()
}

/// A scene as one page for a browser (HTML) that asks for nothing from elsewhere: it is moved and searched, and what the rows
/// hold ([`scene::Rows`]) can be read.
///
/// # Errors
/// [`PictureError`].
pub fn page(scene: &Scene) -> Result<String, PictureError> {
    page::written(scene)
}
