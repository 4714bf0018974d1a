//! Points with heights, of any table or layer.

use super::many_points::{ManyPoints, PointBlock, PointFile};
use crate::doubts::{DoubtReport, Ending, Scene, Seen, Watchers};
use crate::engine::set_aside::AsideFile;
use crate::engine::{Cancel, Chain, Part, Run};
use crate::plan::LayerPlan;
use crate::{Error, Progress};
use basilocus_formats::PendingOutput;
use basilocus_geodesy::crs::Crs;
use basilocus_table::{Reason, SetAsideRow};
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};

/// Points in the order of their rows.
pub(super) struct Points {
    /// Easting or longitude.
    pub x: Vec<f64>,
    /// Northing or latitude.
    pub y: Vec<f64>,
    /// Height.
    pub z: Vec<f64>,
    source_rows: Vec<u64>,
    pub about: AboutPoints,
}

/// What is known of points beside where they are.
pub(super) struct AboutPoints {
    /// Their system.
    pub crs: Crs,
    /// How they were read.
    pub interpretation: Vec<String>,
    /// Rows of the source.
    pub rows_in: u64,
    /// Rows without a position or a height, by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// Suspicions about their positions.
    pub doubts: Vec<DoubtReport>,
}

/// Points that were read: in memory, or where they are too many, in a file.
pub(super) enum ReadPoints {
    Few(Points),
    Many(ManyPoints),
}

/// Doubts that say nothing of points on the ground, or that the account of a grid tells by itself.
const NOT_OF_POINTS: [&str; 5] = ["empty-result", "repeated", "lattice", "lost-values", "unused-column"];

/// Why a point is not used though it has a position and a height.
#[derive(Clone)]
pub(super) struct Unused {
    pub class: Reason,
    pub reason: std::sync::Arc<str>,
}

/// Reads points.
///
/// # Errors
/// Those of reading a table; [`Error::Usage`] where no row has a height, or no position.
pub(super) fn read(layer: &LayerPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<Points, Error> {
    match read_up_to(usize::MAX, layer, None, cancel, progress)? {
        ReadPoints::Few(points) => Ok(points),
        ReadPoints::Many(many) => many.in_memory(),
    }
}

/// Reads points. More than `most` of them go to a temporary file in the folder of `beside`.
///
/// # Errors
/// Those of [`read`], and of writing the file.
pub(super) fn read_up_to(
    most: usize,
    layer: &LayerPlan,
    beside: Option<&Path>,
    cancel: &Cancel,
    progress: &dyn Progress,
) -> Result<ReadPoints, Error> {
    let run = Run { progress, ..Run::quiet(cancel) };
    let mut chain = Chain::open(layer, &run)?;
    chain.survey(&run)?;
    let columns = chain.columns();
    let path = &layer.source;
    let Some(placed) = columns.placed() else {
        return Err(Error::NoPosition { path: path.clone(), names: columns.names() });
    };
    if columns.has_shapes() {
        return Err(Error::Usage(format!(
            "{}: has lines or polygons, and points with heights are expected; make points of them with `convert` and `gather` points",
            path.display()
        )));
    }
    if !columns.has_heights() {
        return Err(Error::Usage(format!(
            "{}: no heights were found among {}; say their column with `z`",
            path.display(),
            columns.names().join(", ")
        )));
    }
    let mut about = AboutPoints {
        crs: placed.crs.clone(),
        interpretation: chain.decisions.interpretation.clone(),
        rows_in: 0,
        set_aside: BTreeMap::new(),
        doubts: Vec::new(),
    };
    let mut few = PointBlock::default();
    let mut many: Option<PointFile> = None;
    let mut scene = Scene::new(&layer.layer_name(), chain.reader.about(), chain.columns(), &[], true)?;
    scene.name_source_columns(&chain.aside.names);
    let watchers = Watchers::without(&scene, &NOT_OF_POINTS);
    let watched = |part: Part| {
        watchers.rows(&Seen::new(&part.rows, &scene));
        watchers.set_aside(&part.set_aside, &scene);
        Ok(part)
    };
    chain.each(&run, "reading points", &watched, &mut |part| {
        about.rows_in += part.rows_in;
        for row in &part.set_aside {
            *about.set_aside.entry(row.class.to_string()).or_default() += 1;
        }
        let [x, y, z] = part.rows.positions();
        let mut block = PointBlock { x, y, z, source_rows: part.rows.source_rows().to_vec() };
        block.keep_points(|x, y| *about.set_aside.entry(missing(x, y).to_string()).or_default() += 1);
        if let Some(file) = &mut many {
            return file.add(&block);
        }
        few.append(block);
        if few.x.len() > most {
            let file = many.insert(PointFile::create(beside)?);
            file.add(&std::mem::take(&mut few))?;
        }
        Ok(())
    })?;
    let ending = Ending { found: chain.reader.found(), ..Default::default() };
    about.doubts = watchers.findings(&scene, &ending);
    if few.x.is_empty() && many.is_none() {
        return Err(Error::Data(format!("{}: no row has a position and a height", path.display())));
    }
    Ok(match many {
        Some(file) => ReadPoints::Many(ManyPoints { file, about }),
        None => ReadPoints::Few(Points::of(few, about)),
    })
}

fn missing(x: f64, y: f64) -> Reason {
    if x.is_finite() && y.is_finite() { Reason::NO_HEIGHT } else { Reason::NO_COORDINATES }
}

impl Points {
    pub(super) fn of(block: PointBlock, about: AboutPoints) -> Self {
        let PointBlock { x, y, z, source_rows } = block;
        Points { x, y, z, source_rows, about }
    }

    /// The row of a point.
    pub(super) fn source_row(&self, point: usize) -> u64 {
        self.source_rows[point]
    }
}

impl AboutPoints {
    /// Writes all rows that are set aside beside an output, with those of `unused` points by their rows; the source is read
    /// once more for the values that they had. `None` where there is no such row.
    ///
    /// # Errors
    /// Those of reading and writing.
    pub(super) fn write_aside(
        &self,
        layer: &LayerPlan,
        unused: &HashMap<u64, Unused>,
        output: &Path,
        overwrite: bool,
        cancel: &Cancel,
    ) -> Result<Option<PendingOutput>, Error> {
        if unused.is_empty() && self.set_aside.is_empty() {
            return Ok(None);
        }
        let run = Run::quiet(cancel);
        let mut chain = Chain::open(layer, &run)?;
        chain.survey(&run)?;
        let mut file = AsideFile::new(Some(aside_path(output)), false, overwrite, &chain.aside.names);
        chain.each(&run, "setting rows aside", &Ok, &mut |part| {
            let [x, y, z] = part.rows.positions();
            let mut rows: Vec<SetAsideRow> = part.set_aside;
            for (i, source_row) in part.rows.source_rows().iter().enumerate() {
                if let Some(Unused { class, reason }) = unused.get(source_row) {
                    rows.push(part.rows.set_aside(i, class.clone(), reason.to_string()));
                } else if !(x[i].is_finite() && y[i].is_finite() && z[i].is_finite()) {
                    let class = missing(x[i], y[i]);
                    let reason = format!("{class}; a position and a height are expected");
                    rows.push(part.rows.set_aside(i, class, reason));
                }
            }
            rows.sort_by_key(|row| row.source_row);
            rows.iter().try_for_each(|row| file.write(row))
        })?;
        file.finish()
    }
}

/// Where rows set aside go.
pub(super) fn aside_path(output: &Path) -> PathBuf {
    let stem = output.file_stem().map_or(String::new(), |s| s.to_string_lossy().into_owned());
    output.with_file_name(format!("{stem}.set-aside.csv"))
}
