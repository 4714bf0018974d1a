//! Makes the sample data of the demonstration: the fictitious Tern Estuary. Everything is invented and synthetic.
//!
//! usage: `cargo run -p basilocus-tools --bin generate-sample-data`
//! The same seed gives the same files; they are committed under `crates/cli/demo/`.

use anyhow::Result;
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use basilocus_tools::ground;
use rust_xlsxwriter::{DocProperties, ExcelDateTime, Format, Workbook};
use std::fmt::Write;
use std::path::Path;

/// A small linear generator (Knuth's MMIX constants): the data must be the same on every machine.
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        self.0 >> 33
    }
    fn below(&mut self, n: u64) -> u64 {
        self.next() % n
    }
    fn unit(&mut self) -> f64 {
        self.next() as f64 / (1u64 << 31) as f64
    }
}

struct Town {
    name: &'static str,
    region: &'static str,
    postcodes: &'static [&'static str],
    lon: f64,
    lat: f64,
    streets: &'static [&'static str],
    other_names: &'static str,
}

const TOWNS: &[Town] = &[
    Town {
        name: "Ternport",
        region: "OR",
        postcodes: &["97981", "97982"],
        lon: -123.830,
        lat: 46.170,
        streets: &[
            "NE Maple Ave",
            "NE Alder Ave",
            "Heron Ln",
            "5th St",
            "6th St",
            "Cormorant Dr",
            "Cannery Row",
            "St Brendan St",
            "Tidegate Rd",
            "US Highway 701",
        ],
        other_names: "Port Tern",
    },
    Town {
        name: "Graywater",
        region: "WA",
        postcodes: &["98981"],
        lon: -123.760,
        lat: 46.282,
        streets: &["Heron Ln", "Sandpiper Ct", "Pilot Way", "N Ferry St", "S Ferry St", "Mill Pond Rd"],
        other_names: "Grey Water",
    },
    Town {
        name: "Mill Slough",
        region: "OR",
        postcodes: &["97983"],
        lon: -123.740,
        lat: 46.140,
        streets: &["Slough Rd", "Dairy Ln", "Old Dike Rd", "Maple St"],
        other_names: "",
    },
    Town {
        name: "Mill Slough",
        region: "WA",
        postcodes: &["98982"],
        lon: -123.880,
        lat: 46.300,
        streets: &["Slough Rd", "Kestrel Loop", "Grange Hall Rd"],
        other_names: "",
    },
];

/// Places that have no addresses of their own.
const HAMLETS: &[(&str, &str, f64, f64)] =
    &[("Osprey Bend", "OR", -123.690, 46.160), ("Barnacle Point", "WA", -123.930, 46.270)];

struct Segment {
    town: usize,
    street: &'static str,
    from: u32,
    line: [(f64, f64); 2],
    postcode: &'static str,
    has_points: bool,
}

const METRES_PER_DEGREE: f64 = 111_320.0;

fn segments() -> Vec<Segment> {
    let mut out = Vec::new();
    for (t, town) in TOWNS.iter().enumerate() {
        let shrink = town.lat.to_radians().cos();
        for (i, street) in town.streets.iter().enumerate() {
            let across = i % 2 == 0;
            let offset = (i as f64 - town.streets.len() as f64 / 2.0) * 160.0;
            for block in 0..3u32 {
                let along = f64::from(block) * 200.0 - 300.0;
                let place = |d: f64| {
                    let (x, y) = if across { (d, offset) } else { (offset, d) };
                    (town.lon + x / METRES_PER_DEGREE / shrink, town.lat + y / METRES_PER_DEGREE)
                };
                let postcode = town.postcodes[if block == 2 { town.postcodes.len() - 1 } else { 0 }];
                // Every third street is known by its number ranges only.
                out.push(Segment {
                    town: t,
                    street,
                    from: 100 * (block + 1),
                    line: [place(along), place(along + 200.0)],
                    postcode,
                    has_points: i % 3 != 2,
                });
            }
        }
    }
    out
}

/// Where a house stands: along its block, fifteen metres off the line, odd numbers on the left.
fn house(s: &Segment, number: u32, random: &mut Random) -> (f64, f64) {
    let [(x0, y0), (x1, y1)] = s.line;
    let shrink = y0.to_radians().cos();
    let share = 0.08 + 0.84 * f64::from(number - s.from) / 100.0;
    let (dx, dy) = ((x1 - x0) * shrink, y1 - y0);
    let length = dx.hypot(dy);
    let off = (15.0 + random.unit() * 4.0) / METRES_PER_DEGREE * if number % 2 == 1 { 1.0 } else { -1.0 };
    (x0 + (dx * share - dy / length * off) / shrink, y0 + dy * share + dx / length * off)
}

fn main() -> Result<()> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates/cli/demo");
    let mut random = Random(1958);
    let segments = segments();

    let mut ranges =
        String::from("street,left_from,left_to,right_from,right_to,locality,region,left_postcode,right_postcode,wkt\n");
    let mut points = String::from("number,street,locality,region,postcode,lon,lat\n");
    let mut known: Vec<(u32, &Segment)> = Vec::new();
    for s in &segments {
        let town = &TOWNS[s.town];
        let [(x0, y0), (x1, y1)] = s.line;
        writeln!(
            ranges,
            "{},{},{},{},{},{},{},{},{},\"LINESTRING ({x0:.7} {y0:.7}, {x1:.7} {y1:.7})\"",
            s.street,
            s.from + 1,
            s.from + 99,
            s.from,
            s.from + 98,
            town.name,
            town.region,
            s.postcode,
            s.postcode
        )?;
        if s.has_points {
            let mut number = s.from + 2 + random.below(4) as u32;
            while number < s.from + 98 {
                let (lon, lat) = house(s, number, &mut random);
                let extension = format!("{:04}", 1000 + random.below(40));
                writeln!(
                    points,
                    "{number},{},{},{},{}-{extension},{lon:.7},{lat:.7}",
                    s.street, town.name, town.region, s.postcode
                )?;
                known.push((number, s));
                number += 5 + random.below(9) as u32;
            }
        }
    }
    std::fs::write(folder.join("street_segments.csv"), ranges)?;
    std::fs::write(folder.join("address_points.csv"), points)?;

    let mut postcodes = String::from("postcode,locality,region,lon,lat\n");
    let mut places = String::from("name,other_names,region,county,lon,lat\n");
    for town in TOWNS {
        for (i, code) in town.postcodes.iter().enumerate() {
            writeln!(
                postcodes,
                "{code},{},{},{:.5},{:.5}",
                town.name,
                town.region,
                town.lon + 0.002 * i as f64,
                town.lat
            )?;
        }
        writeln!(
            places,
            "{},{},{},{} County,{:.5},{:.5}",
            town.name,
            town.other_names,
            town.region,
            if town.region == "OR" { "Lower Tern" } else { "North Tern" },
            town.lon,
            town.lat
        )?;
    }
    for (name, region, lon, lat) in HAMLETS {
        writeln!(
            places,
            "{name},,{region},{} County,{lon:.5},{lat:.5}",
            if *region == "OR" { "Lower Tern" } else { "North Tern" }
        )?;
    }
    std::fs::write(folder.join("postcodes.csv"), postcodes)?;
    std::fs::write(folder.join("places.csv"), places)?;

    landowners(&folder, &known, &segments, &mut random)?;
    std::fs::write(folder.join("returned_letters.csv"), LETTERS)?;
    field_notes(&folder, &mut random)?;
    survey(&folder, &mut random)?;
    harbour(&folder)?;
    drawing_and_feed(&folder)?;
    districts(&folder)?;
    ground_of_the_levee(&folder)?;
    Ok(())
}

/// Addresses that look right and are not in the reference: a town and a street that it lacks, two in one cell, a name with
/// another letter, another country.
const LETTERS: &str = "letter,address
L-1,\"124 Heron Ln, Bogus Harbor, WA\"
L-2,\"105 NE Maple Ave, Ternport, OR; 103 NE Alder Ave, Ternport, OR\"
L-3,\"104 4th St, Ternport, OR 97981\"
L-4,\"124 Harron Ln, Graywater, WA 98981\"
L-5,\"104 Sandpiper Ct, Graywater, Germany\"
";

const OWNERS: &[&str] = &[
    "A. Finch",
    "B. Larkin",
    "C. Drake",
    "D. Wren",
    "E. Teal",
    "F. Sandoval",
    "G. Okafor",
    "H. Lindqvist",
    "I. Marsh",
    "J. Plover",
    "K. Rail",
    "L. Avocet",
    "M. Dunlin",
    "N. Gull",
    "O. Piper",
    "P. Crake",
];

/// The landowners' workbook: a blank second row, no region column, and addresses as people type them.
fn landowners(folder: &Path, known: &[(u32, &Segment)], segments: &[Segment], random: &mut Random) -> Result<()> {
    let mut rows: Vec<[String; 3]> = Vec::new();
    let town = |s: &Segment| TOWNS[s.town].name.to_string();
    for i in 0..34 {
        let (number, s) = known[(i * known.len() / 34 + random.below(3) as usize) % known.len()];
        let mut street = s.street.to_string();
        let mut locality = town(s);
        let mut postcode = s.postcode.to_string();
        match i % 8 {
            0 => {
                street = street
                    .replace("Ave", "Avenue")
                    .replace("Ln", "Lane")
                    .replace(" St", " Street")
                    .replace("Rd", "Road")
            }
            1 => {
                street = street
                    .replace("Maple", "Mpale")
                    .replace("Heron", "Herron")
                    .replace("Cormorant", "Cormorrant")
                    .replace("Slough Rd", "Sluogh Rd")
                    .replace("Alder", "Aldr")
            }
            2 => street = street.to_uppercase().replace("NE ", "N.E. "),
            3 => street.push_str(&format!(", Unit {}", 1 + random.below(6))),
            4 => {
                street = street
                    .replace("5th", "Fifth")
                    .replace("6th", "Sixth")
                    .replace("US Highway", "Hwy")
                    .replace("Dr", "Drive")
            }
            5 => locality = locality.replace("Ternport", "Trenport").replace("Graywater", "Grey Water"),
            6 => postcode = postcode.replace('1', "2"),
            _ => {}
        }
        rows.push([format!("{number} {street}"), locality, postcode]);
    }
    // Streets that are known by their ranges only.
    for (i, s) in segments.iter().filter(|s| !s.has_points).enumerate().take(12) {
        rows.push([
            format!("{} {}", s.from + 3 + 7 * i as u32 % 90, s.street),
            town(s),
            if i % 4 == 3 { String::new() } else { s.postcode.into() },
        ]);
    }
    let text = |a: &str, b: &str, c: &str| [a.to_string(), b.to_string(), c.to_string()];
    rows.extend([
        // A post box, a street nobody knows, and towns alone.
        text("PO Box 44", "Ternport", "97981"),
        text("RR 2 Box 18", "Graywater", "98981"),
        text("18 Phantom Quay", "Ternport", "97982"),
        text("240 Vanished Ave", "Mill Slough", "97983"),
        text("", "Osprey Bend", ""),
        text("", "Barnacle Point", ""),
        text("at the old net shed", "Osprey Bend", ""),
        // What no tool should place: two towns of one name, parts that disagree, owners far away.
        text("", "Mill Slough", ""),
        text("77 Phantom Quay", "Graywater", "97981"),
        text("9 Nowhere Ln", "Mill Slough", "98981"),
        text("1200 Lantern St", "Harbor Mills", "08099"),
        text("31 Quarry Rd", "West Anvil", "00417"),
        text("5 Foundry Pl", "Cold Spring Forge", "01999"),
        text("", "", ""),
    ]);
    let mut workbook = Workbook::new();
    workbook.set_properties(&DocProperties::new().set_creation_datetime(&ExcelDateTime::from_ymd(2026, 1, 5)?));
    let bold = Format::new().set_bold();
    let date = Format::new().set_num_format("yyyy-mm-dd");
    let sheet = workbook.add_worksheet();
    sheet.set_name("Register")?;
    for (c, name) in ["Owner No", "Owner", "Address", "City", "Zip", "Acres", "Since"].iter().enumerate() {
        sheet.write_string_with_format(0, c as u16, *name, &bold)?;
    }
    for (i, [address, city, zip]) in rows.iter().enumerate() {
        // Row 2 of the sheet stays blank.
        let r = i as u32 + 2;
        sheet.write_string(r, 0, format!("{:05}", 417 + 13 * i))?;
        sheet.write_string(r, 1, OWNERS[i % OWNERS.len()])?;
        for (c, value) in [(2, address), (3, city), (4, zip)] {
            if !value.is_empty() {
                sheet.write_string(r, c, value)?;
            }
        }
        sheet.write_number(r, 5, (random.unit() * 800.0).round() / 10.0)?;
        let since = ExcelDateTime::from_ymd(
            1960 + random.below(60) as u16,
            1 + random.below(12) as u8,
            1 + random.below(28) as u8,
        )?;
        sheet.write_datetime_with_format(r, 6, &since, &date)?;
    }
    sheet.set_column_width(2, 30)?;
    let notes = workbook.add_worksheet();
    notes.set_name("Notes")?;
    notes.write_string(0, 0, "Register of the river trust; all names and places are invented.")?;
    workbook.save(folder.join("landowners.xlsx"))?;
    Ok(())
}

const STRUCTURES: &[&str] = &["culvert", "tide gate", "culvert, perched", "flap gate", "box culvert", "weir"];

/// GPS notes: one column, degrees and decimal minutes, as five people write them. Windows-1252, semicolons.
fn field_notes(folder: &Path, random: &mut Random) -> Result<()> {
    let mut text = String::from("note;date;position;structure;width_m;remark\n");
    for i in 0..40u32 {
        let lat = 46.12 + random.unit() * 0.19;
        let lon = 123.66 + random.unit() * 0.28;
        let (lat_m, lon_m) = ((lat - lat.floor()) * 60.0, (lon - lon.floor()) * 60.0);
        let position = match i % 5 {
            0 => format!("46° {lat_m:06.3}' N, 123° {lon_m:06.3}' W"),
            1 => format!("N46 {lat_m:06.3} W123 {lon_m:06.3}"),
            2 => format!("46 {lat_m:06.3}N 123 {lon_m:06.3}W"),
            3 => format!(
                "46°{},{:03}'N 123°{},{:03}'W",
                lat_m as u32,
                ((lat_m.fract()) * 1000.0) as u32,
                lon_m as u32,
                ((lon_m.fract()) * 1000.0) as u32
            ),
            _ => format!("W123-{lon_m:06.3} N46-{lat_m:06.3}"),
        };
        let position = match i {
            17 => "46 71.204N 123 48.118W".to_string(),
            29 => String::new(),
            _ => position,
        };
        let structure = STRUCTURES[random.below(STRUCTURES.len() as u64) as usize];
        let remark = ["", "near Café Anhinga", "at low water", "access over the dike", "rusted through"]
            [random.below(5) as usize];
        writeln!(
            text,
            "FN-{:03};2026-0{}-{:02};{position};{structure};{:.1};{remark}",
            i + 1,
            4 + random.below(5),
            1 + random.below(28),
            0.4 + random.unit() * 2.6
        )?;
    }
    let bytes: Vec<u8> = text.chars().map(|c| u8::try_from(u32::from(c)).unwrap_or(b'?')).collect();
    std::fs::write(folder.join("field_notes.csv"), bytes)?;
    Ok(())
}

/// A survey of 1958: NAD27, state plane, US survey feet, with three title lines above its header.
fn survey(folder: &Path, random: &mut Random) -> Result<()> {
    let catalogue = Catalogue::embedded();
    let way = Operation::between(&catalogue.get(4267)?, &catalogue.get(32026)?, None)?;
    let mut text = String::from(
        "Tern Estuary Drainage Survey\nsummer 1958\nNAD27 state plane, north zone, U.S. survey feet\nstation\teasting\tnorthing\televation_ft\tdescription\n",
    );
    for i in 0..30u32 {
        let (lon, lat) = (-123.90 + random.unit() * 0.2, 46.13 + random.unit() * 0.12);
        let (e, n, _) = way.apply_one(lon, lat, 0.0).unwrap_or_default();
        let easting = if i == 11 { "illegible".to_string() } else { format!("{e:.2}") };
        writeln!(
            text,
            "S-{:02}\t{easting}\t{n:.2}\t{:.1}\t{}",
            i + 1,
            2.0 + random.unit() * 14.0,
            ["brass cap on headwall", "spike in pile", "chiseled cross, wing wall", "iron pipe"]
                [random.below(4) as usize]
        )?;
    }
    std::fs::write(folder.join("survey_1958.txt"), text)?;
    Ok(())
}

/// The harbour's grid of 1931: feet from a corner of the old wharf, turned against the state plane. Control pairs found
/// again today, one of them copied wrongly, and the piles of the old plan.
fn harbour(folder: &Path) -> Result<()> {
    // A generator of its own, so that the other files keep their bytes.
    let mut random = Random(1931);
    let (sine, cosine) = 12.4f64.to_radians().sin_cos();
    let scale = 0.999_93;
    let today =
        |x: f64, y: f64| (7_370_450.0 + scale * (cosine * x - sine * y), 937_820.0 + scale * (sine * x + cosine * y));
    let spots = [
        ("wharf-corner", 0.0, 0.0),
        ("bollard-A", 412.6, 38.2),
        ("bollard-D", 1_208.4, 55.9),
        ("net-loft", 1_455.0, 640.3),
        ("cannery-stack", 890.7, 905.5),
        ("ferry-slip", 305.1, 780.4),
        ("tide-staff", 655.8, 377.7),
        ("church-spire", -220.5, 512.9),
    ];
    let mut pairs = String::from("point,x_1931_ft,y_1931_ft,easting_ft,northing_ft\n");
    for (name, x, y) in spots {
        let (e, n) = today(x, y);
        let noise = |r: &mut Random| (r.unit() - 0.5) * 0.12;
        // Two digits changed places when the ferry slip was copied.
        let y = if name == "ferry-slip" { y - 36.0 } else { y };
        writeln!(pairs, "{name},{x:.1},{y:.1},{:.2},{:.2}", e + noise(&mut random), n + noise(&mut random))?;
    }
    std::fs::write(folder.join("harbour_pairs.csv"), pairs)?;
    let mut piles = String::from("pile,x,y,set_in\n");
    for i in 0..24 {
        let (x, y) = (60.0 + f64::from(i % 8) * 165.0, 30.0 + f64::from(i / 8) * 260.0);
        writeln!(
            piles,
            "W-{:02},{:.1},{:.1},{}",
            i + 1,
            x + random.unit() * 4.0,
            y + random.unit() * 4.0,
            1931 + random.below(4)
        )?;
    }
    std::fs::write(folder.join("harbour_piles.csv"), piles)?;
    Ok(())
}

/// A drawing of the levee in Oregon North feet: its crest with a bend, a pond, gates with their attributes, notes; and a
/// feed of alerts from the gauges.
fn drawing_and_feed(folder: &Path) -> Result<()> {
    let crs = Catalogue::embedded();
    let way = Operation::between(&crs.get(4326)?, &crs.get(2269)?, None)?;
    let place = |lon: f64, lat: f64| -> (f64, f64) {
        let (mut x, mut y, mut z) = (vec![lon], vec![lat], vec![0.0]);
        way.apply(&mut x, &mut y, &mut z);
        (x[0], y[0])
    };
    let mut dxf = String::new();
    let mut put = |code: i32, value: &str| {
        let _ = writeln!(dxf, "{code:>3}\n{value}");
    };
    for (code, value) in
        [(999, "Tern Estuary, invented"), (0, "SECTION"), (2, "HEADER"), (9, "$ACADVER"), (1, "AC1009")]
    {
        put(code, value);
    }
    for (code, value) in [
        (9, "$INSUNITS"),
        (70, "2"),
        (0, "ENDSEC"),
        (0, "SECTION"),
        (2, "TABLES"),
        (0, "TABLE"),
        (2, "LAYER"),
        (70, "4"),
    ] {
        put(code, value);
    }
    for (name, color) in [("LEVEE", "30"), ("GATES", "5"), ("PONDS", "4"), ("NOTES", "7")] {
        for (code, value) in [(0, "LAYER"), (2, name), (70, "0"), (62, color), (6, "CONTINUOUS")] {
            put(code, value);
        }
    }
    for (code, value) in [(0, "ENDTAB"), (0, "ENDSEC"), (0, "SECTION"), (2, "ENTITIES")] {
        put(code, value);
    }
    // Corners with the bulge of the side behind each.
    let mut line = |layer: &str, closed: bool, corners: &[(f64, f64, f64)]| {
        for (code, value) in [
            (0, "LWPOLYLINE"),
            (8, layer),
            (90, corners.len().to_string().as_str()),
            (70, if closed { "1" } else { "0" }),
        ] {
            put(code, value);
        }
        for (lon, lat, bulge) in corners {
            let (x, y) = place(*lon, *lat);
            put(10, &format!("{x:.2}"));
            put(20, &format!("{y:.2}"));
            if *bulge != 0.0 {
                put(42, &bulge.to_string());
            }
        }
    };
    line(
        "LEVEE",
        false,
        &[(-123.865, 46.205, 0.0), (-123.84, 46.207, 0.35), (-123.825, 46.2, 0.0), (-123.8, 46.195, 0.0)],
    );
    line("PONDS", true, &[(-123.82, 46.165, 0.2), (-123.815, 46.165, 0.2), (-123.8175, 46.169, 0.2)]);
    for (i, (lon, lat)) in [(-123.85, 46.2062), (-123.8325, 46.2045), (-123.812, 46.1974)].into_iter().enumerate() {
        let (x, y) = place(lon, lat);
        let at = [(10, format!("{x:.2}")), (20, format!("{y:.2}"))];
        for (code, value) in [(0, "INSERT"), (8, "GATES"), (66, "1"), (2, "GATE")] {
            put(code, value);
        }
        at.iter().for_each(|(c, v)| put(*c, v));
        for (tag, value) in [
            ("NO", format!("TG-{:02}", i + 1)),
            ("KIND", ["flap", "sluice", "flap"][i].to_string()),
            ("WIDTH_FT", format!("{}", 4 + 2 * i)),
        ] {
            for (code, value) in [(0, "ATTRIB"), (8, "GATES"), (40, "5"), (1, value.as_str()), (2, tag), (70, "0")] {
                put(code, value);
            }
            at.iter().for_each(|(c, v)| put(*c, v));
        }
        for (code, value) in [(0, "SEQEND"), (8, "GATES")] {
            put(code, value);
        }
    }
    let (x, y) = place(-123.84, 46.2085);
    for (code, value) in [
        (0, "TEXT"),
        (8, "NOTES"),
        (10, &format!("{x:.2}")),
        (20, &format!("{y:.2}")),
        (40, "20"),
        (1, "Crest 12.5%%p0.3 ft"),
        (0, "ENDSEC"),
        (0, "EOF"),
    ] {
        put(code, value);
    }
    std::fs::write(folder.join("levee.dxf"), dxf)?;

    let mut feed = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<rss version=\"2.0\" xmlns:georss=\"http://www.georss.org/georss\" xmlns:g=\"urn:x-tern:gauges\">\n<channel>\n<title>Tern Estuary gauges</title>\n<description>Alerts; all invented</description>\n",
    );
    for (i, (name, lon, lat, level, state)) in [
        ("Ternport wharf", -123.8282, 46.1932, 2.91, "high"),
        ("Mill Slough mouth", -123.7702, 46.1741, 2.44, "watch"),
        ("Cannery Creek", -123.8051, 46.1652, 1.87, "normal"),
        ("North Tern inlet", -123.9104, 46.2713, 3.2, "high"),
        ("Graywater bridge", -123.7604, 46.2827, 1.12, "normal"),
    ]
    .into_iter()
    .enumerate()
    {
        writeln!(
            feed,
            "<item><title>{name}</title><guid isPermaLink=\"false\">TG{i:03}</guid><pubDate>Wed, 25 Nov 2026 0{i}:30:00 GMT</pubDate><g:level unit=\"m\">{level:.2}</g:level><g:state>{state}</g:state><georss:point>{lat} {lon}</georss:point></item>"
        )?;
    }
    feed.push_str("</channel>\n</rss>\n");
    std::fs::write(folder.join("gauges.xml"), feed)?;
    Ok(())
}

/// A lidar tile of a levee before and after a flood, the reaches of that levee, and a walk along its crest.
fn ground_of_the_levee(folder: &Path) -> Result<()> {
    for (name, after) in [("flood_before.xyz.gz", false), ("flood_after.xyz.gz", true)] {
        let file = std::fs::File::create(folder.join(name))?;
        let mut packer = flate2::GzBuilder::new().write(file, flate2::Compression::best());
        std::io::Write::write_all(&mut packer, ground::survey(after).as_bytes())?;
        packer.finish()?;
    }
    let crs = Catalogue::embedded();
    let way = Operation::between(&crs.get(26910)?, &crs.get(4326)?, None)?;
    let (west, south) = ground::CORNER;
    let place = |x: f64, y: f64| way.apply_one(west + x, south + y, 0.0).unwrap_or_default();
    let ring = |corners: [(f64, f64); 4]| {
        let all = corners.iter().chain(&corners[..1]).map(|(x, y)| place(*x, *y));
        all.map(|(lon, lat, _)| format!("[{lon:.6}, {lat:.6}]")).collect::<Vec<_>>().join(", ")
    };
    let reaches = [
        ("Reach 7", [(10.0, 95.0), (160.0, 55.0), (160.0, 180.0), (10.0, 222.0)]),
        ("Reach 8", [(160.0, 55.0), (310.0, 15.0), (310.0, 138.0), (160.0, 180.0)]),
    ];
    let features: Vec<String> = reaches
        .iter()
        .map(|(name, corners)| {
            format!(
                "{{\"type\": \"Feature\", \"properties\": {{\"reach\": \"{name}\"}}, \"geometry\": {{\"type\": \"Polygon\", \"coordinates\": [[{}]]}}}}",
                ring(*corners)
            )
        })
        .collect();
    let text = format!("{{\"type\": \"FeatureCollection\", \"features\": [\n{}\n]}}\n", features.join(",\n"));
    std::fs::write(folder.join("levee_reaches.geojson"), text)?;
    let mut walk = String::from("stake,lat,lon\n");
    for i in 0..12 {
        let x = 14.0 + 26.0 * f64::from(i);
        let (lon, lat, _) = place(x, 118.0 - 0.28 * (x - 160.0));
        writeln!(walk, "{},{lat:.6},{lon:.6}", i + 1)?;
    }
    std::fs::write(folder.join("crest_walk.csv"), walk)?;
    Ok(())
}

/// The drainage districts as polygons, and landmarks that people name instead of an address.
fn districts(folder: &Path) -> Result<()> {
    let ring = |points: &[(f64, f64)]| {
        let mut text: Vec<String> = points.iter().map(|(x, y)| format!("[{x:.4}, {y:.4}]")).collect();
        text.push(text[0].clone());
        format!("[{}]", text.join(", "))
    };
    let list = [
        (
            "Ternport Levee District",
            "Tern Board",
            vec![(-123.87, 46.14), (-123.79, 46.13), (-123.78, 46.2), (-123.86, 46.21)],
        ),
        (
            "Mill Slough Drainage District",
            "Slough Board",
            vec![(-123.78, 46.11), (-123.7, 46.12), (-123.7, 46.17), (-123.77, 46.18)],
        ),
        (
            "North Tern Diking District",
            "North Board",
            vec![(-123.93, 46.26), (-123.72, 46.25), (-123.71, 46.32), (-123.92, 46.33)],
        ),
    ];
    let features: Vec<String> = list
        .iter()
        .map(|(name, board, points)| {
            format!(
                "{{\"type\": \"Feature\", \"properties\": {{\"district\": \"{name}\", \"board\": \"{board}\"}}, \"geometry\": {{\"type\": \"Polygon\", \"coordinates\": [{}]}}}}",
                ring(points)
            )
        })
        .collect();
    let text = format!("{{\"type\": \"FeatureCollection\", \"features\": [\n{}\n]}}\n", features.join(",\n"));
    std::fs::write(folder.join("districts.geojson"), text)?;
    let landmarks = "name,kind,locality,region,lon,lat\n\
        Tern Point Lighthouse,lighthouse,Ternport,OR,-123.85210,46.18840\n\
        Cannery Museum,museum,Ternport,OR,-123.82570,46.16910\n\
        Heron Marsh,nature reserve,Graywater,WA,-123.77050,46.27660\n\
        Slack Water,neighbourhood,Ternport,OR,-123.84010,46.17420\n";
    std::fs::write(folder.join("landmarks.csv"), landmarks)?;
    Ok(())
}
