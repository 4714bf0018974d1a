//! `demo`: the whole story on the shipped data. Every step is the command that is printed above it.

use super::{Definition, Perform, command_line, perform};
use crate::Done;
use crate::text;
use anyhow::{Result, anyhow, bail};
use basilocus::plan::{Flags, InputPlan, LayerPlan, OutputPlan};
use basilocus::steps::{Geocode, Positions, To};
use basilocus::{Plan, RunOptions};
use clap::Parser;
use std::path::{Path, PathBuf};

pub(super) const COMMAND: Definition = Definition::plain::<Demo>("demo");

/// Run the whole story on the shipped sample data into a folder
#[derive(Debug, Parser)]
struct Demo {
    /// Folder to make
    #[arg(default_value = "tern-estuary")]
    folder: PathBuf,
    /// Replace the folder of an earlier demonstration
    #[arg(long)]
    overwrite: bool,
}

/// The sample data: invented by `tools/src/bin/generate-sample-data.rs`.
const FILES: &[(&str, &[u8])] = &[
    ("landowners.xlsx", include_bytes!("../../demo/landowners.xlsx")),
    ("returned_letters.csv", include_bytes!("../../demo/returned_letters.csv")),
    ("field_notes.csv", include_bytes!("../../demo/field_notes.csv")),
    ("survey_1958.txt", include_bytes!("../../demo/survey_1958.txt")),
    ("address_points.csv", include_bytes!("../../demo/address_points.csv")),
    ("street_segments.csv", include_bytes!("../../demo/street_segments.csv")),
    ("postcodes.csv", include_bytes!("../../demo/postcodes.csv")),
    ("places.csv", include_bytes!("../../demo/places.csv")),
    ("landmarks.csv", include_bytes!("../../demo/landmarks.csv")),
    ("districts.geojson", include_bytes!("../../demo/districts.geojson")),
    ("levee.dxf", include_bytes!("../../demo/levee.dxf")),
    ("gauges.xml", include_bytes!("../../demo/gauges.xml")),
    ("harbour_pairs.csv", include_bytes!("../../demo/harbour_pairs.csv")),
    ("harbour_piles.csv", include_bytes!("../../demo/harbour_piles.csv")),
    ("flood_before.xyz.gz", include_bytes!("../../demo/flood_before.xyz.gz")),
    ("flood_after.xyz.gz", include_bytes!("../../demo/flood_after.xyz.gz")),
    ("levee_reaches.geojson", include_bytes!("../../demo/levee_reaches.geojson")),
    ("crest_walk.csv", include_bytes!("../../demo/crest_walk.csv")),
];

/// The sources of the estuary's address reference.
const REFERENCE_SOURCES: [&str; 6] =
    ["address_points.csv", "street_segments.csv", "postcodes.csv", "places.csv", "landmarks.csv", "districts.geojson"];

/// Makes the grid of the levee before the flood in a folder.
#[cfg(feature = "serve")]
pub(super) fn make_grid(folder: &Path) -> Result<PathBuf> {
    use basilocus::terrain::{GridPlan, grid_of};

    const POINTS: &str = "flood_before.xyz.gz";
    let bytes = FILES.iter().find(|(name, _)| *name == POINTS).map_or(&[][..], |(_, bytes)| bytes);
    let (points, output) = (folder.join(POINTS), folder.join("levee.tif"));
    std::fs::write(&points, bytes).map_err(|e| anyhow!("{}: cannot be written: {e}", points.display()))?;
    let positions = Positions { from: Some("EPSG:26910+5703".into()), ..Default::default() };
    let plan = GridPlan { positions, ..GridPlan::new(points, output.clone()) };
    grid_of(&plan, &crate::signals::cancel(), &())?;
    Ok(output)
}

/// Builds the estuary's address reference in a folder.
#[cfg(feature = "serve")]
pub(super) fn build_reference(folder: &Path) -> Result<PathBuf> {
    use basilocus::addresses::reference::{BuildPlan, build};

    let mut sources = Vec::new();
    for (name, bytes) in FILES.iter().filter(|(name, _)| REFERENCE_SOURCES.contains(name)) {
        let file = folder.join(name);
        std::fs::write(&file, bytes).map_err(|e| anyhow!("{}: cannot be written: {e}", file.display()))?;
        sources.push(file);
    }
    let output = folder.join("estuary.reference");
    build(&BuildPlan { sources, output: output.clone(), ..Default::default() }, &crate::signals::cancel(), &())?;
    Ok(output)
}

const PLAN: &str = "culverts.plan.toml";
const OUTPUTS: [&str; 3] = ["culverts.gpkg", "culverts.geojson", "culverts.xlsx"];

impl Perform for Demo {
    fn perform(self) -> Result<Done> {
        tell(&self.folder, self.overwrite)
    }
}

/// Tells the story, in a folder.
fn tell(folder: &Path, overwrite: bool) -> Result<Done> {
    if folder.exists() {
        let ours = FILES.iter().all(|(name, _)| folder.join(name).exists());
        let empty = std::fs::read_dir(folder).map(|mut d| d.next().is_none()).unwrap_or(false);
        if !(empty || ours && overwrite) {
            bail!(
                "{}: the folder is there already; name another one, or replace an earlier demonstration with --overwrite",
                folder.display()
            );
        }
    }
    std::fs::create_dir_all(folder).map_err(|e| anyhow!("{}: the folder cannot be made: {e}", folder.display()))?;
    for (name, bytes) in FILES {
        std::fs::write(folder.join(name), bytes)
            .map_err(|e| anyhow!("{}: cannot be written: {e}", folder.join(name).display()))?;
    }
    std::env::set_current_dir(folder).map_err(|e| anyhow!("{}: cannot be entered: {e}", folder.display()))?;
    say(&format!(
        "The Tern Estuary: a river trust keeps a register of culverts and tide gates where two states meet.\n\
         All names, places and numbers are invented. The files are in {}; the commands below ran there.\n",
        folder.display()
    ))?;

    step("1. Look before you trust: the landowners' workbook")?;
    command("basilocus look landowners.xlsx --rows 4 --no-progress")?;

    step("2. Build the address reference, and match the landowners against it")?;
    command(&format!(
        "basilocus reference build {} -o estuary.reference --overwrite --no-progress",
        REFERENCE_SOURCES.join(" ")
    ))?;
    command(
        "basilocus geocode landowners.xlsx --reference estuary.reference -o landowners.csv --review review.xlsx --overwrite --no-progress",
    )?;
    examples("landowners.csv", &["Address", "City", "level", "confidence", "changes"], &[0, 1, 5, 34, 46, 50])?;
    examples("landowners.set-aside.csv", &["source_row", "Address", "City", "Zip", "reason"], &[1, 2, 3, 4])?;

    command(
        "basilocus nearest landmarks.csv --reference estuary.reference --from EPSG:4326 --most 2000 -o landmarks_near.csv --overwrite --no-progress",
    )?;
    examples(
        "landmarks_near.csv",
        &["name", "nearest_address", "nearest_distance_m", "nearest_side", "inside_district"],
        &[0, 1, 2, 3],
    )?;
    say(
        "The rows in doubt are in review.xlsx with their candidates; what is answered there comes back with --answers.\n",
    )?;

    say(
        "Letters came back whose addresses look right and are not in the reference: none is placed at a house with a confidence of 80 or more.\n",
    )?;
    command(
        "basilocus geocode returned_letters.csv --reference estuary.reference -o returned_letters_out.csv --overwrite --no-progress",
    )?;
    examples(
        "returned_letters_out.csv",
        &["letter", "address", "level", "confidence", "radius_m", "matched_address"],
        &[0, 1],
    )?;
    examples("returned_letters_out.set-aside.csv", &["letter", "reason"], &[0, 1, 2])?;

    step(
        "3. Read the field notes (degrees and decimal minutes, five spellings) and the survey of 1958 (NAD27, US survey feet)",
    )?;
    command(
        "basilocus convert field_notes.csv --from EPSG:4326 --notation decimal-degrees -o field_notes.geojson --overwrite --no-progress",
    )?;
    command(
        "basilocus convert survey_1958.txt --from EPSG:32026 --to EPSG:4326 -o survey_1958.csv --overwrite --no-progress",
    )?;

    step(
        "4 and 5. All three to NAD83 / Oregon North in international feet and to WGS 84; out as layers and as a workbook",
    )?;
    let plan = plan();
    std::fs::write(PLAN, plan.to_text(Path::new(PLAN))?)?;
    command(&format!("basilocus run {PLAN} --overwrite --no-progress"))?;

    step("6. The plan that did it, run again: the same bytes")?;
    say(&format!("$ cat {PLAN}\n{}\n", std::fs::read_to_string(PLAN)?))?;
    std::fs::create_dir_all("again")?;
    let mut again = Plan::load(Path::new(PLAN))?;
    again.outputs = OUTPUTS.iter().map(|o| OutputPlan::new(format!("again/{o}"))).collect();
    basilocus::run(&again, &RunOptions { overwrite: true, ..Default::default() })?;
    for name in OUTPUTS {
        let same = std::fs::read(name)? == std::fs::read(Path::new("again").join(name))?;
        say(&format!(
            "  {name:<18} {}\n",
            if same { "the same bytes" } else { "DIFFERS: this is a defect, please report it" }
        ))?;
        if !same {
            bail!("{name} differs between two runs of one plan");
        }
    }
    std::fs::remove_dir_all("again")?;

    step(
        "7. The harbour's own grid of 1931: control pairs, a fit that names the bad one, and the old piles on today's map",
    )?;
    command("basilocus fit harbour_pairs.csv --to EPSG:2269 -o harbour_all.toml --overwrite")?;
    command("basilocus fit harbour_pairs.csv --to EPSG:2269 --without ferry-slip -o harbour.toml --overwrite")?;
    command(
        "basilocus convert harbour_piles.csv --via harbour.toml --x x --y y --to EPSG:4326 -o harbour_piles.geojson --overwrite --no-progress",
    )?;

    step(
        "8. The drainage districts for other programs, with their areas in square metres, and the culverts parted by district",
    )?;
    command(
        "basilocus convert districts.geojson -o districts.shp -o districts.kml --to EPSG:2269 --measure --overwrite --no-progress",
    )?;
    command(
        "basilocus select culverts.gpkg --layer landowners --inside districts.geojson --take district --split-by district -o district.xlsx --overwrite --no-progress",
    )?;

    step("9. A drawing in feet and a feed of gauges: one GeoPackage, and a map in colours to send around")?;
    command("basilocus look gauges.xml --rows 3 --no-progress")?;
    command("basilocus convert levee.dxf --from EPSG:2269 -o levee.gpkg --overwrite --no-progress")?;
    command("basilocus convert gauges.xml --to EPSG:2269 -o levee.gpkg --append --no-progress")?;
    command(
        "basilocus convert gauges.xml -o gauges.kmz --category state --label title --color state:high=#B3261E,watch=#C98A00,*=#2E7D5B --overwrite --no-progress",
    )?;

    step("10. A lidar tile of the levee before and after a flood: grids, relief, contours, the crest, cut and fill")?;
    command("basilocus look flood_before.xyz.gz --rows 3 --no-progress")?;
    for date in ["before", "after"] {
        command(&format!(
            "basilocus terrain grid flood_{date}.xyz.gz -o flood_{date}.tif --from EPSG:26910+5703 --overwrite"
        ))?;
    }
    command(
        "basilocus terrain shade flood_after.tif -o flood_after.png --exaggeration 3 --azimuth 315,45 --overwrite",
    )?;
    command("basilocus terrain contour flood_before.tif -o flood_contours.gpkg --every 0.5 --overwrite")?;
    command(
        "basilocus convert crest_walk.csv --from EPSG:4326 --heights flood_before.tif -o crest_heights.csv --overwrite --no-progress",
    )?;
    command(
        "basilocus convert crest_walk.csv --from EPSG:4326 --gather lines -o crest.geojson --overwrite --no-progress",
    )?;
    command("basilocus terrain profile flood_after.tif crest.geojson -o crest_profile.csv --every 10 --overwrite")?;
    command(
        "basilocus terrain change flood_before.tif flood_after.tif -o flood_change.tif --threshold 0.1 --height-error 0.03 --inside levee_reaches.geojson --name reach --overwrite",
    )?;
    command("basilocus terrain volume flood_after.tif --above 4 --inside levee_reaches.geojson --name reach")?;

    step("11. A map of it all")?;
    command(
        "basilocus draw districts.geojson culverts.gpkg --in EPSG:2269 --color-by district -o estuary.png --overwrite --no-progress",
    )?;
    command(
        "basilocus draw flood_after.tif flood_contours.gpkg levee_reaches.geojson crest.geojson crest_walk.csv --from EPSG:4326 --label stake -o levee.svg --overwrite --no-progress",
    )?;
    command(
        "basilocus draw districts.geojson flood_after.tif flood_contours.gpkg levee_reaches.geojson crest.geojson culverts.gpkg --color-by district --title Culverts -o map.html --overwrite --no-progress",
    )?;

    #[cfg(all(feature = "serve", feature = "services"))]
    services()?;

    step("What to open")?;
    say(&format!(
        "  {0}/culverts.xlsx      in a spreadsheet program: a sheet for each source, one of the rows set aside, one that says what this is\n  \
         {0}/review.xlsx        in the same: the addresses in doubt, with a column to answer in\n  \
         {0}/culverts.gpkg      in any program that reads GeoPackage: one layer for each source, in Oregon North feet\n  \
         {0}/culverts.geojson   in a text editor or a web map: all points, in WGS 84\n  \
         {0}/harbour_piles.geojson in the same: the piles of the old plan\n  \
         {0}/districts.shp      in any program that reads shapefiles; {0}/districts.kml on a globe\n  \
         {0}/levee.gpkg         in any program that reads GeoPackage: the drawing and the gauges\n  \
         {0}/gauges.kmz         on a globe: the gauges in folders and colours by their state\n  \
         {0}/flood_after.png    in a picture viewer: the levee after the flood; flood_change.tif and flood_contours.gpkg beside it\n  \
         {0}/estuary.png        in the same: the register on a map; levee.svg in a browser: the flooded levee\n  \
         {0}/map.html           in a browser: everything, to move, search and click\n  \
         {0}/crest_profile.csv  in a spreadsheet program: the crest, every ten metres\n  \
         {0}/live.kml           on a globe: it loads live_gauges.kml again and again\n  \
         {0}/{PLAN} in a text editor: change it, and `basilocus run` it\n",
        folder.display()
    ))?;
    Ok(Done::Fine)
}

/// A geocoding service and a feed, stood in for on this machine: no network is asked.
#[cfg(all(feature = "serve", feature = "services"))]
fn services() -> Result<()> {
    use basilocus_serve::{Beginning, Faults, Options, serve};
    use std::sync::Arc;
    use std::sync::atomic::{AtomicBool, Ordering};

    step(
        "12. Without a reference: a geocoding service, of which a stand-in here lets a third of all requests fail; and a feed, turn by turn",
    )?;
    // What an earlier demonstration paid for would not be asked again.
    for kept in ["by_service.service.sqlite", "live_gauges.kept.sqlite"] {
        let _ = std::fs::remove_file(kept);
    }
    let options = Options {
        references: vec!["estuary.reference".into()],
        feed: Some(std::time::Duration::from_secs(1)),
        faults: Some(Faults { fail: 0.33, seed: 489, ..Default::default() }),
        ..Options::at(([127, 0, 0, 1], 0).into())
    };
    let (ready, address) = std::sync::mpsc::channel();
    let ends = Arc::new(AtomicBool::new(false));
    let end = ends.clone();
    let server = std::thread::spawn(move || {
        let told = |beginning: &Beginning| ready.send(beginning.address).unwrap_or_default();
        serve(&options, told, move || end.load(Ordering::Relaxed)).map_err(|e| e.to_string())
    });
    let told = address.recv();
    let done = match told {
        Ok(address) => by_service(&format!("http://{address}")),
        Err(_) => Err(anyhow!("the stand-in does not start")),
    };
    ends.store(true, Ordering::Relaxed);
    match server.join() {
        Ok(served) => served.map_err(|problem| anyhow!(problem))?,
        Err(_) => bail!("the stand-in broke off"),
    }
    done
}

/// What asks the stand-ins at an address.
#[cfg(all(feature = "serve", feature = "services"))]
fn by_service(address: &str) -> Result<()> {
    command(&format!(
        "basilocus geocode landowners.xlsx --service {address}/openls --country US --batch 5 --rate 20 -o by_service.csv --overwrite --no-progress"
    ))?;
    examples("by_service.csv", &["Address", "City", "level", "confidence", "service_score"], &[0, 1, 34, 50])?;
    say("Every answer is kept in by_service.service.sqlite: the same command again asks, and pays for, nothing.\n\n")?;
    command(&format!(
        "basilocus convert {address}/feed/gauges.csv --from EPSG:4326 --key gauge --every 1s --turns 4 --network-link live.kml -o live_gauges.kml --overwrite --no-progress"
    ))
}

/// The plan of steps 4 and 5.
fn plan() -> Plan {
    let to = || Some(To { systems: vec!["EPSG:2269".into(), "EPSG:4326".into()], ..Default::default() });
    let positions = |from: &str| Some(Positions { from: Some(from.into()), ..Default::default() });
    let landowners = Flags {
        source: "landowners.xlsx".into(),
        name: Some("landowners".into()),
        input: InputPlan { sheet: Some("Register".into()), ..Default::default() },
        geocode: Some(Geocode {
            reference: vec!["estuary.reference".into()],
            extras: vec!["region".into(), "parent".into(), "district".into()],
            ..Default::default()
        }),
        to: to(),
        ..Default::default()
    };
    let notes = Flags {
        source: "field_notes.csv".into(),
        name: Some("field_notes".into()),
        positions: positions("EPSG:4326"),
        to: to(),
        ..Default::default()
    };
    let survey = Flags {
        source: "survey_1958.txt".into(),
        name: Some("survey_1958".into()),
        positions: positions("EPSG:32026"),
        // The old numbers stay, under names that say what they are.
        rename: [("easting", "easting_1958"), ("northing", "northing_1958")]
            .map(|(old, new)| (old.to_string(), new.to_string()))
            .into(),
        to: to(),
        ..Default::default()
    };
    Plan {
        date: Some(basilocus::today()),
        layers: [landowners, notes, survey].map(Flags::layer).into(),
        outputs: OUTPUTS.iter().map(OutputPlan::new).collect(),
        ..Default::default()
    }
}

fn say(text: &str) -> Result<()> {
    Ok(text::print(text)?)
}

fn step(title: &str) -> Result<()> {
    say(&format!("\n── {title}\n\n"))
}

/// Prints a command line and runs it, parsed as the shell's words would be.
fn command(line: &str) -> Result<()> {
    say(&format!("$ {}\n", line.replace(" --overwrite", "").replace(" --no-progress", "")))?;
    perform(&command_line().try_get_matches_from(line.split(' '))?)?;
    say("\n")
}

/// Some rows and columns of a table that was just written.
fn examples(file: &str, columns: &[&str], rows: &[usize]) -> Result<()> {
    let layer = LayerPlan::new(file);
    let report = basilocus::look(&layer, 100, &basilocus::Cancel::default(), &())?;
    let at: Vec<usize> = columns.iter().filter_map(|c| report.columns.iter().position(|r| r.name == *c)).collect();
    let cells: Vec<Vec<String>> = rows
        .iter()
        .filter_map(|r| report.first_rows.get(*r))
        .map(|row| at.iter().map(|i| row[*i].clone()).collect())
        .collect();
    say(&format!("Some rows of {file}:\n{}\n", text::table(columns, &cells)))
}
