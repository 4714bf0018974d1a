//! Maps of layers and grids: what is in the files is brought to one system and painted, as a picture or as a page.
//!
//! The system of the map is that which is said, else that of the first layer; for degrees a zone of the universal transverse
//! Mercator grid where the data fits into one, else Equal Earth, in which areas are true.

mod circles;
pub(crate) mod comparison;
mod graticule;
mod marks;
pub(crate) mod output;
mod relief;

use crate::coordinates::system;
use crate::engine::Cancel;
use crate::look::every_layer;
use crate::paths::Paths;
use crate::plan::{InputPlan, LayerPlan};
use crate::terrain::{GridReading, HeightGrid, ground_on_the_ellipsoid};
use crate::{Error, Progress};
use basilocus_draw::scene::{Axes, Layer, MOST_CATEGORIES, Marks, Paint, Scene, united};
use basilocus_formats::raster::RasterFormat;
use basilocus_geodesy::crs::{Base, Catalogue, Crs, Kind};
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::projection::Parameters;
use basilocus_geodesy::unit::{INTERNATIONAL_FOOT_M, LinearUnit};
use output::PictureOutput;
use serde::Serialize;
use std::path::{Path, PathBuf};

/// What is to be drawn.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct DrawPlan {
    /// Layers, tables with coordinates, and grids of heights, from below to above; of a file with several layers all
    #[cfg_attr(feature = "arguments", arg(required = true))]
    pub layers: Vec<PathBuf>,
    /// The map: a picture (.png, .svg), or a page for a browser that is moved and searched and shows the rows (.html)
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "FILE"))]
    pub output: PathBuf,
    /// System of the map; that of the first layer, for degrees one that suits the place
    #[cfg_attr(feature = "arguments", arg(long = "in", value_name = "CRS"))]
    pub in_crs: Option<String>,
    /// System of the layers, where their files carry none
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Column whose values colour the marks: numbers from dark to light, all else by category
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    pub color_by: Option<String>,
    /// Column whose values stand beside the marks, where there is room
    #[cfg_attr(feature = "arguments", arg(long, value_name = "COLUMN"))]
    pub label: Option<String>,
    /// Show what the projection does: circles that are equally large on the ground, each with how many times as large as it
    /// should be the map shows its area
    #[cfg_attr(feature = "arguments", arg(long))]
    pub distortion: bool,
    /// Heading
    #[cfg_attr(feature = "arguments", arg(long, value_name = "TEXT"))]
    pub title: Option<String>,
    /// Width and height in pixels of a picture; a page fills its window
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "WIDTH,HEIGHT", value_delimiter = ',', default_value = "1200,800")
    )]
    pub size: Vec<u32>,
    /// Scale bar in feet and miles; so it is where the unit of the map is a foot
    #[cfg_attr(feature = "arguments", arg(long))]
    pub feet: bool,
    /// Replace an output that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
}

impl DrawPlan {
    /// Layers as a map of 1200 by 800 pixels.
    pub fn new<P: Into<PathBuf>>(layers: impl IntoIterator<Item = P>, output: impl Into<PathBuf>) -> Self {
        DrawPlan {
            layers: layers.into_iter().map(Into::into).collect(),
            output: output.into(),
            in_crs: None,
            from: None,
            color_by: None,
            label: None,
            distortion: false,
            title: None,
            size: vec![1200, 800],
            feet: false,
            overwrite: false,
        }
    }
}

/// Whether a picture can be written there, before the work that it shows is done.
///
/// # Errors
/// For endings that no map has, and where the file exists and is not to be replaced.
pub fn check_picture(path: &Path, overwrite: bool) -> Result<(), Error> {
    PictureOutput::map(path, output::USUAL_SIZE, overwrite).map(drop)
}

/// A layer of a map.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DrawnLayer {
    /// What it is called.
    pub name: String,
    /// What is drawn of it: `marks`, or `pixels` of a grid.
    pub what: String,
    /// How many were drawn.
    pub drawn: u64,
    /// Rows that have no place on the map.
    pub without_place: u64,
}

/// What was drawn.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct DrawReport {
    /// How the layers were read.
    pub interpretation: Vec<String>,
    /// System of the map.
    pub crs: String,
    /// The layers.
    pub layers: Vec<DrawnLayer>,
    /// What a user should know.
    pub notices: Vec<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// A layer that was opened: what it is, and its system.
enum Source {
    Grid(Box<HeightGrid>, String),
    Marks(Box<LayerPlan>),
}

/// Draws a map.
///
/// # Errors
/// Those of reading layers and of writing; [`Error::Usage`] for sizes and endings that no picture has, and where nothing is
/// to be drawn.
///
/// ```
/// use basilocus::Cancel;
/// use basilocus::drawing::{DrawPlan, draw};
///
/// let folder = tempfile::tempdir()?;
/// let gates = folder.path().join("gates.csv");
/// std::fs::write(&gates, "gate,lon,lat\nA,-123.8,46.2\nB,-123.7,46.25\n")?;
/// let mut plan = DrawPlan::new([&gates], folder.path().join("gates.svg"));
/// plan.from = Some("EPSG:4326".into());
/// let report = draw(&plan, &Cancel::default(), &())?;
/// assert_eq!((report.layers[0].drawn, report.crs.as_str()), (2, "WGS 84 / UTM zone 10N (EPSG:32610)"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn draw(plan: &DrawPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<DrawReport, Error> {
    let mut paths = Paths::default();
    plan.layers.iter().for_each(|layer| paths.read(layer, "a layer"));
    paths.written(&plan.output, "the map")?;
    let [width, height] = plan.size[..] else {
        return Err(Error::Usage("`size`: width and height in pixels are expected, such as 1200,800".into()));
    };
    let output = PictureOutput::map(&plan.output, [width, height], plan.overwrite)?;
    let mut told = Told::default();
    let sources = sources(plan, cancel, &mut told)?;
    let crs = map_system(plan, &sources, cancel, &mut told)?;
    let mut scene = Scene::new([0.0; 4]);
    let mut window: Option<[f64; 4]> = None;
    let mut grids = Vec::new();
    let mut place = 0;
    for source in sources {
        if cancel.is_cancelled() {
            return Err(Error::Cancelled);
        }
        match source {
            Source::Grid(grid, name) => {
                let bounds = relief::bounds_in(&grid, &crs)?;
                window = Some(window.map_or(bounds, |w| united(w, bounds)));
                grids.push((scene.layers.len(), grid, name, bounds));
                scene.layers.push(Layer::Marks(Marks::plain("", Vec::new())));
            }
            Source::Marks(layer) => {
                let marks = marks::read(
                    &layer,
                    plan,
                    &Map { crs: &crs, with_rows: output.is_page() },
                    place,
                    (cancel, progress),
                    &mut told,
                )?;
                let marks = named_apart(marks, &layer.source, &mut told.layers);
                let bounds = marks.shapes.iter().filter_map(|s| s.bounds()).reduce(united);
                window = window.into_iter().chain(bounds).reduce(united);
                scene.layers.push(Layer::Marks(marks));
                place += 1;
            }
        }
    }
    scene.window = window.ok_or_else(|| {
        let names: Vec<String> = plan.layers.iter().map(|p| p.display().to_string()).collect();
        Error::Data(format!("{}: no row has a place on a map in {}", names.join(", "), crs.title()))
    })?;
    scene.title = plan.title.clone();
    let names: Vec<String> = plan.layers.iter().map(|p| file_name(p)).collect();
    scene.notes = vec![crs.title(), format!("Drawn by Basilocus from {}", names.join(", "))];
    let view = basilocus_draw::map::view(&scene, [f64::from(width), f64::from(height)]);
    for (at, mut grid, name, bounds) in grids {
        let (layer, known) =
            relief::draw(&mut grid, &name, &crs, bounds, Some(&view).filter(|_| !output.is_page()), cancel)?;
        scene.layers[at] = layer;
        told.layers.insert(
            at.min(told.layers.len()),
            DrawnLayer { name, what: "pixels".into(), drawn: known, without_place: 0 },
        );
    }
    if plan.distortion {
        match circles::layer(&crs, view.window, place)? {
            Some(layer) => scene.layers.insert(0, layer),
            None => told.notices.push(format!("{}: no circles of the ground can be drawn in it", crs.title())),
        }
    }
    apart(&mut scene.layers);
    around(&mut scene, &crs, plan.feet, view.window)?;
    let written = output.write_map(&scene, cancel)?;
    // Layers of one file are often read alike.
    told.interpretation.dedup();
    Ok(DrawReport {
        interpretation: told.interpretation,
        crs: crs.title(),
        layers: told.layers,
        notices: told.notices,
        outputs: vec![written],
    })
}

/// What marks are read for.
struct Map<'a> {
    crs: &'a Crs,
    /// Whether what the rows hold is shown too.
    with_rows: bool,
}

/// What is told on the way.
#[derive(Default)]
struct Told {
    interpretation: Vec<String>,
    notices: Vec<String>,
    layers: Vec<DrawnLayer>,
}

fn file_name(path: &Path) -> String {
    path.file_name().map_or_else(|| path.display().to_string(), |n| n.to_string_lossy().into_owned())
}

/// Two layers of one name say their files too.
fn named_apart(mut marks: Marks, file: &Path, drawn: &mut [DrawnLayer]) -> Marks {
    if let Some((last, earlier)) = drawn.split_last_mut()
        && earlier.iter().any(|l| l.name == last.name)
    {
        marks.name = format!("{} ({})", marks.name, file_name(file));
        last.name.clone_from(&marks.name);
    }
    marks
}

/// All layers of all files. Of a file with several, those without a place, such as the sheets of a workbook that say what it is
/// and what was set aside, are told and left out.
fn sources(plan: &DrawPlan, cancel: &Cancel, told: &mut Told) -> Result<Vec<Source>, Error> {
    let mut out = Vec::new();
    for path in &plan.layers {
        if RasterFormat::of_file(path)?.is_some() {
            // A system that is said is for files that carry none.
            let carried = HeightGrid::open(path, &GridReading::default(), cancel)?;
            let grid = match &carried.crs {
                Some(_) => carried,
                None => HeightGrid::open(path, &GridReading { from: plan.from.clone(), ..Default::default() }, cancel)?,
            };
            out.push(Source::Grid(Box::new(grid), file_name(path)));
        } else {
            let layer = LayerPlan { input: InputPlan::default(), ..LayerPlan::new(path) };
            let several = every_layer(&layer)?;
            let (is_one, before) = (several.len() == 1, out.len());
            for layer in several {
                match if is_one { None } else { marks::without_place(&layer, plan, cancel)? } {
                    Some(why) => told.notices.push(format!("{}: {why}, and is not drawn", layer.layer_name())),
                    None => out.push(Source::Marks(Box::new(layer))),
                }
            }
            if out.len() == before {
                return Err(Error::Data(format!("{}: none of its layers has coordinates", path.display())));
            }
        }
    }
    Ok(out)
}

/// The system of the map.
fn map_system(plan: &DrawPlan, sources: &[Source], cancel: &Cancel, told: &mut Told) -> Result<Crs, Error> {
    if let Some(said) = &plan.in_crs {
        let crs = system::find(said)?.crs.horizontal().clone();
        if !matches!(crs.kind, Kind::Projected { .. } | Kind::Geographic { .. } | Kind::Engineering { .. }) {
            return Err(Error::Usage(format!("`in` {said}: {} has no plane to draw in", crs.title())));
        }
        return Ok(crs);
    }
    let (first, bounds) = match sources.first() {
        Some(Source::Grid(grid, name)) => {
            let crs = grid
                .crs
                .clone()
                .ok_or_else(|| Error::Usage(format!("{name}: the grid says no system; say it with `from`")))?;
            (crs.horizontal().clone(), basilocus_terrain::HeightRows::frame(&**grid).bounds())
        }
        Some(Source::Marks(layer)) => marks::system_and_bounds(layer, plan, cancel)?,
        None => return Err(Error::Usage("`draw` needs a layer".into())),
    };
    if !first.is_geographic() {
        return Ok(first);
    }
    let crs = system_for(bounds)?;
    told.interpretation
        .push(format!("degrees are drawn in {}, which suits the place; say another system with `in`", crs.title()));
    Ok(crs)
}

/// Bounds of places in degrees, the narrower way round the globe.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct DegreeBounds {
    /// Of places with a longitude below nought, and of all others.
    halves: [Option<[f64; 4]>; 2],
}

impl DegreeBounds {
    /// Of some places.
    pub(crate) fn of<'a>(places: impl IntoIterator<Item = &'a [f64; 2]>) -> Self {
        let mut bounds = DegreeBounds::default();
        places.into_iter().for_each(|p| bounds.add(*p));
        bounds
    }

    /// Adds a place.
    pub(crate) fn add(&mut self, [lon, lat]: [f64; 2]) {
        let half = &mut self.halves[usize::from(lon >= 0.0)];
        let one = [lon, lat, lon, lat];
        *half = Some(half.map_or(one, |h| united(h, one)));
    }

    /// West, south, east, north; an east beyond 180 lies across the 180th meridian.
    pub(crate) fn bounds(&self) -> Option<[f64; 4]> {
        let [west, east] = self.halves;
        let (Some(west), Some(east)) = (west, east) else { return west.or(east) };
        let plain = united(west, east);
        let across = united(east, [west[0] + 360.0, west[1], west[2] + 360.0, west[3]]);
        Some(if across[2] - across[0] < plain[2] - plain[0] { across } else { plain })
    }
}

/// A system that suits degrees within bounds.
pub(crate) fn system_for([w, s, e, n]: [f64; 4]) -> Result<Crs, Error> {
    let is_local = e - w < 9.0 && s > -80.0 && n < 84.0;
    if !is_local {
        return equal_earth();
    }
    let zone = ((((w + e) / 2.0 + 180.0) / 6.0).floor() as i64).rem_euclid(60) as u32 + 1;
    let south = if s + n < 0.0 { 100 } else { 0 };
    Ok(Catalogue::embedded().get(32_600 + south + zone)?)
}

/// A map of the world on which areas are true (Šavrič, Patterson and Jenny 2018).
fn equal_earth() -> Result<Crs, Error> {
    let base = Catalogue::embedded().get(4326)?;
    let Kind::Geographic { datum, unit } = base.kind else {
        return Err(Error::Defect("WGS 84 is not geographic".into()));
    };
    let parameters = ["Longitude of natural origin", "False easting", "False northing"];
    let kind = Kind::Projected {
        datum,
        base: Base { code: base.code, name: base.name, unit },
        method: "Equal Earth".into(),
        parameters: Parameters(parameters.map(|name| (name.to_string(), 0.0)).to_vec()),
        unit: LinearUnit::metre(),
    };
    Ok(Crs { code: None, name: "WGS 84 / Equal Earth".into(), kind, area: base.area, axes: "east,north".into() })
}

/// Gives layers of one colour such as no category has, as long as there are any.
fn apart(layers: &mut [Layer]) {
    let categories = |layer: &Layer| match layer {
        Layer::Marks(Marks { paint: Paint::Categories { names, .. }, .. }) => names.len().min(MOST_CATEGORIES),
        _ => 0,
    };
    let taken = layers.iter().map(categories).max().unwrap_or(0);
    for layer in layers {
        if let Layer::Marks(Marks { paint: Paint::Plain(place), .. }) = layer {
            *place += taken;
        }
    }
}

/// What stands around the layers: scale, north, grid lines.
pub(crate) fn around(scene: &mut Scene, crs: &Crs, feet: bool, frame: [f64; 4]) -> Result<(), Error> {
    let [w, s, e, n] = frame;
    let middle = [(w + e) / 2.0, (s + n) / 2.0];
    match &crs.kind {
        Kind::Projected { unit, .. } => {
            scene.in_feet = feet || (unit.metres / INTERNATIONAL_FOOT_M - 1.0).abs() < 1e-4;
            let to_degrees = Operation::to_degrees(crs)?;
            let [metres, _] = ground_on_the_ellipsoid(crs)?.at(middle[0], middle[1]);
            // On a map of the world one bar would be true in one place only.
            let is_small = (e - w) * unit.metres < 2e6;
            scene.metres_per_unit = Some(metres).filter(|m| m.is_finite() && is_small);
            if let Some((lon, lat, _)) = to_degrees.apply_one(middle[0], middle[1], 0.0) {
                scene.north_deg = graticule::north(crs, [lon, lat])?.unwrap_or(0.0);
            }
            scene.axes.names = ["easting", "northing"].map(String::from);
            scene.axes.unit = unit.sign().to_string();
            scene.axes.are_the_grid = is_small;
            scene.grid = if is_small {
                graticule::lines_of_system(frame, "")
            } else {
                graticule::meridians_and_parallels(crs, frame)?
            };
        }
        Kind::Geographic { .. } => {
            scene.axes = Axes {
                names: ["longitude", "latitude"].map(String::from),
                unit: "°".into(),
                digits: 6,
                are_the_grid: true,
            };
            scene.grid = graticule::lines_of_system(frame, "°");
        }
        _ => {
            scene.metres_per_unit = match &crs.kind {
                Kind::Engineering { unit } => Some(unit.as_ref().map_or(1.0, |u| u.metres)),
                _ => None,
            };
            scene.in_feet = feet;
            scene.axes.are_the_grid = true;
            scene.grid = graticule::lines_of_system(frame, "");
        }
    }
    Ok(())
}
