//! The table function that reads layers.

use super::{LayerSource, LayerTable, files, geo_parquet};
use crate::Error;
use datafusion::catalog::{TableFunctionArgs, TableFunctionImpl, TableProvider};
use datafusion::common::Result;
use datafusion::logical_expr::Expr;
use std::sync::Arc;

/// `read_layer('FILE'[, 'LAYER'[, 'SYSTEM']])`: the rows of a file, of all files of a folder, or of those that a pattern fits
/// (`parts/*.csv`). The layer is that of a GeoPackage, workbook or document with several; the system that of geometries whose
/// file says none. An empty text stands for what is not said.
///
/// Columns of text have the types that all their values have, so that a query may be planned: files that do not know them are
/// read once for it. Coordinates in columns stay columns; `ST_Point(lon, lat, 4326)` makes geometries of them.
#[derive(Debug)]
pub struct ReadLayer;

impl ReadLayer {
    /// The name in queries.
    pub const NAME: &str = "read_layer";
}

impl TableFunctionImpl for ReadLayer {
    fn call_with_args(&self, args: TableFunctionArgs) -> Result<Arc<dyn TableProvider>> {
        let refuse = |what: String| Error::Call { function: ReadLayer::NAME, what };
        let texts = args.exprs().iter().enumerate().map(|(at, e)| match e {
            Expr::Literal(value, _) => Ok(match value.try_as_str() {
                Some(text) => text.unwrap_or_default().to_string(),
                None => value.to_string(),
            }),
            _ => Err(refuse(format!("argument {} is {e}: a text in quotes is expected", at + 1))),
        });
        let texts = texts.collect::<Result<Vec<String>, Error>>()?;
        let [file, rest @ ..] = texts.as_slice() else {
            return Err(refuse("no file is said; read_layer('FILE'[, 'LAYER'[, 'SYSTEM']]) is expected".into()).into());
        };
        if rest.len() > 2 {
            return Err(refuse(format!(
                "{} arguments are given; read_layer('FILE'[, 'LAYER'[, 'SYSTEM']]) is expected",
                texts.len()
            ))
            .into());
        }
        let said = |at: usize| rest.get(at).filter(|t| !t.trim().is_empty()).cloned();
        let found = files::named(file)?;
        if let Some(table) = geo_parquet::table(&found, said(1))? {
            return Ok(table);
        }
        Ok(Arc::new(LayerTable::of(LayerSource::look(found, said(0), said(1))?)?))
    }
}
