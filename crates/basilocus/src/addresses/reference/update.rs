//! Adds, replaces and withdraws addresses of a reference without the sources that it was built from.

use super::{Aside, BuildPlan, BuildReport, SourceReport, SourcesPlan, entries, ledger_of, report_of, write};
use crate::Error;
use crate::engine::{Cancel, Progress};
use basilocus_address::reference::{Unusable, Withdrawn};
use basilocus_address::{Builder, Reference, country};
use basilocus_table::{Ledger, Reason, SetAsideRow};
use std::path::PathBuf;
use std::time::Instant;

/// How a reference is to be brought up to date.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct UpdatePlan {
    /// The reference as it is
    pub reference: PathBuf,
    /// Sources with what is new; their addresses replace those that are the same
    pub sources: Vec<PathBuf>,
    /// The reference to write
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "FILE"))]
    pub output: PathBuf,
    /// Table of addresses to leave out: number, street and locality or postcode
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE"))]
    pub withdraw: Option<PathBuf>,
    /// How to read the sources
    #[cfg_attr(feature = "arguments", command(flatten))]
    pub reading: SourcesPlan,
}

/// The class of addresses to withdraw that the reference has not.
const NOT_THERE: Reason = Reason::new("not in the reference");

/// Writes a reference that has what an older one has and what sources add to it, without what was withdrawn.
///
/// An address of the sources replaces the one that the reference has, a stretch of a street the one with the same numbers.
///
/// # Errors
/// Those of [`super::build`], and where the older reference cannot be opened.
///
/// ```
/// use basilocus::Cancel;
/// use basilocus::addresses::reference::{BuildPlan, UpdatePlan, build, update};
///
/// let folder = tempfile::tempdir()?;
/// let at = |name: &str| folder.path().join(name);
/// std::fs::write(at("points.csv"), "number,street,locality,lon,lat\n12,Heron Ln,Ternport,-123.8,46.2\n14,Heron Ln,Ternport,-123.8,46.3\n")?;
/// let plan = BuildPlan { sources: vec![at("points.csv")], output: at("old.reference"), ..Default::default() };
/// build(&plan, &Cancel::default(), &())?;
///
/// std::fs::write(at("new.csv"), "number,street,locality,lon,lat\n16,Heron Ln,Ternport,-123.8,46.4\n")?;
/// std::fs::write(at("gone.csv"), "number,street,locality\n14,Heron Ln,Ternport\n")?;
/// let plan = UpdatePlan {
///     reference: at("old.reference"),
///     sources: vec![at("new.csv")],
///     withdraw: Some(at("gone.csv")),
///     output: at("new.reference"),
///     ..Default::default()
/// };
/// let report = update(&plan, &Cancel::default(), &())?;
/// assert_eq!((report.kept, report.replaced, report.withdrawn, report.rows_out), (1, 0, 1, 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn update(plan: &UpdatePlan, cancel: &Cancel, progress: &dyn Progress) -> Result<BuildReport, Error> {
    let started = Instant::now();
    if plan.sources.is_empty() && plan.withdraw.is_none() {
        return Err(Error::Usage("nothing to update with: name sources, or a table of addresses to `withdraw`".into()));
    }
    let older = Reference::open_all(&plan.reference)?;
    older.iter().try_for_each(Reference::verify)?;
    // Rows that do not say their country are of the reference's, where it has one.
    let usual = match older.as_slice() {
        [one] => one.country(),
        _ => "US",
    };
    let build = BuildPlan {
        sources: plan.sources.clone(),
        output: plan.output.clone(),
        country: Some(usual.to_string()),
        reading: plan.reading.clone(),
        ..Default::default()
    };
    let unusable = |u: Unusable| Error::Data(format!("{}: {u}", plan.reference.display()));
    let mut builder = Builder::of_country(usual).ok_or(Error::Defect("a country without a code".into()))?;
    builder.begin_update(&older).map_err(unusable)?;
    let (mut report, mut aside) = report_of(&build, &mut builder, cancel, progress)?;
    let asked = match &plan.withdraw {
        Some(_) => withdraw(plan, &build, &mut builder, &mut report, &mut aside)?,
        None => Vec::new(),
    };
    let kept = builder.finish_update(&older).map_err(unusable)?;
    (report.kept, report.replaced, report.withdrawn) = (kept.kept, kept.replaced, kept.withdrawn);
    finish_withdrawing(&builder, asked, &mut report, &mut aside)?;
    write(&build, &mut builder, &mut report, &aside)?;
    report.seconds = started.elapsed().as_secs_f64();
    Ok(report)
}

/// A row that asks for an address to be left out.
struct Asked {
    address: Withdrawn,
    file: String,
    source_row: u64,
    values: Vec<String>,
    names: Vec<String>,
}

/// Reads the addresses to be left out.
fn withdraw(
    plan: &UpdatePlan,
    build: &BuildPlan,
    builder: &mut Builder,
    report: &mut BuildReport,
    aside: &mut Aside,
) -> Result<Vec<Asked>, Error> {
    let Some(path) = &plan.withdraw else { return Ok(Vec::new()) };
    let mut look = super::Look::at(path, build, &Default::default())?;
    let schema = look.reader.schema();
    let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
    let file = path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    let mut ledger = Ledger::default();
    let mut asked = Vec::new();
    let columns = look.columns;
    crate::engine::source::each_batch(look.reader.as_mut(), &mut |decoded| {
        ledger.rows_in += (decoded.batch.len() + decoded.set_aside.len()) as u64;
        for row in decoded.set_aside {
            ledger.set_aside(&row.class);
            aside.push((file.clone(), row, names.clone()));
        }
        for row in 0..decoded.batch.len() {
            let said = columns.text(&decoded.batch, "country", row);
            let code = country::code_of(&said).or(build.country.as_deref().and_then(country::code_of)).unwrap_or("US");
            let point = entries::address(&decoded.batch, &columns, row, basilocus_address::grammar::of_code(code));
            let (source_row, values) = (decoded.batch.source_rows()[row], decoded.batch.row_texts(row));
            match builder.withdraw(&said, &point) {
                Ok(address) => {
                    asked.push(Asked { address, file: file.clone(), source_row, values, names: names.clone() });
                }
                Err(u) => {
                    let class = Reason::new(u.class());
                    ledger.set_aside(&class);
                    aside.push((
                        file.clone(),
                        SetAsideRow { source_row, class, reason: u.to_string(), values },
                        names.clone(),
                    ));
                }
            }
        }
        Ok(())
    })?;
    let rows_in = ledger.rows_in;
    report.rows_in += rows_in;
    ledger_of(ledger, report);
    report.sources.push(SourceReport {
        path: path.clone(),
        kind: "addresses to leave out".into(),
        columns: columns.words(super::Kind::Points, &schema),
        rows_in,
        rows_out: asked.len() as u64,
    });
    Ok(asked)
}

/// Tells which of the addresses to be left out were not there.
fn finish_withdrawing(
    builder: &Builder,
    asked: Vec<Asked>,
    report: &mut BuildReport,
    aside: &mut Aside,
) -> Result<(), Error> {
    for row in asked {
        if builder.had(&row.address) {
            report.rows_out += 1;
            continue;
        }
        *report.set_aside.entry(NOT_THERE.to_string()).or_default() += 1;
        let reason = "the reference has no such address; nothing was left out for it".to_string();
        let set_aside = SetAsideRow { source_row: row.source_row, class: NOT_THERE, reason, values: row.values };
        aside.push((row.file, set_aside, row.names));
    }
    let set_aside: u64 = report.set_aside.values().sum();
    if report.rows_in != report.rows_out + set_aside {
        return Err(Error::Defect(format!(
            "{} rows of the update were read, {} used and {set_aside} set aside",
            report.rows_in, report.rows_out
        )));
    }
    Ok(())
}
