//! Addresses of countries that have no grammar of their own here: names and numbers as they stand, nothing known of
//! types, regions or units.

use super::{Grammar, JoinedUnit, NumberPlace, TypePlace, WordIndex};

/// The grammar.
pub static GRAMMAR: Grammar = Grammar {
    country: "",
    country_names: "",
    number: NumberPlace::After,
    type_place: TypePlace::Glued,
    type_both_sides: false,
    street_types: &[],
    directions: &[],
    units: &[],
    joined_unit: JoinedUnit::Never,
    regions: &[],
    name_words: &[],
    ordinals: &[],
    tens: &[],
    route_types: &[],
    post_boxes: "",
    care_of: "C/O",
    particles: "",
    number_marks: "NR|NO",
    number_suffixes: "",
    crossing_words: "&",
    corner_words: "",
    postcodes: &["99999", "9999", "999999", "9999999"],
    postcode_extension: 0,
    postcode_first: true,
    umlauts: false,
    short_region: 0,
    index: WordIndex::new(),
};
