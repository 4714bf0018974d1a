//! The steps of a layer, bound one after the other, and the passes that rows make through them.

use super::memory::{MemoryReader, Records};
use super::setting::Setting;
use super::stream_reader::StreamReader;
use super::{BoundStep, Cancel, Columns, Decisions, Part, Passing, Progress, Rows, Settling, source, stream};
use crate::Error;
use crate::coordinates::finder::Finder;
use crate::plan::LayerPlan;
use crate::steps::finish::{AlwaysWgs84, TypesSurvey};
use crate::steps::positions::has_position_roles;
use crate::steps::{Bound, Collect, Collected, Look, Positions, Settled, Step, To, Wish};
use basilocus_formats::{Block, Decode, Format, Reader};
use basilocus_table::SetAsideRow;
use std::num::NonZeroUsize;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// How the chain of a layer is opened and run.
#[derive(Clone, Copy)]
pub(crate) struct Run<'a> {
    /// What the outputs are.
    pub outputs: &'a [Format],
    /// The first output, where there is one: what a step keeps for later lies beside it.
    pub beside: Option<&'a Path>,
    /// Whether a missing grid file is an error.
    pub strict: bool,
    /// Day that is written into outputs.
    pub day: &'a str,
    pub cancel: &'a Cancel,
    pub progress: &'a dyn Progress,
    pub threads: Option<NonZeroUsize>,
    /// Whether there are other layers, among which each one should lie.
    pub has_several_layers: bool,
}

impl<'a> Run<'a> {
    /// Without outputs, telling nobody.
    pub(crate) fn quiet(cancel: &'a Cancel) -> Self {
        Run {
            outputs: &[],
            beside: None,
            strict: false,
            day: "",
            cancel,
            progress: &(),
            threads: None,
            has_several_layers: false,
        }
    }

    fn passing<'b>(&self, path: &'b Path, layer: &'b str) -> Passing<'b>
    where
        'a: 'b,
    {
        Passing { path, layer, cancel: self.cancel, progress: self.progress, threads: self.threads }
    }
}

/// A source with its bound steps.
pub(crate) struct Chain {
    pub reader: Box<dyn Reader>,
    decoder: Arc<dyn Decode>,
    /// The columns of the source.
    start: Columns,
    steps: Vec<BoundStep>,
    pub decisions: Decisions,
    /// Rows of the source that are in a row with others.
    pub joined: u64,
    /// Columns of rows that are set aside: those of the file.
    pub aside: AsideColumns,
    path: PathBuf,
    layer: String,
}

/// The columns of rows that are set aside.
#[derive(Debug, Clone, Default)]
pub(crate) struct AsideColumns {
    pub names: Vec<String>,
    /// For each of them the column of the rows as they come, where they are others: lines made of points.
    places: Option<Vec<Option<usize>>>,
}

impl AsideColumns {
    fn bring(&self, rows: &mut [SetAsideRow]) {
        let Some(places) = &self.places else { return };
        for row in rows {
            row.values = places.iter().map(|c| c.map_or(String::new(), |c| row.values[c].clone())).collect();
        }
    }
}

impl Chain {
    /// Opens the source of a layer and binds its steps. Everything that can be wrong before a row is read is found here.
    pub(crate) fn open(plan: &LayerPlan, run: &Run) -> Result<Self, Error> {
        let mut binder = Binder::open(plan, run)?;
        plan.steps.iter().try_for_each(|s| binder.add(s.step()))?;
        if !run.outputs.is_empty() {
            binder.finish()?;
        }
        Ok(binder.chain())
    }

    /// How steps read the columns, without what was found out about the file.
    pub(crate) fn interpretation_of_steps(&self) -> &[String] {
        let notes = self.reader.about().notes.len();
        self.decisions.interpretation.get(notes..).unwrap_or_default()
    }

    /// The bound steps alone.
    pub(crate) fn into_steps(self) -> Vec<BoundStep> {
        self.steps
    }

    /// The columns that leave the last step.
    pub(crate) fn columns(&self) -> &Columns {
        self.steps.last().map_or(&self.start, |s| &s.columns)
    }

    /// The passes that steps ask for before the first row goes through.
    pub(crate) fn survey(&mut self, run: &Run) -> Result<(), Error> {
        let passing = run.passing(&self.path, &self.layer);
        let told = survey(self.reader.as_mut(), &*self.decoder, &mut self.steps, &passing)?;
        self.decisions.tell(told);
        Ok(())
    }

    /// A pass over all values for the types of columns of text.
    pub(crate) fn types(&mut self, run: &Run) -> Result<TypesSurvey, Error> {
        let steps = self.steps_for_types();
        let with_commas = self.reader.about().delimiter.is_some_and(|d| d != ',');
        let survey = TypesSurvey::new(steps.last().map_or(&self.start, |s| &s.columns), with_commas);
        let passing = run.passing(&self.path, &self.layer);
        let look = |rows: &Rows| survey.look(rows);
        let n = steps.len();
        pass(self.reader.as_mut(), &*self.decoder, &self.steps[..n], &passing, "looking at all values", &look)?;
        Ok(survey)
    }

    /// The steps that rows go through to be looked at for their types: those that cost little, and those that it takes to
    /// have all columns whose types are open. A word among the eastings of a row that is set aside must not make the
    /// column text for all others.
    fn steps_for_types(&self) -> &[BoundStep] {
        let dear = self.steps.iter().position(|s| s.is_dear).unwrap_or(self.steps.len());
        let open: Vec<&str> = self.columns().iter().filter(|c| c.is_open).map(|c| c.name()).collect();
        let has_all =
            |columns: &Columns| open.iter().all(|name| columns.iter().any(|c| c.is_open && c.name() == *name));
        let needed = (dear..=self.steps.len()).find(|n| match n.checked_sub(1) {
            Some(last) => has_all(&self.steps[last].columns),
            None => has_all(&self.start),
        });
        &self.steps[..needed.unwrap_or(self.steps.len())]
    }

    /// Gives what becomes of every block to `sink`, in order; `then` is done on any thread after the steps.
    pub(crate) fn each<T: Send>(
        &mut self,
        run: &Run,
        purpose: &str,
        then: &(dyn Fn(Part) -> Result<T, Error> + Sync),
        sink: &mut dyn FnMut(T) -> Result<(), Error>,
    ) -> Result<(), Error> {
        let bytes = self.reader.about().bytes;
        let progress = run.progress;
        progress.start(&self.layer, purpose, bytes);
        let passing = run.passing(&self.path, &self.layer);
        let (decoder, steps, aside) = (&*self.decoder, &self.steps, &self.aside);
        let work = |block: Block| {
            let mut part = Part::new(decoder.decode(block)?);
            let before = part.set_aside.len();
            part = part.through(steps)?;
            aside.bring(&mut part.set_aside[before..]);
            // Rows set aside at different steps, in the order of the source.
            part.set_aside.sort_by_key(|r| r.source_row);
            let (bytes, rows) = (part.bytes, part.rows_in);
            Ok((then(part)?, bytes, rows))
        };
        stream(self.reader.as_mut(), &passing, &work, &mut |(made, bytes, rows)| {
            sink(made)?;
            progress.advance(bytes, rows);
            Ok(())
        })?;
        progress.finish();
        Ok(())
    }
}

/// Passes for what steps have to find out from all rows. Gives what to tell of it.
fn survey(
    reader: &mut dyn Reader,
    decoder: &dyn Decode,
    steps: &mut [BoundStep],
    passing: &Passing,
) -> Result<Settled, Error> {
    let mut told = Settled::default();
    for at in 0..steps.len() {
        let Some(purpose) = steps[at].work.survey() else { continue };
        let step = &steps[at];
        pass(reader, decoder, &steps[..at], passing, purpose, &|rows| step.work.look(rows))?;
        let Passing { layer, cancel, progress, .. } = *passing;
        let settled = steps[at].work.settle(&Settling { layer, cancel, progress })?;
        told.read_as.extend(settled.read_as);
        told.notices.extend(settled.notices);
    }
    Ok(told)
}

/// Shows rows to somebody, as they are after some steps.
fn pass(
    reader: &mut dyn Reader,
    decoder: &dyn Decode,
    steps: &[BoundStep],
    passing: &Passing,
    purpose: &str,
    look: &(dyn Fn(&Rows) + Sync),
) -> Result<(), Error> {
    passing.progress.start(passing.layer, purpose, reader.about().bytes);
    let work = |block: Block| {
        let part = Part::new(decoder.decode(block)?).through(steps)?;
        look(&part.rows);
        Ok((part.bytes, part.rows_in))
    };
    stream(reader, passing, &work, &mut |(bytes, rows)| {
        passing.progress.advance(bytes, rows);
        Ok(())
    })?;
    passing.progress.finish();
    Ok(())
}

/// Binds steps one after the other.
struct Binder<'a> {
    reader: Box<dyn Reader>,
    decoder: Arc<dyn Decode>,
    start: Columns,
    columns: Columns,
    setting: Setting<'a>,
    /// Whether the step that is bound now can do nothing with rows without a position.
    needs_positions: bool,
    joined: u64,
    aside: AsideColumns,
    layer: String,
    path: &'a Path,
    run: &'a Run<'a>,
}

impl<'a> Binder<'a> {
    fn open(plan: &'a LayerPlan, run: &'a Run<'a>) -> Result<Self, Error> {
        let mut reader = open_source(plan)?;
        let first = source::sample(reader.as_mut())?;
        let (about, schema) = (reader.about(), reader.schema());
        let start = Columns::of_source(&schema, about.typed);
        let finder = Arc::new(Finder::new(&plan.operation, run.strict)?);
        let mut setting = Setting::new(&plan.source, run.outputs, run.day, finder, Rows::read(first));
        setting.beside = run.beside;
        setting.decisions.interpretation = about.notes.clone();
        let names = schema.fields().iter().map(|f| f.name().clone()).collect();
        Ok(Binder {
            decoder: reader.decoder(),
            columns: start.clone(),
            start,
            setting,
            joined: 0,
            needs_positions: false,
            aside: AsideColumns { names, places: None },
            layer: plan.layer_name(),
            path: &plan.source,
            run,
            reader,
        })
    }

    /// Binds a step, and before it those that it needs.
    fn add(&mut self, step: &dyn Step) -> Result<(), Error> {
        self.grant(step.wish())?;
        let may_lack = self.columns.placed().is_some_and(|p| p.may_lack);
        self.needs_positions = may_lack && step.wish() == Wish::Positions && !step.takes_rows_without_position();
        match step.bind(self.columns.clone(), &mut self.setting)? {
            Bound::Blocks { columns, work } => self.push(step, columns, work),
            Bound::AfterLook(look) => {
                self.look(&*look)?;
                let (columns, work) = look.bind(&mut self.setting)?;
                self.push(step, columns, work);
            }
            Bound::All(collect) => self.collect(collect)?,
        }
        Ok(())
    }

    fn push(&mut self, step: &dyn Step, mut columns: Columns, work: Box<dyn crate::steps::Work>) {
        if !step.keeps_positions() {
            columns.forget_first_system();
        }
        self.columns = columns.clone();
        self.setting.bound.push(BoundStep {
            name: step.name().to_string(),
            schema: columns.schema(),
            columns,
            work,
            is_dear: step.is_dear(),
            needs_positions: self.needs_positions,
            keeps_positions: step.keeps_positions(),
        });
    }

    /// Adds what a step needs before it, where nothing in the list did it.
    fn grant(&mut self, wish: Wish) -> Result<(), Error> {
        let is_placed = self.columns.placed().is_some();
        match wish {
            Wish::Nothing => Ok(()),
            Wish::Positions if is_placed => Ok(()),
            Wish::Positions => self.add(&Positions::default()),
            Wish::PositionsIfFound if !is_placed && self.finds_positions()? => self.add(&Positions::default()),
            Wish::PositionsIfFound => Ok(()),
            Wish::CoordinatesIfFound => {
                self.grant(Wish::PositionsIfFound)?;
                let open = self.columns.placed().is_some_and(|p| !p.is_written);
                if open { self.add(&To::default()) } else { Ok(()) }
            }
        }
    }

    /// Whether there is a geometry, or columns that look like coordinates for an output that holds geometry.
    fn finds_positions(&mut self) -> Result<bool, Error> {
        if self.columns.geometry().is_some() {
            return Ok(true);
        }
        if !self.run.outputs.iter().any(|o| o.holds_geometry()) {
            return Ok(false);
        }
        self.setting.find_roles(&mut self.columns)?;
        Ok(has_position_roles(&self.columns))
    }

    /// What outputs need at the end of the steps.
    fn finish(&mut self) -> Result<(), Error> {
        self.grant(Wish::CoordinatesIfFound)?;
        self.setting.find_roles(&mut self.columns)?;
        if let Some(last) = self.setting.bound.last_mut() {
            last.columns = self.columns.clone();
        }
        self.start.roles_known |= self.setting.bound.is_empty();
        if self.setting.bound.is_empty() {
            self.start = self.columns.clone();
        }
        let outputs = self.run.outputs;
        match self.columns.placed() {
            None if outputs.iter().any(|o| o.needs_geometry()) => {
                Err(Error::NoPosition { path: self.path.to_path_buf(), names: self.columns.names() })
            }
            Some(placed) if placed.crs.code != Some(4326) && outputs.iter().any(|o| o.is_always_wgs84()) => {
                self.add(&AlwaysWgs84)
            }
            _ => Ok(()),
        }
    }

    /// Surveys of the steps so far, as the rows have to go through them now.
    fn survey(&mut self) -> Result<(), Error> {
        let passing = self.run.passing(self.path, &self.layer);
        let told = survey(self.reader.as_mut(), &*self.decoder, &mut self.setting.bound, &passing)?;
        self.setting.decisions.tell(told);
        Ok(())
    }

    fn look(&mut self, look: &dyn Look) -> Result<(), Error> {
        self.survey()?;
        let passing = self.run.passing(self.path, &self.layer);
        let steps = &self.setting.bound;
        pass(self.reader.as_mut(), &*self.decoder, steps, &passing, look.purpose(), &|rows| look.look(rows))
    }

    /// Gives all rows to a step that makes others of them, which are the source from here on.
    fn collect(&mut self, mut collect: Box<dyn Collect>) -> Result<(), Error> {
        self.survey()?;
        let passing = self.run.passing(self.path, &self.layer);
        let (decoder, steps, progress) = (&*self.decoder, &self.setting.bound, self.run.progress);
        let bytes = self.reader.about().bytes;
        progress.start(&self.layer, "putting rows together", bytes);
        let mut set_aside: Vec<SetAsideRow> = Vec::new();
        let needs_positions = self.needs_positions;
        let work = |block: Block| {
            let part = Part::new(decoder.decode(block)?).through(steps)?;
            if needs_positions { part.placed() } else { Ok(part) }
        };
        stream(self.reader.as_mut(), &passing, &work, &mut |part: Part| {
            progress.advance(part.bytes, part.rows_in);
            set_aside.extend(part.set_aside);
            collect.take(part.rows)
        })?;
        progress.finish();
        let Collected { columns, batch, set_aside: more, joined, notices } = collect.give()?;
        set_aside.extend(more);
        set_aside.sort_by_key(|r| r.source_row);
        let names = columns.names();
        let places = self.aside.names.iter().map(|c| names.iter().position(|n| n == c)).collect();
        self.aside.places = Some(places);
        self.joined += joined;
        notices.into_iter().for_each(|n| self.setting.note(n));
        let about = self.reader.about().clone();
        self.reader = Box::new(MemoryReader::made(about, columns.schema(), batch.clone(), set_aside));
        self.decoder = self.reader.decoder();
        self.start = columns.clone();
        self.columns = columns;
        let decisions = std::mem::take(&mut self.setting.decisions);
        let finder = self.setting.finder.clone();
        self.setting = Setting::new(self.path, self.run.outputs, self.run.day, finder, Rows::read(batch));
        self.setting.decisions = decisions;
        self.setting.beside = self.run.beside;
        Ok(())
    }

    fn chain(self) -> Chain {
        Chain {
            reader: self.reader,
            decoder: self.decoder,
            start: self.start,
            steps: self.setting.bound,
            decisions: self.setting.decisions,
            joined: self.joined,
            aside: self.aside,
            path: self.path.to_path_buf(),
            layer: self.layer,
        }
    }
}

/// Opens the file of a layer, or the rows that it has in memory.
fn open_source(plan: &LayerPlan) -> Result<Box<dyn Reader>, Error> {
    match &plan.records {
        Some(Records::Kept(records)) => Ok(Box::new(MemoryReader::of(&plan.layer_name(), records)?)),
        Some(Records::Stream(stream)) => Ok(Box::new(StreamReader::of(&plan.layer_name(), stream)?)),
        None => source::open(&plan.source, &plan.options()?),
    }
}
