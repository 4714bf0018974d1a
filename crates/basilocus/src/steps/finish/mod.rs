//! From the end of the steps to the form that a format takes: the types of its columns, its geometry, how it is shown.
//!
//! | module | what is in it |
//! |---|---|
//! | `types` | types of columns of text, decided by all their values |
//! | `wgs84` | positions for the formats that are always in WGS 84 |
//! | `show` | folders, names, icons and colours |

mod show;
mod types;
mod wgs84;

pub(crate) use show::check as check_show;
pub(crate) use types::{Types, TypesSurvey};
pub(crate) use wgs84::AlwaysWgs84;

use crate::Error;
use crate::engine::{Columns, Placed, Rows};
use crate::plan::ShowPlan;
use arrow_array::{ArrayRef, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use basilocus_formats::{ColumnStyle, CrsText, Format, LayerOut};
use basilocus_geodesy::crs::{Catalogue, Crs, wkt};
use basilocus_table::batch::point_field;
use basilocus_table::geometry::{geometry_field, wkt as text};
use basilocus_table::{Batch, POINT_COLUMN};
use std::sync::Arc;

/// What an output has as its geometry.
#[derive(Debug, Clone, Copy, PartialEq)]
enum GeometryForm {
    /// Nothing: the format has no place for it.
    None,
    /// As the steps left it.
    AsItIs,
    /// Brought to WGS 84.
    InWgs84,
    /// Well-known text with so many decimals.
    Text(usize),
}

/// Rows at the end of the steps, in the form that an output takes.
pub(crate) struct Finish {
    layer: LayerOut,
    /// Places of the columns that are no geometry.
    places: Vec<usize>,
    types: Option<Arc<Types>>,
    geometry: GeometryForm,
}

/// Whether values of text get their types in a format.
pub(crate) fn is_typed(format: Format) -> bool {
    format != Format::Delimited
}

fn geometry_form(columns: &Columns, format: Format) -> GeometryForm {
    let Some(placed) = columns.placed() else { return GeometryForm::None };
    match format {
        _ if format.is_always_wgs84() && placed.crs.code != Some(4326) => GeometryForm::InWgs84,
        _ if format.holds_geometry() => GeometryForm::AsItIs,
        // A tenth of a millimetre.
        Format::Delimited | Format::Xlsx if columns.has_shapes() => {
            GeometryForm::Text(if placed.crs.is_geographic() { 9 } else { 4 })
        }
        _ => GeometryForm::None,
    }
}

/// A system in the texts that formats want.
pub(crate) fn crs_text(crs: &Crs) -> Result<CrsText, Error> {
    Ok(CrsText {
        code: crs.code,
        name: crs.name.clone(),
        wkt: wkt::wkt1(crs).or_else(|_| wkt::wkt2(crs))?,
        wkt2: wkt::wkt2(crs).ok(),
        geographic: crs.is_geographic(),
        north_first: crs.north_first(),
    })
}

/// The system of an output's geometry.
fn system_of(placed: &Placed, form: GeometryForm) -> Result<Crs, Error> {
    Ok(match form {
        GeometryForm::InWgs84 => Catalogue::embedded().get(4326)?,
        _ => placed.crs.clone(),
    })
}

impl Finish {
    /// Says whether rows say the name of their layer.
    pub(crate) fn set_names_layer(&mut self, names_layer: bool) {
        self.layer.show.names_layer = names_layer;
    }

    /// For an output; `types` are those of the open columns, where the format wants them.
    pub(crate) fn new(
        columns: &Columns,
        name: &str,
        format: Format,
        types: Option<Arc<Types>>,
        show: &ShowPlan,
    ) -> Result<Self, Error> {
        let types = types.filter(|_| is_typed(format));
        let (mut fields, mut styles, mut places) = (Vec::new(), Vec::new(), Vec::new());
        for (at, column) in columns.iter().enumerate().filter(|(_, c)| !c.is_geometry()) {
            let mut style = column.style.clone();
            if format == Format::Xlsx && style.digits.is_some() {
                style.digits = column.shown_digits.or(style.digits);
            }
            let decided = types.as_ref().and_then(|t| t.of(column));
            fields.push(decided.map_or_else(|| column.field.clone(), |t| t.field(&column.field)));
            styles.push(decided.map_or(style, |t| t.style.clone()));
            places.push(at);
        }
        let geometry = geometry_form(columns, format);
        let mut crs = None;
        if let Some(placed) = columns.placed()
            && (geometry != GeometryForm::None || !format.holds_geometry())
        {
            let system = system_of(placed, geometry)?;
            crs = Some(crs_text(&system)?);
            let code = crate::coordinates::system::text_of(&system)?;
            let field = match geometry {
                GeometryForm::None => None,
                GeometryForm::Text(_) => Some(Field::new(POINT_COLUMN, DataType::Utf8, true)),
                _ if columns.has_shapes() => Some(geometry_field(Some(&code))),
                _ => Some(point_field(Some(&code), columns.has_heights())),
            };
            styles.extend(field.is_some().then_some(ColumnStyle { digits: None, longest: None }));
            fields.extend(field);
        }
        let names: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
        let show = show::presentation(show, &names)?;
        let schema = Arc::new(Schema::new(fields));
        Ok(Finish { layer: LayerOut { name: name.to_string(), schema, styles, crs, show }, places, types, geometry })
    }

    /// The layer as the output takes it.
    pub(crate) fn layer(&self) -> &LayerOut {
        &self.layer
    }

    /// The columns that leave.
    fn schema(&self) -> &SchemaRef {
        &self.layer.schema
    }

    /// Rows in this form.
    pub(crate) fn apply(&self, rows: &Rows) -> Result<Batch, Error> {
        let records = rows.records();
        let schema = self.schema();
        let mut columns: Vec<ArrayRef> = Vec::with_capacity(schema.fields().len());
        for (at, field) in self.places.iter().zip(schema.fields()) {
            let column = records.column(*at);
            let typed = self.types.as_ref().and_then(|_| types::cast(column, field.data_type()));
            columns.push(typed.unwrap_or_else(|| column.clone()));
        }
        columns.extend(self.geometry_column(rows)?);
        Batch::new(schema.clone(), columns, rows.source_rows().to_vec())
            .map_err(|e| Error::Defect(format!("an output is no table: {e}")))
    }

    fn geometry_column(&self, rows: &Rows) -> Result<Option<ArrayRef>, Error> {
        let missing = || Error::Defect("the geometry of an output is missing".into());
        Ok(match self.geometry {
            GeometryForm::None => None,
            GeometryForm::AsItIs => Some(rows.geometry().cloned().ok_or_else(missing)?),
            GeometryForm::InWgs84 => Some(rows.in_wgs84.clone().ok_or_else(missing)?),
            GeometryForm::Text(digits) => {
                let shapes = rows.shapes().ok_or_else(missing)?;
                let texts = (0..rows.len()).map(|row| shapes.get(row).map(|g| text::write_rounded(&g, digits)));
                Some(Arc::new(texts.collect::<StringArray>()))
            }
        })
    }
}
