//! A number that stands for no height is taken for one, as nothing says what it stands for.

use super::{Doubt, DoubtName, DoubtReport, Finding};
use crate::terrain::HeightRange;

pub static DOUBT: Doubt = Doubt {
    name: "undeclared-no-data",
    looks_for: "heights that are exactly a number which programs write where they know none, in a grid that does not say so",
    example: "-9999 in the corners of a grid: volumes of millions, cliffs along the edge of what was measured",
    mend: "say the number with `no_data` where heights are taken from the grid",
    watch: |_| None,
};

/// Numbers that programs write where they know no height.
const USUAL: [f64; 8] = [-9999.0, -99999.0, -32768.0, -32767.0, -999.0, -3.402_823_466_385_288_6e38, -1e30, -999_999.0];

/// What there is to tell of the heights of a grid.
pub(crate) fn of_heights(heights: &HeightRange, layer: &str) -> Option<DoubtReport> {
    let lowest = heights.lowest;
    let is_usual = USUAL.iter().any(|n| (lowest - n).abs() <= n.abs() * 1e-6);
    (heights.known > heights.at_lowest && is_usual).then(|| {
        let finding = Finding {
            column: None,
            rows: heights.at_lowest,
            message: format!(
                "{} of {} heights {} exactly {lowest}, which often stands for no height, and the grid does not say so",
                heights.at_lowest,
                heights.known,
                if heights.at_lowest == 1 { "is" } else { "are" }
            ),
            mend: format!(
                "if it stands for no height, `no_data` {lowest} where heights are taken from the grid; of its points, select those above it"
            ),
        };
        DoubtReport::new(DoubtName(&DOUBT), layer, finding)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_for_no_height_is_doubted_only_among_others() {
        let range = |lowest, at_lowest, known| HeightRange { lowest, at_lowest, known, ..Default::default() };
        let told = of_heights(&range(-9999.0, 2, 4), "bank.asc").unwrap();
        assert_eq!(told.rows, 2);
        assert!(told.mend.contains("`no_data` -9999 where heights are taken from the grid"), "{}", told.mend);
        assert_eq!(of_heights(&range(-12.5, 1, 4), "bank.asc"), None);
        assert_eq!(of_heights(&range(-999.0, 4, 4), "bank.asc"), None, "a level lake");
    }
}
