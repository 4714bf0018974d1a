//! JSON Schemas of the reports: what the command prints with `--json`. They are published in `docs/schemas`.

use crate::addresses::reference::BuildReport;
use crate::compare::CompareReport;
use crate::coordinates::fit::FitReport;
use crate::{LookReport, Report, lookup, terrain};
use schemars::generate::SchemaSettings;
use schemars::transform::RecursiveTransform;
use schemars::{JsonSchema, Schema};

/// The schema of a report: every field is named, and there are no others.
pub fn of<T: JsonSchema>() -> Schema {
    let closed = RecursiveTransform(|schema: &mut Schema| {
        if schema.get("properties").is_some() && schema.get("additionalProperties").is_none() {
            schema.insert("additionalProperties".into(), false.into());
        }
    });
    SchemaSettings::draft2020_12().for_serialize().with_transform(closed).into_generator().into_root_schema_for::<T>()
}

/// All schemas, by the names of their files. `run` is what every command that takes tables through steps prints.
pub fn all() -> Vec<(&'static str, Schema)> {
    vec![
        ("at", of::<lookup::SpotReport>()),
        ("calc-area", of::<lookup::AreaReport>()),
        ("calc-distance", of::<lookup::DistanceReport>()),
        ("calc-distortion", of::<lookup::DistortionReport>()),
        ("calc-sheet", of::<lookup::SheetReport>()),
        ("calc-units", of::<lookup::UnitsReport>()),
        ("calc-zone", of::<lookup::ZoneReport>()),
        ("compare", of::<CompareReport>()),
        ("crs-advise", of::<lookup::AdviceReport>()),
        ("crs-between", of::<lookup::BetweenReport>()),
        ("crs-detect", of::<lookup::DetectReport>()),
        ("crs-find", of::<lookup::FindReport>()),
        ("crs-show", of::<lookup::ShowReport>()),
        ("doubts", of::<Vec<lookup::DoubtExplained>>()),
        ("draw", of::<crate::drawing::DrawReport>()),
        ("error", of::<crate::report::ErrorReport>()),
        ("fit", of::<FitReport>()),
        ("look", of::<LookReport>()),
        ("reference-build", of::<BuildReport>()),
        ("reference-describe", of::<lookup::ReferenceReport>()),
        ("run", of::<Report>()),
        ("terrain-change", of::<terrain::ChangeReport>()),
        ("terrain-contour", of::<terrain::ContourReport>()),
        ("terrain-grid", of::<terrain::GridReport>()),
        ("terrain-profile", of::<terrain::ProfileReport>()),
        ("terrain-shade", of::<terrain::ShadeReport>()),
        ("terrain-slope", of::<terrain::SlopeReport>()),
        ("terrain-triangulate", of::<terrain::TriangulateReport>()),
        ("terrain-volume", of::<terrain::VolumeReport>()),
        ("turn", of::<crate::repeat::TurnReport>()),
    ]
}
