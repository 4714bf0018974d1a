//! Each doubt on rows that should raise it, and on rows that should not.

use super::*;
use crate::engine::{Column, Columns, Placed, PlacedFrom, Rows, points};
use arrow_array::{Float64Array, RecordBatch};
use arrow_schema::DataType;
use basilocus_formats::Format;
use basilocus_geodesy::crs::Catalogue;
use basilocus_table::{Batch, Ledger};

/// A layer of points in degrees, read from columns, on its way to a system of Oregon where one is named.
fn scene(target: Option<u32>) -> Scene {
    let catalogue = Catalogue::embedded();
    let wgs84 = catalogue.get(4326).unwrap();
    let mut columns = Columns::default();
    columns.push(Column { added: false, ..Column::added("id", DataType::Utf8) });
    let placed = Placed {
        crs: wgs84.clone(),
        first_crs: wgs84.clone(),
        origin: PlacedFrom::Columns,
        names: ("lon".into(), "lat".into()),
        in_columns: true,
        is_written: true,
        mirrored: Vec::new(),
        may_lack: false,
        height_name: None,
    };
    columns.place(placed, false).unwrap();
    let operations: Vec<_> = target
        .map(|code| {
            let target = catalogue.get(code).unwrap();
            let operation = basilocus_geodesy::operation::Operation::between(&wgs84, &target, None).unwrap();
            let report = crate::OperationReport::of(&wgs84, &target, &operation);
            crate::engine::TakenOperation { target, operation: operation.into(), report, worth: None, fitted: None }
        })
        .into_iter()
        .collect();
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("gates.csv");
    std::fs::write(&file, "lon,lat\n1,2\n").unwrap();
    let reader = basilocus_formats::open(&file, &Default::default()).unwrap();
    Scene::new("t", reader.about(), &columns, &operations, false).unwrap()
}

fn rows(scene: &Scene, places: &[(f64, f64)]) -> Rows {
    let (x, y): (Vec<f64>, Vec<f64>) = places.iter().copied().unzip();
    let ids: arrow_array::ArrayRef =
        std::sync::Arc::new((0..places.len()).map(|i| Some(i.to_string())).collect::<arrow_array::StringArray>());
    let geometry = points(&Float64Array::from(x), &Float64Array::from(y), None);
    let records = RecordBatch::try_new(scene.columns.schema(), vec![ids, geometry]).unwrap();
    Rows::read(Batch::of(records, (2..).take(places.len()).collect()).unwrap())
}

fn names(scene: &Scene, places: &[(f64, f64)]) -> Vec<&'static str> {
    let watchers = Watchers::new(scene);
    // In two blocks, as a larger table comes.
    for part in places.chunks(places.len().div_ceil(2).max(1)) {
        watchers.rows(&Seen::new(&rows(scene, part), scene));
    }
    let ledger = Ledger { rows_in: 9, rows_out: 9, ..Default::default() };
    let end = Ending { ledger, ..Default::default() };
    watchers.findings(scene, &end).into_iter().map(|d| d.id.as_str()).collect()
}

#[test]
fn every_doubt_has_a_name_of_its_own_and_explains_itself() {
    let mut all: Vec<&str> = DOUBTS.iter().map(|d| d.name).collect();
    all.sort_unstable();
    all.dedup();
    assert_eq!(all.len(), DOUBTS.len());
    for d in DOUBTS {
        assert!(DoubtName::find(d.name).is_some_and(|n| n.as_str() == d.name));
        for text in [d.looks_for, d.example, d.mend] {
            assert!(text.len() > 10 && !text.ends_with('.'), "{}: {text}", d.name);
        }
        assert!(d.name.chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{}", d.name);
    }
    assert!(DoubtName::find("slip-01").is_none());
}

#[test]
fn clean_data_raises_none() {
    let oregon = scene(Some(2269));
    assert!(names(&oregon, &[(-123.0, 45.0), (-122.0, 44.5), (-120.0, 45.5)]).is_empty());
    assert!(names(&oregon, &[(-124.17, 43.95), (-116.47, 46.26)]).is_empty(), "the limits themselves");
}

#[test]
fn positions_elsewhere_are_explained() {
    let told = |places: &[(f64, f64)]| names(&scene(Some(2269)), places);
    assert_eq!(told(&[(45.0, -123.0), (44.5, -122.0)]), ["swapped-axes"]);
    assert_eq!(told(&[(123.0, 45.0), (122.0, 44.5)]), ["missing-sign"]);
    // One row among many, and one that nothing explains.
    assert_eq!(told(&[(-123.0, 45.0), (-122.0, 44.5), (-121.0, 45.0), (122.0, 44.5)]), ["missing-sign"]);
    assert_eq!(told(&[(122.0, 44.5), (10.0, 44.5)]), ["missing-sign", "outside-area"]);
    assert_eq!(told(&[(-123.0, 45.0), (-122.0, 44.5), (0.0, 0.0)]), ["empty-point", "outside-area"]);
    assert_eq!(told(&[(-100.0, 30.0)]), ["outside-area"]);
}

#[test]
fn a_few_rows_far_from_all_others_are_explained() {
    let country = || (0..100).map(|i| (-123.0 + f64::from(i % 10) * 0.7001, 44.0 + f64::from(i / 10) * 0.4003));
    let world = |more: &[(f64, f64)]| names(&scene(None), &country().chain(more.iter().copied()).collect::<Vec<_>>());
    assert_eq!(world(&[(122.503, 45.017), (121.91, 46.333)]), ["missing-sign"]);
    assert_eq!(
        world(&[(45.017, -122.503 / 2.0), (122.503, -45.017)]),
        ["missing-sign"],
        "both signs; the other is no slip"
    );
    assert!(world(&[]).is_empty() && world(&[(2.351, 48.857)]).is_empty(), "who lives in Paris is no doubt");
}

#[test]
fn of_more_rows_than_are_kept_an_estimate_is_told() {
    let oregon = scene(Some(2269));
    let swapped: Vec<(f64, f64)> = (0..600_000).map(|i| (44.5 + f64::from(i % 1000) * 1e-3, -122.0)).collect();
    let watchers = Watchers::new(&oregon);
    swapped.chunks(100_000).for_each(|part| watchers.rows(&Seen::new(&rows(&oregon, part), &oregon)));
    let end = Ending { ledger: Ledger { rows_in: 9, rows_out: 9, ..Default::default() }, ..Default::default() };
    let told = watchers.findings(&oregon, &end);
    let of_place: Vec<&DoubtReport> = told.iter().filter(|d| d.id.is_of_the_place()).collect();
    assert_eq!((of_place.len(), of_place[0].rows), (1, 600_000), "{told:?}");
    assert!(of_place[0].message.contains("about 600000 of 600000"), "{told:?}");
}

#[test]
fn minutes_written_as_decimals() {
    let world = scene(None);
    // Degrees and minutes joined by a point, over some degrees of country.
    let slipped: Vec<(f64, f64)> = (0..60)
        .map(|i| {
            let minutes = f64::from(i * 7 % 60) / 100.0;
            (-(121.0 + f64::from(i % 4) + minutes), 44.0 + f64::from(i % 3) + f64::from(i * 11 % 60) / 100.0)
        })
        .collect();
    assert_eq!(names(&world, &slipped), ["minutes-as-decimals"]);
    let of = |n: i32, f: &dyn Fn(f64) -> (f64, f64)| -> Vec<(f64, f64)> { (0..n).map(|i| f(f64::from(i))).collect() };
    // The same country in real decimal degrees.
    assert!(names(&world, &of(60, &|i| (-121.0 - i * 0.06713, 44.0 + i * 0.04127))).is_empty());
    // A small area whose decimals stay below .60 by themselves.
    assert!(names(&world, &of(60, &|i| (-123.3 - i * 0.00113, 46.2 + i * 0.00207))).is_empty());
    // Too few to tell.
    assert!(names(&world, &of(20, &|i| (-121.0 - i % 5.0 - 0.31, 44.0 + i % 3.0 + 0.17))).is_empty());
}

#[test]
fn rounded_points_and_grids_that_are_meant() {
    let world = scene(None);
    // Scattered over half a degree.
    let rounded = |d: f64| -> Vec<(f64, f64)> {
        (0..40)
            .map(|i| {
                let (x, y) = (f64::from(i * 37 % 40) * 0.01234, f64::from(i * 17 % 40) * 0.01171);
                (-((123.1 + x) * d).round() / d, ((46.0 + y) * d).round() / d)
            })
            .collect()
    };
    assert_eq!(names(&world, &rounded(1e3)), ["lattice"]);
    assert!(names(&world, &rounded(1e5)).is_empty());
    // Every place of a grid of hundredths.
    let grid: Vec<(f64, f64)> =
        (0..40).map(|i| (-123.0 + f64::from(i % 8) / 100.0, 46.0 + f64::from(i / 8) / 100.0)).collect();
    assert!(names(&world, &grid).is_empty());
}

#[test]
fn an_ending_that_says_something_else() {
    let of = |name: &str, format: Format| {
        let scene = Scene { source: Some((name.into(), format)), ..Default::default() };
        names(&scene, &[])
    };
    assert_eq!(of("gates.csv", Format::Xlsx), ["other-ending"]);
    assert!(of("gates.csv", Format::Xyz).is_empty() && of("gates.zip", Format::Kml).is_empty());
    assert!(of("gates.kmz", Format::Kml).is_empty() && of("gates", Format::Dxf).is_empty());
}

#[test]
fn results_that_are_empty() {
    let scene = Scene::default();
    let told = |ledger: Ledger| {
        let end = Ending { ledger, ..Default::default() };
        Watchers::new(&scene).findings(&scene, &end).into_iter().map(|d| d.message).collect::<Vec<_>>()
    };
    let mut ledger = Ledger { rows_in: 3, ..Default::default() };
    (0..3).for_each(|_| ledger.set_aside(&basilocus_table::Reason::NO_COORDINATES));
    assert_eq!(told(ledger), ["the result is empty: all 3 rows were set aside (most of them: no coordinates)"]);
    let mut ledger = Ledger { rows_in: 3, ..Default::default() };
    ledger.leave_out(&basilocus_table::Reason::OTHER_VALUE, 3);
    assert_eq!(told(ledger), ["the result is empty: none of the 3 rows was chosen (3 another value)"]);
    assert_eq!(told(Ledger::default()), ["the source has columns and no row"]);
}

#[test]
fn names_are_equal_where_their_doubts_are_one() {
    let [sign, axes, lost] = ["missing-sign", "swapped-axes", "lost-rows"].map(|n| DoubtName::find(n).unwrap());
    assert!(sign == DoubtName::find("missing-sign").unwrap() && sign != axes && axes != lost);
    assert_eq!(DoubtName::find("no-such-doubt"), None);
    assert_eq!((sign.as_str(), format!("{sign} {axes:?}").as_str()), ("missing-sign", "missing-sign swapped-axes"));
    assert!(sign.is_of_the_place() && axes.is_of_the_place() && !lost.is_of_the_place());
    assert_eq!(lost.doubt().name, "lost-rows");
}

#[test]
fn an_expected_place_is_watched_by_what_is_about_places_and_only_where_somebody_said_it() {
    let mut scene = scene(None);
    let of = |is_expected| {
        let area = basilocus_geodesy::crs::Area::of_bounds([-124.0, 46.0, -123.0, 47.0]);
        Some(evidence::Whereabouts { area, words: "the estuary".into(), is_expected })
    };
    let names = |watchers: Watchers| watchers.0.iter().map(|(doubt, _)| doubt.name).collect::<Vec<_>>();
    assert!(names(Watchers::of_the_expected_place(&scene)).is_empty());
    scene.area = of(false);
    assert!(names(Watchers::of_the_expected_place(&scene)).is_empty());
    scene.area = of(true);
    let watching = names(Watchers::of_the_expected_place(&scene));
    assert!(watching.contains(&"missing-sign") && watching.contains(&"outside-area"), "{watching:?}");
    assert!(watching.iter().all(|name| DoubtName::find(name).unwrap().is_of_the_place()), "{watching:?}");
}

#[test]
fn cells_of_rows_are_those_of_the_source_by_their_names() {
    let mut scene = scene(None);
    scene.columns.push(Column::added("found", DataType::Utf8));
    let text = |list: &[Option<&str>]| -> arrow_array::ArrayRef {
        std::sync::Arc::new(list.iter().copied().collect::<arrow_array::StringArray>())
    };
    let geometry = points(&Float64Array::from(vec![1.0, 2.0]), &Float64Array::from(vec![3.0, 4.0]), None);
    let columns = vec![text(&[Some(" 7 "), None]), geometry, text(&[Some("a"), Some("b")])];
    let records = RecordBatch::try_new(scene.columns.schema(), columns).unwrap();
    let of_source = cells::columns_of_source(&scene, &records);
    assert_eq!(of_source, [0], "neither the geometry nor what a step added");
    let rows = Rows::read(Batch::of(records, vec![2, 3]).unwrap());
    let seen = Seen::new(&rows, &scene);
    let cell = |name: &str, text: &str| (name.to_string(), text.to_string());
    assert_eq!(cells::of_row(&seen, &of_source, 0), [cell("id", "7")]);
    assert_eq!(cells::of_row(&seen, &of_source, 1), [cell("id", "")]);
    assert_eq!(cells::of_row(&seen, &[2, 0], 1), [cell("found", "b"), cell("id", "")]);
}

#[test]
fn a_layer_is_a_neighbour_where_its_positions_lie_together_and_have_numbers() {
    let country: Vec<(f64, f64)> =
        (0..60).map(|i| (-123.8 + f64::from(i % 8) * 0.01, 46.2 + f64::from(i / 8) * 0.01)).collect();
    let of = |places: &[(f64, f64)], change: &dyn Fn(&mut Scene)| {
        let mut scene = scene(None);
        scene.neighbours = Some(Default::default());
        change(&mut scene);
        names(&scene, places);
        Neighbour::of(&scene)
    };
    let two = |change: &dyn Fn(&mut Scene)| {
        // With the longitude's sign turned it would lie among those of the other layer.
        let mirrored: Vec<(f64, f64)> = country.iter().map(|(x, y)| (-x, *y)).collect();
        let layers = [of(&country, change).unwrap(), of(&mirrored, change).unwrap()];
        of_layers_apart(&layers).into_iter().map(|d| (d.id.as_str(), d.rows, d.column)).collect::<Vec<_>>()
    };
    assert_eq!(two(&|_| {}), [("missing-sign", 60, Some("lon, lat".to_string()))]);
    let expected = |is_expected| {
        let area = basilocus_geodesy::crs::Area::of_bounds([120.0, 40.0, 130.0, 50.0]);
        Some(evidence::Whereabouts { area, words: "there".into(), is_expected })
    };
    assert!(two(&|scene| scene.area = expected(true)).is_empty(), "somebody said where they should be");
    assert_eq!(two(&|scene| scene.area = expected(false)).len(), 1);
    assert!(of(&country, &|scene| scene.neighbours = None).is_none(), "the only layer");
    assert!(of(&country, &|scene| scene.numbers_in = None).is_none(), "no numbers that could be wrong");
    let everywhere: Vec<(f64, f64)> =
        (0..60).map(|i| (f64::from(i) * 6.0 - 178.0, f64::from(i % 7) * 20.0 - 60.0)).collect();
    assert!(of(&everywhere, &|_| {}).is_none());
}
