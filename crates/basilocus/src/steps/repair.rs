//! Mends a table on the way in: join, set, rename, drop, keep, trim.

use crate::Error;
use crate::plan::RepairPlan;
use arrow_array::{Array, ArrayRef, RecordBatch, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_table::Batch;
use basilocus_table::batch::{cell_text, record_batch};
use std::path::Path;
use std::sync::Arc;

/// Where a column of the mended table comes from.
#[derive(Debug, Clone)]
enum Origin {
    Column(usize),
    /// Columns joined.
    Join(Vec<usize>, String),
    /// A constant, and the column whose empty cells it fills.
    Set(String, Option<usize>),
}

/// The mended table's make.
#[derive(Debug, Clone)]
pub(crate) struct Repair {
    origins: Vec<Origin>,
    schema: SchemaRef,
    trim: bool,
    nothing_to_do: bool,
}

impl Repair {
    /// Compiles a plan for the columns of a source.
    pub(crate) fn new(plan: &RepairPlan, source: &SchemaRef, path: &Path) -> Result<Self, Error> {
        let mut columns: Vec<(Field, Origin)> =
            source.fields().iter().enumerate().map(|(i, f)| (f.as_ref().clone(), Origin::Column(i))).collect();
        let find = |columns: &[(Field, Origin)], wanted: &str| {
            columns
                .iter()
                .position(|(f, _)| f.name() == wanted)
                .or_else(|| columns.iter().position(|(f, _)| f.name().eq_ignore_ascii_case(wanted)))
                .ok_or_else(|| Error::NoColumn {
                    path: path.to_path_buf(),
                    wanted: wanted.to_string(),
                    names: columns.iter().map(|(f, _)| f.name().clone()).collect(),
                })
        };
        for join in &plan.join {
            let mut parts = Vec::new();
            for c in &join.columns {
                // Joins are made of the source's own columns, which stand at their own index.
                parts.push(find(&columns[..source.fields().len()], c)?);
            }
            columns.push((Field::new(&join.name, DataType::Utf8, true), Origin::Join(parts, join.separator.clone())));
        }
        for (name, value) in &plan.set {
            match find(&columns, name) {
                Ok(i) => {
                    let below = if let Origin::Column(c) = columns[i].1 { Some(c) } else { None };
                    columns[i] =
                        (Field::new(columns[i].0.name(), DataType::Utf8, true), Origin::Set(value.clone(), below));
                }
                Err(_) => columns.push((Field::new(name, DataType::Utf8, true), Origin::Set(value.clone(), None))),
            }
        }
        for (old, new) in &plan.rename {
            let i = find(&columns, old)?;
            if columns.iter().enumerate().any(|(j, (f, _))| j != i && f.name() == new) {
                return Err(Error::Plan(format!("--rename {old}={new}: there is a column \"{new}\" already")));
            }
            columns[i].0 = columns[i].0.clone().with_name(new);
        }
        for name in &plan.drop {
            let i = find(&columns, name)?;
            columns.remove(i);
        }
        if !plan.keep.is_empty() {
            let mut kept = Vec::new();
            for name in &plan.keep {
                kept.push(columns[find(&columns, name)?].clone());
            }
            // Geometry is no column that a user names; it stays.
            for (f, o) in &columns {
                if f.metadata().contains_key("ARROW:extension:name") && !kept.iter().any(|(k, _)| k.name() == f.name())
                {
                    kept.push((f.clone(), o.clone()));
                }
            }
            columns = kept;
        }
        let (fields, origins): (Vec<Field>, Vec<Origin>) = columns.into_iter().unzip();
        Ok(Repair {
            nothing_to_do: *plan == RepairPlan::default(),
            origins,
            schema: Arc::new(Schema::new(fields)),
            trim: plan.trim,
        })
    }

    pub(crate) fn schema(&self) -> &SchemaRef {
        &self.schema
    }

    /// The mended batch.
    pub(crate) fn apply(&self, batch: &Batch) -> Batch {
        if self.nothing_to_do {
            return batch.clone();
        }
        let rows = batch.len();
        let columns: Vec<ArrayRef> = self
            .origins
            .iter()
            .map(|origin| match origin {
                Origin::Column(i) => self.trimmed(batch.records.column(*i)),
                Origin::Join(parts, separator) => Arc::new(
                    (0..rows)
                        .map(|r| {
                            let texts: Vec<String> = parts
                                .iter()
                                .map(|c| cell_text(batch.records.column(*c), r).trim().to_string())
                                .filter(|t| !t.is_empty())
                                .collect();
                            Some(texts.join(separator))
                        })
                        .collect::<StringArray>(),
                ),
                Origin::Set(value, below) => Arc::new(
                    (0..rows)
                        .map(|r| {
                            let there =
                                below.map(|c| cell_text(batch.records.column(c), r)).filter(|t| !t.trim().is_empty());
                            Some(there.unwrap_or_else(|| value.clone()))
                        })
                        .collect::<StringArray>(),
                ),
            })
            .collect();
        let records = record_batch(self.schema.clone(), columns, rows)
            .unwrap_or_else(|_| RecordBatch::new_empty(self.schema.clone()));
        Batch { records, source_rows: batch.source_rows.clone() }
    }

    fn trimmed(&self, column: &ArrayRef) -> ArrayRef {
        match column.as_any().downcast_ref::<StringArray>() {
            Some(texts) if self.trim => Arc::new(
                texts
                    .iter()
                    .map(|t| t.map(|t| t.split_whitespace().collect::<Vec<_>>().join(" ")))
                    .collect::<StringArray>(),
            ),
            _ => column.clone(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    fn table() -> Batch {
        let schema = Arc::new(Schema::new(vec![
            Field::new("no", DataType::Utf8, true),
            Field::new("street", DataType::Utf8, true),
            Field::new("state", DataType::Utf8, true),
        ]));
        let columns: Vec<ArrayRef> = vec![
            Arc::new(StringArray::from(vec!["12", ""])),
            Arc::new(StringArray::from(vec![" Heron  Ln ", "Alder"])),
            Arc::new(StringArray::from(vec!["", "WA"])),
        ];
        Batch { records: RecordBatch::try_new(schema, columns).unwrap(), source_rows: vec![2, 3] }
    }

    #[test]
    fn all_repairs() {
        let plan = RepairPlan {
            join: vec![crate::plan::JoinPlan {
                name: "address".into(),
                columns: vec!["no".into(), "street".into()],
                separator: " ".into(),
            }],
            set: BTreeMap::from([("state".into(), "OR".into()), ("country".into(), "US".into())]),
            rename: BTreeMap::from([("state".into(), "region".into())]),
            drop: vec!["no".into()],
            keep: vec!["address".into(), "region".into(), "country".into(), "street".into()],
            trim: true,
        };
        let batch = table();
        let repair = Repair::new(&plan, &batch.records.schema(), Path::new("t.csv")).unwrap();
        let out = repair.apply(&batch);
        assert_eq!(
            repair.schema().fields().iter().map(|f| f.name().as_str()).collect::<Vec<_>>(),
            ["address", "region", "country", "street"]
        );
        assert_eq!(out.row_texts(0), ["12 Heron  Ln", "OR", "US", "Heron Ln"]);
        assert_eq!(out.row_texts(1), ["Alder", "WA", "US", "Alder"]);
    }

    #[test]
    fn a_column_that_is_not_there_is_named_with_its_neighbours() {
        let plan = RepairPlan { drop: vec!["stret".into()], ..Default::default() };
        let message = Repair::new(&plan, &table().records.schema(), Path::new("t.csv")).unwrap_err().to_string();
        assert_eq!(
            message,
            "t.csv: there is no column \"stret\" (did you mean \"street\" or \"state\"?); it has: no, street, state"
        );
    }
}
