//! Joins by where things are: with an index as without one.

mod common;

use common::{cells, session};
use datafusion::execution::session_state::SessionStateBuilder;
use datafusion::prelude::SessionContext;
use proptest::prelude::*;

/// A session whose joins try all pairs.
fn without_index() -> SessionContext {
    let state = session().state();
    let rules = state.physical_optimizers().iter().filter(|r| r.name() != "AreaJoinRule").cloned().collect();
    SessionContext::new_with_state(
        SessionStateBuilder::new_from_existing(state).with_physical_optimizer_rules(rules).build(),
    )
}

fn points(list: &[(i32, Option<(i8, i8)>)]) -> String {
    let rows = list.iter().map(|(id, at)| match at {
        Some((x, y)) => format!("({id}, {x}.0, {y}.0)"),
        None => format!("({id}, NULL, NULL)"),
    });
    let rows = rows.collect::<Vec<_>>().join(", ");
    format!("(SELECT id, ST_Point(x, y, 32610) AS p FROM (VALUES {rows}) AS v(id, x, y))")
}

fn areas(list: &[(i8, i8, u8, u8)]) -> String {
    let rows = list.iter().enumerate().map(|(id, (x, y, w, h))| {
        let (e, n) = (i32::from(*x) + i32::from(*w), i32::from(*y) + i32::from(*h));
        format!("({id}, 'POLYGON (({x} {y}, {e} {y}, {e} {n}, {x} {n}, {x} {y}))')")
    });
    let rows = rows.collect::<Vec<_>>().join(", ");
    format!("(SELECT area, ST_GeomFromText(t, 32610) AS g FROM (VALUES {rows}) AS w(area, t))")
}

fn joins(points: &str, areas: &str) -> Vec<String> {
    let mut out = Vec::new();
    for kind in ["JOIN", "LEFT JOIN", "RIGHT JOIN", "FULL JOIN"] {
        for condition in
            ["ST_Within(p, g)", "ST_Contains(g, p)", "ST_Intersects(p, g)", "ST_Within(p, g) AND id > area"]
        {
            out.push(format!("SELECT id, area FROM {points} a {kind} {areas} b ON {condition} ORDER BY 1, 2"));
        }
    }
    out.push(format!(
        "SELECT id FROM {points} a WHERE EXISTS (SELECT 1 FROM {areas} b WHERE ST_Within(p, g)) ORDER BY 1"
    ));
    out
}

#[tokio::test]
async fn plans_say_which_side_has_an_index() {
    let (points, areas) = (points(&[(1, Some((1, 1)))]), areas(&[(0, 0, 2, 2)]));
    let s = session();
    for (kind, side) in [("JOIN", "index of the right side"), ("RIGHT JOIN", "index of the left side")] {
        let sql = format!("EXPLAIN SELECT id, area FROM {points} a {kind} {areas} b ON ST_Within(p, g)");
        let plan = cells(&s, &sql).await;
        assert!(plan[1][1].contains("AreaJoin") && plan[1][1].contains(side), "{plan:?}");
    }
    let sql = format!("EXPLAIN SELECT id, area FROM {points} a FULL JOIN {areas} b ON ST_Within(p, g)");
    assert!(!cells(&s, &sql).await[1][1].contains("AreaJoin"));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: std::env::var("PROPTEST_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(128), ..Default::default() })]

    /// The same rows whether an index helps or all pairs are tried.
    #[test]
    fn an_index_changes_no_row(
        places in prop::collection::vec(prop::option::of((-4i8..5, -4i8..5)), 1..12),
        rectangles in prop::collection::vec((-4i8..5, -4i8..5, 1u8..5, 1u8..5), 1..6),
        which in any::<prop::sample::Index>(),
    ) {
        let list: Vec<(i32, Option<(i8, i8)>)> = places.iter().enumerate().map(|(id, at)| (id as i32, *at)).collect();
        let (points, areas) = (points(&list), areas(&rectangles));
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().unwrap();
        runtime.block_on(async {
            let (with, without) = (session(), without_index());
            // One of many: another one next time.
            let all = joins(&points, &areas);
            let sql = which.get(&all);
            let (found, expected) = (cells(&with, sql).await, cells(&without, sql).await);
            prop_assert_eq!(found, expected, "{}", sql);
            Ok(())
        })?;
    }
}

#[tokio::test]
async fn the_nearest_are_found_within_a_distance() {
    let s = session();
    let wells = "(SELECT id AS well, ST_Point(x, y, 4326) AS p FROM (VALUES (1, 0.0, 0.0), (2, 0.002, 0.0), (3, 0.5, 0.0), (4, -179.999, 0.0)) AS v(id, x, y))";
    let houses = "(SELECT id AS house, ST_Point(x, y, 4326) AS h FROM (VALUES (1, 0.0005, 0.0), (2, 10.0, 10.0), (3, 179.9995, 0.0), (4, NULL, 0.0)) AS v(id, x, y))";
    // A thousandth of a degree of the equator is 111.3 m.
    let ask = |kind: &str, count: u32, most: u32| {
        format!(
            "SELECT house, well FROM {houses} a {kind} {wells} b ON nearest(h, p, {count}, {most}) ORDER BY house, ST_Distance(h, p)"
        )
    };
    assert_eq!(cells(&s, &ask("JOIN", 1, 1000)).await, [["1", "1"], ["3", "4"]]);
    assert_eq!(cells(&s, &ask("JOIN", 5, 1000)).await, [["1", "1"], ["1", "2"], ["3", "4"]]);
    assert_eq!(cells(&s, &ask("JOIN", 5, 100)).await, [["1", "1"]]);
    let kept = [["1", "1"], ["2", "null"], ["3", "4"], ["4", "null"]];
    assert_eq!(cells(&s, &ask("LEFT JOIN", 1, 1000)).await, kept);
    let told = common::error(&s, &ask("RIGHT JOIN", 1, 1000)).await;
    assert!(told.contains("the only condition of a join"), "{told}");
    let told = common::error(&s, &ask("JOIN", 0, 1000)).await;
    assert!(told.contains("1 or more is expected"), "{told}");
}
