//! `run`, and the running of plans for the commands that make them.

use super::{Definition, Perform, json, turns};
use crate::Done;
use crate::args::RunBehaviour;
use crate::progress::Bar;
use crate::signals;
use crate::text;
use anyhow::Result;
use basilocus::drawing::{DrawPlan, check_picture, draw};
use basilocus::formats::is_standard;
use basilocus::plan::{LayerPlan, OutputPlan};
use basilocus::{Plan, Report, RunOptions};
use clap::Parser;
use std::path::{Path, PathBuf};

pub(super) const COMMAND: Definition = Definition::reporting::<Run>("run", "run");

/// Do what a saved plan says, on the same or a new table
#[derive(Debug, Parser)]
struct Run {
    /// The plan
    plan: PathBuf,
    /// Another table for a layer of the plan: FILE for its only layer, or LAYER=FILE
    #[arg(long, value_name = "[LAYER=]FILE")]
    input: Vec<String>,
    /// Folder of grid files, for layers of the plan that say none
    #[arg(long, value_name = "DIR")]
    grids: Option<PathBuf>,
    /// How to behave
    #[command(flatten)]
    behaviour: RunBehaviour,
}

/// Runs a plan of one layer.
pub(super) fn one_layer(layer: LayerPlan, behaviour: &RunBehaviour) -> Result<Done> {
    of_plan(Plan { layers: vec![layer], outputs: behaviour.outputs(), ..Default::default() }, behaviour)
}

/// Runs a plan that the command line made.
pub(super) fn of_plan(plan: Plan, behaviour: &RunBehaviour) -> Result<Done> {
    let mut plan = Plan { set_aside: behaviour.set_aside.clone().or_else(|| plan.set_aside.clone()), ..plan };
    plan.accept.extend(behaviour.accept.iter().cloned());
    if behaviour.output.is_empty() {
        return Err(basilocus::Error::Usage("no output is said; name one with -o FILE".into()).into());
    }
    // What goes to standard output is the table; the summary goes beside it.
    let piped = plan.outputs.iter().any(|o| is_standard(&o.file));
    if piped && behaviour.json {
        return Err(
            basilocus::Error::Usage("--json and -o - both want standard output; name a file with -o".into()).into()
        );
    }
    if let Some(picture) = &behaviour.picture {
        if plan.outputs.iter().all(|o| is_standard(&o.file)) {
            let problem =
                "--picture draws an output that is a file, and only standard output is said; name a file with -o";
            return Err(basilocus::Error::Usage(problem.into()).into());
        }
        check_picture(picture, behaviour.overwrite)?;
    }
    if let Some(interval) = behaviour.every {
        return turns::again_and_again(&plan, interval, behaviour);
    }
    let bar = Bar::new(!behaviour.no_progress && !behaviour.quiet);
    let options = RunOptions {
        overwrite: behaviour.overwrite,
        append: behaviour.append,
        append_rows: behaviour.append_rows,
        strict: behaviour.strict,
        cancel: signals::cancel(),
        progress: Some(&bar),
        save_plan: behaviour.save_plan.as_deref(),
        threads: behaviour.threads,
    };
    let mut report = match basilocus::run(&plan, &options) {
        // --strict forbids the coarser way: nothing was written, and the status says why.
        Err(e @ basilocus::Error::Geodesy(basilocus::geodesy::Error::GridMissing { .. })) if behaviour.strict => {
            text::tell(&format!("basilocus: {}\n", crate::flags::in_text(&e.to_string())));
            return Ok(Done::NotClean);
        }
        other => other?,
    };
    if let Some(picture) = &behaviour.picture {
        draw_first(picture, &mut report, behaviour.overwrite)?;
    }
    if behaviour.json {
        text::print(&json(&report)?)?;
    } else if !behaviour.quiet {
        let mut out = text::report(&report, behaviour.verbose);
        if let Some(file) = &behaviour.save_plan {
            out.push_str(&format!("  plan       {}\n", file.display()));
        }
        if piped {
            text::tell(&out);
        } else {
            text::print(&out)?;
        }
    }
    Ok(if behaviour.strict && !report.is_clean() { Done::NotClean } else { Done::Fine })
}

/// Draws the first output of a run, in its own system or one that suits the place.
fn draw_first(picture: &Path, report: &mut Report, overwrite: bool) -> Result<()> {
    let first = report.outputs.iter().find(|o| !is_standard(o));
    let (Some(first), Some(layer)) = (first, report.layers.first()) else { return Ok(()) };
    let color_by = if layer.levels.is_empty() { None } else { Some("level".to_string()) };
    let plan = DrawPlan { from: layer.crs.clone(), color_by, overwrite, ..DrawPlan::new([first], picture) };
    let drawn = draw(&plan, &signals::cancel(), &())?;
    report.notices.extend(drawn.notices);
    report.outputs.extend(drawn.outputs);
    Ok(())
}

impl Perform for Run {
    /// Runs a saved plan, perhaps on other tables and to other outputs.
    fn perform(self) -> Result<Done> {
        let mut saved = Plan::load(&self.plan)?;
        for layer in &mut saved.layers {
            layer.operation.grids = layer.operation.grids.take().or_else(|| self.grids.clone());
        }
        for input in &self.input {
            let names: Vec<String> = saved.layers.iter().map(|l| l.layer_name()).collect();
            let (at, file) = match input
                .split_once('=')
                .and_then(|(name, file)| names.iter().position(|n| n == name).map(|i| (i, file)))
            {
                Some(found) => found,
                None if saved.layers.len() == 1 => (0, input.as_str()),
                None => {
                    return Err(basilocus::Error::Usage(format!(
                        "--input {input}: the plan has several layers; say LAYER=FILE with one of {}",
                        names.join(", ")
                    ))
                    .into());
                }
            };
            // The name of the layer stays the plan's, so that outputs keep their form.
            let name = saved.layers[at].layer_name();
            saved.layers[at].name = Some(name);
            saved.layers[at].source = file.into();
        }
        if !self.behaviour.output.is_empty() {
            let split_by = saved.outputs.first().and_then(|o| o.split_by.clone());
            let output = |file| OutputPlan { split_by: split_by.clone(), ..OutputPlan::new(file) };
            saved.outputs = self.behaviour.output.iter().map(output).collect();
        }
        if let Some(column) = &self.behaviour.split_by {
            saved.outputs.iter_mut().for_each(|o| o.split_by = Some(column.clone()));
        }
        if let Some(date) = &saved.date
            && !self.behaviour.json
            && !self.behaviour.quiet
            && *date != basilocus::today()
        {
            text::print(&format!("  note       outputs are dated {date}, as the plan says\n"))?;
        }
        let behaviour =
            RunBehaviour { output: saved.outputs.iter().map(|o| o.file.clone()).collect(), ..self.behaviour.clone() };
        of_plan(saved, &behaviour)
    }
}
