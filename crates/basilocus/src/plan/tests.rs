//! Plans as text, in both versions.

use super::*;
use crate::steps::{Drop, Positions, Set, To};
use std::collections::BTreeMap;

#[test]
fn a_plan_comes_back_from_its_text() {
    let folder = tempfile::tempdir().unwrap();
    let layer = LayerPlan::new(folder.path().join("a.csv"))
        .with(Set(BTreeMap::from([("state".into(), "OR".into())])))
        .with(Positions { from: Some("EPSG:4267".into()), ..Default::default() })
        .with(Drop(vec!["remark".into()]))
        .with(To { systems: vec!["EPSG:2269".into(), "EPSG:4326".into()], ..Default::default() });
    let plan = Plan {
        accept: vec!["lattice".into()],
        basilocus_plan: VERSION,
        date: Some("2026-11-25".into()),
        layers: vec![layer],
        outputs: vec![OutputPlan::new(folder.path().join("b.gpkg"))],
        set_aside: Some(folder.path().join("aside.csv")),
    };
    let file = folder.path().join("plan.toml");
    let text = plan.to_text(&file).unwrap();
    assert!(text.contains("source = \"a.csv\""), "paths are relative to the plan: {text}");
    std::fs::write(&file, text).unwrap();
    assert_eq!(Plan::load(&file).unwrap(), plan);
}

fn message(text: &str) -> String {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("plan.toml");
    std::fs::write(&file, text).unwrap();
    Plan::load(&file).unwrap_err().to_string()
}

#[test]
fn what_is_wrong_in_a_plan_is_named_with_its_line() {
    let wrong = message("basilocus_plan = 2\n[[layer]]\nsorce = \"a.csv\"\n");
    assert!(wrong.contains("sorce") && wrong.contains("line 3"), "{wrong}");
    let wrong = message("basilocus_plan = 1\n[[layer]]\nsorce = \"a.csv\"\n");
    assert!(wrong.contains("sorce") && wrong.contains("line 3"), "{wrong}");
    let step = "basilocus_plan = 2\n[[layer]]\nsource = \"a.csv\"\n[[layer.step]]\n";
    let wrong = message(&format!("{step}teleport = {{}}\n"));
    assert!(wrong.contains("teleport") && wrong.contains("positions"), "{wrong}");
    let wrong = message(&format!("{step}positions = {{ form = \"EPSG:4326\" }}\n"));
    assert!(wrong.contains("form") && wrong.contains("line 5"), "{wrong}");
    assert!(message("basilocus_plan = 3\n").contains("is no version that is read (1 and 2)"));
    let wrong = message("basilocus_plan = 2\ndate = \"25.11.2026\"\n");
    assert!(wrong.contains("\"25.11.2026\"") && wrong.contains("2026-11-26"), "{wrong}");
}

#[test]
fn values_that_go_by_a_name_are_read_where_the_plan_is_read() {
    let step = "basilocus_plan = 2\n[[layer]]\nsource = \"a.csv\"\n[[layer.step]]\n";
    for (line, expected) in [
        ("positions = { order = \"xy\" }", "\"xy\" is no order of axes; one of latitude-first, longitude-first"),
        ("to = { notation = \"dms\" }", "\"dms\" is no notation; one of decimal-degrees"),
        ("geocode = { reference = [], finest = \"house\" }", "\"house\" is no level; one of address-point"),
        ("extent = \"1,2,3\"", "WEST,SOUTH,EAST,NORTH in degrees"),
        ("extent = \"1,2,here,4\"", "WEST,SOUTH,EAST,NORTH in degrees"),
        ("extent = \"0,5,1,4\"", "the south has to lie below the north"),
        ("extent = \"0,4,999,5\"", "no longitude"),
    ] {
        let wrong = message(&format!("{step}{line}\n"));
        // A step of one value is found by the line of its head.
        let at = if line.starts_with("extent") { "line 4" } else { "line 5" };
        assert!(wrong.contains(expected) && wrong.contains(at), "{line}: {wrong}");
    }
    let wrong = message("basilocus_plan = 2\n[[layer]]\nsource = \"a.csv\"\nshow = { altitude = \"moon\" }\n");
    assert!(wrong.contains("ground, above-ground or above-sea") && wrong.contains("line 4"), "{wrong}");
}

#[test]
fn values_that_go_by_a_name_come_back() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("plan.toml");
    let text = "basilocus_plan = 2\n\n[[layer]]\nsource = \"a.csv\"\n\n[layer.show]\naltitude = \"above-ground\"\n\n[[layer.step]]\n\n[layer.step.geocode]\nreference = []\ncoarsest = \"street-range\"\n\n[[layer.step]]\n\n[layer.step.positions]\norder = \"longitude-first\"\n\n[[layer.step]]\nextent = \"179,-20.5,-179,-15\"\n\n[[layer.step]]\n\n[layer.step.to]\nnotation = \"mgrs\"\n";
    std::fs::write(&file, text).unwrap();
    let plan = Plan::load(&file).unwrap();
    let again = plan.to_text(&file).unwrap();
    std::fs::write(&file, &again).unwrap();
    assert_eq!(Plan::load(&file).unwrap(), plan, "{again}");
    for line in
        ["altitude = \"above-ground\"", "\"street-range\"", "\"longitude-first\"", "\"179,-20.5,-179,-15\"", "\"mgrs\""]
    {
        assert!(again.contains(line), "{line} in {again}");
    }
}

#[test]
fn days() {
    assert_eq!(day(Some("2024-02-29")).unwrap(), "2024-02-29");
    for wrong in ["2026-2-3", "2026-02-29", "26-11-2026", "1979-12-31", "", "2026-11-26T10:00", "today"] {
        assert!(matches!(day(Some(wrong)), Err(Error::Usage(_))), "{wrong}");
    }
    assert_eq!(day(None).unwrap().len(), 10);
}

/// A plan as an earlier version of the program wrote it: every part of that form, in one layer and a second one.
const VERSION_1: &str = include_str!("version_1_golden.toml");

/// The same plan as it is written today.
const VERSION_2: &str = include_str!("version_2_golden.toml");

#[test]
fn a_plan_of_version_1_becomes_a_list_of_steps() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("old.toml");
    std::fs::write(&file, VERSION_1).unwrap();
    let plan = Plan::load(&file).unwrap();
    let names = |i: usize| plan.layers[i].steps.iter().map(StepPlan::name).collect::<Vec<_>>();
    assert_eq!(
        names(0),
        [
            "trim",
            "join",
            "set",
            "rename",
            "values",
            "positions",
            "lines",
            "nearest",
            "extent",
            "inside",
            "measure",
            "drop",
            "keep",
            "to",
            "like"
        ]
    );
    assert_eq!(names(1), ["geocode", "to"]);
    assert_eq!(plan.outputs[0].split_by.as_deref(), Some("district"));
    let again = folder.path().join("new.toml");
    let text = plan.to_text(&again).unwrap();
    assert_eq!(text, VERSION_2, "what is written for it: {text}");
    // And what is written is read as the same.
    std::fs::write(&again, text).unwrap();
    assert_eq!(Plan::load(&again).unwrap(), plan);
}
