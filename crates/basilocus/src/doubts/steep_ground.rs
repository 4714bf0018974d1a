//! Nearly all of the ground is a wall: heights and positions are in units that do not go together.

use super::{Doubt, DoubtName, DoubtReport, Finding};
use crate::terrain::Steepness;

pub static DOUBT: Doubt = Doubt {
    name: "steep-ground",
    looks_for: "a grid on which more than half of the ground is steeper than 60 degrees",
    example: "heights in centimetres or feet that are taken as metres, or metres that are taken as degrees",
    mend: "say the unit of the heights with `height_unit`, and check the system of the grid",
    watch: |_| None,
};

/// The share of the ground that has to be a wall.
const SHARE: f64 = 0.5;

/// What there is to tell of the steepness of a grid.
pub(crate) fn of_steepness(steepness: &Steepness, layer: &str) -> Option<DoubtReport> {
    (steepness.cells > 0 && steepness.very_steep_share > SHARE).then(|| {
        let finding = Finding {
            column: None,
            rows: (steepness.very_steep_share * steepness.cells as f64).round() as u64,
            message: format!(
                "{:.0} % of the ground is steeper than 60 degrees, as where the unit of the heights or the system is another than is taken",
                steepness.very_steep_share * 100.0
            ),
            mend: DOUBT.mend.into(),
        };
        DoubtReport::new(DoubtName(&DOUBT), layer, finding)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn walls_nearly_everywhere_are_doubted() {
        let of = |very_steep_share| Steepness { cells: 200, very_steep_share, ..Default::default() };
        assert_eq!(of_steepness(&of(0.9), "bank.tif").map(|d| d.rows), Some(180));
        assert_eq!(of_steepness(&of(0.5), "bank.tif"), None, "mountains are steep");
        assert_eq!(of_steepness(&Steepness { cells: 0, ..of(1.0) }, "bank.tif"), None);
    }
}
