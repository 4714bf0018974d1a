//! A command again and again: a line a turn.

use super::json;
use crate::args::RunBehaviour;
use crate::{Done, signals, text};
use anyhow::{Result, anyhow};
use basilocus::formats::{Format, PendingOutput, is_standard, kml};
use basilocus::repeat::{Every, RealWorld, Turn, TurnOutcome, repeat};
use basilocus::{Error, Plan, Report, RunOptions};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Runs a plan each time that an interval has passed.
pub(super) fn again_and_again(plan: &Plan, interval: Duration, behaviour: &RunBehaviour) -> Result<Done> {
    if plan.outputs.iter().any(|o| is_standard(&o.file)) || plan.layers.iter().any(|l| is_standard(&l.source)) {
        let problem = "--every wants files: standard input ends, and standard output takes one table; name files";
        return Err(Error::Usage(problem.into()).into());
    }
    let mut link =
        behaviour.network_link.as_ref().map(|file| link_of(file, plan, interval, behaviour.overwrite)).transpose()?;
    let options = RunOptions {
        overwrite: behaviour.overwrite,
        cancel: signals::cancel(),
        save_plan: behaviour.save_plan.as_deref(),
        threads: behaviour.threads,
        ..Default::default()
    };
    signals::end_in_order();
    let every = Every { interval, turns: behaviour.turns.map(std::num::NonZeroU64::get) };
    let told = &mut |turn: &Turn| {
        if let (TurnOutcome::Written(_), Some((file, text))) = (&turn.outcome, &link) {
            write(file, text)?;
            link = None;
        }
        let line = match (behaviour.json, behaviour.quiet) {
            (true, _) => one_line(&json(&turn.report()).map_err(|e| Error::Defect(e.to_string()))?),
            (_, true) => return Ok(()),
            _ => crate::flags::in_text(&words(turn)).into_owned(),
        };
        // Somebody who reads no more has seen enough.
        text::print(&(line + "\n")).map_err(|_| Error::Cancelled)
    };
    let turns = match repeat(plan, &options, &every, &RealWorld, told) {
        Err(Error::Cancelled) => return Ok(Done::Fine),
        other => other?,
    };
    if turns.written == 0 && turns.failed > 0 {
        return Err(anyhow!("no turn went well; nothing was written"));
    }
    Ok(Done::Fine)
}

/// A report object in one line: what stands in its texts is escaped already.
fn one_line(text: &str) -> String {
    text.lines().map(str::trim_start).collect::<Vec<_>>().join(" ")
}

/// A turn in one line.
fn words(turn: &Turn) -> String {
    let what = match &turn.outcome {
        TurnOutcome::Written(report) => written(report),
        TurnOutcome::Unchanged => "as before; nothing was written".to_string(),
        TurnOutcome::Failed(e) => format!("failed: {e}; the outputs are as they were"),
    };
    format!("{}  turn {}  {what}", turn.began_text(), turn.number)
}

fn written(report: &Report) -> String {
    let aside: u64 = report.set_aside.values().sum();
    let mut words = format!("{} rows in = {} out", report.rows_in, report.rows_out);
    let left_out: u64 = report.left_out.values().sum();
    if left_out > 0 {
        words.push_str(&format!(" + {left_out} not asked for"));
    }
    words.push_str(&format!(" + {aside} set aside"));
    if !report.set_aside.is_empty() {
        let reasons = report.set_aside.iter().map(|(reason, n)| format!("{n} {reason}"));
        words.push_str(&format!(" ({})", reasons.collect::<Vec<_>>().join(", ")));
    }
    for notice in &report.notices {
        words.push_str(&format!("; {notice}"));
    }
    for doubt in &report.doubts {
        words.push_str(&format!("; doubt {}", doubt.id));
    }
    let outputs = report.outputs.iter().map(|o| o.display().to_string());
    format!("{words}; wrote {}", outputs.collect::<Vec<_>>().join(", "))
}

/// The file of a network link, and its text.
fn link_of(file: &Path, plan: &Plan, interval: Duration, overwrite: bool) -> Result<(PathBuf, String)> {
    let usage = |problem: String| anyhow::Error::from(Error::Usage(problem));
    let output = plan.outputs.iter().find(|o| Format::of_ending(&o.file) == Some(Format::Kml));
    let output = output.ok_or_else(|| {
        usage("--network-link loads a KML output, and there is none; name one with -o FILE.kml".into())
    })?;
    if Format::of_ending(file) != Some(Format::Kml) || file == output.file {
        return Err(usage(format!("--network-link {}: a KML file of its own is expected", file.display())));
    }
    if file.exists() && !overwrite {
        return Err(usage(format!(
            "{}: exists already; replace it with --overwrite, or name another file",
            file.display()
        )));
    }
    // Beside the output its name will do; from elsewhere the whole path.
    let beside = file.parent() == output.file.parent();
    let href = match (beside, output.file.file_name()) {
        (true, Some(name)) => name.to_string_lossy().into_owned(),
        _ => std::path::absolute(&output.file)?.to_string_lossy().into_owned(),
    };
    let name = output.file.file_stem().map_or("feed".into(), |s| s.to_string_lossy().into_owned());
    let seconds = interval.as_secs().max(1);
    Ok((file.to_path_buf(), kml::network_link(&name, &href, seconds)))
}

/// Writes a small file, whole or not at all.
fn write(file: &Path, text: &str) -> Result<(), Error> {
    let pending = PendingOutput::new(file, true)?;
    std::fs::write(pending.path(), text)
        .map_err(|e| Error::Data(format!("{}: cannot be written: {e}", file.display())))?;
    Ok(pending.publish()?)
}
