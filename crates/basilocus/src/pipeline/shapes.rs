//! Lines, polygons and mixed geometry on their way from the source's system to those of the outputs.

use super::{Pipeline, Wants};
use arrow_array::{ArrayRef, BinaryArray, StringArray};
use arrow_schema::{DataType, Field};
use basilocus_formats::{Encode, Format};
use basilocus_table::Batch;
use basilocus_table::geometry::{Geometries, Geometry, geometry_field, wkb, wkt};
use std::sync::Arc;

/// The geometries of a batch in the system of each target that an output needs, and in the first one; a row of which a
/// single vertex cannot be transformed is given to `aside` and taken from `keep`.
pub(super) fn transformed(
    pipeline: &Pipeline,
    batch: &Batch,
    outputs: &[(Wants, Arc<dyn Encode>)],
    keep: &mut [bool],
    aside: &mut dyn FnMut(usize, &'static str, String),
) -> Vec<Vec<Option<Geometry>>> {
    let Some(shapes) = Geometries::of(&batch.records) else { return Vec::new() };
    let source: Vec<Option<Geometry>> =
        (0..batch.len()).map(|row| if keep[row] { shapes.get(row) } else { None }).collect();
    let needed = |i: usize| {
        i == 0
            || outputs.iter().any(|(w, _)| {
                (w.format.holds_geometry() || w.format == Format::Delimited) && pipeline.geometry_index(*w) == Some(i)
            })
    };
    let mut out = Vec::new();
    for (i, target) in pipeline.targets.iter().enumerate() {
        if !needed(i) {
            out.push(Vec::new());
            continue;
        }
        let (mut x, mut y, mut z) = (Vec::new(), Vec::new(), Vec::new());
        for g in source.iter().flatten() {
            g.each_position(&mut |p| {
                x.push(p.x);
                y.push(p.y);
                z.push(p.z);
            });
        }
        target.operation.apply(&mut x, &mut y, &mut z);
        let mut moved = source.clone();
        let mut at = 0;
        for (row, slot) in moved.iter_mut().enumerate() {
            let Some(g) = slot else { continue };
            let mut refused = None;
            g.each_position_mut(&mut |p| {
                if !(x[at].is_finite() && y[at].is_finite()) && refused.is_none() {
                    refused = Some((p.x, p.y, p.z));
                }
                // A height is there where there was one, or where the operation gives one to what had one.
                (p.x, p.y) = (x[at], y[at]);
                if !p.z.is_nan() {
                    p.z = z[at];
                }
                at += 1;
            });
            if let Some((px, py, pz)) = refused
                && std::mem::take(&mut keep[row])
            {
                aside(row, "cannot be transformed", format!("a vertex of it: {}", target.refused(px, py, pz)));
            }
        }
        out.push(moved);
    }
    out
}

/// The column of geometry of an output: binary, or as text with so many decimals.
pub(super) fn column(geometries: &[Option<Geometry>], system: &str, digits: Option<usize>) -> (Field, ArrayRef) {
    if let Some(digits) = digits {
        let text = |g: &Geometry| wkt::write_rounded(g, digits);
        let texts = geometries.iter().map(|g| g.as_ref().map(text)).collect::<StringArray>();
        (Field::new(basilocus_table::POINT_COLUMN, DataType::Utf8, true), Arc::new(texts))
    } else {
        let bytes = geometries.iter().map(|g| g.as_ref().map(wkb::write)).collect::<BinaryArray>();
        (geometry_field(Some(system)), Arc::new(bytes))
    }
}
