//! Points in their order become lines or polygons, and the positions of lines and polygons become points.

mod lines;
mod positions;

use crate::Error;
use crate::engine::Cancel;
use crate::plan::{LayerPlan, PositionPlan};
use arrow_schema::{DataType, Field};
use basilocus_formats::Reader;
use positions::PositionsReader;
use serde::{Deserialize, Serialize};

/// What is made of the geometry of a layer before all else.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Gather {
    /// Points in their order become lines.
    #[default]
    Lines,
    /// Points in their order become polygons, which are closed.
    Polygons,
    /// Each position of lines and polygons becomes a point.
    Points,
}

impl std::str::FromStr for Gather {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "lines" => Ok(Gather::Lines),
            "polygons" => Ok(Gather::Polygons),
            "points" => Ok(Gather::Points),
            other => Err(format!("{other} is not lines, polygons or points")),
        }
    }
}

/// A layer whose geometry was made anew.
pub(crate) struct Gathered {
    pub reader: Box<dyn Reader>,
    /// What is left of the plan.
    pub plan: LayerPlan,
    /// Rows of the source that are no row of their own any more.
    pub joined: u64,
    /// Names of the source's columns, for rows set aside.
    pub source_columns: Option<Vec<String>>,
    pub told: Vec<String>,
}

/// Makes the geometry of a layer anew, where its plan says so.
///
/// # Errors
/// Those of reading positions; [`Error::Plan`] where there is nothing to gather.
pub(crate) fn gather(plan: &LayerPlan, mut reader: Box<dyn Reader>, cancel: &Cancel) -> Result<Gathered, Error> {
    let Some(wanted) = &plan.gather else {
        return Ok(Gathered { reader, plan: plan.clone(), joined: 0, source_columns: None, told: Vec::new() });
    };
    if plan.geocode.is_some() || plan.nearest.is_some() {
        return Err(Error::Plan("--gather goes with coordinates, not with addresses".into()));
    }
    if wanted.into == Gather::Points {
        let mut told = Vec::new();
        let reader = PositionsReader::open(reader, &plan.source, &mut told)?;
        return Ok(Gathered { reader: Box::new(reader), plan: plan.clone(), joined: 0, source_columns: None, told });
    }
    let made = lines::make(plan, wanted, reader.as_mut(), cancel)?;
    let rest = LayerPlan {
        gather: None,
        repair: Default::default(),
        position: Some(PositionPlan {
            from: plan.position.as_ref().and_then(|p| p.from.clone()),
            ..PositionPlan::default()
        }),
        ..plan.clone()
    };
    Ok(Gathered {
        reader: Box::new(made.reader),
        plan: rest,
        joined: made.joined,
        source_columns: Some(made.source_columns),
        told: made.told,
    })
}

/// A column of whole numbers that is not among others.
fn number_field(wanted: &str, taken: &[String]) -> Field {
    Field::new(crate::step::free_name(wanted, taken), DataType::Int64, true)
}
