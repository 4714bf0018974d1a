//! What doubts look at: the layer before its rows come by, rows, and the account at the end.

use super::minutes_as_decimals::Axis;
use super::{Finding, Watch};
use crate::coordinates::fitted::Fitted;
use crate::engine::{Columns, Coordinates, Placed, PlacedFrom, Rows, TakenOperation, UnusedColumn};
use basilocus_formats::{About, Format, Suspicion};
use basilocus_geodesy::crs::{Area, Crs, Kind};
use basilocus_geodesy::operation::{MissedWay, Operation};
use basilocus_table::{ColumnProfile, Ledger, Role};
use std::cell::OnceCell;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

/// A layer before its rows come by.
#[derive(Default)]
pub(crate) struct Scene {
    /// Name of the layer.
    pub layer: String,
    /// The columns at the end of the steps.
    pub columns: Columns,
    /// Names of the columns of x and y.
    pub position_columns: Option<(String, String)>,
    /// Whether positions were read from columns of numbers.
    pub from_columns: bool,
    /// The area of use to check against, and the title of its system.
    pub area: Option<(Area, String)>,
    /// How positions come to be in degrees from Greenwich.
    pub degrees: Degrees,
    /// Whether addresses are asked for, so that asking for one twice is no slip.
    pub asks_for_addresses: bool,
    /// The file and the format of its content.
    pub source: Option<(PathBuf, Format)>,
    /// Columns that are left over and with which more addresses would be placed.
    pub unused_columns: Vec<UnusedColumn>,
    /// What the reader saw.
    pub suspicions: Vec<Suspicion>,
    /// Row of the header.
    pub header_row: Option<u64>,
    /// Better ways that were missed for want of a grid file.
    pub missed: Vec<Missed>,
    /// A frame that moves and one that is fixed to its plate, where they were taken as equal.
    pub mixed_frames: Option<(String, String)>,
    /// A fitted transformation, and the operation that it is a part of.
    pub fitted: Option<(Arc<Fitted>, Arc<Operation>)>,
}

/// A better way that was missed for want of a grid file.
pub(crate) struct Missed {
    pub target: String,
    pub way: MissedWay,
    /// Accuracy of the way that was taken, metres.
    pub taken_m: Option<f64>,
}

/// How positions come to be in degrees from Greenwich.
#[derive(Default)]
pub(crate) enum Degrees {
    /// They do not: there is no datum, or there are no positions.
    #[default]
    Never,
    /// They were placed in them.
    AsPlaced,
    /// They are in them at the end of the steps.
    AtTheEnd,
    /// By an operation from where they were placed.
    By(Box<Operation>),
}

/// The account of a layer.
#[derive(Default)]
pub(crate) struct Ending<'a> {
    pub ledger: Ledger,
    /// Whether the row below the header is blank.
    pub blank_second_row: bool,
    /// Rows whose numbers are written with a comma, and with a point alone.
    pub marks: (u64, u64),
    /// Addresses whose parts contradict each other.
    pub contradictions: u64,
    /// What the reader met in the rows.
    pub found: Vec<Suspicion>,
    /// Names, roles and profiles of the columns, where all values were seen.
    pub profiles: &'a [(String, Option<Role>, ColumnProfile)],
}

/// Rows at the end of the steps, with what several doubts ask of them.
pub(crate) struct Seen<'a> {
    pub rows: &'a Rows,
    scene: &'a Scene,
    placed: OnceCell<Coordinates>,
    degrees: OnceCell<Option<(Vec<f64>, Vec<f64>)>>,
    placement: OnceCell<Placement>,
    axes: OnceCell<Option<(Axis, Axis)>>,
}

/// Where positions lie.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Placement {
    /// Positions looked at.
    pub positions: u64,
    /// Positions at exactly 0, 0.
    pub at_zero: u64,
    /// Positions outside the area of use.
    pub outside: u64,
    /// Of these, inside with longitude and latitude exchanged.
    pub inside_if_swapped: u64,
    /// Of these, inside with the other sign of the longitude.
    pub inside_if_negated: u64,
}

impl Placement {
    /// Adds another part's counts.
    pub(crate) fn merge(&mut self, other: &Placement) {
        self.positions += other.positions;
        self.at_zero += other.at_zero;
        self.outside += other.outside;
        self.inside_if_swapped += other.inside_if_swapped;
        self.inside_if_negated += other.inside_if_negated;
    }

    /// Whether most positions would be inside with their axes exchanged.
    pub(crate) fn looks_swapped(&self) -> bool {
        self.inside_if_swapped > 0 && self.inside_if_swapped * 2 >= self.positions
    }

    /// Whether most positions would be inside with the other sign of the longitude.
    pub(crate) fn looks_negated(&self) -> bool {
        self.inside_if_negated > 0 && self.inside_if_negated * 2 >= self.positions
    }

    #[inline]
    fn add(&mut self, lon_deg: f64, lat_deg: f64, area: Option<&Area>) {
        if !(lon_deg.is_finite() && lat_deg.is_finite()) {
            return;
        }
        self.positions += 1;
        if lon_deg == 0.0 && lat_deg == 0.0 {
            self.at_zero += 1;
        }
        if let Some(area) = area
            && !area.contains(lon_deg, lat_deg)
        {
            self.outside += 1;
            self.inside_if_swapped += u64::from(area.contains(lat_deg, lon_deg));
            self.inside_if_negated += u64::from(area.contains(-lon_deg, lat_deg));
        }
    }
}

/// An area with a little beside it: limits of areas of use are rounded.
fn widened(area: &Area) -> Area {
    const MARGIN: f64 = 0.05;
    Area {
        west_deg: area.west_deg - MARGIN,
        south_deg: area.south_deg - MARGIN,
        east_deg: area.east_deg + MARGIN,
        north_deg: area.north_deg + MARGIN,
        description: area.description.clone(),
    }
}

/// Whether a system is in degrees from Greenwich, as areas of use are.
fn is_plain(crs: &Crs) -> bool {
    crs.datum().is_some_and(|d| d.prime_meridian_deg == 0.0)
        && matches!(&crs.horizontal().kind, Kind::Geographic { unit, .. } if unit.degrees == 1.0)
}

impl Scene {
    /// A layer with its steps bound.
    pub(crate) fn new(
        layer: &str,
        about: &About,
        columns: &Columns,
        operations: &[TakenOperation],
        asks_for_addresses: bool,
    ) -> Result<Self, crate::Error> {
        let mut scene = Scene {
            layer: layer.to_string(),
            columns: columns.clone(),
            asks_for_addresses,
            source: Some((about.path.clone(), about.format)),
            suspicions: about.suspicions.clone(),
            header_row: about.header_row,
            ..Default::default()
        };
        scene.fitted = operations.iter().find_map(|o| Some((o.fitted.clone()?, o.operation.clone())));
        scene.missed = operations.iter().filter_map(missed).collect();
        if let Some(placed) = columns.placed() {
            scene.add_places(placed, operations)?;
        }
        Ok(scene)
    }

    fn add_places(&mut self, placed: &Placed, operations: &[TakenOperation]) -> Result<(), crate::Error> {
        let source = &placed.first_crs;
        if placed.origin != PlacedFrom::Addresses {
            self.position_columns = Some(placed.names.clone());
        }
        self.from_columns = placed.origin == PlacedFrom::Columns;
        self.mixed_frames = operations.iter().find_map(|o| mixed_frames(source, o));
        // The area to check against: that of the narrower system.
        let narrower = |a: &&Crs, b: &&Crs| a.area.share_of_earth().total_cmp(&b.area.share_of_earth());
        let targets = operations.iter().map(|o| &o.target);
        let candidate =
            if source.is_geographic() { targets.chain([source]).min_by(narrower).unwrap_or(source) } else { source };
        if candidate.area.share_of_earth() < 0.9 {
            self.area = Some((widened(&candidate.area), candidate.title()));
        }
        self.degrees = match () {
            () if is_plain(source) => Degrees::AsPlaced,
            () if is_plain(&placed.crs) => Degrees::AtTheEnd,
            () if source.datum().is_some() => Degrees::By(Box::new(Operation::to_degrees(source)?)),
            () => Degrees::Never,
        };
        Ok(())
    }

    /// Title of the system whose area of use is checked.
    pub(super) fn area_of(&self) -> &str {
        self.area.as_ref().map_or("the target", |(_, title)| title)
    }

    /// Names of the columns of positions in words.
    pub(crate) fn columns_of_positions(&self) -> Option<String> {
        self.position_columns.as_ref().map(|(x, y)| if x == y { x.clone() } else { format!("{x}, {y}") })
    }
}

fn missed(o: &TakenOperation) -> Option<Missed> {
    let way = o.operation.missed()?.clone();
    Some(Missed { target: o.target.title(), way, taken_m: o.operation.accuracy_m() })
}

/// A moving and a fixed frame that an operation takes as equal.
fn mixed_frames(source: &Crs, o: &TakenOperation) -> Option<(String, String)> {
    let (source, target) = (source.datum()?, o.target.datum()?);
    let ensemble = |name: &str| name == "WGS 1984";
    let mixed = o.operation.assumes_equal() && !ensemble(&source.name) && !ensemble(&target.name);
    (mixed && source.is_dynamic() != target.is_dynamic()).then(|| (source.name.clone(), target.name.clone()))
}

impl<'a> Seen<'a> {
    /// Rows of a layer.
    pub(crate) fn new(rows: &'a Rows, scene: &'a Scene) -> Self {
        let (placed, degrees, placement, axes) = Default::default();
        Seen { rows, scene, placed, degrees, placement, axes }
    }

    /// Positions as they were placed.
    pub(super) fn placed(&self) -> &Coordinates {
        self.placed.get_or_init(|| self.rows.positions_as_placed())
    }

    /// Longitudes and latitudes in degrees from Greenwich.
    pub(crate) fn degrees(&self) -> Option<(&[f64], &[f64])> {
        let own = match &self.scene.degrees {
            Degrees::Never => return None,
            Degrees::AsPlaced => {
                let [x, y, _] = self.placed();
                return Some((x, y));
            }
            Degrees::AtTheEnd => self.degrees.get_or_init(|| {
                let [x, y, _] = self.rows.positions();
                Some((x, y))
            }),
            Degrees::By(operation) => self.degrees.get_or_init(|| {
                let [mut x, mut y, mut z] = self.placed().clone();
                operation.apply(&mut x, &mut y, &mut z);
                Some((x, y))
            }),
        };
        own.as_ref().map(|(x, y)| (x.as_slice(), y.as_slice()))
    }

    /// Where the positions lie.
    pub(crate) fn placement(&self) -> Placement {
        *self.placement.get_or_init(|| {
            let mut out = Placement::default();
            let Some((x, y)) = self.degrees() else { return out };
            let area = self.scene.area.as_ref().map(|(a, _)| a);
            x.iter().zip(y).for_each(|(x, y)| out.add(*x, *y, area));
            // Zero in another system is as empty as in degrees.
            if !matches!(self.scene.degrees, Degrees::AsPlaced) {
                let [x, y, _] = self.placed();
                out.at_zero = x.iter().zip(y).filter(|(x, y)| **x == 0.0 && **y == 0.0).count() as u64;
            }
            out
        })
    }

    /// Decimals of longitudes and latitudes that stand in columns; the parts of a written angle say themselves what they
    /// are.
    pub(crate) fn axes(&self) -> Option<(Axis, Axis)> {
        *self.axes.get_or_init(|| {
            let told = self.scene.from_columns && matches!(self.scene.degrees, Degrees::AsPlaced);
            told.then(|| {
                let [x, y, _] = self.placed();
                let axis = |values: &[f64]| {
                    let mut axis = Axis::default();
                    values.iter().for_each(|v| axis.add(*v));
                    axis
                };
                (axis(x), axis(y))
            })
        })
    }
}

/// Watches where positions lie, for doubts that look at nothing else.
pub(super) struct WatchPlaces {
    counts: Mutex<Placement>,
    finding: fn(&Scene, &Placement) -> Option<Finding>,
}

impl WatchPlaces {
    /// Tells what `finding` makes of the counts.
    pub(super) fn boxed(finding: fn(&Scene, &Placement) -> Option<Finding>) -> Box<dyn Watch> {
        Box::new(WatchPlaces { counts: Mutex::default(), finding })
    }
}

impl Watch for WatchPlaces {
    fn rows(&self, seen: &Seen) {
        self.counts.lock().unwrap_or_else(PoisonError::into_inner).merge(&seen.placement());
    }

    fn finding(&self, scene: &Scene, _: &Ending) -> Option<Finding> {
        (self.finding)(scene, &self.counts.lock().unwrap_or_else(PoisonError::into_inner))
    }
}
