//! What doubts look at: the layer before its rows come by, rows, and the account at the end.

use super::crowd::{Crowd, Gathered};
use super::empty_point::stands_for_none;
use super::explained::{Case, Explanation, Numbers, explain};
use super::minutes_as_decimals::Axis;
use super::{Doubt, Finding, Watch};
use crate::coordinates::expectation::Expectation;
use crate::coordinates::fitted::Fitted;
use crate::coordinates::system;
use crate::engine::{Columns, Coordinates, Placed, PlacedFrom, Rows, TakenOperation, UnusedColumn};
use basilocus_address::Reference;
use basilocus_formats::{About, Format, Suspicion};
use basilocus_geodesy::crs::{Area, Crs, Kind};
use basilocus_geodesy::operation::{MissedWay, Operation};
use basilocus_table::counted::is_or_are;
use basilocus_table::{ColumnProfile, Ledger, Reason, Role, SetAsideRow};
use std::cell::OnceCell;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

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
    /// Where the positions should be.
    pub area: Option<Whereabouts>,
    /// The system that the numbers were read in, where positions were read from numbers.
    pub numbers_in: Option<Crs>,
    /// Names of the columns of the source, as rows that are set aside have them.
    pub source_columns: Vec<String>,
    /// Places of the columns of x and y in rows that are set aside, where positions are read from two columns.
    pub numbers_at: Option<[usize; 2]>,
    /// The system of lines and polygons, where it has a datum.
    pub shapes_in: Option<Crs>,
    /// Whether they go out in it.
    pub shapes_in_output: bool,
    /// Whether rows go out as delimited text, or are looked at in it.
    pub is_delimited: bool,
    /// Rows that are not where they should be.
    pub suspects: Mutex<Suspects>,
    /// Where positions lie, of layers that may lie nearly anywhere.
    pub crowd: Option<Mutex<Crowd>>,
    /// Where positions lie, where the run has other layers.
    pub neighbours: Option<Mutex<Crowd>>,
    /// References that know the towns that rows name.
    pub references: Arc<[Reference]>,
    /// Name of the column of heights, where they stand in one.
    pub height_column: Option<String>,
    /// Whether heights go out in formats that take them as metres.
    pub heights_are_metres: bool,
    /// What explains them, once all were seen.
    pub explained: OnceLock<Explained>,
    /// How positions come to be in degrees from Greenwich.
    pub degrees: Degrees,
    /// Whether addresses are asked for, so that asking for one twice is no slip.
    pub asks_for_addresses: bool,
    /// The file and the format of its content.
    pub source: Option<(PathBuf, Format)>,
    /// Columns that are left over and with which more addresses would be placed.
    pub unused_columns: Vec<UnusedColumn>,
    /// Columns that seem to be parts of the positions, and were not said to be.
    pub left_out_parts: Vec<String>,
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

/// Where positions should be.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Whereabouts {
    pub area: Area,
    /// What it is: the area of use of a system, the place that was said.
    pub words: String,
    /// Whether somebody said so.
    pub is_expected: bool,
}

/// Rows that are not where they should be.
#[derive(Debug, Default)]
pub(crate) struct Suspects {
    /// Their numbers, up to a limit.
    numbers: Vec<Numbers>,
    /// Those set aside for being no position at all.
    set_aside: u64,
    /// Those beyond the limit.
    more: u64,
}

/// Suspects that are kept: of more, what explains them is an estimate by these.
const MOST_SUSPECTS: usize = 500_000;

/// What explains rows that are not where they should be, and where that is.
#[derive(Default)]
pub(crate) struct Explained {
    list: Vec<Explanation>,
    /// In words.
    place: String,
    /// Positions in all.
    positions: u64,
    /// Whether the rows lie far from nearly all others, and nobody said where they should be.
    are_strays: bool,
    /// Whether the numbers of rows are estimates.
    is_estimate: bool,
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
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct Placement {
    /// Positions looked at.
    pub positions: u64,
    /// Positions whose numbers stand for none: 0, 0 and what programs fill empty cells with.
    pub empty: u64,
    /// One of them that is not 0, 0.
    pub filler: Option<[f64; 2]>,
    /// Positions outside the area of use.
    pub outside: u64,
}

impl Placement {
    /// Adds another part's counts.
    pub(crate) fn merge(&mut self, other: &Placement) {
        self.positions += other.positions;
        self.empty += other.empty;
        // Threads bring parts in any order: the smaller number is the example.
        let smaller = |a: &[f64; 2], b: &[f64; 2]| a[0].total_cmp(&b[0]);
        self.filler = self.filler.into_iter().chain(other.filler).min_by(smaller);
        self.outside += other.outside;
    }

    /// Counts a position, and says whether it is outside.
    #[inline]
    fn add(&mut self, lon_deg: f64, lat_deg: f64, area: Option<&Area>) -> bool {
        if !(lon_deg.is_finite() && lat_deg.is_finite()) {
            return false;
        }
        self.positions += 1;
        let is_outside = area.is_some_and(|area| !area.contains(lon_deg, lat_deg));
        self.outside += u64::from(is_outside);
        is_outside
    }
}

fn earth() -> Area {
    Area { west_deg: -180.0, south_deg: -90.0, east_deg: 180.0, north_deg: 90.0, description: String::new() }
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

impl Suspects {
    fn add(&mut self, numbers: Vec<Numbers>) {
        let room = MOST_SUSPECTS.saturating_sub(self.numbers.len());
        self.more += numbers.len().saturating_sub(room) as u64;
        self.numbers.extend(numbers.into_iter().take(room));
    }
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
        if columns.has_shapes() {
            let carried = || about.crs.as_deref().and_then(|crs| Some(system::find(crs).ok()?.crs));
            let crs = columns.placed().map(|p| p.crs.clone()).or_else(carried);
            scene.shapes_in = crs.map(|crs| crs.horizontal().clone()).filter(|crs| crs.datum().is_some());
        }
        Ok(scene)
    }

    fn add_places(&mut self, placed: &Placed, operations: &[TakenOperation]) -> Result<(), crate::Error> {
        let source = &placed.first_crs;
        if placed.origin != PlacedFrom::Addresses {
            self.position_columns = Some(placed.names.clone());
        }
        self.from_columns = placed.origin == PlacedFrom::Columns;
        self.height_column = placed.height_name.clone();
        self.mixed_frames = operations.iter().find_map(|o| mixed_frames(source, o));
        // The area to check against: that of the narrower system.
        let narrower = |a: &&Crs, b: &&Crs| a.area.share_of_earth().total_cmp(&b.area.share_of_earth());
        let targets = operations.iter().map(|o| &o.target);
        let candidate =
            if source.is_geographic() { targets.chain([source]).min_by(narrower).unwrap_or(source) } else { source };
        if candidate.area.share_of_earth() < 0.9 {
            let words = format!("the area of use of {}", candidate.title());
            self.area = Some(Whereabouts { area: widened(&candidate.area), words, is_expected: false });
        }
        // Matched addresses have no numbers that could be wrong.
        self.numbers_in = (placed.origin != PlacedFrom::Addresses).then(|| source.clone());
        // Where the place is not known by itself, nearly all rows may say it.
        let is_anywhere = self.area.as_ref().is_none_or(|a| a.area.share_of_earth() > 0.02);
        self.crowd = (source.is_geographic() && is_anywhere && self.numbers_in.is_some()).then(Mutex::default);
        self.degrees = match () {
            () if is_plain(source) => Degrees::AsPlaced,
            () if is_plain(&placed.crs) => Degrees::AtTheEnd,
            () if source.datum().is_some() => Degrees::By(Box::new(Operation::to_degrees(source)?)),
            () => Degrees::Never,
        };
        Ok(())
    }

    /// Checks against the place that was said, in place of the area of use of a system; and each row against the town that it
    /// names, where a reference said it.
    pub(crate) fn expect(&mut self, expected: &Expectation) {
        let words = format!("the expected place, {}", expected.place.words);
        self.area = Some(Whereabouts { area: expected.place.area.clone(), words, is_expected: true });
        self.references = expected.references.clone();
        self.crowd = None;
    }

    /// Says how the columns of the source are called, and with that where the numbers of the positions stand in rows that are
    /// set aside.
    pub(crate) fn name_source_columns(&mut self, names: &[String]) {
        self.source_columns = names.to_vec();
        let at = |name: &str| names.iter().position(|n| n == name);
        let columns = self.position_columns.as_ref().filter(|(x, y)| self.from_columns && x != y);
        self.numbers_at = columns.and_then(|(x, y)| Some([at(x)?, at(y)?]));
    }

    /// Sees rows that were set aside: numbers that are no position may be one of another kind.
    pub(super) fn lost(&self, rows: &[SetAsideRow]) {
        let Some([x, y]) = self.numbers_at else { return };
        const NO_POSITION: [Reason; 3] =
            [Reason::LATITUDE_OUT_OF_RANGE, Reason::LONGITUDE_OUT_OF_RANGE, Reason::CANNOT_BE_TRANSFORMED];
        let is_no_position = |r: &&SetAsideRow| NO_POSITION.contains(&r.class);
        let number = |row: &SetAsideRow, at: usize| row.values.get(at)?.trim().parse::<f64>().ok();
        let numbers = rows.iter().filter(is_no_position).filter_map(|r| Some([number(r, x)?, number(r, y)?]));
        let numbers: Vec<Numbers> = numbers.collect();
        if !numbers.is_empty() {
            let mut suspects = self.suspects.lock().unwrap_or_else(PoisonError::into_inner);
            suspects.set_aside += numbers.len() as u64;
            suspects.add(numbers);
        }
    }

    /// Where the positions should be, in words.
    pub(super) fn area_of(&self) -> &str {
        self.area.as_ref().map_or("the Earth", |a| &a.words)
    }

    /// What explains the rows that are not where they should be. To be asked once all were seen.
    pub(super) fn explained(&self, seen: &Placement) -> &Explained {
        self.explained.get_or_init(|| {
            let suspects = self.suspects.lock().unwrap_or_else(PoisonError::into_inner);
            let Some(crs) = &self.numbers_in else { return Explained::default() };
            let positions = seen.positions + suspects.set_aside;
            let mut numbers = suspects.numbers.clone();
            let crowd = self.crowd.as_ref().map(|c| c.lock().unwrap_or_else(PoisonError::into_inner));
            let gathered = || crowd.as_ref().and_then(|c| c.gathered());
            let (area, place, is_narrow, are_strays) = match (&self.area, numbers.is_empty()) {
                (Some(checked), false) => {
                    let share = checked.area.share_of_earth();
                    let is_narrow = share < if checked.is_expected { 0.02 } else { 0.001 };
                    (checked.area.clone(), checked.words.clone(), is_narrow, false)
                }
                (area, none_outside) => match gathered() {
                    // Only what is usual: a large place is reached in many ways.
                    Some(Gathered { area, strays, .. }) => {
                        numbers.extend(strays);
                        let [w, s, e, n] = [area.west_deg, area.south_deg, area.east_deg, area.north_deg];
                        let words =
                            format!("where nearly all others lie ({w}° to {e}° longitude, {s}° to {n}° latitude)");
                        (area, words, false, true)
                    }
                    None if area.is_none() && !none_outside => (earth(), self.area_of().to_string(), false, false),
                    None => return Explained::default(),
                },
            };
            // Threads bring them in any order.
            numbers.sort_by(|a, b| a[0].total_cmp(&b[0]).then(a[1].total_cmp(&b[1])));
            let mut list = explain(&Case { crs, area: &area, is_narrow, suspects: &numbers });
            let is_estimate = suspects.more > 0;
            if is_estimate {
                let times = (numbers.len() as u64 + suspects.more) as f64 / numbers.len() as f64;
                list.iter_mut().for_each(|e| e.rows = (e.rows as f64 * times).round() as u64);
            }
            Explained { list, place, positions, are_strays, is_estimate }
        })
    }

    /// Rows in the area that was checked that something explains.
    pub(super) fn explained_outside(&self, seen: &Placement) -> u64 {
        let explained = self.explained(seen);
        if explained.are_strays { 0 } else { explained.list.iter().map(|e| e.rows).sum() }
    }

    /// What a doubt tells of rows that it explains.
    pub(super) fn finding_of(&self, doubt: &Doubt, seen: &Placement) -> Option<Finding> {
        let explained = self.explained(seen);
        let mut of = explained.list.iter().filter(|e| e.doubt.as_str() == doubt.name);
        let first = of.next()?;
        let mut message = format!(
            "{}: {}{} of {} positions {} outside {}, and inside it {}",
            first.claim,
            if explained.is_estimate { "about " } else { "" },
            first.rows,
            explained.positions,
            is_or_are(first.rows),
            explained.place,
            first.then
        );
        for other in &first.others {
            message.push_str(&format!("; as well: {other}"));
        }
        let mut rows = first.rows;
        for more in of {
            message.push_str(&format!("; {}: {} more", more.claim, more.rows));
            rows += more.rows;
        }
        Some(Finding { column: self.columns_of_positions(), rows, message, mend: first.mend.clone() })
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

    /// The layer that they are of.
    pub(super) fn scene(&self) -> &'a Scene {
        self.scene
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
            if let Some(positions) = self.all_inside() {
                out.positions = positions;
                self.count_empty(&mut out);
                return out;
            }
            let Some((x, y)) = self.degrees() else { return out };
            let area = self.scene.area.as_ref().map(|a| &a.area);
            let mut outside = Vec::new();
            for (row, (x, y)) in x.iter().zip(y).enumerate() {
                if out.add(*x, *y, area) {
                    outside.push(row);
                }
            }
            for crowd in self.scene.crowd.iter().chain(&self.scene.neighbours) {
                let [own_x, own_y, _] = self.placed();
                let seen = Crowd::of(x, y, [own_x, own_y]);
                crowd.lock().unwrap_or_else(PoisonError::into_inner).merge(seen);
            }
            if !outside.is_empty() && self.scene.numbers_in.is_some() {
                let [x, y, _] = self.placed();
                // What stands for no position is no number of another kind.
                let numbers =
                    outside.into_iter().map(|row| [x[row], y[row]]).filter(|p| !stands_for_none(*p)).collect();
                self.scene.suspects.lock().unwrap_or_else(PoisonError::into_inner).add(numbers);
            }
            self.count_empty(&mut out);
            out
        })
    }

    /// Counts what stands for no position; it does so in any system.
    fn count_empty(&self, out: &mut Placement) {
        let [x, y, _] = self.placed();
        for numbers in x.iter().zip(y).map(|(x, y)| [*x, *y]).filter(|numbers| stands_for_none(*numbers)) {
            out.empty += 1;
            if numbers != [0.0, 0.0] {
                out.merge(&Placement { filler: Some(numbers), ..Default::default() });
            }
        }
    }

    /// How many positions there are, where all of them are inside of the area for sure: the rim of the rectangle around their
    /// numbers is well inside of it. Bringing each of them to degrees would cost as much as all else of a long table.
    fn all_inside(&self) -> Option<u64> {
        const A_SIDE: usize = 8;
        let scene = self.scene;
        let Degrees::By(operation) = &scene.degrees else { return None };
        let area =
            scene.area.as_ref().map(|a| &a.area).filter(|_| scene.crowd.is_none() && scene.neighbours.is_none())?;
        let [x, y, _] = self.placed();
        let finite = |(x, y): &(&f64, &f64)| x.is_finite() && y.is_finite();
        let positions = x.iter().zip(y).filter(finite);
        let (mut count, mut low, mut high) = (0, [f64::INFINITY; 2], [f64::NEG_INFINITY; 2]);
        for (x, y) in positions {
            count += 1;
            (low, high) = ([low[0].min(*x), low[1].min(*y)], [high[0].max(*x), high[1].max(*y)]);
        }
        if count < 16 * A_SIDE as u64 {
            return None;
        }
        let at = |axis: usize, i: usize| low[axis] + (high[axis] - low[axis]) * i as f64 / A_SIDE as f64;
        let rim = (0..A_SIDE).flat_map(|i| {
            [[at(0, i), low[1]], [high[0], at(1, i)], [at(0, A_SIDE - i), high[1]], [low[0], at(1, A_SIDE - i)]]
        });
        let rim: Option<Vec<[f64; 2]>> =
            rim.map(|[x, y]| operation.apply_one(x, y, 0.0).map(|(lon, lat, _)| [lon, lat])).collect();
        let rim = rim?;
        // Side by side along each side: what lies between two of them is nearer to them than they are to each other.
        let sides = (0..4).flat_map(|side| (0..A_SIDE - 1).map(move |i| (4 * i + side, 4 * (i + 1) + side)));
        let apart = |(a, b): (usize, usize)| (rim[a][0] - rim[b][0]).abs().max((rim[a][1] - rim[b][1]).abs());
        let margin = 2.0 * sides.map(apart).fold(0.0, f64::max);
        let inner = Area {
            west_deg: area.west_deg + margin,
            south_deg: area.south_deg + margin,
            east_deg: area.east_deg - margin,
            north_deg: area.north_deg - margin,
            description: String::new(),
        };
        let wide = (area.east_deg - area.west_deg).rem_euclid(360.0);
        let has_room = wide > 2.0 * margin && inner.south_deg < inner.north_deg;
        (has_room && rim.iter().all(|[lon, lat]| inner.contains(*lon, *lat))).then_some(count)
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
