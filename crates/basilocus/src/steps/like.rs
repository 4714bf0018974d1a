//! Brings the columns of a layer to those of another: their names, types and order, as somebody's system expects them.

use super::{Bound, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Column, Columns, Rows, Setting, source};
use arrow_array::{Array, ArrayRef, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, SchemaRef};
use basilocus_formats::{FormatError, InputOptions};
use basilocus_table::batch::cell_text;
use basilocus_table::moment::field_of;
use basilocus_table::{Moment, Reason, ValueKind};
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A layer or table whose columns, types and order are taken; a header alone will do.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "Kind,NAME\nculvert,A\n";
/// let model = folder.path().join("model.csv");
/// std::fs::write(&model, "name,kind\n")?;
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?.like(&model).write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "name,kind\nA,culvert\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Like(pub PathBuf);

/// The columns of a model.
#[derive(Debug, Clone)]
struct Model {
    /// Names, and types where the model has values to tell them by.
    required: Vec<(String, Option<DataType>)>,
    name: String,
}

/// A column of the layer for each required one.
struct Fitting {
    sources: Vec<Option<usize>>,
    fields: Vec<Field>,
    /// What does not go together, in words.
    notices: Vec<String>,
}

impl Step for Like {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let model = Model::read(&self.0)?;
        let fitting = model.fit(&columns);
        fitting.notices.iter().for_each(|n| setting.note(n));
        let geometry = columns.geometry();
        let mut fitted = columns.clone();
        while !fitted.is_empty() {
            fitted.remove(0);
        }
        for (at, field) in fitting.sources.iter().zip(&fitting.fields) {
            let there = at.and_then(|at| columns.get(at));
            fitted.push(Column {
                role: there.and_then(|c| c.role),
                added: there.is_none_or(|c| c.added),
                field: field.clone(),
                ..Column::added(field.name(), field.data_type().clone())
            });
        }
        geometry.and_then(|at| columns.get(at)).into_iter().for_each(|c| fitted.push(c.clone()));
        let schema = fitted.schema();
        Ok(Bound::blocks(fitted, Bringing { fitting, geometry, model: model.name, schema }))
    }

    fn wish(&self) -> Wish {
        Wish::CoordinatesIfFound
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn each_path(&mut self, each: &mut dyn FnMut(&mut PathBuf)) {
        each(&mut self.0);
    }
}

/// Letters and digits of a name, for names that differ in signs alone.
fn bare(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

impl Model {
    /// Reads the columns of a model.
    fn read(path: &Path) -> Result<Self, Error> {
        let name = path.display().to_string();
        let required = match crate::look::columns_of(path) {
            Ok(columns) => columns.into_iter().map(|(name, kind)| (name, type_of(kind))).collect(),
            Err(Error::Format(FormatError::Empty { .. })) => {
                let options = InputOptions { header_row: Some(0), ..Default::default() };
                let mut reader = source::open(path, &options)?;
                let header = source::sample(reader.as_mut())?;
                let names = if header.is_empty() { Vec::new() } else { header.row_texts(0) };
                names.into_iter().map(|n| (n.trim().to_string(), None)).collect()
            }
            Err(e) => return Err(e),
        };
        Ok(Model { required, name })
    }

    /// How the columns of a layer fit.
    fn fit(&self, columns: &Columns) -> Fitting {
        let names: Vec<Option<&str>> = columns.iter().map(|c| (!c.is_geometry()).then(|| c.name())).collect();
        let mut taken = vec![false; names.len()];
        let mut sources = vec![None; self.required.len()];
        // Names that are the same come first, so that none of them is given to one that is only alike.
        let alike: [fn(&str, &str) -> bool; 3] =
            [|a, b| a == b, |a, b| a.eq_ignore_ascii_case(b), |a, b| !bare(a).is_empty() && bare(a) == bare(b)];
        for same in alike {
            for (slot, (name, _)) in sources.iter_mut().zip(&self.required).filter(|(s, _)| s.is_none()) {
                let found = (0..names.len()).find(|i| !taken[*i] && names[*i].is_some_and(|n| same(n, name)));
                if let Some(i) = found {
                    taken[i] = true;
                    *slot = Some(i);
                }
            }
        }
        let pairs = || sources.iter().zip(&self.required);
        let missing: Vec<String> = pairs().filter(|(s, _)| s.is_none()).map(|(_, (name, _))| name.clone()).collect();
        let over: Vec<String> =
            names.iter().zip(&taken).filter(|(_, taken)| !**taken).filter_map(|(n, _)| n.map(String::from)).collect();
        let renamed: Vec<String> = pairs()
            .filter_map(|(s, (name, _))| Some((names[(*s)?]?, name)))
            .filter(|(old, new)| old != new)
            .map(|(old, new)| format!("{old} is {new}"))
            .collect();
        let notices = [
            ("columns that are missing and stay empty", missing),
            ("columns that are left over and left out", over),
            ("columns that differ in their names", renamed),
        ];
        let notices = notices.into_iter().filter(|(_, list)| !list.is_empty());
        let notices =
            notices.map(|(words, list)| format!("as in {}: {words}: {}", self.name, list.join(", "))).collect();
        let fields = pairs()
            .map(|(at, (name, kind))| {
                let own = at.and_then(|i| columns.get(i)).map_or(DataType::Utf8, |c| type_of_field(&c.field));
                field_of(Field::new(name.clone(), DataType::Utf8, true), &kind.clone().unwrap_or(own))
            })
            .collect();
        Fitting { sources, fields, notices }
    }
}

struct Bringing {
    fitting: Fitting,
    geometry: Option<usize>,
    model: String,
    schema: SchemaRef,
}

impl Work for Bringing {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let records = rows.records();
        let mut columns: Vec<ArrayRef> = Vec::with_capacity(self.schema.fields().len());
        for (at, field) in self.fitting.sources.iter().zip(&self.fitting.fields) {
            let array = at.map(|i| records.column(i));
            columns.push(converted(array, rows.len(), field, &mut |row, text| {
                let reason = format!(
                    "column \"{}\": \"{text}\" is no {}, which {} has there",
                    field.name(),
                    words(&type_of_field(field)),
                    self.model
                );
                account.set_aside(row, Reason::DOES_NOT_FIT_THE_MODEL, reason);
            }));
        }
        columns.extend(self.geometry.map(|at| records.column(at).clone()));
        rows.with_columns(&self.schema, columns)
    }
}

/// The type of a kind of values; none for a column without values.
fn type_of(kind: ValueKind) -> Option<DataType> {
    match kind {
        ValueKind::Integer => Some(DataType::Int64),
        ValueKind::Real => Some(DataType::Float64),
        ValueKind::Boolean => Some(DataType::Boolean),
        ValueKind::Text => Some(DataType::Utf8),
        ValueKind::Date => Some(Moment::Date.data_type()),
        ValueKind::DateTime { utc } => Some(Moment::DateTime { utc }.data_type()),
        _ => None,
    }
}

fn words(t: &DataType) -> &'static str {
    match t {
        DataType::Int64 => "whole number",
        DataType::Float64 => "number",
        DataType::Boolean => "true or false",
        DataType::Date32 => "date",
        DataType::Timestamp(_, None) => "date with a time",
        DataType::Timestamp(..) => "date with a time in universal time",
        _ => "text",
    }
}

/// The type of a field, that of dates and times included.
fn type_of_field(field: &Field) -> DataType {
    Moment::of_field(field).map_or_else(|| field.data_type().clone(), Moment::data_type)
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
    let moment = Moment::of_field(field);
    if array.data_type() == field.data_type() && moment.is_none() {
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
        _ if moment.is_some() => {
            let same = |t: &str| (Moment::of(t) == moment).then(|| t.to_string());
            Arc::new(read(&texts, same, unfit).into_iter().collect::<StringArray>())
        }
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

    fn model(required: &[(&str, Option<DataType>)]) -> Model {
        Model {
            required: required.iter().map(|(n, t)| (n.to_string(), t.clone())).collect(),
            name: "model.gpkg".into(),
        }
    }

    fn columns(names: &[&str]) -> Columns {
        let mut columns = Columns::default();
        names.iter().for_each(|n| columns.push(Column::added(*n, DataType::Utf8)));
        columns
    }

    #[test]
    fn names_types_and_what_is_told_of_them() {
        let m = model(&[("width", Some(DataType::Float64)), ("Gate_ID", Some(DataType::Int64)), ("owner", None)]);
        let fit = m.fit(&columns(&["gate id", "WIDTH", "note"]));
        assert_eq!(fit.sources, [Some(1), Some(0), None]);
        assert_eq!(
            fit.notices,
            [
                "as in model.gpkg: columns that are missing and stay empty: owner",
                "as in model.gpkg: columns that are left over and left out: note",
                "as in model.gpkg: columns that differ in their names: WIDTH is width, gate id is Gate_ID",
            ]
        );
    }

    #[test]
    fn values_that_do_not_fit_are_told() {
        let texts: ArrayRef = Arc::new(StringArray::from(vec![Some("1"), Some("2.0"), None, Some("x")]));
        let mut unfit = Vec::new();
        let out = converted(Some(&texts), 4, &Field::new("n", DataType::Int64, true), &mut |row, text| {
            unfit.push((row, text.to_string()));
        });
        assert_eq!((cell_text(&out, 0), cell_text(&out, 1), cell_text(&out, 2)), ("1".into(), "2".into(), "".into()));
        assert_eq!(unfit, [(3, "x".to_string())]);
    }

    #[test]
    fn a_name_that_is_the_same_wins_over_one_that_is_alike() {
        let fit = model(&[("W_IDTH", None), ("WIDTH", None)]).fit(&columns(&["gate id", "WIDTH", "note"]));
        assert_eq!(fit.sources, [None, Some(1)]);
        assert_eq!((whole("12.00"), whole("12.5"), truth("Yes"), truth("2")), (Some(12), None, Some(true), None));
    }
}
