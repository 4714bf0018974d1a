//! Questions and their reports. Expected values are those of definitions (zones, units, parameters of the registry), of
//! published examples, or follow from them by hand.

use basilocus::geodesy::crs::Purpose;
use basilocus::geodesy::notation::AxisOrder;
use basilocus::lookup::*;
use basilocus::{Error, ErrorKind};

fn close(a: f64, b: f64, within: f64) {
    assert!((a - b).abs() <= within, "{a} is not {b} within {within}");
}

/// The message of a usage error.
#[track_caller]
fn refused<T: std::fmt::Debug>(outcome: Result<T, Error>) -> String {
    let e = outcome.unwrap_err();
    assert_ne!(e.kind(), ErrorKind::Defect);
    e.to_string()
}

#[test]
fn a_spot_in_every_form() {
    let spot = SpotQuestion::new("46°12'00\"N 123°48'00\"W").report().unwrap();
    assert_eq!((spot.lon, spot.lat, spot.crs.as_str(), spot.crs_said), (-123.8, 46.2, "EPSG:4326", false));
    assert_eq!((spot.accuracy_m, spot.height_m, spot.cell_m), (Some(0.0), None, None));
    let zone = spot.zone.unwrap();
    // Zones are six degrees wide and counted from 180° W; bands eight degrees high and lettered from C at 80° S.
    assert_eq!(
        (zone.number, zone.band, zone.central_meridian, zone.west, zone.east),
        (10, Some('T'), -123.0, -126.0, -120.0)
    );
    // Sheets of the international map are six by four degrees: the twelfth row from the equator is L, the tenth column 10.
    let sheet = spot.sheet.unwrap();
    assert_eq!(
        (sheet.number.as_str(), sheet.west, sheet.south, sheet.east, sheet.north),
        ("NL-10", -126.0, 44.0, -120.0, 48.0)
    );
    let text = |name: &str| spot.notations.iter().find(|w| w.notation.name() == name).map(|w| w.text.clone());
    assert_eq!(text("degrees-minutes").as_deref(), Some("46° 12.0000' N, 123° 48.0000' W"));
    assert_eq!(text("great-britain-grid"), None, "there is no such reference here");
    assert!(spot.notations.iter().all(|w| w.last_digit_m > 0.0));
    assert!(!spot.systems.is_empty() && spot.systems.iter().any(|s| s.code == "EPSG:32610"));
    let mut codes: Vec<&str> = spot.systems.iter().map(|s| s.code.as_str()).collect();
    codes.sort_unstable();
    codes.dedup();
    assert_eq!(codes.len(), spot.systems.len(), "each system once");
}

#[test]
fn a_spot_in_the_systems_that_are_asked_for() {
    let question =
        SpotQuestion { to: vec!["EPSG:32610".into(), "EPSG:4978".into()], ..SpotQuestion::new("46.2 N 123 W") };
    let spot = question.report().unwrap();
    // On the central meridian the easting is the false easting.
    assert_eq!(spot.systems.len(), 2);
    close(spot.systems[0].x, 500_000.0, 1e-6);
    let geocentric = &spot.systems[1];
    let (z, radius) = (geocentric.z.unwrap(), geocentric.x.hypot(geocentric.y));
    close(geocentric.y.atan2(geocentric.x).to_degrees(), -123.0, 1e-12);
    // On the ellipsoid: (r/a)² + (z/b)² = 1.
    close((radius / 6_378_137.0).powi(2) + (z / 6_356_752.314_245_179).powi(2), 1.0, 1e-12);
}

#[test]
fn a_spot_that_is_a_cell_or_of_another_system_says_so() {
    let cell = SpotQuestion::new("10TDS3827716579").report().unwrap();
    assert_eq!(cell.cell_m, Some(1.0));
    let grid = SpotQuestion { from: Some("EPSG:2269".into()), ..SpotQuestion::new("7366633.86 E 940706.86 N") };
    let grid = grid.report().unwrap();
    assert!(grid.crs_said && grid.crs_title.contains("Oregon North"), "{}", grid.crs_title);
    let order = SpotQuestion { order: Some(AxisOrder::LatitudeFirst), ..SpotQuestion::new("46.2 12.5") };
    let order = order.report().unwrap();
    assert_eq!((order.lon, order.lat), (12.5, 46.2));
    assert!(refused(SpotQuestion::new("46.2 12.5").report()).contains("12.5"));
    assert!(
        refused(SpotQuestion { to: vec!["EPSG:1".into()], ..SpotQuestion::new("46 N 12 E") }.report())
            .contains("EPSG:1")
    );
    let digits = SpotQuestion { digits: Some(0), ..SpotQuestion::new("46.2 N 123.8 W") }.report().unwrap();
    let seconds = digits.notations.iter().find(|w| w.notation.name() == "degrees-minutes-seconds").unwrap();
    assert_eq!(seconds.text, "46° 12' 00\" N, 123° 48' 00\" W");
    // A second of latitude is about 31 m anywhere.
    close(seconds.last_digit_m, 30.9, 0.2);
}

#[test]
fn systems_by_words() {
    let find =
        |words: &[&str], most| FindQuestion { words: words.iter().map(|w| w.to_string()).collect(), most }.report();
    let found = find(&["oregon", "north", "ft"], 2).unwrap();
    assert_eq!(found.query, "oregon north ft");
    assert!(found.systems.len() == 2 && found.found > 2, "{found:?}");
    assert_eq!(find(&["4326"], 5).unwrap().systems[0].code, "EPSG:4326");
    let compound = find(&["EPSG:4326+5773"], 5).unwrap();
    assert_eq!((compound.found, compound.systems.len()), (1, 1));
    assert!(refused(find(&["Atlantis grid"], 5)).contains("Atlantis"));
}

#[test]
fn a_system_with_its_parameters() {
    let show = |crs: &str| ShowQuestion { crs: crs.into() }.report().unwrap();
    let utm = show("EPSG:32633");
    let projection = utm.projection.unwrap();
    // The definition of the grid: scale 0.9996 on the central meridian 15° E, false easting 500,000 m.
    let mut values: Vec<f64> = projection.parameters.values().copied().collect();
    values.sort_by(f64::total_cmp);
    assert_eq!(values, [0.0, 0.0, 0.9996, 15.0, 500_000.0]);
    assert!(projection.implemented && projection.source.is_some());
    assert_eq!((projection.base.as_str(), projection.unit_m), ("EPSG:4326", 1.0));
    let datum = utm.datum.unwrap();
    assert_eq!((datum.semi_major_m, datum.inverse_flattening), (6_378_137.0, 298.257_223_563));
    assert_eq!((utm.area.west, utm.area.east), (12.0, 18.0));
    let plain = show("EPSG:4326");
    assert!(plain.projection.is_none() && plain.parts.is_none());
    let compound = show("EPSG:4326+5773");
    assert!(compound.parts.unwrap()[1].contains("EGM96"));
    // What is recognised says by what, and which others have the same numbers.
    let by_text = show(&plain.wkt.unwrap());
    assert_eq!(by_text.code, "EPSG:4326");
    assert!(!by_text.evidence.is_empty());
    assert!(ShowQuestion { crs: "nowhere.prj".into() }.report().is_err());
}

#[test]
fn ways_between_systems() {
    let same = BetweenQuestion::new("EPSG:4269", "EPSG:2269").report().unwrap();
    assert!(same.is_conversion && same.error.is_none());
    let question =
        BetweenQuestion { near: Some("-123.8,46.2".into()), ..BetweenQuestion::new("EPSG:4267", "EPSG:4269") };
    let shift = question.report().unwrap();
    assert!(!shift.is_conversion && shift.ways.len() > 1, "{shift:?}");
    assert_eq!(shift.ways.iter().filter(|w| w.taken).count(), 1);
    let missing = shift.ways.iter().filter(|w| w.state == WayState::GridMissing);
    for way in missing {
        assert!(way.grids.iter().any(|g| !g.present), "{way:?}");
    }
    let holding = shift.ways.iter().filter(|w| w.holds_area && w.accuracy_m.is_some());
    let best = holding.filter_map(|w| w.accuracy_m).min_by(f64::total_cmp);
    assert_eq!(shift.ways[0].accuracy_m, best, "the best stands first");
    let local = BetweenQuestion::new("local", "EPSG:4326").report();
    assert!(refused(local).contains("nothing ties local grid"));
    assert!(
        refused(
            BetweenQuestion { near: Some("Atlantis".into()), ..BetweenQuestion::new("EPSG:4267", "EPSG:4269") }
                .report()
        )
        .contains("Atlantis")
    );
}

#[test]
fn systems_for_a_purpose() {
    let area = "-124.1,46.0,-123.5,46.4";
    let measure = AdviseQuestion::new(area).report().unwrap();
    assert_eq!((measure.area, measure.purpose.as_str()), ([-124.1, 46.0, -123.5, 46.4], "measure"));
    assert!(measure.systems.len() <= 8 && measure.found >= measure.systems.len());
    assert!(measure.systems.iter().all(|s| !s.reasons.is_empty()));
    assert!(measure.systems.iter().any(|s| s.code.is_none() && s.toml.is_some()), "one of one's own is among them");
    let equal = AdviseQuestion { purpose: Purpose::Area, most: 1, ..AdviseQuestion::new(area) }.report().unwrap();
    assert_eq!(equal.systems.len(), 1);
    assert!(equal.systems[0].area_error_ppm < 1.0, "an equal-area system comes first: {:?}", equal.systems[0]);
    let web = AdviseQuestion { purpose: Purpose::Web, ..AdviseQuestion::new(area) }.report().unwrap();
    assert_eq!(web.systems[0].code.as_deref(), Some("EPSG:3857"));
    let point = AdviseQuestion::new("-123.8,46.2").report().unwrap();
    assert!(point.words.starts_with("within 10 km of"), "{}", point.words);
}

#[test]
fn systems_that_numbers_could_be_in() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("utm.csv");
    std::fs::write(&file, "id,x,y\n1,438278,5116580\n2,438300,5116600\n3,439000,5117000\n").unwrap();
    let found = DetectQuestion::new(&file, "-123.8,46.2").report().unwrap();
    assert_eq!((found.points, found.looked_at, found.within_km), (3, 3, Some(50.0)));
    assert!(found.systems.iter().any(|s| s.code == "EPSG:32610" && s.share == 1.0 && !s.swapped), "{found:?}");
    assert!(found.interpretation.iter().all(|t| !t.contains("local grid")), "{:?}", found.interpretation);
    // The same numbers the other way round.
    std::fs::write(&file, "id,x,y\n1,5116580,438278\n2,5116600,438300\n3,5117000,439000\n").unwrap();
    let swapped = DetectQuestion::new(&file, "-123.8,46.2").report().unwrap();
    assert!(swapped.systems.iter().any(|s| s.code == "EPSG:32610" && s.swapped), "{swapped:?}");
    // Nowhere near: nothing is offered instead.
    let nowhere = DetectQuestion { within_km: 1.0, ..DetectQuestion::new(&file, "120,-30") }.report().unwrap();
    assert!(nowhere.systems.iter().all(|s| s.share > 0.0));
}

#[test]
fn zones() {
    let zone = |what: &str| ZoneQuestion { what: what.split('|').map(String::from).collect() }.report();
    let z = zone("10").unwrap();
    assert_eq!((z.zone, z.central_meridian, z.west, z.east, z.asked), (10, -123.0, -126.0, -120.0, ZoneAsked::Zone));
    assert_eq!(z.crs, ["EPSG:32610", "EPSG:32710"]);
    let band = zone("10T").unwrap().band.unwrap();
    assert_eq!((band.letter, band.south, band.north), ('T', 40.0, 48.0));
    let x = zone("33X").unwrap().band.unwrap();
    assert_eq!((x.south, x.north), (72.0, 84.0), "the last band is twelve degrees high");
    let longitude = zone("-123.8").unwrap();
    assert_eq!((longitude.zone, longitude.lat, longitude.asked), (10, None, ZoneAsked::Longitude));
    let place = zone("46.2 N|123.8 W").unwrap();
    assert_eq!((place.zone, place.crs.as_slice()), (10, &["EPSG:32610".to_string()][..]));
    assert_eq!(place.band.unwrap().letter, 'T');
    let south = zone("34 S 151 E").unwrap();
    assert_eq!((south.zone, south.crs[0].as_str()), (56, "EPSG:32756"));
    // The exceptions of the grid: south-west Norway and Svalbard.
    for (place, number) in
        [("60.5 N 4.5 E", 32), ("78 N 8.5 E", 31), ("78 N 9.5 E", 33), ("78 N 22 E", 35), ("78 N 34 E", 37)]
    {
        assert_eq!(zone(place).unwrap().zone, number, "{place}");
    }
    assert_eq!(zone("180").unwrap().zone, zone("-180").unwrap().zone, "one meridian");
    assert_eq!(zone("10.5").unwrap().zone, 32, "a longitude of ten and a half degrees");
    assert_eq!(zone("61").unwrap().zone, 41, "there is no such zone: it is a longitude");
    for (wrong, told) in [("10I", "no hemisphere"), ("500", "no longitude"), ("85 N 3 E", "84° N")] {
        assert!(refused(zone(wrong)).contains(told), "{wrong}");
    }
}

#[test]
fn units() {
    let of = |value: &str, unit: &str, to: &[&str]| {
        UnitsQuestion { value: value.into(), unit: unit.into(), to: to.iter().map(|t| t.to_string()).collect() }
            .report()
    };
    let value = |value: &str, unit: &str, to: &str| of(value, unit, &[to]).unwrap().others[0].value;
    // By their definitions: 0.3048 m, 1200/3937 m, 66 US survey feet a chain, 400 grads a circle.
    close(value("1", "ft", "m"), 0.3048, 1e-15);
    close(value("3937", "ftUS", "m"), 1200.0, 1e-9);
    close(value("1", "yd", "ft"), 3.0, 1e-12);
    close(value("100", "grad", "degree"), 90.0, 1e-12);
    close(value("180", "degree", "radian"), std::f64::consts::PI, 1e-12);
    close(value("1", "degree", "arc-second"), 3600.0, 1e-9);
    let feet = of("1000000", "ft", &[]).unwrap();
    assert_eq!(feet.kind, UnitKind::Length);
    assert!(feet.others.len() > 5 && feet.others.iter().all(|o| o.metres.is_some()));
    let other = feet.other_foot.unwrap();
    // Two parts in a million.
    close((other.metres / 0.3048 - 1.0) * 1e6, 2.0, 1e-4);
    assert_eq!(of("1", "ftUS", &[]).unwrap().other_foot.unwrap().metres, 0.3048);
    assert!(of("1", "m", &[]).unwrap().other_foot.is_none());
    assert!(refused(of("ten", "ft", &[])).contains("a number is expected"));
    assert!(refused(of("1", "parsec", &[])).contains("there are"));
    assert!(refused(of("1", "ft", &["degree"])).contains("no unit of length"));
    assert!(refused(of("1", "grad", &["m"])).contains("no unit of angle"));
    assert_eq!(of("1,5", "m", &["m"]).unwrap().value, 1.5, "a decimal comma");
}

#[test]
fn distances() {
    // A degree of the equator on WGS 84 is the 360th part of its circumference.
    let equator = DistanceQuestion::new("0 N 10 E", "0 N 11 E").report().unwrap();
    close(equator.distance_m, 2.0 * std::f64::consts::PI * 6_378_137.0 / 360.0, 1e-6);
    close(equator.azimuth_deg, 90.0, 1e-12);
    close(equator.rhumb_distance_m, equator.distance_m, 1e-6);
    // The quarter meridian of WGS 84: 10,001,965.729 m (by its series, to the millimetre).
    let meridian = DistanceQuestion::new("0 N 10 E", "90 N 10 E").report().unwrap();
    close(meridian.distance_m, 10_001_965.729, 1e-3);
    // Along a parallel the line of constant bearing is the longer one.
    let across = DistanceQuestion::new("60 N 0 E", "60 N 30 E").report().unwrap();
    assert!(across.rhumb_distance_m > across.distance_m);
    close(across.rhumb_azimuth_deg, 90.0, 1e-9);
    close(across.azimuth_deg + across.final_azimuth_deg, 180.0, 1e-9);
    let same = DistanceQuestion::new("46.2 N 123.8 W", "46.2 N 123.8 W").report().unwrap();
    assert_eq!(same.distance_m, 0.0);
    assert!(refused(DistanceQuestion::new("46.2 N 123.8 W", "SRID=4267;POINT (-123.8 46.2)").report()).len() > 10);
}

#[test]
fn areas() {
    // A quarter of a hemisphere: the eighth part of the Earth's surface on WGS 84, 510,065,621.724 km² in all.
    let corners =
        |list: &[&str]| AreaQuestion { what: list.iter().map(|t| t.to_string()).collect(), ..Default::default() };
    let octant = corners(&["0 N 0 E", "0 N 90 E", "90 N 0 E"]).report().unwrap();
    close(octant.measures.area_m2 / 1e6, 510_065_621.724 / 8.0, 0.01);
    assert!(octant.measures.counter_clockwise && octant.measures.on_map.is_none());
    let clockwise = corners(&["0 N 0 E", "90 N 0 E", "0 N 90 E"]).report().unwrap();
    assert!(!clockwise.measures.counter_clockwise);
    close(clockwise.measures.area_m2, octant.measures.area_m2, 1.0);
    assert_eq!(octant.interpretation.len(), 3);
    assert!(refused(corners(&["0 N 0 E", "0 N 1 E"]).report()).contains("three or more"));
    // On the map that keeps areas, the area is the same.
    let on = AreaQuestion { on: Some("EPSG:3035".into()), ..corners(&["52 N 10 E", "52 N 10.1 E", "52.1 N 10.1 E"]) };
    let map = on.report().unwrap().measures.on_map.unwrap();
    close(map.area_ratio, 1.0, 2e-5);
    assert!(
        refused(
            AreaQuestion { on: Some("EPSG:4326".into()), ..corners(&["52 N 10 E", "52 N 11 E", "53 N 11 E"]) }.report()
        )
        .contains("projected")
    );
}

#[test]
fn sheets() {
    let at = |what: &str| SheetQuestion { what: what.into(), ..Default::default() };
    let by_number = at("NL-10").report().unwrap();
    assert_eq!((by_number.sheets.len(), by_number.lon), (1, None));
    let found = at("46.2 N 123.8 W").report().unwrap();
    assert_eq!(found.sheets[0].sheet, "NL-10");
    // From the western limit 126° W and the southern 44° N: 2.2 of 6 degrees, 2.2 of 4 degrees.
    close(found.sheets[0].from_west.unwrap(), 2.2 / 6.0, 1e-12);
    close(found.sheets[0].from_south.unwrap(), 2.2 / 4.0, 1e-12);
    for s in &found.sheets {
        assert!(s.west <= -123.8 && -123.8 < s.east && s.south <= 46.2 && 46.2 < s.north, "{s:?}");
    }
    assert!(refused(at("89 N 10 E").report()).contains("88° latitude"));

    let folder = tempfile::tempdir().unwrap();
    let index = folder.path().join("own.csv");
    std::fs::write(&index, "sheet,west,south,east,north\nMouth,438000,5116000,439000,5117000\n").unwrap();
    let own = SheetQuestion {
        index: Some(index.clone()),
        index_crs: Some("EPSG:32610".into()),
        output: Some(folder.path().join("limits.geojson")),
        ..at("10T 438250 5116500")
    };
    let report = own.report().unwrap();
    let last = report.sheets.last().unwrap();
    assert_eq!((last.sheet.as_str(), last.in_degrees), ("Mouth", false));
    close(last.from_west.unwrap(), 0.25, 0.001);
    close(last.from_south.unwrap(), 0.5, 0.001);
    let written = std::fs::read_to_string(folder.path().join("limits.geojson")).unwrap();
    assert!(written.contains("NL-10") && !written.contains("Mouth"), "limits in degrees alone: {written}");
    assert!(refused(own.report()).contains("exists already"));
    std::fs::write(&index, "sheet,west,south,east,north\nHills,538000,5116000,539000,5117000\n").unwrap();
    let elsewhere = SheetQuestion { output: None, ..own }.report().unwrap();
    assert!(elsewhere.notes.iter().any(|n| n.contains("none of the index's sheets")), "{:?}", elsewhere.notes);
}

#[test]
fn distortions() {
    let at =
        |what: &str, on: &str| DistortionQuestion { what: what.into(), on: on.into(), ..Default::default() }.report();
    // On its central meridian a zone of the grid has the scale 0.9996, in all directions, and no convergence.
    let zone = at("46.2 N 123 W", "EPSG:32610").unwrap();
    close(zone.distortion.meridian_scale.mean, 0.9996, 1e-12);
    close(zone.distortion.parallel_scale.mean, 0.9996, 1e-12);
    close(zone.distortion.convergence_deg.mean, 0.0, 1e-12);
    close(zone.distortion.length_error_ppm, 400.0, 1e-6);
    assert!(zone.measures.is_none(), "one position has no length");
    // East of it on the northern hemisphere grid north lies east of true north... by (λ − λ₀) sin φ to first order.
    let east = at("46.2 N 122.9 W", "EPSG:32610").unwrap();
    close(east.distortion.convergence_deg.mean.abs(), 0.1 * 46.2f64.to_radians().sin(), 1e-6);
    assert!(refused(at("46.2 N 123 W", "EPSG:4326")).contains("a projected one is expected"));
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("p.csv");
    std::fs::write(&file, "id,lon,lat\n1,-123.8,46.2\n2,-123.7,46.2\n3,-123.7,46.3\n4,x,y\n").unwrap();
    let question = DistortionQuestion {
        what: file.display().to_string(),
        on: "EPSG:3857".into(),
        from: Some("EPSG:4326".into()),
        ..Default::default()
    };
    let table = question.report().unwrap();
    assert_eq!((table.distortion.points, table.distortion.of), (3, 3));
    assert!(table.interpretation.iter().any(|n| n.contains("1 row left out")), "{:?}", table.interpretation);
    assert_eq!(table.measures.unwrap().points, 3);
    assert_eq!(table.doubts.len(), 1);
}

#[test]
fn positions_of_two_datums_make_no_polygon() {
    let what = ["46.2 N 123.8 W", "TG 51409 13177", "52 N 1 E"].map(String::from).to_vec();
    let message = refused(AreaQuestion { what, ..Default::default() }.report());
    assert!(message.contains("bring them to one datum first"), "{message}");
}

#[test]
fn doubts_by_name() {
    let all = DoubtsQuestion::default().report().unwrap();
    assert!(all.len() >= 17);
    let one = DoubtsQuestion { name: Some("lattice".into()) }.report().unwrap();
    assert_eq!((one.len(), one[0].name.as_str()), (1, "lattice"));
    assert!(refused(DoubtsQuestion { name: Some("slip-01".into()) }.report()).contains("lattice"));
}

#[test]
fn what_is_inside_a_reference() {
    use basilocus::addresses::reference::{BuildPlan, build};
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| {
        std::fs::write(folder.path().join(name), text).unwrap();
        folder.path().join(name)
    };
    let sources = vec![
        write(
            "points.csv",
            "number,street,locality,region,postcode,lon,lat\n12,Heron Ln,Ternport,OR,97981,-123.801,46.2\n14,Heron Ln,Ternport,OR,97981,-123.802,46.2\n",
        ),
        write(
            "places.csv",
            "name,region,kind,lon,lat\nTernport,OR,town,-123.8,46.2\nOld Light,OR,lighthouse,-123.81,46.21\n",
        ),
    ];
    let file = folder.path().join("r.reference");
    let plan = BuildPlan { sources, output: file.clone(), ..Default::default() };
    build(&plan, &basilocus::Cancel::default(), &()).unwrap();
    let report = ReferenceQuestion { file: file.clone() }.report().unwrap();
    assert_eq!((report.countries.concat().as_str(), report.address_points, report.streets), ("US", 2, 1));
    assert_eq!(report.localities.iter().find(|l| l.name == "Ternport").map(|l| l.address_points), Some(2));
    assert_eq!(report.bytes, std::fs::metadata(&file).unwrap().len());
    // A byte that changed is found.
    let mut bytes = std::fs::read(&file).unwrap();
    let last = bytes.len() - 9;
    bytes[last] ^= 1;
    std::fs::write(&file, bytes).unwrap();
    assert!(ReferenceQuestion { file }.report().is_err());
    assert!(ReferenceQuestion { file: folder.path().join("none") }.report().is_err());
}
