//! Reads written positions and prints them in other notations.
//!
//! `cargo run -p basilocus --example read_a_position -- "N46 12.0 W123 48.0"`

use basilocus::geodesy::notation::{AxisOrder, NOTATIONS, print, read};

fn main() {
    let text = std::env::args().nth(1).unwrap_or_else(|| "N46° 12.0' W123° 48.0'".into());
    match read(&text, AxisOrder::Reject) {
        Ok(reading) => {
            println!("{text} is {} ({})", reading.words(), reading.notation.words());
            for notation in NOTATIONS {
                if let Some(written) = print(reading.lon_deg, reading.lat_deg, *notation, notation.usual_digits()) {
                    println!("  {:<24} {written}", notation.name());
                }
            }
        }
        // Two readings are an error that lists them.
        Err(e) => println!("{e}"),
    }
}
