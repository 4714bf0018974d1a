//! Doubts about positions that are not where they should be.

use super::*;

/// Places of a Dutch province, longitude and latitude.
fn friesland(n: u32) -> impl Iterator<Item = (f64, f64)> {
    (0..n).map(|i| (5.40113 + f64::from(i * 7 % 40) * 0.01737, 52.90117 + f64::from(i * 11 % 40) * 0.01191))
}

#[test]
fn swapped_axes() {
    let f = Folder::new();
    let swapped = table("lon,lat", friesland(20).map(|(x, y)| format!("{y},{x}")));
    let doubts = f.converted(&swapped, "EPSG:4326", "EPSG:28992");
    let doubt = only(&doubts, "swapped-axes");
    assert_eq!((doubt.rows, doubt.column.as_deref()), (20, Some("lon, lat")));
    assert!(doubt.message.starts_with("longitude and latitude look swapped: 20 of 20"), "{}", doubt.message);
    assert!(doubt.mend.contains("`x` and `y`"));
    let right = table("lon,lat", friesland(20).map(|(x, y)| format!("{x},{y}")));
    assert!(f.converted(&right, "EPSG:4326", "EPSG:28992").is_empty());
    // One swapped row among many is found too.
    let one = right.clone() + "53.1,5.8\n";
    let doubts = f.converted(&one, "EPSG:4326", "EPSG:28992");
    assert_eq!(only(&doubts, "swapped-axes").rows, 1);
    // Rows whose latitude is none are set aside, and explained all the same.
    let beyond = f.converted("lon,lat\n46.2,-123.8123\n46.1456,-123.7\n", "EPSG:4326", "EPSG:2269");
    assert_eq!(ids(&beyond), ["swapped-axes", "empty-result"], "{beyond:?}");
    // Eastings and northings, in their own system's area of use.
    let metres = "x,y\n5116000.5,438000.5\n5116100.5,438900.5\n";
    let doubts = f.converted(metres, "EPSG:26910", "EPSG:4269");
    assert!(
        only(&doubts, "swapped-axes").message.starts_with("easting and northing look swapped: 2 of 2"),
        "{doubts:?}"
    );
}

/// A table of places of the Tern Estuary in a system, after something was done to the numbers.
fn estuary(code: u32, change: impl Fn([f64; 2]) -> [f64; 2]) -> String {
    let catalogue = basilocus::geodesy::crs::Catalogue::embedded();
    let [degrees, system] = [4326, code].map(|code| catalogue.get(code).unwrap());
    let way = basilocus::geodesy::operation::Operation::between(&degrees, &system, None).unwrap();
    let places = (0..30)
        .map(|i| (-123.951_37 + f64::from(i * 7 % 30) * 0.010_13, 46.101_71 + f64::from(i * 11 % 30) * 0.007_19));
    let rows = places.map(|(lon, lat)| way.apply_one(lon, lat, 0.0).map(|(x, y, _)| change([x, y])).unwrap());
    table("gate,x,y", rows.enumerate().map(|(i, [x, y])| format!("G{i},{x:.6},{y:.6}")))
}

const ESTUARY: &str = "-124,46,-123.5,46.5";

/// A table that raises a doubt alone, or with that of an empty result, where the estuary is expected, and none once it is mended.
#[track_caller]
fn raised(doubt: &str, slipped: (&str, &str), mended: (&str, &str)) -> String {
    let f = Folder::new();
    let found = f.expected(slipped.0, [slipped.1, "EPSG:4269"], ESTUARY);
    let told = found.iter().find(|d| d.id.as_str() == doubt).unwrap_or_else(|| panic!("{found:?}"));
    assert!(found.iter().all(|d| [doubt, "empty-result"].contains(&d.id.as_str())), "{found:?}");
    assert_eq!(told.rows, 30, "{told:?}");
    let again = f.expected(mended.0, [mended.1, "EPSG:4269"], ESTUARY);
    assert!(again.is_empty(), "{again:?}");
    told.message.clone() + "; " + &told.mend
}

#[test]
fn degrees_or_metres() {
    let f = Folder::new();
    // Eastings and northings under headers of degrees: no row is a position, and why is told.
    let metres = estuary(26910, |p| p).replace("gate,x,y", "gate,lon,lat");
    let found = f.expected(&metres, ["EPSG:4326", "EPSG:2269"], ESTUARY);
    assert_eq!(ids(&found), ["degrees-or-metres", "empty-result"], "{found:?}");
    assert!(found[0].message.contains("eastings and northings of NAD83"), "{}", found[0].message);
    // Degrees in columns that were said to be metres are refused before anything is written.
    let degrees = f.layer(&estuary(4326, |p| p), "EPSG:32610").to("EPSG:4326").unwrap();
    let refused = degrees.write(f.0.path().join("no.csv")).unwrap().run().unwrap_err().to_string();
    assert!(refused.contains("look like degrees"), "{refused}");
}

#[test]
fn wrong_foot() {
    let message = raised(
        "wrong-foot",
        (&estuary(32610, |p| p.map(|v| v / 0.3048)), "EPSG:32610"),
        (&estuary(32610, |p| p), "EPSG:32610"),
    );
    assert!(message.contains("look like feet (international or US survey), and were read as metres"), "{message}");
}

#[test]
fn wrong_zone() {
    let right = estuary(32610, |p| p);
    let message = raised("wrong-zone", (&right, "EPSG:32611"), (&right, "EPSG:32610"));
    assert!(
        message.contains("WGS 84 / UTM zone 10N (EPSG:32610)") && message.ends_with("say `from` EPSG:32610"),
        "{message}"
    );
    let south = raised("wrong-zone", (&right, "EPSG:32710"), (&right, "EPSG:32610"));
    assert!(south.contains("EPSG:32610"), "{south}");
}

#[test]
fn lost_digits() {
    let right = estuary(32610, |p| p);
    let cut = estuary(32610, |[x, y]| [x, y - 5e6]);
    let message = raised("lost-digits", (&cut, "EPSG:32610"), (&right, "EPSG:32610"));
    assert!(message.contains("a leading digit 5 seems to be cut off the northings"), "{message}");
}

#[test]
fn wrong_system() {
    // Longitudes from Ferro.
    let ferro = estuary(4326, |[x, y]| [x + 17.666_666_666_667, y]);
    let message = raised("wrong-system", (&ferro, "EPSG:4326"), (&estuary(4326, |p| p), "EPSG:4326"));
    assert!(message.contains("counted from Ferro"), "{message}");
    let state = estuary(2269, |p| p);
    let message = raised("wrong-system", (&state, "EPSG:2285"), (&state, "EPSG:2269"));
    assert!(message.contains("Oregon North"), "{message}");
}

#[test]
fn same_column() {
    let f = Folder::new();
    let twice = table("gate,x,y", (0..20).map(|i| format!("G{i},{0},{0}", 45.0 + f64::from(i * 7 % 20) * 0.0123)));
    let doubts = f.converted(&twice, "EPSG:4326", "EPSG:3857");
    assert!(only(&doubts, "same-column").message.contains("one column stands for both"));
    let counted = table("lon,lat", (0..20).map(|i| format!("{},{:.5}", i + 1, 45.0 + f64::from(i * 7 % 20) * 0.0123)));
    let doubts = f.converted(&counted, "EPSG:4326", "EPSG:3857");
    assert!(only(&doubts, "same-column").message.starts_with("x counts the rows"), "{doubts:?}");
    assert!(f.converted(&estuary(4326, |p| p), "EPSG:4326", "EPSG:3857").is_empty());
}

#[test]
fn fallback_point() {
    let f = Folder::new();
    let middle: String = (0..12).map(|i| format!("M{i},-123.75,46.21\n")).collect();
    let doubts = f.converted(&(estuary(4326, |p| p) + &middle), "EPSG:4326", "EPSG:26910");
    let doubt = only(&doubts, "fallback-point");
    assert!(doubt.rows == 12 && doubt.message.contains("-123.75, 46.21"), "{doubt:?}");
    assert!(f.converted(&estuary(4326, |p| p), "EPSG:4326", "EPSG:26910").is_empty());
}

#[test]
fn missing_sign() {
    let f = Folder::new();
    let unsigned = "lon,lat\n123.8123,46.2\n123.7,46.1456\n123.6,46.1\n";
    let doubts = f.converted(unsigned, "EPSG:4326", "EPSG:2269");
    let doubt = only(&doubts, "missing-sign");
    assert_eq!(doubt.rows, 3);
    assert!(doubt.message.contains("lack their minus sign"), "{}", doubt.message);
    assert!(f.converted(&unsigned.replace("\n123", "\n-123"), "EPSG:4326", "EPSG:2269").is_empty());
    // A few rows among many, where nothing else says where they should be.
    let few = estuary(4326, |p| p) + "A,123.771,46.217\nB,123.812,46.155\n";
    let doubts = f.converted(&few, "EPSG:4326", "EPSG:4979");
    let doubt = only(&doubts, "missing-sign");
    assert!(doubt.rows == 2 && doubt.message.contains("where nearly all others lie"), "{doubt:?}");
    // And one beside them whose axes are exchanged, which is set aside for its latitude.
    let mut found =
        f.converted(&(few.replace("gate,x,y", "gate,lon,lat") + "C,46.155,-123.812\n"), "EPSG:4326", "EPSG:4979");
    found.sort_by_key(|d| d.id.as_str());
    assert_eq!((ids(&found), found[0].rows, found[1].rows), (vec!["missing-sign", "swapped-axes"], 2, 1), "{found:?}");
}

#[test]
fn empty_point() {
    let f = Folder::new();
    let doubts = f.converted("lon,lat\n-123.8123,46.2\n0,0\n0.0,-0\n", "EPSG:4326", "EPSG:3857");
    let doubt = only(&doubts, "empty-point");
    assert_eq!(doubt.rows, 2, "minus zero is zero");
    // What programs fill empty cells with is a place in a projected system, and is explained by nothing else.
    let rows = "x,y\n438000,5116000\n438500,5116200\n-9999,-9999\n999999,999999\n";
    let doubts = f.converted(rows, "EPSG:32610", "EPSG:4326");
    assert_eq!(ids(&doubts), ["empty-point", "outside-area"], "{doubts:?}");
    assert!(doubts[0].rows == 2 && doubts[0].message.contains("at numbers such as -9999, -9999"), "{doubts:?}");
    // Zero on one axis is a place like any other.
    assert!(f.converted("lon,lat\n0,51.4779\n6.1,0\n", "EPSG:4326", "EPSG:3857").is_empty());
}

#[test]
fn minutes_as_decimals() {
    let f = Folder::new();
    let slipped = |i: u32| (121 + i % 4, i * 7 % 60, 44 + i % 3, i * 11 % 60);
    let rows = (0..60).map(slipped).map(|(d, m, e, n)| format!("-{d}.{m:02},{e}.{n:02}"));
    let doubts = f.converted(&table("lon,lat", rows), "EPSG:4326", "EPSG:3857");
    assert_eq!(only(&doubts, "minutes-as-decimals").rows, 60);
    // The same places in real decimal degrees.
    let rows = (0..60).map(slipped).map(|(d, m, e, n)| {
        format!("-{:.5},{:.5}", f64::from(d) + f64::from(m) / 60.0, f64::from(e) + f64::from(n) / 60.0)
    });
    assert!(f.converted(&table("lon,lat", rows), "EPSG:4326", "EPSG:3857").is_empty());
}

#[test]
fn missing_grid() {
    let f = Folder::new();
    let doubts = f.converted("lon,lat\n-123.8123,46.2\n-123.7,46.1456\n", "EPSG:4267", "EPSG:4269");
    let doubt = only(&doubts, "missing-grid");
    assert!(doubt.message.contains("with the grid file") && doubt.mend.contains("`grids`"), "{}", doubt.message);
    assert!(f.converted("lon,lat\n-123.8123,46.2\n", "EPSG:4269", "EPSG:2269").is_empty(), "no datum changes");
}

#[test]
fn mixed_frames() {
    let f = Folder::new();
    // ITRF2014 in degrees, to a frame that is fixed to its plate.
    let flat = |via: &str| {
        let layer = f.layer("lon,lat\n146.8123,-38.2\n146.7,-38.1456\n", "EPSG:9000");
        let plan = basilocus::plan::OperationPlan { via: Some(via.into()), ..Default::default() };
        f.run(layer.by_way_of(plan).to("EPSG:4283").unwrap())
    };
    let doubts = flat("assumed equal");
    let doubt = only(&doubts, "mixed-frames");
    assert!(doubt.message.contains("one moves against the other"), "{}", doubt.message);
    assert!(doubt.mend.contains("`epoch`"));
}

#[test]
fn outside_area() {
    let f = Folder::new();
    let doubts = f.converted("lon,lat\n-123.8123,46.2\n-96.7,40.8123\n-123.7,46.1\n", "EPSG:4326", "EPSG:2269");
    let doubt = only(&doubts, "outside-area");
    assert!(doubt.message.contains("1 of 3 positions is outside the area of use"), "{}", doubt.message);
    // A system of the whole Earth has no outside.
    assert!(f.converted("lon,lat\n-123.8123,46.2\n-96.7,40.8123\n", "EPSG:4326", "EPSG:3857").is_empty());
}

#[test]
fn lattice() {
    let f = Folder::new();
    let rounded = |digits: usize| table("lon,lat", friesland(40).map(|(x, y)| format!("{x:.digits$},{y:.digits$}")));
    let doubts = f.converted(&rounded(3), "EPSG:4326", "EPSG:28992");
    assert!(only(&doubts, "lattice").message.contains("a lattice of 111 m"), "{doubts:?}");
    assert!(f.converted(&rounded(5), "EPSG:4326", "EPSG:28992").is_empty());
    // One axis alone; lines that are meant have many points each.
    let one = table("lon,lat", friesland(40).map(|(x, y)| format!("{x:.6},{y:.2}")));
    let doubts = f.converted(&one, "EPSG:4326", "EPSG:28992");
    let doubt = only(&doubts, "lattice");
    assert!(doubt.column.as_deref() == Some("lat") && doubt.message.contains("a lattice of 1112 m"), "{doubts:?}");
    let lines = (0..300).map(|i| format!("{:.1},{:.5}", 5.0 + f64::from(i % 10) * 0.1, 53.0 + f64::from(i) * 0.00137));
    assert!(f.converted(&table("lon,lat", lines), "EPSG:4326", "EPSG:28992").is_empty());
    // Eastings and northings to a hundred metres; on one axis; as they were measured; and a grid that is meant.
    let metres = |wide: f64, high: f64| {
        let at = |v: f64, step: f64| {
            if step > 0.0 { format!("{:.0}", (v / step).round() * step) } else { format!("{v:.2}") }
        };
        let row = |i: i32| {
            let (x, y) =
                (438_000.0 + f64::from(i * 7919 % 9001) * 1.37, 5_116_000.0 + f64::from(i * 6607 % 8009) * 1.19);
            format!("{},{}", at(x, wide), at(y, high))
        };
        table("easting,northing", (0..60).map(row))
    };
    let doubts = |text: &str| f.converted(text, "EPSG:32610", "EPSG:4326");
    let found = doubts(&metres(100.0, 100.0));
    assert!(only(&found, "lattice").message.contains("a lattice of 100 metres"), "{found:?}");
    let found = doubts(&metres(0.0, 100.0));
    assert_eq!(only(&found, "lattice").column.as_deref(), Some("northing"), "{found:?}");
    assert!(doubts(&metres(0.0, 0.0)).is_empty() && doubts(&metres(1.0, 1.0)).is_empty());
    let grid = (0..100).map(|i| format!("{},{}", 438_000 + i % 10 * 100, 5_116_000 + i / 10 * 100));
    assert!(doubts(&table("easting,northing", grid)).is_empty());
}

#[test]
fn beyond_control() {
    let f = Folder::new();
    let pairs = "name,x,y,e,n\nA,0,0,500000.01,5100000\nB,1000,0,500999.99,5100000\nC,0,1000,500000,5101000.01\nD,1000,1000,501000,5100999.99\nE,500,400,500500.01,5100400\n";
    let fit = FitPlan {
        pairs: f.write("pairs.csv", pairs),
        old: vec!["x".into(), "y".into()],
        new: vec!["e".into(), "n".into()],
        to: "EPSG:32610".into(),
        ..Default::default()
    };
    let file = f.0.path().join("local.toml");
    fit_to_file(&fit, &file, false).unwrap();
    let report = |rows: &str| {
        let source = f.write("points.csv", format!("id,x,y\n1,450,520\n2,10,980\n{rows}"));
        let flags = Flags {
            source,
            positions: Some(Positions { x: Some("x".into()), y: Some("y".into()), ..Default::default() }),
            operation: OperationPlan { via: Some(file.display().to_string()), ..Default::default() },
            to: Some(To { systems: vec!["EPSG:32610".into()], ..Default::default() }),
            ..Default::default()
        };
        let plan = Plan {
            layers: vec![flags.layer()],
            outputs: vec![OutputPlan::new(f.0.path().join("out.csv"))],
            ..Default::default()
        };
        run(&plan, &RunOptions { overwrite: true, ..Default::default() }).unwrap()
    };
    let near = report("3,1200,500\n");
    assert!(near.doubts.is_empty(), "{:?}", near.doubts);
    let far = report("3,900000,500\n");
    let message = &only(&far.doubts, "beyond-control").message;
    assert!(
        message.starts_with("1 position is far from the 5 control pairs of \"pairs\", up to 899000 units"),
        "{message}"
    );
    // The error grows with the distance; so far from the pairs nobody can tell it.
    let operation = |r: &Report| r.layers[0].operations[0].clone();
    let beside = report("3,1240,500\n4,1000,1240\n");
    let (at_pairs, grown) = (operation(&near).accuracy_m.unwrap(), operation(&beside).accuracy_m.unwrap());
    assert!(at_pairs < 0.05 && grown > at_pairs && beside.doubts.is_empty(), "{at_pairs} {grown}");
    assert!(operation(&beside).notes.iter().any(|n| n.contains("at the farthest position")), "{beside:?}");
    assert_eq!(operation(&far).accuracy_m, None);
    assert!(operation(&far).notes.iter().any(|n| n.contains("its accuracy there is not known")), "{far:?}");
    assert!(far.layers[0].accuracy.as_ref().is_none_or(|a| a.is_least), "{far:?}");
}

#[test]
fn other_position() {
    let f = Folder::new();
    let table = |gps: &dyn Fn(f64, f64) -> [f64; 2]| {
        let row = |i: i32| {
            let (lon, lat) = (-123.8123 + 0.01 * f64::from(i), 46.2041 + 0.007 * f64::from(i));
            let [x, y] = gps(lon, lat);
            format!("G{i},{lon:.5},{lat:.5},{y:.5},{x:.5}\n")
        };
        format!("gate,lon,lat,gps_lat,gps_lon\n{}", (0..9).map(row).collect::<String>())
    };
    let doubts = |gps: &dyn Fn(f64, f64) -> [f64; 2]| f.converted(&table(gps), "EPSG:4326", "EPSG:3857");
    // 0.001° of longitude are 77 m here.
    let found = doubts(&|x, y| [x + 0.001, y]);
    let doubt = only(&found, "other-position");
    assert!(doubt.rows == 9 && doubt.message.contains("\"gps_lon\" and \"gps_lat\" say another place"), "{found:?}");
    assert!(doubt.message.contains("half of them by more than 77 m"), "{found:?}");
    let found = doubts(&|x, y| [-x, y]);
    assert!(only(&found, "other-position").message.contains("with other signs, or exchanged"), "{found:?}");
    // The same place; where something goes to; no second pair.
    assert!(doubts(&|x, y| [x + 0.00005, y]).is_empty());
    assert!(doubts(&|x, y| [x * 0.9, y * 0.99]).is_empty());
    // Rounded to a hundredth of a degree it is the same place, as far as that says.
    let rounded =
        "gate,lon,lat,gps_lat,gps_lon\nA,-123.81234,46.20412,46.20,-123.81\nB,-123.72345,46.11234,46.11,-123.72\n";
    assert!(f.converted(rounded, "EPSG:4326", "EPSG:3857").is_empty());
    assert!(
        f.converted(&table(&|x, y| [x + 0.001, y]).replace("gps_lat", "plate"), "EPSG:4326", "EPSG:3857").is_empty()
    );
}

#[test]
fn a_second_pair_in_a_projected_system() {
    let f = Folder::new();
    // UTM zone 10 of the same places, by a system of its own; 120 m to the east of them; and in the wrong datum's system.
    let table = |code: u32, east: f64| {
        let way = way(4326, code);
        let row = |i: i32| {
            let (lon, lat) = (-123.8123 + 0.013 * f64::from(i), 46.2041 + 0.007 * f64::from(i * i % 5));
            let (x, y, _) = way.apply_one(lon, lat, 0.0).unwrap();
            format!("G{i},{lon:.6},{lat:.6},{:.1},{y:.1}", x + east)
        };
        table("gate,lon,lat,utm_easting,utm_northing", (0..9).map(row))
    };
    let doubts = |text: &str| f.converted(text, "EPSG:4326", "EPSG:3857");
    assert!(doubts(&table(32610, 0.0)).is_empty(), "the same place");
    let found = doubts(&table(32610, 120.0));
    let doubt = only(&found, "other-position");
    assert!(doubt.message.contains("half of them by more than 1") && doubt.rows == 9, "{found:?}");
    assert_eq!(doubt.column.as_deref(), Some("utm_easting, utm_northing"));
    // Pixels, and where something goes to.
    let pixels = "gate,lon,lat,x,y\nA,-123.8,46.2,1024.5,1730.2\nB,-123.9,46.1,2210.5,1822.7\n";
    assert!(doubts(pixels).is_empty());
    assert!(doubts(&table(32610, 30_000.0)).is_empty());
    // The digits of either say no more: degrees of three decimals beside exact eastings.
    let coarse = table(32610, 0.0);
    let coarse = coarse.lines().map(|line| {
        let cells: Vec<&str> = line.split(',').collect();
        let short = |cell: &str| cell.parse::<f64>().map_or(cell.to_string(), |v| format!("{v:.3}"));
        format!("{},{},{},{},{}\n", cells[0], short(cells[1]), short(cells[2]), cells[3], cells[4])
    });
    assert!(doubts(&coarse.collect::<String>()).is_empty());
    // Rounded to a hundred metres it is the same place, as far as that says.
    let rounded = "gate,lon,lat,x,y\nA,-123.800012,46.200034,438300,5116600\nB,-123.900012,46.100034,430400,5105600\n";
    assert!(doubts(rounded).is_empty(), "{:?}", doubts(rounded));
}

#[test]
fn feet_of_the_other_kind_by_known_points_in_the_table() {
    let f = Folder::new();
    // US survey feet of Washington South, and the same numbers as international feet by a system of one's own.
    let way = way(4326, 2286);
    let row = |i: i32| {
        let (lon, lat) = (-123.8123 + 0.03 * f64::from(i), 46.2841 + 0.02 * f64::from(i * i % 5));
        let (x, y, _) = way.apply_one(lon, lat, 0.0).unwrap();
        format!("G{i},{x:.2},{y:.2},{lon:.8},{lat:.8}")
    };
    let rows = table("gate,easting,northing,gps_lon,gps_lat", (0..9).map(row));
    assert!(f.converted(&rows, "EPSG:2286", "EPSG:3857").is_empty(), "said as they are");
    // Oregon's system has international feet: numbers in US survey feet of it are some metres beside.
    let way = self::way(4326, 2269);
    let row = |i: i32| {
        let (lon, lat) = (-123.8123 + 0.03 * f64::from(i), 45.2841 + 0.02 * f64::from(i * i % 5));
        let (x, y, _) = way.apply_one(lon, lat, 0.0).unwrap();
        let survey = 0.3048 / (1200.0 / 3937.0);
        format!("G{i},{:.2},{:.2},{lon:.8},{lat:.8}", x * survey, y * survey)
    };
    let rows = table("gate,easting,northing,gps_lon,gps_lat", (0..9).map(row));
    let found = f.converted(&rows, "EPSG:2269", "EPSG:3857");
    assert!(only(&found, "other-position").message.contains("US survey feet"), "{found:?}");
}

#[test]
fn other_town() {
    let f = Folder::new();
    let towns = [
        ("Ternport", "97981", -123.81, 46.19),
        ("Harlow", "97985", -123.15, 45.62),
        ("Ash", "97988", -117.83, 46.21),
        ("Gorse", "97989", -116.9, 45.4),
    ];
    let points = towns.iter().flat_map(|(town, code, lon, lat)| {
        (1..=20).map(move |n| {
            let (lon, lat) = (lon + 0.001 * f64::from(n), lat + 0.0007 * f64::from(n));
            format!("{n},Heron Ln,{town},OR,{code},{lon:.5},{lat:.5}")
        })
    });
    let source = f.write("points.csv", table("number,street,locality,region,postcode,lon,lat", points));
    let reference = f.0.path().join("towns.reference");
    let plan = BuildPlan { sources: vec![source], output: reference.clone(), ..Default::default() };
    build(&plan, &Cancel::default(), &()).unwrap();
    let expected = reference.to_str().unwrap();
    let rows = |change: &dyn Fn(usize, f64, f64) -> (f64, f64)| {
        let row = |i: usize| {
            let (town, code, lon, lat) = towns[i % 4];
            let (lon, lat) = change(i, lon + 0.0002 * i as f64, lat + 0.00013 * i as f64);
            format!("G{i},{town},{code},{lon:.5},{lat:.5}")
        };
        table("gate,town,postcode,lon,lat", (0..40).map(row))
    };
    let doubts = |text: &str, from: &str| f.run(f.layer(text, from).to("EPSG:3857").unwrap().expect(expected));
    let right = rows(&|_, x, y| (x, y));
    assert!(doubts(&right, "EPSG:4326").is_empty(), "{:?}", doubts(&right, "EPSG:4326"));
    // Two rows stand at the place of another town, all inside of the reference.
    let wrong = rows(&|i, x, y| if i == 4 || i == 8 { (-116.89, 45.41) } else { (x, y) });
    let found = doubts(&wrong, "EPSG:4326");
    let doubt = only(&found, "other-town");
    assert!(doubt.rows == 2 && doubt.message.contains("2 of 40 positions are far"), "{found:?}");
    assert!(doubt.message.contains("in row 6 from \"Ternport\""), "{found:?}");
    let plan = LayerPlan { expect: Some(expected.into()), ..LayerPlan::new(f.write("in.csv", &wrong)) };
    assert_eq!(ids(&look(&plan, 3, &Cancel::default(), &()).unwrap().doubts), ["other-town"]);
    // Read in the next zone, the towns of the west lie among those of the east: their names say it.
    let way = way(4326, 32610);
    let row = |i: usize| {
        let (town, code, lon, lat) = towns[i % 2];
        let (x, y, _) = way.apply_one(lon + 0.0002 * i as f64, lat, 0.0).unwrap();
        format!("G{i},{town},{code},{x:.1},{y:.1}")
    };
    let found = doubts(&table("gate,town,postcode,easting,northing", (0..40).map(row)), "EPSG:32611");
    assert!(only(&found, "other-town").message.contains("zone 10"), "{found:?}");
    // Names that the reference has not are no evidence.
    let foreign = right.replace("Ternport,97981", "Elsewhere,").replace("Ash,97988", ",");
    assert!(doubts(&foreign, "EPSG:4326").is_empty());
}

#[test]
fn left_out_part() {
    let f = Folder::new();
    let text = "gate,lat_deg,lat_min,lon_deg,lon_min,ew\nA,46,11,123,50,W\nB,46,12,123,51,W\nC,46,14,122,7,W\n";
    let doubts = |x: Option<&str>, y: Option<&str>| {
        let [x, y] = [x, y].map(|c| c.map(String::from));
        let positions = Positions { x, y, ..Positions::in_system("EPSG:4326").unwrap() };
        f.run(Layer::open(f.write("in.csv", text)).unwrap().positions(positions).to("EPSG:3857").unwrap())
    };
    let found = doubts(Some("lon_deg"), Some("lat_deg"));
    let doubt = only(&found, "left-out-part");
    assert_eq!((doubt.rows, doubt.column.as_deref()), (3, Some("lon_min, ew, lat_min")), "{found:?}");
    assert!(doubts(None, None).is_empty());
    assert!(doubts(Some("lon_deg,lon_min,ew"), Some("lat_deg,lat_min")).is_empty());
}

#[test]
fn layers_of_a_run_that_lie_apart() {
    let f = Folder::new();
    let rows = |lon: f64, sign: f64| {
        table(
            "gate,lon,lat",
            (0..20).map(|i| {
                format!("G{i},{:.5},{:.5}", sign * (lon + 0.0123 * f64::from(i)), 46.2 + 0.0077 * f64::from(i % 7))
            }),
        )
    };
    let plan = |third: &str| {
        let files = [("a.csv", rows(-123.8, 1.0)), ("b.csv", rows(-123.7, 1.0)), ("c.csv", third.to_string())];
        let layers = files
            .map(|(name, text)| LayerPlan::new(f.write(name, text)).with(Positions::in_system("EPSG:4326").unwrap()));
        Plan {
            layers: layers.to_vec(),
            outputs: vec![OutputPlan::new(f.0.path().join("out.gpkg"))],
            ..Default::default()
        }
    };
    let doubts = |third: &str| run(&plan(third), &RunOptions { overwrite: true, ..Default::default() }).unwrap().doubts;
    assert!(doubts(&rows(-123.75, 1.0)).is_empty());
    let found = doubts(&rows(-123.75, -1.0));
    let doubt = only(&found, "missing-sign");
    assert!(doubt.layer == "c" && doubt.message.contains("lie far from \"a\", \"b\" of this run"), "{found:?}");
    assert!(doubts(&rows(10.2, 1.0)).is_empty(), "another country is no slip");
}
