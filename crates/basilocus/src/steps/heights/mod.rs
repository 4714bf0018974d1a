//! Heights of a grid or of a service, at positions of points, lines and polygons.
//!
//! | module | what is in it |
//! |---|---|
//! | `service` | heights that are asked of a service |

#[cfg_attr(not(feature = "services"), path = "service_left_out.rs")]
mod service;

use super::{Bound, Settled, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Cancel, Column, Columns, Rows, Setting, Settling};
use crate::terrain::{GridReading, HeightGrid, HeightUnit};
use arrow_array::{ArrayRef, BinaryArray, Float64Array};
use arrow_schema::{DataType, SchemaRef};
use basilocus_geodesy::crs::{Catalogue, Crs, Heights as HeightsOf};
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use basilocus_table::geometry::wkb;
use serde::{Deserialize, Serialize};
use service::ServiceHeights;
use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};

/// Heights of a grid: of points in a column, of lines and polygons at each of their positions.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::{Heights, Positions};
///
/// let folder = tempfile::tempdir()?;
/// let (grid, out) = (folder.path().join("bank.asc"), folder.path().join("out.csv"));
/// std::fs::write(&grid, "ncols 2\nnrows 2\nxllcenter 438000\nyllcenter 5116000\ncellsize 10\n1 2\n3 4\n")?;
/// let heights = Heights { from: Some("EPSG:32610".into()), ..Heights::of(&grid) };
/// Layer::from_reader("gate,x,y\nA,438005,5116005\nFar,438090,5116005\n".as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:32610")?)
///     .then(heights)
///     .write(&out)?
///     .run()?;
/// assert_eq!(std::fs::read_to_string(&out)?, "gate,x,y,height\nA,438005,5116005,2.500\n");
/// assert!(std::fs::read_to_string(folder.path().join("out.set-aside.csv"))?.contains("Far"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Heights {
    /// The grid, or the address of a service that speaks OGC API - Environmental Data Retrieval.
    pub grid: PathBuf,
    /// Its system, where its file carries none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// The unit of its heights, where nothing says it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// The number that stands for no height, where the file does not say it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub no_data: Option<f64>,
    /// Whether the height of the nearest cell is taken in place of the surface between cells.
    #[serde(default, skip_serializing_if = "crate::plan::is_default")]
    pub nearest: bool,
    /// Whether rows without a height are kept; they are set aside otherwise.
    #[serde(default, skip_serializing_if = "crate::plan::is_default")]
    pub may_lack: bool,
}

/// Decimals of a height: a millimetre of a metre.
const DIGITS: usize = 3;

impl Heights {
    /// Heights of a grid that says all of itself.
    pub fn of(grid: impl Into<PathBuf>) -> Self {
        Heights { grid: grid.into(), ..Default::default() }
    }
}

impl Step for Heights {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        if service::is_service(&self.grid) {
            return self.bind_service(columns, setting);
        }
        let reading = GridReading { from: self.from.clone(), height_unit: self.unit.clone(), no_data: self.no_data };
        let path = self.grid.display();
        let grid = HeightGrid::open(&self.grid, &reading, &Cancel::default()).map_err(|e| match e {
            Error::NoCrs { what, .. } => Error::Usage(format!(
                "`heights` {path}: no reference system is said for {what}; say it with `heights_from`"
            )),
            e => e,
        })?;
        let crs = super::inside::system_of(&columns, setting)?.clone();
        let to_grid = match &grid.crs {
            Some(of_grid) => Operation::between(crs.horizontal(), of_grid.horizontal(), None)?,
            None => {
                return Err(Error::Usage(format!(
                    "`heights` {path}: the grid says no system, so nobody knows where its cells are; say it with `heights_from`"
                )));
            }
        };
        for note in &grid.notes {
            setting.interpret(format!("{path}: {note}"));
        }
        let vertical = vertical_way(&crs, grid.crs.as_ref())?;
        let surface = match (&vertical, grid.crs.as_ref().map(Crs::heights)) {
            (Some((way, title)), _) => format!("brought to {title} ({})", way.name()),
            (None, Some(HeightsOf::Ellipsoid { .. })) => "above the ellipsoid".into(),
            (None, Some(HeightsOf::Level { system, .. })) => format!("in {}", system.title()),
            _ => "above a surface that the grid does not say".into(),
        };
        setting.interpret(format!("heights of {path} {surface}; {}", grid.unit.told()));
        let vertical = vertical.map(|(way, _)| way);
        self.bound(columns, setting, Source::Grid(Box::new(Mutex::new(grid))), to_grid, vertical)
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn is_dear(&self) -> bool {
        true
    }

    fn each_path(&mut self, each: &mut dyn FnMut(&mut PathBuf)) {
        each(&mut self.grid);
        super::to::each_system_file(self.from.as_mut(), each);
    }
}

impl Heights {
    /// The same, with heights that are asked of a service.
    fn bind_service(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        if self.from.is_some() || self.no_data.is_some() || self.nearest {
            return Err(Error::Usage(
                "`heights` is a service, which says its system and what it does not know itself; `heights_from`, `heights_no_data` and `heights_nearest` are for grids".into(),
            ));
        }
        let crs = super::inside::system_of(&columns, setting)?.clone();
        let wgs84 = Catalogue::embedded().get(4326)?;
        let to_wgs84 = Operation::between(crs.horizontal(), &wgs84, None)?;
        let (heights, unit) = ServiceHeights::open(&self.grid, setting)?;
        let unit = HeightUnit::said_or_carried(self.unit.as_deref(), unit.as_deref())?;
        setting.interpret(format!(
            "heights of {} above a surface that the service does not say; {}",
            self.grid.display(),
            unit.told()
        ));
        self.bound(columns, setting, Source::Service(Box::new(heights)), to_wgs84, None)
    }

    fn bound(
        &self,
        mut columns: Columns,
        setting: &mut Setting,
        source: Source,
        to_grid: Operation,
        vertical: Option<Operation>,
    ) -> Result<Bound, Error> {
        let in_shapes = columns.has_shapes();
        let mut name = String::new();
        if in_shapes {
            setting.interpret("each position of lines and polygons has the height of the grid there");
        } else {
            name = columns.free_name("height", None);
            columns.push(Column::added(name.clone(), DataType::Float64).with_digits(DIGITS));
        }
        let schema = columns.schema();
        let work = Reading {
            source,
            to_grid,
            vertical,
            nearest: self.nearest,
            may_lack: self.may_lack,
            path: self.grid.display().to_string(),
            column: name,
            in_shapes,
            schema,
        };
        Ok(Bound::blocks(columns, work))
    }
}

/// Where heights come from.
enum Source {
    Grid(Box<Mutex<HeightGrid>>),
    Service(Box<ServiceHeights>),
}

/// The way from the heights of a grid to those of a layer, where both say what they count from and it is not the same,
/// with the title of the layer's.
fn vertical_way(layer: &Crs, grid: Option<&Crs>) -> Result<Option<(Operation, String)>, Error> {
    let Some(grid) = grid else { return Ok(None) };
    let (here, there) = (layer.heights(), grid.heights());
    let title = match here {
        HeightsOf::Level { system, .. } => system.title(),
        HeightsOf::Ellipsoid { .. } => "heights above the ellipsoid".into(),
        _ => return Ok(None),
    };
    let is_same = match (here, there) {
        (_, HeightsOf::None) => true,
        (HeightsOf::Level { system: a, .. }, HeightsOf::Level { system: b, .. }) => a.is_same(b),
        (HeightsOf::Ellipsoid { unit: a }, HeightsOf::Ellipsoid { unit: b }) => a == b,
        _ => false,
    };
    if is_same {
        return Ok(None);
    }
    let vertical = match here {
        HeightsOf::Level { system, .. } => Some(system.clone()),
        _ => None,
    };
    let target = grid.horizontal().clone().with_heights(vertical)?;
    Ok(Some((Operation::between(grid, &target, None)?, title)))
}

struct Reading {
    source: Source,
    to_grid: Operation,
    vertical: Option<Operation>,
    nearest: bool,
    may_lack: bool,
    path: String,
    column: String,
    in_shapes: bool,
    schema: SchemaRef,
}

impl Reading {
    /// The heights at positions, in the system of the layer; NaN where there is none.
    fn at(&self, x: &[f64], y: &[f64]) -> Result<Vec<f64>, Error> {
        let (mut x, mut y, mut z) = (x.to_vec(), y.to_vec(), vec![f64::NAN; x.len()]);
        self.to_grid.apply(&mut x, &mut y, &mut z);
        match &self.source {
            Source::Grid(grid) => {
                let mut grid = grid.lock().unwrap_or_else(PoisonError::into_inner);
                for i in 0..x.len() {
                    z[i] = if x[i].is_finite() && y[i].is_finite() {
                        grid.height_at(x[i], y[i], self.nearest)?
                    } else {
                        f64::NAN
                    };
                }
            }
            Source::Service(service) => (0..x.len()).for_each(|i| z[i] = service.height_at(x[i], y[i])),
        }
        if let Some(vertical) = &self.vertical {
            vertical.apply(&mut x, &mut y, &mut z);
        }
        Ok(z)
    }

    fn why(&self, what: &str) -> String {
        if matches!(self.source, Source::Service(_)) {
            return format!(
                "{}: {what} where the service knows no height, or refuses to say it; keep rows without a height with `heights_may_lack`",
                self.path
            );
        }
        format!(
            "{}: {what} outside of its outermost heights, or where it knows none; take the nearest cell (`heights_nearest`), another grid, or keep rows without a height (`heights_may_lack`)",
            self.path
        )
    }

    fn points(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let [x, y, _] = rows.positions();
        let heights = self.at(&x, &y)?;
        for (row, height) in heights.iter().enumerate() {
            if height.is_nan() && !self.may_lack {
                account.set_aside(
                    row,
                    Reason::NO_HEIGHT,
                    self.why(&format!("the position for column \"{}\" is", self.column)),
                );
            }
        }
        let column: ArrayRef =
            std::sync::Arc::new(heights.iter().map(|z| Some(*z).filter(|z| z.is_finite())).collect::<Float64Array>());
        rows.with_added(&self.schema, [column])
    }

    fn shapes(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let mut shapes = Vec::with_capacity(rows.len());
        for row in 0..rows.len() {
            let Some(mut shape) = rows.shapes().and_then(|s| s.get(row)) else {
                shapes.push(None);
                continue;
            };
            let (mut x, mut y) = (Vec::new(), Vec::new());
            shape.each_position(&mut |p| {
                x.push(p.x);
                y.push(p.y);
            });
            let heights = self.at(&x, &y)?;
            let lacking = heights.iter().filter(|z| z.is_nan()).count();
            if lacking > 0 && !self.may_lack {
                let what = format!("{lacking} of the {} positions of the row are", heights.len());
                account.set_aside(row, Reason::NO_HEIGHT, self.why(&what));
            }
            let mut next = heights.into_iter();
            shape.each_position_mut(&mut |p| p.z = next.next().unwrap_or(f64::NAN));
            shapes.push(Some(wkb::write(&shape)));
        }
        let at = basilocus_table::geometry_index(rows.records().schema_ref());
        let mut columns = rows.records().columns().to_vec();
        if let Some(at) = at {
            columns[at] = std::sync::Arc::new(shapes.into_iter().collect::<BinaryArray>());
        }
        rows.with_columns(&self.schema, columns)
    }
}

impl Reading {
    /// Takes the positions of rows for the service.
    fn take_for(&self, service: &ServiceHeights, rows: &Rows) {
        let [mut x, mut y, _] = rows.positions();
        if self.in_shapes {
            (x, y) = (Vec::new(), Vec::new());
            for shape in (0..rows.len()).filter_map(|row| rows.shapes().and_then(|s| s.get(row))) {
                shape.each_position(&mut |p| {
                    x.push(p.x);
                    y.push(p.y);
                });
            }
        }
        let mut z = vec![f64::NAN; x.len()];
        self.to_grid.apply(&mut x, &mut y, &mut z);
        service.take(&x, &y);
    }
}

impl Work for Reading {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        if self.in_shapes { self.shapes(rows, account) } else { self.points(rows, account) }
    }

    fn survey(&self) -> Option<&'static str> {
        let Source::Service(service) = &self.source else { return None };
        service.is_open().then_some("finding what to ask of the service")
    }

    fn look(&self, rows: &Rows) {
        if let Source::Service(service) = &self.source {
            self.take_for(service, rows);
        }
    }

    fn settle(&mut self, setting: &Settling) -> Result<Settled, Error> {
        match &mut self.source {
            Source::Grid(_) => Ok(Settled::default()),
            Source::Service(service) => Ok(Settled { notices: service.ask(setting)?, ..Default::default() }),
        }
    }
}
