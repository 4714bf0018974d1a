//! A layer and what happens to it, call by call: the same steps in the same order as a plan's, by their names.

use crate::Error;
use crate::engine::{BoundStep, Cancel, Chain, Part, RecordReceiver, RecordStream, Records, Run, RunOptions, run};
use crate::plan::{InputPlan, LayerPlan, OperationPlan, OutputPlan, Plan, ShowPlan};
use crate::report::Report;
use crate::steps::finish::{Finish, Types};
use crate::steps::{
    Drop, Extent, Geocode, Heights, Inside, Join, Keep, Like, Lines, Measure, Nearest, Polygons, Positions, Rename,
    Set, Step, StepPlan, To, Trim, Values, Vertices,
};
use arrow_array::{Array, RecordBatch};
use arrow_schema::SchemaRef;
use basilocus_formats::{Decoded, Format, FormatError};
use basilocus_table::{Batch, SetAsideRow};
use crossbeam_channel::{Receiver, bounded};
use std::collections::BTreeMap;
use std::io::Read;
use std::path::PathBuf;
use std::sync::Arc;
use std::thread::JoinHandle;

/// A layer on its way from a source to outputs.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::steps::Positions;
///
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("gates.csv"), "gate,lon,lat\nNorth,-123.8,46.2\nLost,-123.8,95\n")?;
/// let gates = Layer::open(folder.path().join("gates.csv"))?.positions(Positions::in_system("EPSG:4326")?);
/// let report = gates.to("EPSG:2269")?.drop(["lon", "lat"]).write(folder.path().join("gates.gpkg"))?.run()?;
/// assert_eq!((report.rows_in, report.rows_out), (2, 1));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct Layer {
    plan: LayerPlan,
    outputs: Vec<OutputPlan>,
    set_aside: Option<PathBuf>,
    split_by: Option<String>,
    date: Option<String>,
    /// What was read from a reader waits there, and goes with the layer.
    _spooled: Option<Arc<tempfile::TempPath>>,
}

impl Layer {
    /// The layer of a file, an address on the web, or standard input (`-`).
    ///
    /// # Errors
    /// Where there is no such file.
    pub fn open(source: impl Into<PathBuf>) -> Result<Self, Error> {
        let source = source.into();
        if !basilocus_formats::is_standard(&source) && !basilocus_formats::is_address(&source) {
            std::fs::metadata(&source).map_err(|e| FormatError::read(&source, e))?;
        }
        Ok(Layer::of(LayerPlan::new(source)))
    }

    /// The layer of bytes that are read to their end into a temporary file. `format` says what they are where their
    /// content leaves it open.
    ///
    /// # Errors
    /// Where they cannot be read, or not be kept.
    pub fn from_reader(mut bytes: impl Read, format: Format) -> Result<Self, Error> {
        let failed = |e| FormatError::write(&std::env::temp_dir(), e);
        let suffix = format!(".{}", format.endings().first().unwrap_or(&"txt"));
        let mut file = tempfile::Builder::new().suffix(&suffix).tempfile().map_err(failed)?;
        std::io::copy(&mut bytes, &mut file).map_err(failed)?;
        let path = file.into_temp_path();
        let plan = LayerPlan { name: Some("layer".into()), ..LayerPlan::new(&*path) };
        Ok(Layer { _spooled: Some(Arc::new(path)), ..Layer::of(plan) })
    }

    /// The layer of rows in memory.
    ///
    /// # Errors
    /// [`Error::Data`] where the batches differ in their columns, or hold types that no format takes.
    ///
    /// ```
    /// use basilocus::Layer;
    /// use basilocus::arrow::array::{Float64Array, RecordBatch};
    /// use basilocus::steps::Positions;
    /// use std::sync::Arc;
    ///
    /// let lon = Arc::new(Float64Array::from(vec![-123.8])) as _;
    /// let lat = Arc::new(Float64Array::from(vec![46.2])) as _;
    /// let gates = RecordBatch::try_from_iter([("lon", lat), ("lat", lon)])?;
    /// let swapped = Layer::from_records("gates", vec![gates])?.positions(Positions::in_system("EPSG:4326")?);
    /// let mut rows = swapped.rows()?;
    /// assert_eq!(rows.next().unwrap()?.set_aside.len(), 1, "-123.8 is no latitude");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn from_records(name: &str, records: Vec<RecordBatch>) -> Result<Self, Error> {
        crate::engine::memory::MemoryReader::of(name, &records)?;
        Ok(Layer::of_records(name, Records::Kept(Arc::new(records))))
    }

    /// The layer of rows that somebody else makes meanwhile, with these columns. They come once: steps and formats that have to
    /// see all rows before they begin are refused. An error in the place of a batch ends the run with nothing written.
    ///
    /// # Errors
    /// [`Error::Data`] where columns hold types that no format takes.
    pub fn from_stream(name: &str, schema: SchemaRef, batches: RecordReceiver) -> Result<Self, Error> {
        Ok(Layer::of_records(name, Records::Stream(RecordStream::new(schema, batches)?)))
    }

    fn of_records(name: &str, records: Records) -> Self {
        Layer::of(LayerPlan { name: Some(name.to_string()), records: Some(records), ..LayerPlan::new(name) })
    }

    /// The layer of a plan.
    pub fn of(plan: LayerPlan) -> Self {
        Layer { plan, outputs: Vec::new(), split_by: None, set_aside: None, date: None, _spooled: None }
    }

    /// Says the name of the layer in outputs.
    pub fn named(mut self, name: impl Into<String>) -> Self {
        self.plan.name = Some(name.into());
        self
    }

    /// Says how the file is read.
    pub fn reading(mut self, input: InputPlan) -> Self {
        self.plan.input = input;
        self
    }

    /// Says which way is taken between systems.
    pub fn by_way_of(mut self, operation: OperationPlan) -> Self {
        self.plan.operation = operation;
        self
    }

    /// Says how rows are shown.
    pub fn shown(mut self, show: ShowPlan) -> Self {
        self.plan.show = show;
        self
    }

    /// Says the day that is written into outputs, `YYYY-MM-DD`.
    ///
    /// # Errors
    /// Where that is no day.
    pub fn dated(mut self, day: &str) -> Result<Self, Error> {
        self.date = Some(crate::plan::day(Some(day))?);
        Ok(self)
    }

    /// Adds a step of the caller's own.
    pub fn step(self, step: impl Step + 'static) -> Self {
        self.then(StepPlan::own(step))
    }

    /// Adds a step.
    pub fn then(mut self, step: impl Into<StepPlan>) -> Self {
        self.plan.steps.push(step.into());
        self
    }

    /// Says where the data should be: limits in degrees (`-124,46,-123,47`), a place in words, the path of a layer. Nothing is
    /// set aside for it; what lies elsewhere is a doubt, with what would explain it.
    pub fn expect(mut self, place: impl Into<String>) -> Self {
        self.plan.expect = Some(place.into());
        self
    }

    /// Reads positions.
    pub fn positions(self, positions: Positions) -> Self {
        self.then(positions)
    }

    /// Matches addresses, against a [`Reference`](crate::address::Reference) or by all that can be said of matching.
    ///
    /// # Errors
    /// Where a reference cannot be opened.
    pub fn geocode(self, geocode: impl Into<Geocode>) -> Result<Self, Error> {
        let geocode = geocode.into();
        for path in &geocode.reference {
            basilocus_address::Reference::open_all(path)?;
        }
        Ok(self.then(geocode))
    }

    /// Finds the nearest address to each position.
    pub fn nearest(self, nearest: Nearest) -> Self {
        self.then(nearest)
    }

    /// Makes lines of points.
    pub fn lines(self, lines: Lines) -> Self {
        self.then(lines)
    }

    /// Makes polygons of points.
    pub fn polygons(self, polygons: Polygons) -> Self {
        self.then(polygons)
    }

    /// Makes points of the positions of lines and polygons.
    pub fn vertices(self) -> Self {
        self.then(Vertices {})
    }

    /// Chooses rows by their values: `COLUMN=VALUE`, several values parted by `|`, and comparisons (see [`crate::steps::Values`]).
    pub fn values<S: Into<String>>(self, conditions: impl IntoIterator<Item = S>) -> Self {
        self.then(Values(conditions.into_iter().map(Into::into).collect()))
    }

    /// Chooses rows between meridians and parallels: west, south, east, north in degrees of WGS 84.
    ///
    /// # Errors
    /// As [`Extent::new`].
    pub fn extent(self, edges: [f64; 4]) -> Result<Self, Error> {
        Ok(self.then(Extent::new(edges)?))
    }

    /// Chooses rows inside the polygons of a layer.
    ///
    /// # Errors
    /// Where there is no such file.
    pub fn inside(self, areas: impl Into<PathBuf>) -> Result<Self, Error> {
        let areas = areas.into();
        std::fs::metadata(&areas).map_err(|e| FormatError::read(&areas, e))?;
        Ok(self.then(Inside { areas, ..Default::default() }))
    }

    /// Measures lengths and areas.
    pub fn measure(self) -> Self {
        self.then(Measure::default())
    }

    /// Reads heights of a grid.
    ///
    /// # Errors
    /// Where there is no such file.
    pub fn heights(self, grid: impl Into<PathBuf>) -> Result<Self, Error> {
        let grid = grid.into();
        std::fs::metadata(&grid).map_err(|e| FormatError::read(&grid, e))?;
        Ok(self.then(Heights::of(grid)))
    }

    /// Brings positions to a system, and writes coordinates in columns.
    ///
    /// # Errors
    /// Where the text names no system.
    pub fn to(self, crs: &str) -> Result<Self, Error> {
        Ok(self.then(To::system(crs)?))
    }

    /// Makes a column of others, with a blank between them.
    pub fn join<S: Into<String>>(self, name: impl Into<String>, columns: impl IntoIterator<Item = S>) -> Self {
        let columns = columns.into_iter().map(Into::into).collect();
        self.then(Join { name: name.into(), columns, separator: " ".into() })
    }

    /// Adds a column with one value, or fills the empty cells of one that is there.
    pub fn set(self, name: impl Into<String>, value: impl Into<String>) -> Self {
        self.then(Set(BTreeMap::from([(name.into(), value.into())])))
    }

    /// Gives a column another name.
    pub fn rename(self, old: impl Into<String>, new: impl Into<String>) -> Self {
        self.then(Rename(BTreeMap::from([(old.into(), new.into())])))
    }

    /// Takes white space off.
    pub fn trim(self) -> Self {
        self.then(Trim {})
    }

    /// Leaves columns out.
    pub fn drop<S: Into<String>>(self, columns: impl IntoIterator<Item = S>) -> Self {
        self.then(Drop(columns.into_iter().map(Into::into).collect()))
    }

    /// Keeps columns, in this order, and leaves the others out.
    pub fn keep<S: Into<String>>(self, columns: impl IntoIterator<Item = S>) -> Self {
        self.then(Keep { columns: columns.into_iter().map(Into::into).collect(), and_added: false })
    }

    /// Brings the columns to those of another layer.
    pub fn like(self, model: impl Into<PathBuf>) -> Self {
        self.then(Like(model.into()))
    }

    /// Parts all outputs by the values of a column: one file each.
    pub fn split_by(mut self, column: impl Into<String>) -> Self {
        self.split_by = Some(column.into());
        self
    }

    /// Adds an output; its ending says the format.
    ///
    /// # Errors
    /// For an ending that no format has.
    pub fn write(mut self, file: impl Into<PathBuf>) -> Result<Self, Error> {
        let file = file.into();
        if Format::of_ending(&file).is_none() {
            return Err(FormatError::OutputFormat { path: file }.into());
        }
        self.outputs.push(OutputPlan::new(file));
        Ok(self)
    }

    /// Writes rows set aside to this `.csv` file, in place of the one beside the output.
    pub fn set_aside(mut self, file: impl Into<PathBuf>) -> Self {
        self.set_aside = Some(file.into());
        self
    }

    /// The plan of this layer alone: what [`Layer::run`] does.
    pub fn plan(&self) -> Plan {
        let outputs = self.outputs.iter().map(|o| OutputPlan { split_by: self.split_by.clone(), ..o.clone() });
        Plan {
            accept: Vec::new(),
            basilocus_plan: crate::plan::VERSION,
            date: self.date.clone(),
            layers: vec![self.plan.clone()],
            outputs: outputs.collect(),
            set_aside: self.set_aside.clone(),
        }
    }

    /// Does it all. Outputs that exist are not replaced.
    ///
    /// # Errors
    /// As [`run`].
    pub fn run(&self) -> Result<Report, Error> {
        self.run_with(&RunOptions::default())
    }

    /// Does it all, as the options say.
    ///
    /// # Errors
    /// As [`run`].
    pub fn run_with(&self, options: &RunOptions) -> Result<Report, Error> {
        run(&self.plan(), options)
    }

    /// The rows at the end of the steps, as they come: Arrow record batches, each with the rows that were set aside on
    /// the way. They are made on a thread of their own, which ends when the iterator goes.
    ///
    /// # Errors
    /// Everything that can be wrong before a row is read.
    pub fn rows(&self) -> Result<LayerRows, Error> {
        LayerRows::start(self.clone(), None)
    }

    /// The columns at the end of the steps, those of text as they are read.
    ///
    /// # Errors
    /// Everything that can be wrong before a row is read.
    pub fn columns(&self) -> Result<SchemaRef, Error> {
        Ok(Chain::open(&self.plan, &Run::quiet(&Cancel::default()))?.columns().schema())
    }

    /// The layer with the type of each column that all its values have, as GeoPackages and workbooks get them: a pass over all
    /// rows where the source does not know them. Its own geometry is a column of it, in the system that the file says.
    ///
    /// ```
    /// use basilocus::Layer;
    /// use basilocus::arrow::schema::DataType;
    /// use basilocus::formats::Format;
    ///
    /// let gates = "gate,width,code\nNorth,1.5,007\nSouth,2,012\n";
    /// let layer = Layer::from_reader(gates.as_bytes(), Format::Delimited)?.typed()?;
    /// let types: Vec<&DataType> = layer.schema().fields().iter().map(|f| f.data_type()).collect();
    /// assert_eq!(types, [&DataType::Utf8, &DataType::Float64, &DataType::Utf8], "a code is no number");
    /// let rows: usize = layer.rows()?.map(|block| block.unwrap().records.num_rows()).sum();
    /// assert_eq!(rows, 2);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// Everything that can be wrong before a row is read, or while all are looked at.
    pub fn typed(&self) -> Result<TypedLayer, Error> {
        TypedLayer::of(self.clone())
    }

    /// Binds the steps to the columns of the source, so that rows that somebody else has go through them, on any thread.
    /// One empty batch is enough of a source ([`Layer::from_records`]).
    ///
    /// ```
    /// use basilocus::Layer;
    /// use basilocus::arrow::array::{Float64Array, RecordBatch};
    /// use basilocus::steps::Positions;
    /// use std::sync::Arc;
    ///
    /// let batch = |lon: Vec<f64>, lat: Vec<f64>| {
    ///     let column = |values| Arc::new(Float64Array::from(values)) as _;
    ///     RecordBatch::try_from_iter([("lon", column(lon)), ("lat", column(lat))])
    /// };
    /// let empty = batch(vec![], vec![])?;
    /// let steps = Layer::from_records("gates", vec![empty])?.positions(Positions::in_system("EPSG:4326")?).bind()?;
    /// let block = steps.apply(batch(vec![-123.8, -123.7], vec![46.2, 95.0])?)?;
    /// assert_eq!((block.source_rows, block.set_aside[0].source_row), (vec![1], 2));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// Everything that can be wrong before a row is read, and [`Error::Usage`] for steps that have to see all rows first.
    pub fn bind(&self) -> Result<BoundSteps, Error> {
        let cancel = Cancel::default();
        BoundSteps::of(Chain::open(&self.plan, &Run::quiet(&cancel))?)
    }
}

/// A layer whose columns have their types.
#[derive(Debug, Clone)]
pub struct TypedLayer {
    layer: Layer,
    schema: SchemaRef,
}

impl TypedLayer {
    fn of(layer: Layer) -> Result<Self, Error> {
        let cancel = Cancel::default();
        let run = Run::quiet(&cancel);
        let mut chain = Chain::open(&layer.plan, &run)?;
        // A geometry of the file's own is placed by what the file says.
        if chain.columns().geometry().is_some() && chain.columns().placed().is_none() {
            return TypedLayer::of(layer.positions(Positions::default()));
        }
        chain.survey(&run)?;
        let types = if chain.reader.about().typed { Types::default() } else { chain.types(&run)?.types() };
        let finish = finish(&chain, types)?;
        Ok(TypedLayer { layer, schema: finish.layer().schema.clone() })
    }

    /// The columns.
    pub fn schema(&self) -> &SchemaRef {
        &self.schema
    }

    /// The steps that lead to it.
    pub fn layer(&self) -> &Layer {
        &self.layer
    }

    /// The same layer with columns that are known from elsewhere, so that no pass has to find them: those of the same source,
    /// or types into which all its values fit.
    ///
    /// # Errors
    /// [`Error::Data`] where the columns have other names.
    pub fn known(layer: &Layer, schema: SchemaRef) -> Result<Self, Error> {
        let chain = Chain::open(&layer.plan, &Run::quiet(&Cancel::default()))?;
        let names = |s: &SchemaRef| s.fields().iter().map(|f| f.name().clone()).collect::<Vec<_>>().join(", ");
        let found = finish(&chain, Types::of_schema(&schema, chain.columns()))?;
        if names(&found.layer().schema) != names(&schema) {
            return Err(Error::Data(format!(
                "{}: has the columns {}, and {} are expected",
                layer.plan.source.display(),
                names(&found.layer().schema),
                names(&schema)
            )));
        }
        Ok(TypedLayer { layer: layer.clone(), schema })
    }

    /// The rows as they come ([`Layer::rows`]). A value that does not have the type of its column ends them with an error: the
    /// source is not what it was when its types were found.
    ///
    /// # Errors
    /// Everything that can be wrong before a row is read.
    pub fn rows(&self) -> Result<LayerRows, Error> {
        LayerRows::start(self.layer.clone(), Some(self.schema.clone()))
    }
}

/// Rows with the types of their columns.
fn finish(chain: &Chain, types: Types) -> Result<Finish, Error> {
    Finish::new(chain.columns(), "layer", Format::Parquet, Some(Arc::new(types)), &ShowPlan::default())
}

/// A block of rows whose columns have their types.
fn typed_block(finish: &Finish, part: Part, source: &std::path::Path) -> Result<Block, Error> {
    let batch = finish.apply(&part.rows)?;
    for (field, column) in batch.records().schema_ref().fields().iter().zip(batch.records().columns()) {
        let Some(before) = part.rows.column(field.name()).filter(|b| b.data_type() != column.data_type()) else {
            continue;
        };
        let texts = basilocus_table::text_column(before);
        let lost = |row: &usize| column.is_null(*row) && !texts.value(*row).trim().is_empty();
        if let Some(row) = (0..batch.len()).find(lost) {
            return Err(Error::Data(format!(
                "{}: row {}, column {}: \"{}\" is no {}, which all values of the column were when they were looked at; the file is another one now, or differs between machines",
                source.display(),
                part.rows.source_rows()[row],
                field.name(),
                texts.value(row),
                column.data_type()
            )));
        }
    }
    Ok(Block { records: batch.records().clone(), ..Block::from(part) })
}

/// The steps of a layer, bound to its columns: rows that somebody else has go through them, in any order.
pub struct BoundSteps {
    start: SchemaRef,
    steps: Vec<BoundStep>,
}

impl BoundSteps {
    fn of(chain: Chain) -> Result<Self, Error> {
        let start = chain.reader.schema();
        let steps = chain.into_steps();
        match steps.iter().find_map(|s| s.work.survey().map(|purpose| (&s.name, purpose))) {
            Some((name, purpose)) => Err(Error::Usage(format!(
                "{name} has to see all rows first ({purpose}), so it cannot be bound to columns alone"
            ))),
            None => Ok(BoundSteps { start, steps }),
        }
    }

    /// The columns at the end of the steps.
    pub fn schema(&self) -> SchemaRef {
        self.steps.last().map_or_else(|| self.start.clone(), |s| s.schema.clone())
    }

    /// Brings rows through the steps; they are counted from 1.
    ///
    /// # Errors
    /// [`Error::Data`] for other columns than those that the steps are bound to, and what ends a run.
    pub fn apply(&self, records: RecordBatch) -> Result<Block, Error> {
        let fits = |a: &SchemaRef, b: &SchemaRef| {
            let column = |f: &arrow_schema::FieldRef| (f.name().clone(), f.data_type().clone());
            a.fields().iter().map(column).eq(b.fields().iter().map(column))
        };
        if !fits(&records.schema(), &self.start) {
            return Err(Error::Data("the rows have other columns than those that the steps are bound to".into()));
        }
        let numbers = (1..=records.num_rows() as u64).collect();
        let batch = Batch::of(records, numbers).map_err(|e| Error::Data(e.to_string()))?;
        let part = Part::new(Decoded { batch, set_aside: Vec::new(), bytes: 0 }).through(&self.steps)?;
        Ok(Block::from(part))
    }
}

/// A block of rows at the end of the steps.
#[derive(Debug, Clone)]
pub struct Block {
    /// The columns; that of the geometry carries its system as GeoArrow has it.
    pub records: RecordBatch,
    /// For each row its number in the source.
    pub source_rows: Vec<u64>,
    /// Rows that were set aside, with the reason and the values that they were read with.
    pub set_aside: Vec<SetAsideRow>,
    /// Rows that were not asked for.
    pub left_out: u64,
}

/// An iterator over the rows of a layer.
pub struct LayerRows {
    blocks: Option<Receiver<Result<Block, Error>>>,
    worker: Option<JoinHandle<()>>,
}

impl LayerRows {
    fn start(layer: Layer, schema: Option<SchemaRef>) -> Result<Self, Error> {
        let cancel = Cancel::default();
        let mut chain = Chain::open(&layer.plan, &Run::quiet(&cancel))?;
        let finish = schema.map(|s| finish(&chain, Types::of_schema(&s, chain.columns()))).transpose()?;
        let (send, blocks) = bounded::<Result<Block, Error>>(2);
        let worker = std::thread::spawn(move || {
            let run = Run::quiet(&cancel);
            let result = chain.survey(&run).and_then(|()| {
                let ready = |part: Part| match &finish {
                    Some(finish) => typed_block(finish, part, &layer.plan.source),
                    None => Ok(Block::from(part)),
                };
                chain.each(&run, "reading", &ready, &mut |block| send.send(Ok(block)).map_err(|_| Error::Cancelled))
            });
            if let Err(e) = result {
                let _ = send.send(Err(e));
            }
            drop(layer);
        });
        Ok(LayerRows { blocks: Some(blocks), worker: Some(worker) })
    }
}

impl From<Part> for Block {
    fn from(part: Part) -> Self {
        Block {
            records: part.rows.records().clone(),
            source_rows: part.rows.source_rows().to_vec(),
            set_aside: part.set_aside,
            left_out: part.left_out.values().sum(),
        }
    }
}

impl Iterator for LayerRows {
    type Item = Result<Block, Error>;

    fn next(&mut self) -> Option<Self::Item> {
        self.blocks.as_ref()?.recv().ok()
    }
}

impl std::ops::Drop for LayerRows {
    fn drop(&mut self) {
        // Without a receiver the worker stops at its next block.
        self.blocks = None;
        if let Some(worker) = self.worker.take() {
            let _ = worker.join();
        }
    }
}
