//! What a run found out of a layer, for a plan that is saved: run again on a table that is otherwise, it ends with a word
//! instead of finding something else.

use super::chain::Chain;
use crate::Error;
use crate::plan::{Found, LayerPlan, Plan};
use basilocus_formats::{Format, InputOption};

/// The plan with what was found in its layers.
pub(super) fn of(plan: &Plan, chains: &[Chain]) -> Plan {
    let mut pinned = plan.clone();
    for (layer, chain) in pinned.layers.iter_mut().zip(chains).filter(|(layer, _)| layer.records.is_none()) {
        layer.found = Some(found(chain));
    }
    pinned
}

/// Holds what is found in a layer against what the plan says was found before.
///
/// # Errors
/// [`Error::Usage`] with the first of what differs.
pub(super) fn check(layer: &LayerPlan, chain: &Chain) -> Result<(), Error> {
    let Some(before) = &layer.found else { return Ok(()) };
    let mut now = found(chain);
    // Plans of before did not keep them.
    if before.addresses.is_empty() {
        now.addresses.clear();
    }
    let differs = before.parts().into_iter().zip(now.parts()).find(|((_, before), (_, now))| before != now);
    let Some(((what, before), (_, now))) = differs else { return Ok(()) };
    let words = |value: Option<String>| value.map_or("none".to_string(), |v| format!("\"{v}\""));
    Err(Error::Usage(format!(
        "{}: {what} is {} here, and was {} when the plan was saved: check the table, or take `found` out of the plan",
        layer.source.display(),
        words(now),
        words(before)
    )))
}

fn found(chain: &Chain) -> Found {
    let about = chain.reader.about();
    let takes = |option: InputOption| about.format.driver().options.contains(&option);
    let is_text = about.format == Format::Delimited;
    let positions = chain.decisions.positions.clone().unwrap_or_default();
    Found {
        sheet: about.layer.clone().filter(|_| takes(InputOption::Sheet)),
        layer: about.layer.clone().filter(|_| takes(InputOption::Layer) && about.layers.len() > 1),
        encoding: about.encoding.clone(),
        delimiter: about.delimiter.map(String::from),
        header_row: about.header_row.filter(|_| is_text),
        from: positions.from,
        x: positions.x,
        y: positions.y,
        z: positions.z,
        coordinates: positions.coordinates,
        addresses: chain.decisions.addresses.clone(),
    }
}
