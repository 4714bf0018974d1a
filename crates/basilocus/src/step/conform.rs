//! Brings the columns of a layer to those of another: their names, types and order, as somebody's system expects them.

use crate::Error;
use crate::engine::Cancel;
use crate::plan::LayerPlan;
use arrow_array::{Array, ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema};
use basilocus_formats::{FormatError, InputOptions};
use basilocus_table::batch::{cell_text, record_batch};
use basilocus_table::{Batch, POINT_COLUMN, ValueKind};
use std::path::Path;
use std::sync::Arc;

/// Columns that are required.
pub(crate) struct Conform {
    /// Names, and types where the model has values to tell them by.
    required: Vec<(String, Option<DataType>)>,
    model: String,
}

/// A column of the layer for each required one.
pub(crate) struct Fitting {
    sources: Vec<Option<usize>>,
    pub fields: Vec<Field>,
    /// What does not go together, in words.
    pub told: Vec<String>,
}

/// Letters and digits of a name, for names that differ in signs alone.
fn bare(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

impl Conform {
    /// Reads the columns of a model: a layer or table, or a table of a header alone.
    ///
    /// # Errors
    /// Where it cannot be read.
    pub(crate) fn new(path: &Path) -> Result<Self, Error> {
        let model = path.display().to_string();
        let looked = crate::look(&LayerPlan::new(path), 0, &Cancel::default(), &());
        let required = match looked {
            Ok(report) => report
                .columns
                .iter()
                .filter(|c| c.kind != "geometry")
                .map(|c| (c.name.clone(), kind_of(&c.kind)))
                .collect(),
            Err(Error::Format(FormatError::Empty { .. })) => {
                let options = InputOptions { header_row: Some(0), ..Default::default() };
                let mut reader = crate::source::open(path, &options)?;
                let header = crate::pipeline::sample(reader.as_mut())?;
                let names = if header.is_empty() { Vec::new() } else { header.row_texts(0) };
                names.into_iter().map(|n| (n.trim().to_string(), None)).collect()
            }
            Err(e) => return Err(e),
        };
        Ok(Conform { required, model })
    }

    /// How the columns of a schema fit.
    pub(crate) fn fit(&self, schema: &Schema) -> Fitting {
        let names: Vec<&str> = schema.fields().iter().map(|f| f.name().as_str()).collect();
        let mut taken = vec![false; names.len()];
        let mut sources = vec![None; self.required.len()];
        // Names that are the same come first, so that none of them is given to one that is only alike.
        let alike: [fn(&str, &str) -> bool; 3] =
            [|a, b| a == b, |a, b| a.eq_ignore_ascii_case(b), |a, b| !bare(a).is_empty() && bare(a) == bare(b)];
        for same in alike {
            for (slot, (name, _)) in sources.iter_mut().zip(&self.required).filter(|(s, _)| s.is_none()) {
                let found = (0..names.len()).find(|i| !taken[*i] && names[*i] != POINT_COLUMN && same(names[*i], name));
                if let Some(i) = found {
                    taken[i] = true;
                    *slot = Some(i);
                }
            }
        }
        let mut told = Vec::new();
        let list = |l: Vec<String>| l.join(", ");
        let missing: Vec<String> = sources
            .iter()
            .zip(&self.required)
            .filter(|(s, _)| s.is_none())
            .map(|(_, (name, _))| name.clone())
            .collect();
        let over: Vec<String> = (0..names.len())
            .filter(|i| !taken[*i] && names[*i] != POINT_COLUMN)
            .map(|i| names[i].to_string())
            .collect();
        let renamed: Vec<String> = sources
            .iter()
            .zip(&self.required)
            .filter_map(|(s, (name, _))| Some((names[(*s)?], name)))
            .filter(|(old, new)| old != new)
            .map(|(old, new)| format!("{old} is {new}"))
            .collect();
        for (words, what) in [
            ("columns that are missing and stay empty", missing),
            ("columns that are left over and left out", over),
            ("columns that differ in their names", renamed),
        ] {
            if !what.is_empty() {
                told.push(format!("as in {}: {words}: {}", self.model, list(what)));
            }
        }
        let fields = sources
            .iter()
            .zip(&self.required)
            .map(|(source, (name, kind))| {
                let own = source.map_or(DataType::Utf8, |i| schema.field(i).data_type().clone());
                Field::new(name.clone(), kind.clone().unwrap_or(own), true)
            })
            .collect();
        Fitting { sources, fields, told }
    }

    /// The columns of a batch as they are required; `aside` is told of each row with a value that does not fit.
    pub(crate) fn apply(&self, batch: &Batch, aside: &mut dyn FnMut(usize, String)) -> Batch {
        let schema = batch.records.schema();
        let fit = self.fit(&schema);
        let columns: Vec<ArrayRef> = fit
            .sources
            .iter()
            .zip(&fit.fields)
            .map(|(source, field)| {
                let array = source.map(|i| batch.records.column(i));
                converted(array, batch.len(), field, &mut |row, text| {
                    aside(
                        row,
                        format!(
                            "column \"{}\": \"{text}\" is no {}, which {} has there",
                            field.name(),
                            words(field.data_type()),
                            self.model
                        ),
                    );
                })
            })
            .collect();
        let made = Arc::new(Schema::new(fit.fields));
        let records = record_batch(made.clone(), columns, batch.len())
            .unwrap_or_else(|_| arrow_array::RecordBatch::new_empty(made));
        Batch { records, source_rows: batch.source_rows.clone() }
    }
}

/// The type that a kind in words stands for; none for a column without values.
fn kind_of(kind: &str) -> Option<DataType> {
    [
        (ValueKind::Integer, DataType::Int64),
        (ValueKind::Real, DataType::Float64),
        (ValueKind::Boolean, DataType::Boolean),
        (ValueKind::Text, DataType::Utf8),
    ]
    .into_iter()
    .find(|(k, _)| k.name() == kind)
    .map(|(_, t)| t)
}

fn words(t: &DataType) -> &'static str {
    match t {
        DataType::Int64 => "whole number",
        DataType::Float64 => "number",
        DataType::Boolean => "true or false",
        _ => "text",
    }
}

/// A column in another type; `unfit` is told of each value that has none, which is null then.
fn converted(array: Option<&ArrayRef>, rows: usize, field: &Field, unfit: &mut dyn FnMut(usize, &str)) -> ArrayRef {
    let Some(array) = array else {
        return match field.data_type() {
            DataType::Int64 => Arc::new(Int64Array::from(vec![None; rows])),
            DataType::Float64 => Arc::new(Float64Array::from(vec![None; rows])),
            DataType::Boolean => Arc::new(BooleanArray::from(vec![None; rows])),
            _ => Arc::new(StringArray::from(vec![None::<&str>; rows])),
        };
    };
    if array.data_type() == field.data_type() {
        return array.clone();
    }
    let texts: Vec<Option<String>> =
        (0..rows).map(|r| Some(cell_text(array, r)).filter(|t| !t.trim().is_empty())).collect();
    match field.data_type() {
        DataType::Int64 => Arc::new(read(&texts, whole, unfit).into_iter().collect::<Int64Array>()),
        DataType::Float64 => Arc::new(
            read(&texts, |t| t.parse::<f64>().ok().filter(|v| v.is_finite()), unfit)
                .into_iter()
                .collect::<Float64Array>(),
        ),
        DataType::Boolean => Arc::new(read(&texts, truth, unfit).into_iter().collect::<BooleanArray>()),
        _ => Arc::new(texts.into_iter().collect::<StringArray>()),
    }
}

fn read<T>(
    texts: &[Option<String>],
    parse: impl Fn(&str) -> Option<T>,
    unfit: &mut dyn FnMut(usize, &str),
) -> Vec<Option<T>> {
    let one = |(row, text): (usize, &Option<String>)| {
        let text = text.as_ref()?;
        let value = parse(text.trim());
        if value.is_none() {
            unfit(row, text);
        }
        value
    };
    texts.iter().enumerate().map(one).collect()
}

/// A whole number, written as one or with nothing but zeros behind the point.
fn whole(text: &str) -> Option<i64> {
    text.parse().ok().or_else(|| {
        let (whole, rest) = text.split_once('.')?;
        whole.parse().ok().filter(|_| rest.bytes().all(|b| b == b'0'))
    })
}

fn truth(text: &str) -> Option<bool> {
    match text.to_ascii_lowercase().as_str() {
        "true" | "yes" | "1" => Some(true),
        "false" | "no" | "0" => Some(false),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn conform(required: &[(&str, Option<DataType>)]) -> Conform {
        let required = required.iter().map(|(n, t)| (n.to_string(), t.clone())).collect();
        Conform { required, model: "model.gpkg".into() }
    }

    fn batch() -> Batch {
        let schema = Arc::new(Schema::new(vec![
            Field::new("gate id", DataType::Utf8, true),
            Field::new("WIDTH", DataType::Utf8, true),
            Field::new("note", DataType::Utf8, true),
        ]));
        let columns: Vec<ArrayRef> = vec![
            Arc::new(StringArray::from(vec!["1", "2.0", "x"])),
            Arc::new(StringArray::from(vec![Some("1.5"), None, Some("2")])),
            Arc::new(StringArray::from(vec!["a", "b", "c"])),
        ];
        Batch { records: record_batch(schema, columns, 3).unwrap(), source_rows: vec![2, 3, 4] }
    }

    #[test]
    fn names_types_and_order() {
        let c = conform(&[("width", Some(DataType::Float64)), ("Gate_ID", Some(DataType::Int64)), ("owner", None)]);
        let mut aside = Vec::new();
        let out = c.apply(&batch(), &mut |row, why| aside.push((row, why)));
        assert_eq!(out.row_texts(0), ["1.5", "1", ""]);
        assert_eq!(out.row_texts(1), ["", "2", ""]);
        assert_eq!(aside.len(), 1);
        assert_eq!(aside[0].0, 2);
        assert!(aside[0].1.contains("column \"Gate_ID\": \"x\" is no whole number"), "{}", aside[0].1);
        let told = c.fit(&batch().records.schema()).told;
        assert_eq!(
            told,
            [
                "as in model.gpkg: columns that are missing and stay empty: owner",
                "as in model.gpkg: columns that are left over and left out: note",
                "as in model.gpkg: columns that differ in their names: WIDTH is width, gate id is Gate_ID",
            ]
        );
    }

    #[test]
    fn a_name_that_is_the_same_wins_over_one_that_is_alike() {
        let c = conform(&[("W_IDTH", None), ("WIDTH", None)]);
        let fit = c.fit(&batch().records.schema());
        assert_eq!(fit.sources, [None, Some(1)]);
        assert_eq!((whole("12.00"), whole("12.5"), truth("Yes"), truth("2")), (Some(12), None, Some(true), None));
    }
}
