//! Finds systems by words and shows one as well-known text.
//!
//! `cargo run -p basilocus --example find_a_system -- utm 10 north wgs`

use basilocus::geodesy::crs::{Catalogue, wkt};

fn main() -> Result<(), basilocus::geodesy::Error> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let words = if words.is_empty() { "oregon north ft".to_string() } else { words.join(" ") };
    let catalogue = Catalogue::embedded();
    let hits = catalogue.search(&words);
    for hit in hits.iter().take(5) {
        println!("EPSG:{:<6} {} ({}, {})", hit.code, hit.name, hit.kind, hit.unit);
    }
    if let Some(best) = hits.first() {
        println!("{}", wkt::indented(&wkt::wkt1(&catalogue.get(best.code)?)?));
    }
    Ok(())
}
