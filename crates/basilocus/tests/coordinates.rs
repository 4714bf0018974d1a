//! The coordinates room through the library: what a program calls.

use basilocus::coordinates::finder::Finder;
use basilocus::coordinates::fit::{FitPlan, fit_pairs};
use basilocus::coordinates::measure::{distortion, measure, read_points};
use basilocus::coordinates::transformation::TransformationFile;
use basilocus::coordinates::{position_text, system};
use basilocus::geodesy::crs::Catalogue;
use basilocus::geodesy::datum::fit::FitKind;
use basilocus::geodesy::notation::AxisOrder;
use basilocus::plan::{LayerPlan, OperationPlan, OutputPlan, Plan};
use basilocus::steps::{Positions, To};
use basilocus::{Cancel, RunOptions, run};
use std::path::{Path, PathBuf};

fn write(folder: &Path, name: &str, text: &str) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, text).unwrap();
    path
}

fn crs(text: &str) -> basilocus::geodesy::crs::Crs {
    system::find(text).unwrap().crs
}

#[test]
fn a_ring_on_the_ellipsoid_and_on_maps() {
    let ring = [(-124.0, 45.0), (-123.0, 45.0), (-123.0, 46.0), (-124.0, 46.0)];
    let wgs84 = crs("EPSG:4326");
    let equal = measure(&ring, &wgs84, Some(&crs("EPSG:6933"))).unwrap();
    let map = equal.on_map.unwrap();
    // Its sides are parallels and meridians, straight lines on this map; geodesics bulge north of a parallel by
    // 1/8 of its length squared times tan φ / R: 120 m at the middle of 79 km, two thirds of it on the mean, on both
    // parallels, which cancel but for the difference of their lengths.
    assert!((map.area_ratio - 1.0).abs() < 5e-5, "{}", map.area_ratio);
    let web = measure(&ring, &wgs84, Some(&crs("EPSG:3857"))).unwrap().on_map.unwrap();
    let expected = 1.0 / 45.5f64.to_radians().cos().powi(2);
    assert!((web.area_ratio / expected - 1.0).abs() < 0.01, "{} {expected}", web.area_ratio);
    assert!(equal.counter_clockwise && equal.points == 4);
    let mut other = ring;
    other.reverse();
    let back = measure(&other, &wgs84, None).unwrap();
    assert!(!back.counter_clockwise && (back.area_m2 - equal.area_m2).abs() < 1e-3);
    assert!(measure(&ring[..1], &wgs84, None).is_err());
    assert!(measure(&ring, &wgs84, Some(&wgs84)).unwrap_err().to_string().contains("projected"));
}

#[test]
fn distortion_of_a_table_of_points() {
    let f = tempfile::tempdir().unwrap();
    let path = write(f.path(), "p.csv", "id,lon,lat\n1,-123,46\n2,-122,46\n3,x,46\n4,-123,47\n");
    let layer = LayerPlan::new(&path).with(Positions::in_system("EPSG:4326").unwrap());
    let table = read_points(&layer, &Cancel::default()).unwrap();
    assert_eq!((table.x.len(), table.source_rows.as_slice()), (3, &[2, 3, 5][..]));
    assert_eq!(table.set_aside.get("not a coordinate"), Some(&1));
    let area = table.area().unwrap();
    assert_eq!((area.west_deg, area.north_deg), (-123.0, 47.0));
    let r = distortion(&table.degrees().unwrap(), &crs("EPSG:32610")).unwrap();
    assert_eq!((r.points, r.of, r.outside), (3, 3, 0));
    // On the central meridian of zone 10 the scale is 0.9996 by definition; a degree beside it about 0.99968.
    assert!((r.meridian_scale.smallest - 0.9996).abs() < 1e-9 && r.meridian_scale.largest < 0.9998);
    assert!(r.convergence_deg.smallest.abs() < 1e-9 && (r.convergence_deg.largest - 0.72).abs() < 0.01, "{r:?}");
    assert!(distortion(&[(0.0, 0.0)], &crs("EPSG:4326")).is_err());
}

#[test]
fn numbers_of_every_system_become_degrees() {
    let f = tempfile::tempdir().unwrap();
    // Grads from Paris: 50 grad north, 0 grad: 45° north, 2.337° east.
    let path = write(f.path(), "paris.csv", "id,lon,lat\n1,0,50\n");
    let grads = Positions::in_system("EPSG:4821").unwrap().in_columns("lon", "lat");
    let layer = LayerPlan::new(&path).with(grads);
    let degrees = read_points(&layer, &Cancel::default()).unwrap().degrees().unwrap();
    assert!((degrees[0].0 - 2.337_229_17).abs() < 1e-9 && (degrees[0].1 - 45.0).abs() < 1e-12, "{degrees:?}");
}

#[test]
fn typed_positions_know_their_system() {
    let read = |text: &str, from: Option<&str>| position_text::read(text, from, AxisOrder::Reject);
    let p = read("TG 51409 13177", None).unwrap();
    assert_eq!((p.crs.code, p.cell_m), (Some(4277), Some(1.0)));
    let p = read("+46.2-123.8+12.5/", None).unwrap();
    assert_eq!((p.lon, p.lat, p.height_m), (-123.8, 46.2, Some(12.5)));
    let p = read("POINT (438277.8 5116580.3)", Some("EPSG:32610")).unwrap();
    assert!((p.lon + 123.8).abs() < 1e-5, "{p:?}");
    // A grid code among eastings says its own system.
    let p = read("10TDS3827716580", Some("EPSG:2269")).unwrap();
    assert_eq!(p.crs.code, Some(4326));
    // X, Y, Z of the pole.
    let p = read("0 0 6356752.314245", Some("EPSG:4978")).unwrap();
    assert!((p.lat - 90.0).abs() < 1e-9 && p.height_m.unwrap().abs() < 1e-5, "{p:?}");
    for (text, from, part) in [
        ("10T 438277 5116580", Some("EPSG:4267"), "on the WGS 84 ellipsoid"),
        ("1 2", Some("EPSG:4978"), "three numbers"),
        ("5 5", Some("local"), "cannot be placed"),
        ("7380215.2 m E 932410.7 m N", Some("EPSG:2269"), "written in m"),
        ("46.2 95.1 12", None, "3 numbers"),
        ("46.2 -123.8", Some("EPSG:999999"), "no reference system"),
    ] {
        let message = read(text, from).unwrap_err().to_string();
        assert!(message.contains(part), "{text}: {message}");
    }
}

#[test]
fn heights_of_a_typed_position_go_along() {
    let p = position_text::read("+53.8093944+002.12955+73/", None, AxisOrder::Reject).unwrap();
    let finder = Finder::default();
    let (x, y, z, op) = p.in_system(&crs("EPSG:4978"), &finder).unwrap();
    // IOGP Guidance Note 373-7-2, section 4.1.1, to the digits that were typed.
    assert!((x - 3_771_793.97).abs() < 0.1 && (y - 140_253.34).abs() < 0.1, "{x} {y}");
    assert!((z.unwrap() - 5_124_304.35).abs() < 0.1 && op.accuracy_m() == Some(0.0));
}

#[test]
fn a_finder_refuses_what_makes_no_sense() {
    let message = |plan: OperationPlan| Finder::new(&plan, false).unwrap_err().to_string();
    assert!(message(OperationPlan { epoch: Some(3.0), ..Default::default() }).contains("decimal year"));
    assert!(message(OperationPlan { require_accuracy: Some(-1.0), ..Default::default() }).contains("above zero"));
    assert!(
        message(OperationPlan { grids: Some("/nowhere/at/all".into()), ..Default::default() })
            .contains("no such folder")
    );
    assert!(
        message(OperationPlan { via: Some("nowhere.toml".into()), ..Default::default() }).contains("basilocus fit")
    );
    let f = tempfile::tempdir().unwrap();
    for (text, part) in [
        (
            "basilocus_transformation = 9\nname = \"a\"\nkind = \"affine\"\nfrom = \"local\"\nto = \"EPSG:2269\"\n",
            "version",
        ),
        (
            "basilocus_transformation = 1\nname = \"a\"\nkind = \"rubber\"\nfrom = \"local\"\nto = \"EPSG:2269\"\n",
            "rubber",
        ),
        (
            "basilocus_transformation = 1\nname = \"a\"\nkind = \"affine\"\nfrom = \"local\"\nto = \"EPSG:2269\"\n",
            "needs [plane]",
        ),
        (
            "basilocus_transformation = 1\nname = \"a\"\nkind = \"affine\"\nfrom = \"local\"\nto = \"EPSG:2269\"\n[plane]\norigin = [0, 0]\nunit = 1\nx = [0, 1]\ny = [0, 0, 1]\n",
            "2 and 3 coefficients",
        ),
        (
            "basilocus_transformation = 1\nname = \"a\"\nkind = \"similarity-3d\"\nfrom = \"EPSG:4267\"\nto = \"EPSG:4326\"\n[space]\ntranslation_m = [1, 2, 3]\nconvention = \"sideways\"\n",
            "signs of the rotations",
        ),
        (
            "basilocus_transformation = 1\nname = \"a\"\nkind = \"translation-3d\"\nfrom = \"local\"\nto = \"EPSG:4326\"\n[space]\ntranslation_m = [1, 2, 3]\nconvention = \"position-vector\"\n",
            "two systems with datums",
        ),
    ] {
        let path = write(f.path(), "t.toml", text);
        let found = message(OperationPlan { via: Some(path.to_string_lossy().into()), ..Default::default() });
        assert!(found.contains(part), "{part}: {found}");
    }
}

#[test]
fn typed_in_parameters_are_a_transformation_too() {
    // Need: "or type parameters in". A shift and a turn by a right angle: (x, y) to (1000 − y, 2000 + x).
    let f = tempfile::tempdir().unwrap();
    let path = write(
        f.path(),
        "typed.toml",
        "basilocus_transformation = 1\nname = \"old yard\"\nkind = \"conformal\"\nfrom = \"local\"\nto = \"EPSG:32610\"\naccuracy_m = 0.5\n[plane]\norigin = [0, 0]\nunit = 1\nx = [431000, 0, -1]\ny = [5112000, 1, 0]\n",
    );
    let finder =
        Finder::new(&OperationPlan { via: Some(path.to_string_lossy().into()), ..Default::default() }, false).unwrap();
    let (local, utm) = (crs("local"), crs("EPSG:32610"));
    let op = finder.find(&local, &utm).unwrap();
    assert_eq!(op.apply_one(30.0, 40.0, 0.0), Some((430_960.0, 5_112_030.0, 0.0)));
    assert_eq!((op.name(), op.accuracy_m()), ("old yard", Some(0.5)));
    let back = finder.find(&utm, &local).unwrap().apply_one(430_960.0, 5_112_030.0, 0.0).unwrap();
    assert!((back.0 - 30.0).abs() < 1e-8 && (back.1 - 40.0).abs() < 1e-8, "{back:?}");
    // On to another system, its accuracy added; and no way that passes it by.
    let on = finder.find(&local, &crs("EPSG:2269")).unwrap();
    assert!(on.accuracy_m().unwrap() > 0.5 && on.name().starts_with("old yard, then"), "{}", on.name());
    assert!(finder.find(&crs("EPSG:4267"), &crs("EPSG:2269")).unwrap_err().to_string().contains("leads from"));
}

#[test]
fn a_saved_fit_is_read_again() {
    let f = tempfile::tempdir().unwrap();
    let pairs = write(
        f.path(),
        "pairs.csv",
        "p,x,y,e,n\nA,0,0,431000,5112000\nB,100,0,431000,5112100\nC,0,100,430900,5112000\nD,100,100,430900,5112100\n",
    );
    let plan = FitPlan { pairs, to: "EPSG:32610".into(), kind: FitKind::Affine, ..Default::default() };
    let (file, report) = fit_pairs(&plan).unwrap();
    assert!(report.standard_error.unwrap() < 1e-8 && report.outlier.is_none(), "{report:?}");
    assert_eq!(report.others.iter().map(|o| o.0.as_str()).collect::<Vec<_>>(), ["translation", "conformal"]);
    let path = f.path().join("fit.toml");
    std::fs::write(&path, file.to_text(&path).unwrap()).unwrap();
    assert_eq!(TransformationFile::load(&path).unwrap(), file);
    // Three pairs leave nothing over to check an affine map with, and that is said.
    let few = FitPlan { without: vec!["D".into()], ..plan.clone() };
    let (_, report) = fit_pairs(&few).unwrap();
    assert!(report.standard_error.is_none() && report.notes[0].contains("nothing is left over"), "{report:?}");
    let few = FitPlan { without: vec!["C".into(), "D".into()], ..plan };
    assert!(fit_pairs(&few).unwrap_err().to_string().contains("needs at least 3"));
}

#[test]
fn pairs_in_mixed_units_and_with_words_in_them_are_refused_by_name() {
    let f = tempfile::tempdir().unwrap();
    let text = "p,x,y,e,n\nA,0,0,2249343,3051837\nB,1000,0,2250343,3051837\nC,0,1000,2249343,3052837\nD,1000,1000,686104.55,930504.72\n";
    let plan = |name: &str, text: &str| FitPlan {
        pairs: write(f.path(), name, text),
        to: "EPSG:2269".into(),
        ..Default::default()
    };
    let message = fit_pairs(&plan("mixed.csv", text)).unwrap_err().to_string();
    assert!(message.contains("\"D\"") && message.contains("another unit"), "{message}");
    let message = fit_pairs(&FitPlan {
        old: vec!["x".into(), "y".into()],
        new: vec!["e".into(), "n".into()],
        ..plan("words.csv", "p,x,y,e,n\nA,0,0,1,1\nB,ten,0,2,2\n")
    })
    .unwrap_err()
    .to_string();
    assert!(message.contains("row 3, column \"x\"") && message.contains("\"ten\""), "{message}");
}

#[test]
fn a_plan_that_names_files_moves_with_them() {
    let f = tempfile::tempdir().unwrap();
    write(f.path(), "old.csv", "id,x,y\n1,30,40\n");
    write(
        f.path(),
        "typed.toml",
        "basilocus_transformation = 1\nname = \"old yard\"\nkind = \"conformal\"\nfrom = \"local\"\nto = \"EPSG:32610\"\n[plane]\norigin = [0, 0]\nunit = 1\nx = [431000, 0, -1]\ny = [5112000, 1, 0]\n",
    );
    let mut layer = LayerPlan::new(f.path().join("old.csv")).with(Positions::default().in_columns("x", "y"));
    layer.operation.via = Some(f.path().join("typed.toml").to_string_lossy().into());
    let plan =
        Plan { layers: vec![layer], outputs: vec![OutputPlan::new(f.path().join("new.csv"))], ..Default::default() };
    let saved = f.path().join("plan.toml");
    let text = plan.to_text(&saved).unwrap();
    assert!(text.contains("via = \"typed.toml\""), "{text}");
    std::fs::write(&saved, text).unwrap();
    // In another place, with the same files beside it.
    let g = tempfile::tempdir().unwrap();
    for name in ["old.csv", "typed.toml", "plan.toml"] {
        std::fs::copy(f.path().join(name), g.path().join(name)).unwrap();
    }
    drop(f);
    let report = run(&Plan::load(&g.path().join("plan.toml")).unwrap(), &RunOptions::default()).unwrap();
    assert_eq!((report.rows_out, report.operation.unwrap().accuracy_m), (1, None), "nobody stated an accuracy");
    let out = std::fs::read_to_string(g.path().join("new.csv")).unwrap();
    assert!(out.contains("430960.0000,5112030.0000"), "{out}");
}

#[test]
fn rows_of_a_moving_frame_move() {
    let f = tempfile::tempdir().unwrap();
    let path = write(f.path(), "gnss.csv", "id,lon,lat\n1,133.885,-23.67\n");
    let at = |epoch: f64| {
        let positions = Positions::in_system("EPSG:9000").unwrap();
        let mut layer = LayerPlan::new(&path).with(positions).with(To::system("EPSG:7844").unwrap());
        layer.operation.epoch = Some(epoch);
        let out = f.path().join(format!("{epoch}.csv"));
        let plan = Plan { layers: vec![layer], outputs: vec![OutputPlan::new(&out)], ..Default::default() };
        run(&plan, &RunOptions::default()).unwrap();
        let text = std::fs::read_to_string(out).unwrap();
        let cells: Vec<f64> = text.lines().nth(1).unwrap().split(',').filter_map(|c| c.parse().ok()).collect();
        (cells[3], cells[4])
    };
    let (still, later) = (at(2020.0), at(2030.0));
    assert!(
        (still.0 - 133.885).abs() < 1e-8 && (still.1 + 23.67).abs() < 1e-8,
        "nothing moves at the epoch of the frame"
    );
    // Australia moves north-north-east by about 7 cm a year, so what is measured ten years later lay 0.7 m to the
    // south-south-west on its plate (ICSM, GDA2020 Technical Manual).
    let (east, north) =
        ((later.0 - still.0) * 111_320.0 * 23.67f64.to_radians().cos(), (later.1 - still.1) * 110_750.0);
    assert!((0.55..0.75).contains(&east.hypot(north)) && north < -0.4 && east < 0.0, "{east} {north}");
}

#[test]
fn systems_in_every_form_lead_to_one() {
    let f = tempfile::tempdir().unwrap();
    let oregon = Catalogue::embedded().get(2269).unwrap();
    let one = write(f.path(), "a.prj", &basilocus::geodesy::crs::wkt::wkt1(&oregon).unwrap());
    let two = write(f.path(), "b.wkt", &basilocus::geodesy::crs::wkt::wkt2(&oregon).unwrap());
    for path in [&one, &two] {
        let found = system::find(&path.to_string_lossy()).unwrap();
        assert_eq!(found.crs, oregon);
        assert!(found.evidence[0].contains("EPSG:2269"), "{:?}", found.evidence);
    }
    let short = write(f.path(), "c.toml", &system::to_toml(&oregon).unwrap());
    let own = system::find(&short.to_string_lossy()).unwrap().crs;
    assert_eq!((own.code, own.projection().unwrap()), (None, oregon.projection().unwrap()));
    assert!(system::to_toml(&crs("EPSG:4978")).unwrap_err().to_string().contains("`wkt`"));
    let huge = write(f.path(), "d.prj", &"x".repeat(1_100_000));
    assert!(system::find(&huge.to_string_lossy()).unwrap_err().to_string().contains("bytes"));
}

#[test]
fn areas_of_use_are_checked_in_degrees_whatever_the_source_counts_in() {
    let f = tempfile::tempdir().unwrap();
    // 40 grad north and 1 grad east of Paris are 36° N 3.2° E, in Algeria; 30 grad east are not. Read as degrees, none were.
    let path = write(f.path(), "paris.csv", "id,lon,lat\n1,0,39\n2,1,40\n3,30,40\n");
    let grads = Positions::in_system("EPSG:4821").unwrap().in_columns("lon", "lat");
    let layer = LayerPlan::new(&path).with(grads);
    let plan =
        Plan { layers: vec![layer], outputs: vec![OutputPlan::new(f.path().join("o.csv"))], ..Default::default() };
    let report = run(&plan, &RunOptions::default()).unwrap();
    let outside: Vec<_> = report.doubts.iter().filter(|d| d.id.as_str() == "outside-area").map(|d| d.rows).collect();
    assert_eq!(outside, [1], "{:?}", report.doubts);
}
