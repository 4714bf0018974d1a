//! The files that a run writes: opened before a row is read, moved to their places together at the end.

use super::RunOptions;
use super::split::Split;
use crate::Error;
use crate::paths::Paths;
use crate::plan::{OutputPlan, Plan};
use crate::steps::finish::Finish;
use basilocus_formats::{
    AsRows, Encode, Encoded, Format, FormatError, PendingOutput, RunAbout, SetAsideTable, Writer, append, create,
};
use basilocus_table::Batch;
use std::path::PathBuf;
use std::sync::Arc;

/// All outputs of a run.
pub(super) struct Outputs {
    /// The formats, in the order of the plan.
    pub formats: Vec<Format>,
    files: Files,
    /// Rows set aside, for workbooks.
    pub set_aside: SetAsideTable,
    /// Whether several layers share the files.
    pub is_shared: bool,
}

enum Files {
    /// One file an output.
    Whole(Vec<Box<dyn Writer>>),
    /// One file a value of a column.
    Split(Box<Split>),
}

/// Makes rows ready for an output, on any thread.
pub(super) struct Encoder {
    finish: Finish,
    encode: Arc<dyn Encode>,
}

impl Encoder {
    pub(super) fn encode(&self, rows: &crate::engine::Rows) -> Result<Encoded, Error> {
        let batch: Batch = self.finish.apply(rows)?;
        Ok(self.encode.encode(&batch))
    }
}

/// The column whose values have an output each.
fn split_column(plan: &Plan) -> Result<Option<&str>, Error> {
    let columns: Vec<Option<&str>> = plan.outputs.iter().map(|o| o.split_by.as_deref()).collect();
    let first = columns.iter().flatten().next().copied();
    if first.is_some() && columns.iter().any(|c| *c != first) {
        return Err(Error::Usage("all outputs of a plan are parted by one column, or none is".into()));
    }
    Ok(first)
}

impl Outputs {
    /// Opens the outputs of a plan; `taken` are the files that have a part already.
    pub(super) fn open(plan: &Plan, options: &RunOptions, taken: Paths) -> Result<Self, Error> {
        let format = |o: &OutputPlan| {
            Format::of_ending(&o.file).ok_or_else(|| FormatError::OutputFormat { path: o.file.clone() })
        };
        let formats = plan.outputs.iter().map(format).collect::<Result<Vec<_>, _>>()?;
        let column = split_column(plan)?;
        let appends = options.append || options.append_rows;
        if appends && column.is_some() {
            return Err(Error::Usage(
                "`append` and `split_by` exclude each other: parts are files of their own".into(),
            ));
        }
        if column.is_some() && plan.layers.len() > 1 {
            return Err(Error::Usage("`split_by` parts one layer; the plan has several".into()));
        }
        let paths = || plan.outputs.iter().map(|o| o.file.clone());
        let files = match column {
            Some(column) => Files::Split(Box::new(Split::new(column, paths().collect(), options.overwrite, taken))),
            None => Files::Whole(
                paths()
                    .map(|p| if appends { append(&p, options.append_rows) } else { create(&p, options.overwrite) })
                    .collect::<Result<_, _>>()?,
            ),
        };
        Ok(Outputs { formats, files, set_aside: SetAsideTable::default(), is_shared: plan.layers.len() > 1 })
    }

    /// Whether rows set aside have a place in one of them.
    pub(super) fn hold_set_aside(&self) -> bool {
        match &self.files {
            Files::Whole(writers) => writers.iter().any(|w| w.holds_set_aside()),
            Files::Split(_) => false,
        }
    }

    /// Begins a layer.
    pub(super) fn start_layer(&mut self, finishes: Vec<Finish>) -> Result<Vec<Encoder>, Error> {
        let mut encoders = Vec::new();
        for (at, finish) in finishes.into_iter().enumerate() {
            let encode = match &mut self.files {
                Files::Whole(writers) => writers[at].start_layer(finish.layer())?,
                Files::Split(split) => {
                    split.layer(finish.layer().clone())?;
                    Arc::new(AsRows)
                }
            };
            encoders.push(Encoder { finish, encode });
        }
        Ok(encoders)
    }

    /// Writes a block, made ready for each output.
    pub(super) fn write(&mut self, encoded: Vec<Encoded>) -> Result<(), Error> {
        match &mut self.files {
            Files::Whole(writers) => {
                writers.iter_mut().zip(encoded).try_for_each(|(writer, part)| writer.write(part))?;
            }
            Files::Split(split) => {
                for (at, part) in encoded.into_iter().enumerate() {
                    if let Encoded::Rows(batch) = part {
                        split.write(at, &batch)?;
                    }
                }
            }
        }
        Ok(())
    }

    /// Ends a layer of which so many rows were written.
    pub(super) fn end_layer(&mut self, rows_out: u64) -> Result<(), Error> {
        match &mut self.files {
            Files::Whole(writers) => writers.iter_mut().try_for_each(|w| w.end_layer())?,
            Files::Split(split) if split.rows() != rows_out => {
                return Err(Error::Defect(format!("the parts have {} rows and the whole {rows_out}", split.rows())));
            }
            Files::Split(_) => {}
        }
        Ok(())
    }

    /// Completes all files. Gives them with what to tell of them; those that stand in the report are last.
    pub(super) fn finish(self, about: &RunAbout) -> Result<Finished, Error> {
        let mut finished = Finished::default();
        match self.files {
            Files::Whole(writers) => {
                for writer in writers {
                    let (output, told) = writer.finish(about, &self.set_aside)?;
                    finished.pending.push(output);
                    finished.notices.extend(told);
                }
            }
            Files::Split(split) => {
                finished.notices.push(split.sum());
                let (outputs, told) = split.finish(about, &self.set_aside)?;
                finished.parts = Some(outputs.iter().map(|o| o.target().to_path_buf()).collect());
                finished.pending.extend(outputs);
                finished.notices.extend(told);
            }
        }
        Ok(finished)
    }
}

/// Complete files that wait to be moved.
#[derive(Default)]
pub(super) struct Finished {
    pub pending: Vec<PendingOutput>,
    pub notices: Vec<String>,
    /// The files of parts, where there are such.
    pub parts: Option<Vec<PathBuf>>,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::LayerPlan;
    use std::path::Path;

    fn plan(outputs: &[(&str, Option<&str>)], folder: &Path) -> Plan {
        let output =
            |(file, by): &(&str, Option<&str>)| OutputPlan { file: folder.join(file), split_by: by.map(String::from) };
        Plan {
            layers: vec![LayerPlan::new("a.csv")],
            outputs: outputs.iter().map(output).collect(),
            ..Default::default()
        }
    }

    #[test]
    fn what_cannot_be_written_is_refused_before_anything_is_made() {
        let folder = tempfile::tempdir().unwrap();
        let error = |outputs: &[(&str, Option<&str>)], append| {
            let options = RunOptions { append, ..Default::default() };
            Outputs::open(&plan(outputs, folder.path()), &options, Paths::default())
                .err()
                .map(|e| e.to_string())
                .unwrap_or_default()
        };
        assert!(error(&[("a.xyzzy", None)], false).contains("the ending says no format that is written"));
        assert!(error(&[("a.csv", Some("kind")), ("b.csv", None)], false).contains("parted by one column, or none is"));
        assert!(error(&[("a.csv", Some("kind")), ("b.csv", Some("sort"))], false).contains("one column"));
        assert!(error(&[("a.gpkg", Some("kind"))], true).contains("exclude each other"));
        assert!(error(&[("a.csv", None)], true).contains("a.csv"), "only some formats take a further layer");
        assert!(error(&[("nowhere/a.csv", None)], false).contains("nowhere"));
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
        let mut two = plan(&[("a.csv", Some("kind"))], folder.path());
        two.layers.push(LayerPlan::new("b.csv"));
        let e = Outputs::open(&two, &RunOptions::default(), Paths::default()).err().unwrap().to_string();
        assert!(e.contains("parts one layer"), "{e}");
    }

    #[test]
    fn workbooks_alone_have_a_place_for_rows_set_aside() {
        let folder = tempfile::tempdir().unwrap();
        let holds = |outputs: &[(&str, Option<&str>)]| {
            Outputs::open(&plan(outputs, folder.path()), &RunOptions::default(), Paths::default())
                .unwrap()
                .hold_set_aside()
        };
        assert!(!holds(&[("a.csv", None)]) && !holds(&[("a.csv", Some("kind"))]));
        #[cfg(feature = "workbooks")]
        assert!(holds(&[("a.csv", None), ("b.xlsx", None)]) && !holds(&[("b.xlsx", Some("kind"))]));
    }
}
