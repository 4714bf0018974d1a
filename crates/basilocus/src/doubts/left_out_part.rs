//! Minutes, seconds or hemispheres in columns of their own that were left out: degrees alone were read.

use super::{AtTheEnd, Doubt, Ending, Finding, Scene, Watch};

pub static DOUBT: Doubt = Doubt {
    name: "left-out-part",
    looks_for: "columns of minutes, seconds or hemispheres that belong to the columns that positions are read from, and are not read",
    example: "`x` said as `lon_deg` and `y` as `lat_deg` where `lon_min`, `lat_min` and `ew` stand beside them: up to a degree off, or in the other hemisphere",
    mend: "say all columns of an axis, such as `lon_deg,lon_min,lon_sec,ew`, or none, so that they are found",
    watch: |scene| (!scene.left_out_parts.is_empty()).then(|| Box::new(AtTheEnd(finding)) as Box<dyn Watch>),
};

fn finding(scene: &Scene, end: &Ending) -> Option<Finding> {
    let (x, y) = scene.position_columns.as_ref()?;
    let left: Vec<String> = scene.left_out_parts.iter().map(|name| format!("\"{name}\"")).collect();
    Some(Finding {
        column: Some(scene.left_out_parts.join(", ")),
        rows: end.ledger.rows_out,
        message: format!(
            "positions are read from \"{x}\" and \"{y}\" alone, and {} {} to be parts of them",
            left.join(", "),
            if left.len() == 1 { "seems" } else { "seem" }
        ),
        mend: DOUBT.mend.into(),
    })
}
