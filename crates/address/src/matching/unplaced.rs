//! Why an address is not placed, as classes that can be counted and compared.

use std::fmt;

/// The class of a reason for not placing an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Unplaced {
    /// The text is longer than any address.
    TooLong,
    /// There is nothing to read.
    NoAddress,
    /// No reference is of its country.
    NoReference,
    /// The matches lie outside the area that results must be within.
    OutsideTheArea,
    /// Several places fit equally well.
    SeveralEqual,
    /// The text has several addresses.
    SeveralAddresses,
    /// The match is coarser than was asked for.
    CoarserThanAsked,
    /// The match is less sure than was asked for.
    ConfidenceTooLow,
    /// The street is not in the reference, and there is nothing coarser to place by.
    StreetNotFound,
    /// The locality is not in the reference.
    LocalityNotFound,
    /// No street, locality or known postcode.
    NothingToPlaceBy,
    /// Postcode and region contradict each other.
    PostcodeAndRegion,
    /// Postcode and locality contradict each other.
    PostcodeAndLocality,
    /// Locality and region contradict each other.
    LocalityAndRegion,
}

impl Unplaced {
    /// The class in words, as ledgers count it.
    pub const fn name(self) -> &'static str {
        match self {
            Unplaced::TooLong => "too long for an address",
            Unplaced::NoAddress => "no address",
            Unplaced::NoReference => "no reference of the country",
            Unplaced::OutsideTheArea => "outside the area",
            Unplaced::SeveralEqual => "several equal candidates",
            Unplaced::SeveralAddresses => "several addresses in one cell",
            Unplaced::CoarserThanAsked => "coarser than asked",
            Unplaced::ConfidenceTooLow => "confidence too low",
            Unplaced::StreetNotFound => "street not found",
            Unplaced::LocalityNotFound => "locality not found",
            Unplaced::NothingToPlaceBy => "nothing to place by",
            Unplaced::PostcodeAndRegion => "postcode and region disagree",
            Unplaced::PostcodeAndLocality => "postcode and locality disagree",
            Unplaced::LocalityAndRegion => "locality and region disagree",
        }
    }

    /// Whether two parts of the address contradict each other.
    pub const fn is_contradiction(self) -> bool {
        matches!(self, Unplaced::PostcodeAndRegion | Unplaced::PostcodeAndLocality | Unplaced::LocalityAndRegion)
    }
}

impl fmt::Display for Unplaced {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
