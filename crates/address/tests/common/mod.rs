//! What the tests of this crate share: entries of invented worlds, and references of them.
#![allow(dead_code)]

use basilocus_address::reference::PointEntry;
use basilocus_address::{Builder, Entry, Reference};

/// A house by its number and street, its locality, region and postcode, and its longitude and latitude in degrees.
pub fn house([number, street]: [&str; 2], [locality, region, postcode]: [&str; 3], (lon, lat): (f64, f64)) -> Entry {
    Entry::Point(PointEntry {
        number: number.into(),
        street: street.into(),
        locality: locality.into(),
        region: region.into(),
        postcode: postcode.into(),
        lon,
        lat,
        ..Default::default()
    })
}

/// The references of what was added, one for each country, and the folder in which they lie while it is kept.
pub fn written(builder: &mut Builder) -> (tempfile::TempDir, Vec<Reference>) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("world.reference");
    builder.write(&path).unwrap();
    let references = Reference::open_all(&path).unwrap();
    (folder, references)
}

/// The same where there is one country.
pub fn written_one(builder: &mut Builder) -> (tempfile::TempDir, Reference) {
    let (folder, mut references) = written(builder);
    assert_eq!(references.len(), 1);
    (folder, references.remove(0))
}
