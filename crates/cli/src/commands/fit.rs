//! `fit`

use super::{Definition, Perform, json};
use crate::Done;
use crate::flags::in_text;
use crate::text;
use anyhow::Result;
use basilocus::coordinates::fit::{FitPlan, FitReport, fit_to_file};
use basilocus::table::counted;
use clap::Parser;
use std::fmt::Write;
use std::path::PathBuf;

pub(super) const COMMAND: Definition = Definition::reporting::<Fit>("fit", "fit");

/// Control pairs to a local transformation with residuals
#[derive(Debug, Parser)]
struct Fit {
    /// Transformation to write, for `convert --via`
    #[arg(short, long, value_name = "FILE")]
    output: PathBuf,
    /// Replace a transformation that exists
    #[arg(long)]
    overwrite: bool,
    /// Exit status 3 where a pair disagrees with all others
    #[arg(long)]
    strict: bool,
    /// Print one report object
    #[arg(long)]
    json: bool,
    /// What to fit
    #[command(flatten)]
    plan: FitPlan,
}

impl Perform for Fit {
    fn perform(self) -> Result<Done> {
        let report = fit_to_file(&self.plan, &self.output, self.overwrite)?;
        text::print(&if self.json { json(&report)? } else { words(&report) })?;
        Ok(if self.strict && report.outlier.is_some() { Done::NotClean } else { Done::Fine })
    }
}

fn words(r: &FitReport) -> String {
    let mut out = format!("{}\n", r.pairs_file.display());
    for u in &r.interpretation {
        let _ = writeln!(out, "  read as    {}", in_text(u));
    }
    let _ = writeln!(out, "  from       {}", r.from);
    let _ = writeln!(out, "  to         {}", r.to);
    let _ = writeln!(out, "  fitted     {} from {}", r.kind, counted(r.pairs as u64, "control pair"));
    for p in &r.parameters {
        let _ = writeln!(out, "             {p}");
    }
    let number = |v: Option<f64>| v.map_or("–".to_string(), |v| format!("{v:.4}"));
    let _ = writeln!(
        out,
        "  residuals  standard error {}{}; left out, a pair is missed by {} (root mean square), in {}",
        number(r.standard_error),
        match (r.standard_error, r.standard_error_m) {
            (Some(a), Some(m)) if (a - m).abs() > 1e-9 * a => format!(" ({m:.4} m)"),
            _ => String::new(),
        },
        number(r.left_out),
        r.unit
    );
    let three = r.points.first().is_some_and(|p| p.residual.len() == 3);
    let mut header = vec!["point", "residual x", "residual y"];
    if three {
        header.push("residual z");
    }
    header.extend(["length", "left out", ""]);
    let rows: Vec<Vec<String>> = r
        .points
        .iter()
        .map(|p| {
            let mut row = vec![p.name.clone()];
            row.extend(p.residual.iter().map(|v| format!("{v:.4}")));
            row.push(format!("{:.4}", p.residual.iter().map(|v| v * v).sum::<f64>().sqrt()));
            row.push(number(p.left_out));
            row.push(if r.outlier.as_deref() == Some(p.name.as_str()) {
                "disagrees with all others".into()
            } else {
                String::new()
            });
            row
        })
        .collect();
    out.push_str(&text::table(&header, &rows));
    if let Some(o) = &r.outlier {
        let _ = writeln!(
            out,
            "  outlier    \"{o}\": without it the others agree far better; look at its numbers, then mend it, or leave it out with --without \"{o}\""
        );
    }
    for (kind, error, left_out) in &r.others {
        let _ = writeln!(out, "  compare    {kind}: standard error {}, left out {}", number(*error), number(*left_out));
    }
    for n in &r.notes {
        let _ = writeln!(out, "  note       {}", in_text(n));
    }
    for o in &r.outputs {
        let _ = writeln!(out, "  wrote      {}", o.display());
    }
    out
}
