//! What options say of a layer, each in its place: they make the same list of steps, whatever the order in which they were
//! said.

use super::{InputPlan, LayerPlan, OperationPlan, ShowPlan};
use crate::steps::{
    Drop, Extent, Geocode, Heights, Inside, Join, Keep, Kept, Like, Lines, Measure, Nearest, Polygons, Positions,
    Rename, Set, StepPlan, To, Trim, Values, Vertices,
};
use std::collections::BTreeMap;
use std::path::PathBuf;

/// The options of a command about one layer.
///
/// ```
/// use basilocus::plan::Flags;
/// use basilocus::steps::{Positions, To};
///
/// let layer = Flags {
///     source: "gates.csv".into(),
///     drop: vec!["remark".into()],
///     positions: Some(Positions { from: Some("EPSG:4326".into()), ..Default::default() }),
///     to: Some(To { systems: vec!["EPSG:32610".into()], ..Default::default() }),
///     ..Default::default()
/// }
/// .layer();
/// assert_eq!(layer.steps.iter().map(|s| s.name()).collect::<Vec<_>>(), ["positions", "drop", "to"]);
/// ```
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Flags {
    /// The file.
    pub source: PathBuf,
    /// Name of the layer; that of the file without it.
    pub name: Option<String>,
    /// How to read the file.
    pub input: InputPlan,
    /// Where the data should be.
    pub expect: Option<String>,
    /// Rows of a feed that are kept from turn to turn.
    pub kept: Option<Kept>,
    /// Whether white space is taken off.
    pub trim: bool,
    /// Columns made of others.
    pub join: Vec<Join>,
    /// Columns with one value.
    pub set: BTreeMap<String, String>,
    /// Old names and new names.
    pub rename: BTreeMap<String, String>,
    /// Columns that are left out of the output; positions and addresses are read from them all the same.
    pub drop: Vec<String>,
    /// Columns of the source that are kept in the output.
    pub keep: Vec<String>,
    /// Addresses to match.
    pub geocode: Option<Geocode>,
    /// Positions to read.
    pub positions: Option<Positions>,
    /// Points that become lines.
    pub lines: Option<Lines>,
    /// Points that become polygons.
    pub polygons: Option<Polygons>,
    /// Whether positions of lines and polygons become points.
    pub vertices: bool,
    /// The nearest address.
    pub nearest: Option<Nearest>,
    /// Rows by their values.
    pub values: Vec<String>,
    /// Rows by an extent.
    pub extent: Option<Extent>,
    /// Rows by areas.
    pub inside: Option<Inside>,
    /// Whether lengths and areas are measured.
    pub measure: Option<Measure>,
    /// Heights of a grid.
    pub heights: Option<Heights>,
    /// Systems and coordinate columns.
    pub to: Option<To>,
    /// The model whose columns are taken.
    pub like: Option<PathBuf>,
    /// Which way is taken between systems.
    pub operation: OperationPlan,
    /// How rows are shown.
    pub show: ShowPlan,
}

impl Flags {
    /// The layer, its steps in order.
    pub fn layer(self) -> LayerPlan {
        let mut steps: Vec<StepPlan> = self.kept.into_iter().map(StepPlan::from).collect();
        if self.trim {
            steps.push(Trim {}.into());
        }
        steps.extend(self.join.into_iter().map(StepPlan::from));
        if !self.set.is_empty() {
            steps.push(Set(self.set).into());
        }
        if !self.rename.is_empty() {
            steps.push(Rename(self.rename).into());
        }
        // A row that is left out for its values is not asked for its position.
        if !self.values.is_empty() {
            steps.push(Values(self.values).into());
        }
        if self.vertices {
            steps.push(Vertices {}.into());
        }
        steps.extend(self.geocode.map(StepPlan::from));
        steps.extend(self.positions.map(StepPlan::from));
        steps.extend(self.lines.map(StepPlan::from));
        steps.extend(self.polygons.map(StepPlan::from));
        steps.extend(self.nearest.map(StepPlan::from));
        steps.extend(self.extent.map(StepPlan::from));
        steps.extend(self.inside.map(StepPlan::from));
        steps.extend(self.measure.map(StepPlan::from));
        steps.extend(self.heights.map(StepPlan::from));
        // Before coordinates are written, so that they may have the names of columns that go.
        if !self.drop.is_empty() {
            steps.push(Drop(self.drop).into());
        }
        if !self.keep.is_empty() {
            steps.push(Keep { columns: self.keep, and_added: true }.into());
        }
        steps.extend(self.to.filter(|to| *to != To::default()).map(StepPlan::from));
        steps.extend(self.like.map(|l| StepPlan::from(Like(l))));
        LayerPlan {
            name: self.name,
            source: self.source,
            records: None,
            input: self.input,
            expect: self.expect,
            operation: self.operation,
            show: self.show,
            found: None,
            steps,
        }
    }
}
