//! `doubts`: what each doubt looks for, an example, how to mend it.

use crate::Done;
use crate::text;
use anyhow::Result;
use basilocus::doubts::{DOUBTS, Doubt, DoubtName};
use serde::Serialize;

/// A doubt as JSON has it.
#[derive(Serialize)]
struct Explained {
    name: &'static str,
    looks_for: &'static str,
    example: &'static str,
    mend: &'static str,
}

impl From<&Doubt> for Explained {
    fn from(d: &Doubt) -> Self {
        Explained { name: d.name, looks_for: d.looks_for, example: d.example, mend: d.mend }
    }
}

/// Explains a doubt, or all of them.
pub fn run(name: Option<&str>, json: bool) -> Result<Done> {
    let wanted: Vec<&Doubt> = match name {
        None => DOUBTS.to_vec(),
        Some(name) => {
            let found = DoubtName::find(name).ok_or_else(|| {
                let all: Vec<&str> = DOUBTS.iter().map(|d| d.name).collect();
                basilocus::Error::Usage(format!("there is no doubt \"{name}\"; there are {}", all.join(", ")))
            })?;
            vec![found.doubt()]
        }
    };
    if json {
        let list: Vec<Explained> = wanted.into_iter().map(Explained::from).collect();
        text::print(&super::json(&list)?)?;
        return Ok(Done::Fine);
    }
    text::print(&wanted.into_iter().map(text::doubt).collect::<Vec<_>>().join("\n"))?;
    Ok(Done::Fine)
}
