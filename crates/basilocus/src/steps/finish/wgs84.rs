//! Positions for the formats that are always in WGS 84: brought there from where the rows were placed first, so that what
//! was in WGS 84 keeps its numbers, whatever system the other outputs have.

use crate::Error;
use crate::engine::{Account, Columns, Rows, Setting, TakenOperation, points};
use crate::report::OperationReport;
use crate::steps::to::bring_shapes;
use crate::steps::{Bound, Step, Work};
use arrow_array::{Array, ArrayRef, BinaryArray, Float64Array};
use basilocus_formats::Format;
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use basilocus_table::batch::Points;
use basilocus_table::geometry::{Geometry, wkb};
use std::sync::Arc;

/// Brings positions to WGS 84 beside the system of the geometry.
#[derive(Debug)]
pub(crate) struct AlwaysWgs84;

impl Step for AlwaysWgs84 {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let wgs84 = Catalogue::embedded().get(4326)?;
        let Some(placed) = columns.placed().filter(|p| p.crs.code != wgs84.code) else {
            return Err(Error::Defect("positions that are in WGS 84 are brought there".into()));
        };
        let source = &placed.first_crs;
        let operation = Arc::new(setting.finder.find(source, &wgs84)?);
        let known = setting.decisions.operations.iter().any(|o| o.target.code == wgs84.code);
        if !known {
            let accuracy = format!("accuracy {}", crate::accuracy_words(operation.accuracy_m()));
            if source.code != wgs84.code {
                let formats: Vec<Format> = setting.outputs.iter().copied().filter(|f| f.is_always_wgs84()).collect();
                setting.note(format!(
                    "{}: positions are brought there from {} ({}; {accuracy})",
                    always_wgs84(&formats),
                    source.title(),
                    operation.name()
                ));
            }
            let report = OperationReport::of(source, &wgs84, &operation);
            setting.decisions.operations.push(TakenOperation {
                target: wgs84.clone(),
                operation: operation.clone(),
                report,
                worth: None,
                fitted: setting.finder.fitted(source, &wgs84).map(Arc::new),
            });
        }
        let with_heights = columns.has_heights();
        let stays = source.code == wgs84.code;
        Ok(Bound::blocks(columns, Bringing { operation, wgs84, with_heights, stays }))
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn is_dear(&self) -> bool {
        true
    }
}

/// `GeoJSON is always WGS 84 (RFC 7946)`, `KML and GPX are always WGS 84`.
fn always_wgs84(formats: &[Format]) -> String {
    match formats {
        [Format::GeoJson] => "GeoJSON is always WGS 84 (RFC 7946)".into(),
        [one] => format!("{} is always WGS 84", one.name()),
        several => format!("{} are always WGS 84", several.iter().map(|f| f.name()).collect::<Vec<_>>().join(" and ")),
    }
}

struct Bringing {
    operation: Arc<Operation>,
    wgs84: Crs,
    with_heights: bool,
    /// Whether the rows were placed in WGS 84, so that nothing has to be computed.
    stays: bool,
}

impl Bringing {
    fn refused(&self, (x, y, z): (f64, f64, f64)) -> String {
        let why = self.operation.refusal(x, y, z).unwrap_or_else(|| "outside the domain of the projection".into());
        format!(
            "{x}, {y} cannot be brought to {}: the position is {why}; check the value and the systems that were said",
            self.wgs84.title()
        )
    }

    fn points(&self, rows: &Rows, account: &mut Account) -> ArrayRef {
        let start = rows.positions_as_placed();
        let [mut x, mut y, mut z] = start.clone();
        self.operation.apply(&mut x, &mut y, &mut z);
        for row in 0..rows.len() {
            if !(x[row].is_finite() && y[row].is_finite()) && start[0][row].is_finite() {
                let reason = self.refused((start[0][row], start[1][row], start[2][row]));
                account.set_aside(row, Reason::CANNOT_BE_TRANSFORMED, reason);
            }
        }
        let [x, y, z] = [x, y, z].map(Float64Array::from);
        points(&x, &y, self.with_heights.then_some(&z))
    }

    fn shapes(&self, placed: &BinaryArray, account: &mut Account) -> ArrayRef {
        let shape = |row: usize| (!placed.is_null(row)).then(|| wkb::read(placed.value(row)).ok()).flatten();
        let mut moved: Vec<Option<Geometry>> = (0..placed.len()).map(shape).collect();
        for (row, vertex) in bring_shapes(&self.operation, &mut moved) {
            let reason = format!("a vertex of it: {}", self.refused(vertex));
            account.set_aside(row, Reason::CANNOT_BE_TRANSFORMED, reason);
        }
        Arc::new(moved.iter().map(|g| g.as_ref().map(wkb::write)).collect::<BinaryArray>())
    }
}

impl Work for Bringing {
    fn apply(&self, mut rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let placed = rows.geometry_as_placed().cloned();
        let shapes = placed.as_ref().and_then(|a| a.as_any().downcast_ref::<BinaryArray>());
        let same_form =
            placed.as_ref().and_then(Points::of_array).is_none_or(|points| points.has_z() == self.with_heights);
        rows.in_wgs84 = match (self.stays && same_form, shapes) {
            (true, _) => placed,
            (false, Some(shapes)) => Some(self.shapes(shapes, account)),
            (false, None) => Some(self.points(&rows, account)),
        };
        Ok(rows)
    }
}
