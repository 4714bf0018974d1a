//! Runs a plan on a table and reads the account of its rows.
//!
//! `cargo run -p basilocus --example run_a_plan`

use basilocus::plan::{LayerPlan, OutputPlan, Plan};
use basilocus::steps::{Positions, To};
use basilocus::{RunOptions, run};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::temp_dir().join(format!("basilocus-plan-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    std::fs::write(folder.join("gates.csv"), "gate;position\nNorth;46 12.0N 123 48.0W\nSouth;46 71.0N 123 48.0W\n")?;
    let layer = LayerPlan::new(folder.join("gates.csv"))
        .with(Positions::in_system("EPSG:4326")?)
        .with(To::system("EPSG:2269")?);
    let plan =
        Plan { layers: vec![layer], outputs: vec![OutputPlan::new(folder.join("gates.gpkg"))], ..Default::default() };
    let report = run(&plan, &RunOptions { overwrite: true, ..Default::default() })?;
    println!("{} rows in, {} out", report.rows_in, report.rows_out);
    for (reason, n) in &report.set_aside {
        println!("set aside: {n} {reason}");
    }
    println!("{}", plan.to_text(&folder.join("gates.plan.toml"))?);
    std::fs::remove_dir_all(folder)?;
    Ok(())
}
