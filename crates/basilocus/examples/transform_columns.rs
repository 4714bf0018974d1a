//! Brings columns of numbers from one system to another, and says how good that is.
//!
//! `cargo run -p basilocus --example transform_columns`

use basilocus::geodesy::crs::Catalogue;
use basilocus::geodesy::operation::Operation;

fn main() -> Result<(), basilocus::geodesy::Error> {
    let catalogue = Catalogue::embedded();
    let survey = catalogue.find_one("NAD27 / Oregon North")?;
    let today = catalogue.get(2269)?;
    let operation = Operation::between(&survey, &today, None)?;
    println!("{} → {}", survey.title(), today.title());
    println!("by {}, accuracy {:?} m", operation.name(), operation.accuracy_m());
    for step in operation.steps() {
        println!("  {step}");
    }
    // US survey feet in, international feet out; easting first.
    let (mut x, mut y, mut z) = (vec![1_172_012.10, 1_183_919.46], vec![925_034.70, 952_401.02], vec![0.0, 0.0]);
    operation.apply(&mut x, &mut y, &mut z);
    for (x, y) in x.iter().zip(&y) {
        println!("{x:.2} {y:.2}");
    }
    Ok(())
}
