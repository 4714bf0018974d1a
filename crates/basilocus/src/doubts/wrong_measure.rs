//! Lengths and areas that are measured where they are not true: on a map that stretches them.

use super::{Doubt, DoubtName, DoubtReport, Finding, stored_measures};
use crate::coordinates::measure::Measures;

pub static DOUBT: Doubt = Doubt {
    name: "wrong-measure",
    looks_for: "a map on which lengths or areas are more than a hundredth off the true ones: one that is measured on, that columns of areas or lengths were measured on, or that lines and polygons are sent in",
    example: "the area of a field on the web's Mercator, twice as large as the field",
    mend: "measure on the ellipsoid, or choose a map with `crs advise`",
    watch: stored_measures::watch,
};

/// The share by which a map may be off before it is doubted.
const TOLERANCE: f64 = 0.01;

/// What there is to tell of measures on a map; nothing where they are true.
///
/// ```
/// use basilocus::coordinates::measure::measure;
/// use basilocus::geodesy::crs::Catalogue;
///
/// let catalogue = Catalogue::embedded();
/// let (wgs84, web) = (catalogue.get(4326)?, catalogue.get(3857)?);
/// let field = [(-123.80, 46.20), (-123.79, 46.20), (-123.79, 46.21)];
/// let told = basilocus::doubts::of_measures(&measure(&field, &wgs84, Some(&web))?);
/// assert!(told.unwrap().message.contains("areas are 2.0"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn of_measures(measures: &Measures) -> Option<DoubtReport> {
    let map = measures.on_map.as_ref()?;
    let off = |ratio: f64| (ratio - 1.0).abs() > TOLERANCE;
    (off(map.area_ratio) || off(map.length_ratio)).then(|| {
        let finding = Finding {
            column: None,
            rows: measures.points as u64,
            message: format!(
                "{} is no map to measure on here: areas are {:.3} and lengths {:.3} times the true ones",
                map.crs, map.area_ratio, map.length_ratio
            ),
            mend: DOUBT.mend.into(),
        };
        DoubtReport::new(DoubtName(&DOUBT), "", finding)
    })
}
