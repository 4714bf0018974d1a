//! Rows of a feed, kept from turn to turn by a key: what is new is added, what changed is replaced, and what the feed does
//! not have any more stays.
//!
//! | module | what is in it |
//! |---|---|
//! | `file` | the rows of earlier turns, on the disk |
//! | `cells` | cells to JSON and back |

mod cells;
#[cfg_attr(not(feature = "reviews"), path = "file_left_out.rs")]
mod file;

use super::{Bound, Collect, Collected, Step};
use crate::Error;
use crate::engine::{Columns, Rows, Setting};
use crate::paths;
use basilocus_table::batch::{cell_text, point_crs};
use basilocus_table::{Batch, Reason, SetAsideRow};
use file::{KeptFile, KeptRow};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use std::collections::HashMap;
use std::path::PathBuf;

/// Rows of this turn and of earlier ones, one for each key.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::{Kept, Positions};
///
/// let folder = tempfile::tempdir()?;
/// let turn = |feed: &str, out: &str| -> Result<String, Box<dyn std::error::Error>> {
///     let file = Some(folder.path().join("gauges.kept.sqlite"));
///     Layer::from_reader(feed.as_bytes(), Format::Delimited)?
///         .step(Kept { key: "gauge".into(), file })
///         .positions(Positions::in_system("EPSG:4326")?)
///         .write(folder.path().join(out))?
///         .run()?;
///     Ok(std::fs::read_to_string(folder.path().join(out))?)
/// };
/// turn("gauge,lon,lat,stage\nA,-123.8,46.2,1.1\nB,-123.7,46.2,0.4\n", "1.csv")?;
/// let second = turn("gauge,lon,lat,stage\nB,-123.7,46.2,0.6\nC,-123.6,46.2,2.0\n", "2.csv")?;
/// assert_eq!(second, "gauge,lon,lat,stage\nA,-123.8,46.2,1.1\nB,-123.7,46.2,0.6\nC,-123.6,46.2,2.0\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Kept {
    /// Column whose value says which row is which.
    pub key: String,
    /// The file that keeps the rows; one beside the output unless said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<PathBuf>,
}

impl Step for Kept {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let key = columns.require(&self.key, setting.source())?;
        let file = match (&self.file, setting.beside) {
            (Some(file), _) => file.clone(),
            (None, Some(output)) => paths::beside(output, "kept.sqlite"),
            (None, None) => {
                return Err(Error::Usage("`key` without an output: say with `kept` which file keeps the rows".into()));
            }
        };
        let kept = KeptFile::open(&file)?;
        let day = setting.day.to_string();
        Ok(Bound::All(Box::new(Keeping {
            key,
            columns,
            kept,
            day,
            rows: Vec::new(),
            at: HashMap::new(),
            set_aside: Vec::new(),
        })))
    }

    fn keeps_positions(&self) -> bool {
        true
    }

    fn each_path(&mut self, each: &mut dyn FnMut(&mut PathBuf)) {
        self.file.iter_mut().for_each(each);
    }

    fn written(&self) -> Vec<(PathBuf, &'static str)> {
        self.file.iter().map(|f| (f.clone(), "the file of kept rows")).collect()
    }
}

/// Rows of this turn, on their way to those of earlier ones.
struct Keeping {
    key: usize,
    columns: Columns,
    kept: KeptFile,
    day: String,
    rows: Vec<KeptRow>,
    /// Their places by their keys.
    at: HashMap<String, usize>,
    set_aside: Vec<SetAsideRow>,
}

const NO_KEY: Reason = Reason::new("no key");
const SAME_KEY: Reason = Reason::new("key of another row of this turn");

impl Collect for Keeping {
    fn take(&mut self, rows: Rows) -> Result<(), Error> {
        let names = self.columns.names();
        for row in 0..rows.len() {
            let number = rows.source_rows()[row];
            let key = cell_text(rows.records().column(self.key), row).trim().to_string();
            if key.is_empty() {
                let reason =
                    format!("the key \"{}\" is empty; a value that says which row it is, is expected", names[self.key]);
                self.set_aside.push(rows.set_aside(row, NO_KEY, reason));
                continue;
            }
            if let Some(first) = self.at.get(&key) {
                let reason = format!(
                    "row {} of this turn has the key {} \"{key}\" as well, and was taken; say a column whose values are different with `key`",
                    self.rows[*first].number, names[self.key]
                );
                self.set_aside.push(rows.set_aside(row, SAME_KEY, reason));
                continue;
            }
            let cell = |(at, name): (usize, &String)| (name.clone(), cells::value(rows.records().column(at), row));
            let cells: Map<String, Value> = names.iter().enumerate().map(cell).collect();
            self.at.insert(key.clone(), self.rows.len());
            self.rows.push(KeptRow { key, number, cells });
        }
        Ok(())
    }

    fn give(mut self: Box<Self>) -> Result<Collected, Error> {
        let crs = point_crs(&self.columns.schema()).unwrap_or_default();
        let earlier = self.kept.rows(&crs)?;
        let (mut new, mut changed, mut same, mut stayed) = (0u64, 0u64, 0u64, 0u64);
        let mut all: Vec<KeptRow> = Vec::with_capacity(earlier.len() + self.rows.len());
        let mut is_taken = vec![false; self.rows.len()];
        for old in earlier {
            match self.at.get(&old.key) {
                None => {
                    stayed += 1;
                    all.push(old);
                }
                Some(at) => {
                    is_taken[*at] = true;
                    let row = &self.rows[*at];
                    if row.cells == old.cells {
                        same += 1
                    } else {
                        changed += 1
                    }
                    all.push(row.clone());
                }
            }
        }
        for (row, taken) in self.rows.iter().zip(&is_taken) {
            if !taken {
                new += 1;
                all.push(row.clone());
            }
        }
        self.kept.keep(&all, &crs, &self.day)?;
        let (columns, arrays, mut notices) = cells::table(&self.columns, &all)?;
        let batch = Batch::new(columns.schema(), arrays, all.iter().map(|r| r.number).collect())
            .map_err(|e| Error::Defect(format!("the kept rows do not make a table: {e}")))?;
        let key = self.columns.get(self.key).map_or("", |c| c.name());
        let stayed = match stayed {
            0 => String::new(),
            n => format!(", {n} that this turn does not have"),
        };
        notices.insert(
            0,
            format!(
                "rows by \"{key}\": {new} new, {changed} changed, {same} as before{stayed}; kept in {}",
                self.kept.path().display()
            ),
        );
        Ok(Collected { columns, batch, set_aside: self.set_aside, joined: 0, notices })
    }
}
