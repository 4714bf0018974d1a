//! The ways between two systems, best first.

use crate::coordinates::finder::Finder;
use crate::coordinates::place::{self, Place};
use crate::coordinates::system;
use crate::plan::OperationPlan;
use crate::{Error, OperationReport};
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::operation::{Operation, Way};
use serde::Serialize;
use std::path::PathBuf;

/// Two systems.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct BetweenQuestion {
    /// System to come from
    pub from: String,
    /// System to go to
    pub to: String,
    /// Where the data is: LON,LAT, or WEST,SOUTH,EAST,NORTH, or words of an area
    #[cfg_attr(feature = "arguments", arg(long, value_name = "PLACE", allow_hyphen_values = true))]
    pub near: Option<String>,
    /// When the positions were measured
    #[cfg_attr(feature = "arguments", arg(long, value_name = "YEAR"))]
    pub epoch: Option<f64>,
    /// Folder of grid files
    #[cfg_attr(feature = "arguments", arg(long, value_name = "DIR"))]
    pub grids: Option<PathBuf>,
    /// Most to show
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", default_value_t = 10))]
    pub most: usize,
}

/// The ways.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct BetweenReport {
    /// System to come from, with its name.
    pub from: String,
    /// System to go to.
    pub to: String,
    /// Where the data is, in words.
    pub near: Option<String>,
    /// When the positions were measured, decimal year.
    pub epoch: Option<f64>,
    /// All ways, best first.
    pub ways: Vec<WayReport>,
    /// The one that is taken.
    pub operation: Option<TakenOperation>,
    /// Why none is taken.
    pub error: Option<String>,
    /// Whether nothing is lost on the way: both systems are on one datum.
    pub is_conversion: bool,
}

/// A way.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct WayReport {
    /// Its name.
    pub name: String,
    /// Its accuracy in metres; null where nobody states one.
    pub accuracy_m: Option<f64>,
    /// Whether its area of use holds the place.
    pub holds_area: bool,
    /// Whether it depends on when the positions were measured.
    pub needs_epoch: bool,
    /// The datum in between.
    pub through: Option<String>,
    /// Grid files that it needs.
    pub grids: Vec<GridFile>,
    /// Whether it is the one that is taken.
    pub taken: bool,
    /// Whether it can be taken.
    #[serde(skip)]
    pub state: WayState,
}

/// Whether a way can be taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum WayState {
    /// It is taken.
    Taken,
    /// It could be.
    #[default]
    Open,
    /// A grid file is not there.
    GridMissing,
    /// Nobody says when the positions were measured.
    EpochMissing,
}

/// A grid file.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct GridFile {
    /// Its name.
    pub file: String,
    /// Whether it is in a folder of grid files.
    pub present: bool,
}

/// The way that is taken, in full.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct TakenOperation {
    /// The way.
    #[serde(flatten)]
    pub way: OperationReport,
    /// What the grid file itself states of the place, metres.
    pub grid_accuracy_m: Option<f64>,
}

impl BetweenQuestion {
    /// Two systems, and nothing said of where and when; ten ways are shown.
    pub fn new(from: impl Into<String>, to: impl Into<String>) -> Self {
        BetweenQuestion { from: from.into(), to: to.into(), near: None, epoch: None, grids: None, most: 10 }
    }

    /// Finds the ways.
    ///
    /// # Errors
    /// Where a system or the place is not known. That no way can be taken is no error: the report says why.
    ///
    /// ```
    /// use basilocus::lookup::BetweenQuestion;
    ///
    /// let report = BetweenQuestion::new("EPSG:4326", "EPSG:32610").report()?;
    /// assert!(report.is_conversion);
    /// assert_eq!(report.operation.unwrap().way.accuracy_m, Some(0.0));
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<BetweenReport, Error> {
        let (from, to) = (system::find(&self.from)?.crs, system::find(&self.to)?.crs);
        let plan = OperationPlan { epoch: self.epoch, grids: self.grids.clone(), ..Default::default() };
        let mut finder = Finder::new(&plan, false)?;
        let near = self.near.as_deref().map(place::find).transpose()?;
        if let Some(place) = &near {
            finder = finder.around(place.area.clone());
        }
        let ways = finder.ways(&from, &to)?;
        let taken = finder.find(&from, &to);
        let state = |way: &Way| match &taken {
            Ok(operation) if operation.name() == way.name => WayState::Taken,
            _ if way.legs.is_empty() => WayState::Taken,
            _ if !way.has_its_grids() => WayState::GridMissing,
            _ if way.needs_epoch && self.epoch.is_none() => WayState::EpochMissing,
            _ => WayState::Open,
        };
        let is_conversion = ways.len() == 1 && ways[0].legs.is_empty();
        let ways = ways.iter().map(|way| WayReport::of(way, state(way))).collect();
        let (operation, error) = match taken {
            Ok(operation) => {
                let grid_accuracy_m =
                    near.as_ref().and_then(|place| stated_by_grids(&operation, place, &from, &finder));
                (Some(TakenOperation { way: OperationReport::of(&from, &to, &operation), grid_accuracy_m }), None)
            }
            Err(e) => (None, Some(e.to_string())),
        };
        Ok(BetweenReport {
            from: from.title(),
            to: to.title(),
            near: near.map(|p| p.words),
            epoch: self.epoch,
            ways,
            operation,
            error,
            is_conversion,
        })
    }
}

impl WayReport {
    fn of(way: &Way, state: WayState) -> Self {
        WayReport {
            name: way.name.clone(),
            accuracy_m: Some(way.accuracy_m).filter(|a| a.is_finite()),
            holds_area: way.holds_area,
            needs_epoch: way.needs_epoch,
            through: way.through().map(String::from),
            grids: way.grids.iter().map(|(file, there)| GridFile { file: file.clone(), present: *there }).collect(),
            taken: state == WayState::Taken,
            state,
        }
    }
}

/// What the grid files themselves say of the place.
fn stated_by_grids(operation: &Operation, place: &Place, from: &Crs, finder: &Finder) -> Option<f64> {
    if !place.is_point() || operation.grids().is_empty() {
        return None;
    }
    let to_source = finder.find(&from.geographic()?, from).ok()?;
    let (x, y, _) = to_source.apply_one(place.area.west_deg, place.area.south_deg, 0.0)?;
    operation.grid_accuracy_m(x, y, 0.0)
}
