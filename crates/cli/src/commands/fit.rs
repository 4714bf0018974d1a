//! `fit`: control pairs to a transformation.

use super::json;
use crate::Done;
use crate::args::FitArgs;
use crate::flags::in_text;
use crate::text;
use anyhow::{Context, Result};
use basilocus::coordinates::fit::{FitPlan, FitReport, fit_pairs};
use basilocus::formats::PendingOutput;
use std::fmt::Write;

/// Fits, writes the file, tells how well.
pub fn run(a: &FitArgs) -> Result<Done> {
    if !a.output.extension().is_some_and(|e| e.eq_ignore_ascii_case("toml")) {
        return Err(basilocus::Error::Usage(format!(
            "{}: a transformation is a .toml file; name it so, for --via to know it",
            a.output.display()
        ))
        .into());
    }
    let plan = FitPlan {
        pairs: a.pairs.clone(),
        input: a.input.clone(),
        kind: Some(a.kind.clone()),
        old: a.old.clone(),
        new: a.new.clone(),
        label: a.label.clone(),
        from: a.from.clone(),
        to: a.to.clone(),
        name: a.name.clone(),
        without: a.without.clone(),
    };
    // Said before anything is computed; whole or not at all, as every output.
    let output = PendingOutput::new(&a.output, a.overwrite).map_err(basilocus::Error::from)?;
    let (file, report) = fit_pairs(&plan)?;
    std::fs::write(output.path(), file.to_text(&a.output)?)
        .with_context(|| format!("{}: cannot be written", a.output.display()))?;
    output.publish().map_err(basilocus::Error::from)?;
    if a.json {
        let mut out = serde_json::to_value(&report)?;
        out["outputs"] = serde_json::json!([a.output]);
        text::print(&json(&out)?)?;
    } else {
        let mut out = words(&report);
        let _ = writeln!(out, "  wrote      {}", a.output.display());
        text::print(&out)?;
    }
    Ok(if a.strict && report.outlier.is_some() { Done::NotClean } else { Done::Fine })
}

fn words(r: &FitReport) -> String {
    let mut out = format!("{}\n", r.pairs_file.display());
    for u in &r.interpretation {
        let _ = writeln!(out, "  read as    {}", in_text(u));
    }
    let _ = writeln!(out, "  from       {}", r.from);
    let _ = writeln!(out, "  to         {}", r.to);
    let _ = writeln!(out, "  fitted     {} from {} control pairs", r.kind, r.pairs);
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
    out
}
