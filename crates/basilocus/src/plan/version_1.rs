//! Plans of version 1, in which every thing that may happen to a layer had a place of its own and a fixed turn. They are
//! read and turned into lists of steps.

use super::{Flags, InputPlan, OperationPlan, OutputPlan, ShowPlan};
use crate::steps::{Extent, Geocode, Inside, Join, Lines, Nearest, Polygons, Positions, To};
use basilocus_geodesy::notation::Notation;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// A whole run: layers in, files out.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Plan {
    #[serde(default)]
    pub basilocus_plan: u32,
    #[serde(default)]
    pub date: Option<String>,
    #[serde(default, rename = "layer")]
    pub layers: Vec<LayerPlan>,
    #[serde(default, rename = "output")]
    pub outputs: Vec<OutputPlan>,
}

/// One table and what becomes of it.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct LayerPlan {
    #[serde(default)]
    pub name: Option<String>,
    pub source: PathBuf,
    #[serde(default)]
    pub to: Vec<String>,
    #[serde(default)]
    pub input: InputPlan,
    #[serde(default)]
    pub repair: RepairPlan,
    #[serde(default)]
    pub geocode: Option<Geocode>,
    #[serde(default)]
    pub gather: Option<GatherPlan>,
    #[serde(default)]
    pub position: Option<Positions>,
    #[serde(default)]
    pub nearest: Option<Nearest>,
    #[serde(default)]
    pub select: Option<SelectPlan>,
    #[serde(default)]
    pub operation: OperationPlan,
    #[serde(default)]
    pub write: WritePlan,
}

/// What is made of points or lines before all else.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct GatherPlan {
    pub into: GatherInto,
    #[serde(default)]
    pub by: Option<String>,
    #[serde(default)]
    pub order: Option<String>,
}

/// What to mend on the way in. Done in this order: join, set, rename, drop, keep.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RepairPlan {
    #[serde(default)]
    pub join: Vec<Join>,
    #[serde(default)]
    pub set: BTreeMap<String, String>,
    #[serde(default)]
    pub rename: BTreeMap<String, String>,
    #[serde(default)]
    pub drop: Vec<String>,
    #[serde(default)]
    pub keep: Vec<String>,
    #[serde(default)]
    pub trim: bool,
}

/// Which rows to choose, and how to part them.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct SelectPlan {
    #[serde(default)]
    pub inside: Option<PathBuf>,
    #[serde(default)]
    pub inside_layer: Option<String>,
    #[serde(default)]
    pub choose: Vec<String>,
    #[serde(default)]
    pub take: Vec<String>,
    #[serde(default)]
    pub values: Vec<String>,
    #[serde(default)]
    pub extent: Option<Extent>,
    #[serde(default)]
    pub split_by: Option<String>,
}

/// How coordinates are written.
#[derive(Debug, Clone, Default, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct WritePlan {
    #[serde(default, with = "super::named")]
    pub notation: Option<Notation>,
    #[serde(default)]
    pub digits: Option<usize>,
    #[serde(default)]
    pub columns: Vec<String>,
    #[serde(default)]
    pub measure: bool,
    #[serde(default)]
    pub like: Option<PathBuf>,
    #[serde(default)]
    pub show: ShowPlan,
}

/// What was made of points or lines.
#[derive(Debug, Clone, Copy, Default, PartialEq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) enum GatherInto {
    #[default]
    Lines,
    Polygons,
    Points,
}

impl From<Plan> for super::Plan {
    fn from(old: Plan) -> Self {
        let split = old.layers.iter().find_map(|l| l.select.as_ref()?.split_by.clone());
        let outputs = old.outputs.into_iter().map(|o| OutputPlan { split_by: split.clone(), ..o }).collect();
        super::Plan {
            accept: Vec::new(),
            basilocus_plan: super::VERSION,
            date: old.date,
            layers: old.layers.into_iter().map(super::LayerPlan::from).collect(),
            outputs,
            set_aside: None,
        }
    }
}

impl From<LayerPlan> for super::LayerPlan {
    fn from(old: LayerPlan) -> Self {
        let asked = old.position.is_some()
            || !old.to.is_empty()
            || old.write.notation.is_some()
            || old.operation.via.is_some()
            || old.gather.is_some();
        let geocodes = old.geocode.is_some();
        let select = old.select.unwrap_or_default();
        let gather = |into: GatherInto| old.gather.clone().filter(|g| g.into == into);
        Flags {
            expect: None,
            kept: None,
            source: old.source,
            name: old.name,
            input: old.input,
            trim: old.repair.trim,
            join: old.repair.join,
            set: old.repair.set,
            rename: old.repair.rename,
            drop: old.repair.drop,
            keep: old.repair.keep,
            geocode: old.geocode,
            positions: old.position.or_else(|| asked.then(Positions::default)).filter(|_| !geocodes),
            lines: gather(GatherInto::Lines).map(|g| Lines { by: g.by, order: g.order }),
            polygons: gather(GatherInto::Polygons).map(|g| Polygons { by: g.by, order: g.order }),
            vertices: gather(GatherInto::Points).is_some(),
            nearest: old.nearest,
            values: select.values,
            extent: select.extent,
            inside: select.inside.map(|areas| Inside {
                areas,
                from: None,
                layer: select.inside_layer,
                choose: select.choose,
                take: select.take,
            }),
            measure: old.write.measure.then(Default::default),
            heights: None,
            to: Some(To {
                systems: old.to,
                notation: old.write.notation,
                digits: old.write.digits,
                columns: old.write.columns,
                replace: false,
            }),
            like: old.write.like,
            operation: old.operation,
            show: old.write.show,
        }
        .layer()
    }
}
