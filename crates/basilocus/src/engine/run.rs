//! A whole plan: outputs prepared, layers run, everything moved to its place together.

use super::chain::{Chain, Run};
use super::layer_run::{self, Aside};
use super::outputs::Outputs;
use super::overview;
use super::set_aside::{self, AsideFile};
use super::{Cancel, Progress, pinned, workbook_about};
use crate::Error;
use crate::addresses::review::Review;
use crate::paths::Paths;
use crate::plan::{LayerPlan, Plan};
use crate::report::Report;
use crate::steps::StepPlan;
use crate::steps::finish::check_show;
use basilocus_formats::{Format, FormatError, PendingOutput, is_standard, publish};
use std::num::NonZeroUsize;
use std::path::{Path, PathBuf};
use std::time::Instant;

/// How to run a plan.
///
/// ```
/// use basilocus::{Layer, RunOptions};
/// use basilocus::formats::Format;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let layer = Layer::from_reader("gate\nA\n".as_bytes(), Format::Delimited)?.write(&out)?;
/// layer.run()?;
/// assert!(layer.run().is_err(), "what is there is not replaced unasked");
/// layer.run_with(&RunOptions { overwrite: true, ..Default::default() })?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Default)]
pub struct RunOptions<'a> {
    /// Whether existing outputs are replaced.
    pub overwrite: bool,
    /// Whether layers are added to GeoPackages that exist.
    pub append: bool,
    /// Whether rows are added to the layers of their names in them, where they have such.
    pub append_rows: bool,
    /// Whether a coarser operation than the best, for want of a grid file, is an error.
    pub strict: bool,
    /// Lets another thread stop the run.
    pub cancel: Cancel,
    /// Told how it goes on.
    pub progress: Option<&'a dyn Progress>,
    /// Writes the plan down there, together with the outputs.
    pub save_plan: Option<&'a Path>,
    /// Threads that work on rows; as many as there are cores without it. The result does not depend on it.
    pub threads: Option<NonZeroUsize>,
}

/// Runs a plan. Outputs appear whole, all together at the end, or not at all.
///
/// # Errors
/// [`Error`]: everything that keeps the run from being completed; rows that cannot be used are no error, they are
/// set aside and counted in the report.
pub fn run(plan: &Plan, options: &RunOptions) -> Result<Report, Error> {
    let started = Instant::now();
    let day = crate::plan::day(plan.date.as_deref())?;
    check(plan)?;
    let accepted = crate::doubts::accepted(&plan.accept)?;
    set_aside::check(plan)?;
    let names = layer_names(&plan.layers);
    let paths = paths_of(plan, &names, options)?;
    let saved = options.save_plan.map(|file| prepare(plan, file, options.overwrite)).transpose()?;
    let mut outputs = Outputs::open(plan, options, paths)?;
    check_set_aside(plan, &names, options)?;
    let formats = outputs.formats.clone();
    let progress = options.progress.unwrap_or(&());
    let run = Run {
        outputs: &formats,
        beside: plan.outputs.iter().map(|o| o.file.as_path()).find(|p| !is_standard(p)),
        strict: options.strict,
        day: &day,
        cancel: &options.cancel,
        progress,
        threads: options.threads,
        has_several_layers: plan.layers.len() > 1,
    };
    let mut chains = plan.layers.iter().map(|l| Chain::open(l, &run)).collect::<Result<Vec<_>, _>>()?;
    plan.layers.iter().zip(&chains).try_for_each(|(layer, chain)| pinned::check(layer, chain))?;
    let report = Report { outputs: plan.outputs.iter().map(|o| o.file.clone()).collect(), ..Default::default() };
    let is_told = set_aside::is_told(plan);
    let mut layers = Layers {
        outputs: &mut outputs,
        beside: Beside::default(),
        report,
        options,
        run: &run,
        is_told,
        placed: Vec::new(),
        neighbours: Vec::new(),
    };
    for ((layer, name), chain) in plan.layers.iter().zip(&names).zip(&mut chains) {
        layers.run(layer, name, chain, set_aside::path(plan, name, options.append || options.append_rows))?;
    }
    let Layers { mut beside, mut report, placed, neighbours, .. } = layers;
    report.doubts.extend(crate::doubts::of_layers_apart(&neighbours));
    crate::doubts::accept(&mut report.doubts, &accepted);
    if let Some(pending) = &saved {
        save(&pinned::of(plan, &chains), pending)?;
    }
    let about = workbook_about::of(&report, &chains, &day, overview::map(&placed)?);
    let finished = outputs.finish(&about)?;
    report.notices.extend(finished.notices);
    if let Some(parts) = finished.parts {
        report.outputs = parts;
    }
    beside.pending.extend(finished.pending);
    beside.pending.extend(saved);
    report.tell_once();
    if options.cancel.is_cancelled() {
        return Err(Error::Cancelled);
    }
    publish(beside.pending)?;
    remove_stale(beside.stale, &mut report);
    report.seconds = started.elapsed().as_secs_f64();
    Ok(report)
}

/// Files beside the outputs.
#[derive(Default)]
struct Beside {
    pending: Vec<PendingOutput>,
    /// Rows set aside by an earlier run of the same output, where this one sets none aside.
    stale: Vec<PathBuf>,
}

/// The layers of a plan while they are run, one after the other.
struct Layers<'a> {
    outputs: &'a mut Outputs,
    beside: Beside,
    report: Report,
    options: &'a RunOptions<'a>,
    run: &'a Run<'a>,
    /// Whether nothing but the account holds rows set aside.
    is_told: bool,
    /// Some places of each layer, where an output shows them.
    placed: Vec<overview::Placed>,
    /// Where each layer lies.
    neighbours: Vec<crate::doubts::Neighbour>,
}

impl Layers<'_> {
    /// Runs a layer; what it sets aside goes to a file beside the outputs.
    fn run(
        &mut self,
        layer: &LayerPlan,
        name: &str,
        chain: &mut Chain,
        set_aside: Option<PathBuf>,
    ) -> Result<(), Error> {
        let overwrite = self.options.overwrite;
        let mut file = AsideFile::new(set_aside.clone(), self.is_told, overwrite, &chain.aside.names);
        let files = chain.decisions.review.clone();
        let mut review = files.map(|files| Review::start(&files, overwrite)).transpose()?;
        let aside = Aside { file: &mut file, review: review.as_mut(), in_workbook: self.outputs.hold_set_aside() };
        let mut outcome = layer_run::run(layer, name, chain, self.outputs, aside, self.run)?;
        outcome.report.set_aside_told = file.told();
        self.placed.extend(outcome.placed);
        self.neighbours.extend(outcome.neighbour);
        match file.finish()? {
            Some(output) => {
                outcome.report.set_aside_file = Some(output.target().to_path_buf());
                self.beside.pending.push(output);
            }
            None => self.beside.stale.extend(set_aside.filter(|p| overwrite && p.exists())),
        }
        if let Some(review) = review {
            let (output, told) = review.finish(self.run.day)?;
            self.report.outputs.push(output.target().to_path_buf());
            self.report.notices.push(told);
            self.beside.pending.push(output);
        }
        self.report.add(outcome.report, outcome.doubts, &chain.decisions.notices);
        self.report.notices.extend(outcome.notices);
        Ok(())
    }
}

/// What is wrong with a plan by itself: nothing to do.
fn check(plan: &Plan) -> Result<(), Error> {
    if plan.layers.is_empty() {
        return Err(Error::Usage("the plan has no layer".into()));
    }
    if plan.outputs.is_empty() {
        return Err(Error::Usage("no output is said; name one with -o".into()));
    }
    let formats: Vec<Format> = plan.outputs.iter().filter_map(|o| Format::of_ending(&o.file)).collect();
    if formats.len() == plan.outputs.len() {
        plan.layers.iter().try_for_each(|l| check_show(&l.show, &formats))?;
    }
    Ok(())
}

/// Every file that a run of the plan reads or writes.
///
/// # Errors
/// [`Error::Usage`] where one of them is in another's way.
fn paths_of(plan: &Plan, names: &[String], options: &RunOptions) -> Result<Paths, Error> {
    let mut paths = Paths::default();
    for layer in plan.layers.iter().filter(|l| l.records.is_none()) {
        paths.read(&layer.source, "a source");
    }
    let keeps_beside = |s: &&StepPlan| matches!(s, StepPlan::Kept(kept) if kept.file.is_none());
    if plan.layers.iter().flat_map(|l| l.steps.iter()).filter(keeps_beside).count() > 1 {
        let problem =
            "rows of several layers are kept by `key`, and each needs a file of its own; say them with `kept`";
        return Err(Error::Usage(problem.into()));
    }
    // A step says what it reads and writes; moved here so that the plan stays as it is.
    // A model is read before anything is written, and may be replaced by what it was the model of.
    let may_clash = |step: &&StepPlan| !matches!(step, StepPlan::Like(_));
    let mut named: Vec<StepPlan> = plan.layers.iter().flat_map(|l| l.steps.iter()).filter(may_clash).cloned().collect();
    for step in named.iter_mut().filter_map(StepPlan::step_mut) {
        let written = step.written();
        let mut own: Vec<PathBuf> = written.iter().map(|(path, _)| path.clone()).collect();
        step.each_path(&mut |path| match own.iter().position(|w| w == path) {
            // Each file that is written is named once.
            Some(at) => drop(own.remove(at)),
            None => paths.read(path, "a file that a step reads"),
        });
        written.into_iter().try_for_each(|(path, what)| paths.written(&path, what))?;
    }
    for output in &plan.outputs {
        // Parts have names of their own, which come with their values.
        if output.split_by.is_none() {
            paths.written(&output.file, "an output")?;
        }
    }
    for name in names {
        if let Some(file) = set_aside::path(plan, name, options.append || options.append_rows) {
            paths.written(&file, "the file of rows set aside")?;
        }
    }
    options.save_plan.map_or(Ok(()), |file| paths.written(file, "the plan that is saved"))?;
    Ok(paths)
}

/// A file for the plan, whose text waits for what the run finds out. A plan that has no text is refused before that.
fn prepare(plan: &Plan, file: &Path, overwrite: bool) -> Result<PendingOutput, Error> {
    plan.to_text(file)?;
    Ok(PendingOutput::new(file, overwrite)?)
}

/// The plan as a file, ready to be moved to its place.
fn save(plan: &Plan, pending: &PendingOutput) -> Result<(), Error> {
    let file = pending.target();
    let dated = Plan { date: plan.date.clone().or_else(|| Some(crate::today())), ..plan.clone() };
    std::fs::write(pending.path(), dated.to_text(file)?)
        .map_err(|e| FormatError::Write { path: file.to_path_buf(), problem: e.to_string() })?;
    Ok(())
}

/// Left alone, rows set aside by an earlier run would be taken for this one's.
fn check_set_aside(plan: &Plan, names: &[String], options: &RunOptions) -> Result<(), Error> {
    let there =
        |name: &String| set_aside::path(plan, name, options.append || options.append_rows).filter(|p| p.exists());
    match names.iter().find_map(there).filter(|_| !options.overwrite) {
        Some(path) => Err(FormatError::OutputExists { path }.into()),
        None => Ok(()),
    }
}

fn remove_stale(files: Vec<PathBuf>, report: &mut Report) {
    for file in files {
        if std::fs::remove_file(&file).is_ok() {
            report.notices.push(format!("{} of an earlier run was removed: this run set no row aside", file.display()));
        }
    }
}

/// Names of the layers, each one once.
fn layer_names(layers: &[LayerPlan]) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for layer in layers {
        let wanted = layer.layer_name();
        let taken = |name: &String| names.iter().any(|n| n.eq_ignore_ascii_case(name));
        let mut all = std::iter::once(wanted.clone()).chain((2..).map(|n| format!("{wanted}_{n}")));
        let free = all.find(|name| !taken(name)).unwrap_or(wanted);
        names.push(free);
    }
    names
}
