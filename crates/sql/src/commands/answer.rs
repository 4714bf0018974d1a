//! Queries and their rows, as a person reads them.

use basilocus::table::geometry::{wkb, wkt};
use basilocus_sql::ledger::SessionLedger;
use clap::{Args, ValueEnum};
use datafusion::arrow::array::{ArrayRef, AsArray, RecordBatch, StringArray};
use datafusion::arrow::csv::WriterBuilder;
use datafusion::arrow::datatypes::{DataType, Field, Schema};
use datafusion::arrow::util::pretty::pretty_format_batches;
use datafusion::prelude::SessionContext;
use futures::StreamExt;
use std::io::Write;
use std::sync::Arc;

/// What is asked, and how it is answered.
#[derive(Debug, Args)]
pub(crate) struct Question {
    /// The query; several, parted by `;`, are run one after the other
    query: String,
    /// A setting, such as on_failure=null or reference=town.reference; may be given several times
    #[arg(long = "set", value_name = "NAME=VALUE")]
    settings: Vec<String>,
    /// How rows are printed: a table of at most 100 rows, or all of them as text with commas
    #[arg(long, value_enum, default_value_t = Form::Table)]
    form: Form,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Form {
    Table,
    Csv,
}

/// Rows of a printed table.
const SHOWN: usize = 100;

/// Runs a question and prints its answer.
pub(crate) async fn answer(
    context: &SessionContext,
    ledger: &SessionLedger,
    scheduler: Option<(&str, u16)>,
    question: &Question,
) -> anyhow::Result<()> {
    for setting in &question.settings {
        let (name, value) =
            setting.split_once('=').ok_or_else(|| anyhow::anyhow!("--set {setting}: NAME=VALUE is expected"))?;
        // Those of the engine have their own beginning.
        let name = if name.contains('.') { name.to_string() } else { format!("basilocus.{name}") };
        context.sql(&format!("SET {name} = '{}'", value.replace('\'', "''"))).await?.collect().await?;
    }
    let statements = datafusion::sql::parser::DFParser::parse_sql(&question.query)?;
    for statement in statements {
        let plan = context.state().statement_to_plan(statement).await?;
        let mut running = basilocus_sql::run(context.execute_logical_plan(plan).await?).await?;
        let (mut kept, mut count) = (Vec::new(), 0);
        let mut out = std::io::stdout().lock();
        while let Some(batch) = running.rows.next().await {
            let batch = readable(&batch.inspect_err(|_| running.clear())?)?;
            match question.form {
                Form::Csv => {
                    WriterBuilder::new().with_header(count == 0).build(&mut out).write(&flat(&batch)?)?;
                }
                Form::Table if count < SHOWN => kept.push(batch.slice(0, batch.num_rows().min(SHOWN - count))),
                Form::Table => {}
            }
            count += batch.num_rows();
        }
        if question.form == Form::Table && kept.iter().any(|b| b.num_columns() > 0) {
            writeln!(out, "{}", pretty_format_batches(&kept)?)?;
            match count {
                1 => writeln!(out, "1 row")?,
                n if n > SHOWN => writeln!(out, "{n} rows, of which {SHOWN} are shown")?,
                n => writeln!(out, "{n} rows")?,
            }
        }
        let is_new = match scheduler {
            Some((host, port)) => ledger.set(basilocus_sql::cluster::client::ledger(&running, host, port).await?),
            None => running.enter(ledger),
        };
        if is_new {
            ledger.words().iter().for_each(|line| eprintln!("set aside by {line}"));
        }
    }
    Ok(())
}

/// Geometries as well-known text.
fn readable(batch: &RecordBatch) -> anyhow::Result<RecordBatch> {
    let is_geometry = |f: &Field| f.metadata().get("ARROW:extension:name").is_some_and(|n| n == "geoarrow.wkb");
    let mut columns: Vec<ArrayRef> = Vec::new();
    let mut fields: Vec<Field> = Vec::new();
    for (field, column) in batch.schema().fields().iter().zip(batch.columns()) {
        if !is_geometry(field) {
            columns.push(column.clone());
            fields.push(field.as_ref().clone());
            continue;
        }
        let bytes = datafusion::arrow::compute::cast(column, &DataType::Binary)?;
        let bytes = bytes.as_binary::<i32>();
        let text = |b: Option<&[u8]>| b.map(|b| wkb::read(b).map_or_else(|e| e.to_string(), |g| wkt::write(&g)));
        let texts: StringArray = bytes.iter().map(text).collect();
        columns.push(Arc::new(texts));
        fields.push(Field::new(field.name(), DataType::Utf8, true));
    }
    Ok(RecordBatch::try_new(Arc::new(Schema::new(fields)), columns)?)
}

/// Structs column by column: text with commas has no place for them.
fn flat(batch: &RecordBatch) -> anyhow::Result<RecordBatch> {
    let (mut columns, mut fields): (Vec<ArrayRef>, Vec<Field>) = (Vec::new(), Vec::new());
    for (field, column) in batch.schema().fields().iter().zip(batch.columns()) {
        match column.as_struct_opt() {
            Some(whole) => {
                for (inner, values) in whole.fields().iter().zip(whole.columns()) {
                    fields.push(inner.as_ref().clone().with_name(format!("{}_{}", field.name(), inner.name())));
                    columns.push(values.clone());
                }
            }
            None => {
                fields.push(field.as_ref().clone());
                columns.push(column.clone());
            }
        }
    }
    Ok(RecordBatch::try_new(Arc::new(Schema::new(fields)), columns)?)
}
