//! Points in their order, or in that of a column, as one line or polygon, or as one for each value of a column.

use super::{Gather, number_field};
use crate::Error;
use crate::engine::{Cancel, stream};
use crate::pipeline::{Pipeline, Vertices};
use crate::plan::{GatherPlan, LayerPlan};
use arrow_array::{ArrayRef, BinaryArray, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_formats::{About, Block, Decode, Decoded, FormatError, PassThrough, Reader};
use basilocus_table::batch::record_batch;
use basilocus_table::geometry::{Geometry, Position, geometry_field, wkb};
use basilocus_table::{Batch, SetAsideRow, batch};
use std::collections::HashMap;
use std::sync::Arc;

/// What was made.
pub(super) struct Made {
    pub reader: LinesReader,
    pub joined: u64,
    pub source_columns: Vec<String>,
    pub told: Vec<String>,
}

/// The lines or polygons of a layer, in memory.
pub(super) struct LinesReader {
    about: About,
    schema: SchemaRef,
    batch: Batch,
    set_aside: Vec<SetAsideRow>,
}

/// A line in the making.
struct Line {
    /// Texts of its first row; a column that another row has another text in is none of the line's.
    texts: Vec<String>,
    first_row: u64,
    positions: Vec<(Position, String, u64)>,
}

/// Reads all positions of a layer and joins them.
pub(super) fn make(
    plan: &LayerPlan,
    wanted: &GatherPlan,
    reader: &mut dyn Reader,
    cancel: &Cancel,
) -> Result<Made, Error> {
    let bare = LayerPlan {
        to: Vec::new(),
        select: None,
        gather: None,
        write: Default::default(),
        position: Some(plan.position.clone().unwrap_or_default()),
        ..plan.clone()
    };
    let mut pipeline = Pipeline::new(&bare, reader, &[], false, "")?;
    if pipeline.order_is_open {
        let mut counts = Default::default();
        stream(reader, cancel, &|b| pipeline.orders_of(b), &mut |(part, _, _)| {
            crate::step::position::OrderCounts::merge(&mut counts, &part);
            Ok(())
        })?;
        pipeline.settle_order(&counts);
    }
    let crs = pipeline.source().cloned().ok_or_else(|| Error::Plan("the table has no positions".into()))?;
    let schema = pipeline.schema().clone();
    let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
    let column = |wanted: &Option<String>| -> Result<Option<usize>, Error> {
        let Some(name) = wanted else { return Ok(None) };
        let found = names.iter().position(|n| n == name);
        let found = found.or_else(|| names.iter().position(|n| n.eq_ignore_ascii_case(name)));
        found.map(Some).ok_or_else(|| Error::NoColumn {
            path: plan.source.clone(),
            wanted: name.clone(),
            names: names.clone(),
        })
    };
    let (by, order) = (column(&wanted.by)?, column(&wanted.order)?);
    let geometry = batch::spatial_index(&schema);
    let columns: Vec<usize> = (0..names.len()).filter(|i| Some(*i) != geometry).collect();
    let mut lines: Vec<Line> = Vec::new();
    let mut index: HashMap<String, usize> = HashMap::new();
    let mut common = vec![true; columns.len()];
    let mut set_aside = Vec::new();
    let mut read = 0u64;
    let mut source_texts: HashMap<u64, Vec<String>> = HashMap::new();
    stream(reader, cancel, &|b| pipeline.vertices(b), &mut |v: Vertices| {
        set_aside.extend(v.set_aside);
        for (row, place) in v.places {
            read += 1;
            let key = by.map_or(String::new(), |c| v.mended.text(c, row));
            let texts: Vec<String> = columns.iter().map(|c| v.mended.text(*c, row)).collect();
            let number = v.mended.source_rows[row];
            let at = *index.entry(key).or_insert_with(|| {
                lines.push(Line { texts: texts.clone(), first_row: number, positions: Vec::new() });
                lines.len() - 1
            });
            let line = &mut lines[at];
            for (same, (a, b)) in common.iter_mut().zip(line.texts.iter().zip(&texts)) {
                *same &= a == b;
            }
            // A line may be too short to be one: then its rows are set aside as they were read.
            if line.positions.len() < 3 {
                source_texts.insert(number, v.source.row_texts(row));
            }
            line.positions.push((place, order.map_or(String::new(), |c| v.mended.text(c, row)), number));
        }
        Ok(())
    })?;
    let (least, what) = match wanted.into {
        Gather::Polygons => (3, "polygon"),
        _ => (2, "line"),
    };
    let mut rows: Vec<(Line, Geometry)> = Vec::new();
    let mut joined = 0u64;
    for mut line in lines {
        if let Some(c) = order {
            sort(&mut line.positions).map_err(|(row, text)| {
                Error::Plan(format!(
                    "--gather-order {}: row {row} has \"{text}\", where all others of its {what} have numbers; mend it, or leave the option out",
                    names[c]
                ))
            })?;
        }
        if line.positions.len() < least {
            for (_, _, number) in &line.positions {
                set_aside.push(SetAsideRow {
                    source_row: *number,
                    class: format!("too few positions for a {what}"),
                    reason: format!(
                        "the {what}{} has {} of the {least} or more positions that are expected",
                        by.map_or(String::new(), |c| format!(
                            " of {} \"{}\"",
                            names[c],
                            line.texts[columns.iter().position(|i| *i == c).unwrap_or(0)]
                        )),
                        line.positions.len()
                    ),
                    values: source_texts.get(number).cloned().unwrap_or_default(),
                });
            }
            continue;
        }
        joined += line.positions.len() as u64 - 1;
        let mut list: Vec<Position> = line.positions.iter().map(|(p, ..)| *p).collect();
        let geometry = if least == 3 {
            if (list[0].x, list[0].y) != (list[list.len() - 1].x, list[list.len() - 1].y) {
                list.push(list[0]);
            }
            Geometry::Polygon(vec![list])
        } else {
            Geometry::LineString(list)
        };
        rows.push((line, geometry));
    }
    set_aside.sort_by_key(|r| r.source_row);
    let kept: Vec<usize> = (0..columns.len()).filter(|i| common[*i]).collect();
    let mut fields: Vec<Field> =
        kept.iter().map(|i| Field::new(names[columns[*i]].clone(), DataType::Utf8, true)).collect();
    let taken: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
    fields.push(number_field("positions", &taken));
    fields.push(geometry_field(crate::system::text_of(&crs).ok().as_deref()));
    let made = Arc::new(Schema::new(fields));
    let mut arrays: Vec<ArrayRef> = kept
        .iter()
        .map(|i| {
            Arc::new(
                rows.iter().map(|(l, _)| Some(l.texts[*i].clone()).filter(|t| !t.is_empty())).collect::<StringArray>(),
            ) as ArrayRef
        })
        .collect();
    arrays.push(Arc::new(rows.iter().map(|(l, _)| Some(l.positions.len() as i64)).collect::<Int64Array>()));
    arrays.push(Arc::new(rows.iter().map(|(_, g)| Some(wkb::write(g))).collect::<BinaryArray>()));
    let source_rows: Vec<u64> = rows.iter().map(|(l, _)| l.first_row).collect();
    let records = record_batch(made.clone(), arrays, rows.len())
        .map_err(|e| Error::Plan(format!("the lines do not make a table: {e}; this is a defect")))?;
    let dropped: Vec<String> = (0..columns.len()).filter(|i| !common[*i]).map(|i| names[columns[i]].clone()).collect();
    let mut told = vec![format!(
        "{} rows are the positions of {} {what}{}",
        read - set_aside_of(&set_aside, what),
        rows.len(),
        if rows.len() == 1 { "" } else { "s" }
    )];
    if !dropped.is_empty() {
        told.push(format!("columns whose values differ within a {what} are left out: {}", dropped.join(", ")));
    }
    let mut about = reader.about().clone();
    about.notes.extend(pipeline.understood.iter().filter(|u| !about.notes.contains(u)).cloned().collect::<Vec<_>>());
    about.typed = false;
    let source_columns = pipeline.source_columns.clone();
    let reader = LinesReader { about, schema: made, batch: Batch { records, source_rows }, set_aside };
    Ok(Made { reader, joined, source_columns, told })
}

/// Rows that were set aside because their line was too short.
fn set_aside_of(rows: &[SetAsideRow], what: &str) -> u64 {
    rows.iter().filter(|r| r.class == format!("too few positions for a {what}")).count() as u64
}

/// Sorts positions by numbers where all are, else by text; equal ones stay in their order.
///
/// # Errors
/// The row and text of the one that is no number among numbers.
fn sort(list: &mut [(Position, String, u64)]) -> Result<(), (u64, String)> {
    let number = |t: &str| t.trim().parse::<f64>().ok().filter(|v| v.is_finite());
    let numbers = list.iter().filter(|(_, t, _)| number(t).is_some()).count();
    if numbers == list.len() {
        list.sort_by(|a, b| number(&a.1).unwrap_or(0.0).total_cmp(&number(&b.1).unwrap_or(0.0)));
    } else if numbers * 2 > list.len() {
        let odd = list.iter().find(|(_, t, _)| number(t).is_none());
        return Err(odd.map_or((0, String::new()), |(_, t, row)| (*row, t.clone())));
    } else {
        list.sort_by(|a, b| a.1.cmp(&b.1));
    }
    Ok(())
}

impl Reader for LinesReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.schema.clone()
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(PassThrough(self.schema.clone()))
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        sink(Block::Rows(Decoded {
            batch: self.batch.clone(),
            set_aside: self.set_aside.clone(),
            bytes: self.about.bytes,
        }));
        Ok(())
    }
}
