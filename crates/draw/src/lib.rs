//! Maps: what is drawn, and how it becomes PNG or SVG. No files, no reference systems: positions come in a plane, easting and
//! northing, and whoever knows the system says how long a unit is.
//!
//! | module | what is in it |
//! |---|---|
//! | [`scene`] | layers of marks, and what stands around them |
//! | [`color`] | colours for categories and for numbers |
//! | [`map`] | where everything goes: frame, legend, scale bar, grid lines, labels |
//! | [`canvas`] | what a painter can do; [`bitmap`] and [`vector`] are the two |
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
pub mod color;
pub mod font;
pub mod map;
pub mod scene;
pub mod vector;

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

/// A scene as PNG, so many pixels wide and high.
///
/// # Errors
/// [`PictureError`].
pub fn png(scene: &Scene, size: [u32; 2]) -> Result<Vec<u8>, PictureError> {
    let mut canvas = bitmap::Bitmap::new(size)?;
    map::draw(scene, size.map(f64::from), &mut canvas);
    canvas.into_png()
}

/// A scene as SVG, with letters as outlines.
pub fn svg(scene: &Scene, size: [u32; 2]) -> String {
    let mut canvas = vector::Vector::new(size);
    map::draw(scene, size.map(f64::from), &mut canvas);
    canvas.into_svg()
}
