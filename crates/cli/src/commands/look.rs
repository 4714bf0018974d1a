//! `look`

use super::{cancel_on_interrupt, json};
use crate::Done;
use crate::args::LookArgs;
use crate::progress::Bar;
use crate::text;
use anyhow::Result;
use basilocus::plan::LayerPlan;

/// Says what files hold.
pub fn run(a: &LookArgs) -> Result<Done> {
    let cancel = cancel_on_interrupt();
    let bar = Bar::new(!a.no_progress);
    let mut clean = true;
    for (i, file) in a.files.iter().enumerate() {
        let mut plans = Vec::new();
        let base = LayerPlan { input: a.input.clone(), ..LayerPlan::new(file) };
        // Layers that must be chosen to be read are all shown here.
        let layers = if a.input.layer.is_none() { basilocus::look::layers_to_choose(file)? } else { Vec::new() };
        if layers.is_empty() {
            plans.push(base);
        } else {
            for layer in layers {
                let mut plan = base.clone();
                plan.input.layer = Some(layer);
                plans.push(plan);
            }
        }
        for (j, plan) in plans.iter().enumerate() {
            let report = basilocus::look(plan, a.rows, &cancel, &bar)?;
            clean &= report.doubts.is_empty();
            if a.json {
                text::print(&json(&report)?)?;
            } else {
                text::print(&format!("{}{}", if i + j > 0 { "\n" } else { "" }, text::look(&report)))?;
            }
        }
    }
    Ok(if a.strict && !clean { Done::NotClean } else { Done::Fine })
}
