//! Layers in parts over HTTP, as programs and people meet them; `conformance` has the standards requirement by requirement.

mod served;

use basilocus_serve::Options;
use serde_json::Value;
use served::{Served, encoded, gates, links, local};

fn with_gates(rows: u32, ask: impl FnOnce(&Served)) {
    let folder = tempfile::tempdir().unwrap();
    let served = Served::new(Options { layers: vec![gates(folder.path(), rows)], ..local() });
    ask(&served);
}

fn names(document: &Value) -> Vec<&str> {
    document["features"].as_array().unwrap().iter().map(|f| f["properties"]["gate"].as_str().unwrap()).collect()
}

fn every_link_has_rel_and_type(document: &Value) {
    for link in document["links"].as_array().unwrap() {
        assert!(link["rel"].is_string() && link["type"].is_string() && link["href"].is_string(), "{link}");
    }
}

#[test]
fn core_root_success_and_api_definition_and_conformance() {
    with_gates(3, |s| {
        let root = s.document("/");
        for rel in ["self", "alternate", "service-desc", "service-doc", "conformance", "data"] {
            let found = links(&root, rel);
            assert!(!found.is_empty(), "{rel}");
            // Each of them leads somewhere.
            found.iter().for_each(|href| assert_eq!(s.get(href).status, 200, "{href}"));
        }
        every_link_has_rel_and_type(&root);
        assert!(s.get("/api").kind().starts_with("application/vnd.oai.openapi+json;version=3.0"));
        let classes = s.document("/conformance");
        let classes = classes["conformsTo"].as_array().unwrap();
        for class in
            ["ogcapi-features-1/1.0/conf/core", "ogcapi-features-2/1.0/conf/crs", "ogcapi-processes-1/1.0/conf/core"]
        {
            assert!(classes.iter().any(|c| c.as_str().unwrap().ends_with(class)), "{class}");
        }
    });
}

#[test]
fn core_query_param_invalid_and_unknown() {
    with_gates(3, |s| {
        for (query, part) in [
            ("limit=0", "from 1 to"),
            ("limit=many", "from 1 to"),
            ("limit=-1", "from 1 to"),
            ("bbox=1,2,3", "3 numbers"),
            ("bbox=a,b,c,d", "four numbers"),
            ("bbox=1,9,2,3", "west,south,east,north"),
            ("bbox=500,1,501,2", "-180 to 180"),
            ("datetime=yesterday", "2026-11-25"),
            ("crs=EPSG:1", "no system"),
            ("bbox-crs=EPSG:4326", "bbox, which is not there"),
            ("bbox=1,2,3,4&bbox-crs=here", "no system"),
            ("filter=colour%3D1", "no column"),
            ("filter=TRUE&filter-lang=sql", "cql2-text"),
            ("filter=TRUE&filter-crs=EPSG:5703", "two axes"),
            ("after=x", "follow the links"),
            ("f=xml", "json or html"),
            ("colour=red", "no such parameter or column"),
            ("width=wide", "the column holds numbers"),
            ("limit=1&limit=2", "twice"),
        ] {
            let (status, detail) = s.problem(&format!("/collections/gates/items?{query}"));
            assert!(status == 400 && detail.contains(part), "{query}: {status} {detail}");
        }
        for path in [
            "/?x=1",
            "/conformance?x=1",
            "/collections?x=1",
            "/collections/gates?x=1",
            "/collections/gates/queryables?x=1",
            "/collections/gates/queryables?f=html",
            "/api?x=1",
            "/try/position?f=json",
            "/try/address?f=json",
            "/collections/gates/items/1?x=1",
        ] {
            assert_eq!(s.problem(path).0, 400, "{path}");
        }
        let field = s.get("/collections/gates/items?limit=0").json()["field"].clone();
        assert_eq!(field, "limit");
    });
}

#[test]
fn core_fc_md_and_sfc_md() {
    with_gates(5, |s| {
        let all = s.document("/collections");
        every_link_has_rel_and_type(&all);
        let listed = &all["collections"][0];
        let one = s.document("/collections/gates");
        assert_eq!(*listed, one);
        assert_eq!((one["id"].as_str(), one["itemType"].as_str()), (Some("gates"), Some("feature")));
        let bounds: Vec<f64> = serde_json::from_value(one["extent"]["spatial"]["bbox"][0].clone()).unwrap();
        assert_eq!(bounds.iter().map(|v| (v * 1e9).round() / 1e9).collect::<Vec<_>>(), [-123.8, 46.2, -123.796, 46.2]);
        let items = links(&one, "items");
        assert!(items.len() == 2 && items.iter().all(|href| s.get(href).status == 200));
        assert_eq!(s.problem("/collections/none").0, 404);
        assert_eq!(s.problem("/nothing").0, 404);
        assert_eq!(s.post_with("/collections", &[], "").status, 405);
    });
}

#[test]
fn core_fc_response_links_limit_number_matched_and_returned() {
    with_gates(25, |s| {
        let answer = s.get("/collections/gates/items");
        assert_eq!((answer.status, answer.kind()), (200, "application/geo+json"));
        let mut page = answer.json();
        every_link_has_rel_and_type(&page);
        assert_eq!((page["numberMatched"].as_u64(), page["numberReturned"].as_u64()), (Some(25), Some(10)));
        let mut seen: Vec<String> = names(&page).iter().map(|n| n.to_string()).collect();
        while let [next] = links(&page, "next")[..] {
            page = s.document(next);
            assert_eq!(page["numberMatched"].as_u64(), Some(25));
            seen.extend(names(&page).iter().map(|n| n.to_string()));
        }
        assert_eq!(seen, (0..25).map(|i| format!("G{i}")).collect::<Vec<_>>(), "every feature once");
        // More than a page holds at most is a page.
        assert_eq!(s.document("/collections/gates/items?limit=99999999")["numberReturned"].as_u64(), Some(25));
        // The next page asks the same.
        let page = s.document("/collections/gates/items?limit=2&kind=weir&crs=EPSG:32610");
        let next = s.document(links(&page, "next")[0]);
        assert_eq!((names(&page), names(&next)), (vec!["G0", "G3"], vec!["G6", "G9"]));
        assert!(next["features"][0]["geometry"]["coordinates"][0].as_f64().unwrap() > 400_000.0);
    });
}

#[test]
fn core_fc_bbox_and_time_response() {
    with_gates(25, |s| {
        let find = |query: &str| names(&s.document(&format!("/collections/gates/items?limit=100&{query}"))).join(" ");
        assert_eq!(find("bbox=-123.7985,46.1,-123.7955,46.3"), "G2 G3 G4");
        assert_eq!(
            find("bbox=-123.7985,46.1,-50,-123.7955,46.3,50"),
            "G2 G3 G4",
            "with heights, which these have none of"
        );
        assert_eq!(find("bbox=0,0,1,1"), "");
        // From here to Greenwich is not here; the other way round is.
        assert_eq!(find("bbox=170,46.1,-123.7985,46.3"), "G0 G1");
        assert_eq!(find("datetime=1958-03-02"), "G1");
        assert_eq!(find("datetime=../1958-03-02"), "G0 G1");
        assert_eq!(find("datetime=1958-03-24T00:00:00Z/.."), "G23 G24");
    });
}

#[test]
fn core_f_success_and_links_and_geojson_content() {
    with_gates(3, |s| {
        let answer = s.get("/collections/gates/items/2");
        assert_eq!(answer.kind(), "application/geo+json");
        let one = answer.json();
        assert_eq!((one["type"].as_str(), one["id"].as_u64()), (Some("Feature"), Some(2)));
        assert_eq!(one["geometry"], serde_json::json!({"type": "Point", "coordinates": [-123.799, 46.2]}));
        assert_eq!((one["properties"]["gate"].as_str(), one["properties"]["width"].as_f64()), (Some("G1"), Some(0.25)));
        every_link_has_rel_and_type(&one);
        for rel in ["self", "alternate", "collection"] {
            assert_eq!(s.get(links(&one, rel)[0]).status, 200, "{rel}");
        }
        for id in ["0", "4", "x", "-1", "99999999999999999999"] {
            assert_eq!(s.problem(&format!("/collections/gates/items/{id}")).0, 404, "{id}");
        }
        let page = s.document("/collections/gates/items");
        assert_eq!(page["features"][1]["geometry"], one["geometry"]);
    });
}

#[test]
fn crs_md_and_crs_parameter_and_content_crs_header() {
    with_gates(3, |s| {
        let one = s.document("/collections/gates");
        let systems: Vec<&str> = one["crs"].as_array().unwrap().iter().map(|c| c.as_str().unwrap()).collect();
        let crs84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84";
        assert_eq!(systems[0], crs84);
        let storage = one["storageCrs"].as_str().unwrap();
        assert!(systems.contains(&storage) && systems.contains(&"http://www.opengis.net/def/crs/EPSG/0/32610"));
        let get = |query: &str| s.get(&format!("/collections/gates/items/1{query}"));
        assert_eq!(get("").headers["content-crs"], format!("<{crs84}>"));
        let place = |query: &str| get(query).json()["geometry"]["coordinates"].clone();
        assert_eq!(place(""), serde_json::json!([-123.8, 46.2]));
        // The order of the axes is that of the registry.
        let latitude_first = "?crs=http://www.opengis.net/def/crs/EPSG/0/4326";
        assert_eq!(place(latitude_first), serde_json::json!([46.2, -123.8]));
        assert_eq!(get(latitude_first).headers["content-crs"], "<http://www.opengis.net/def/crs/EPSG/0/4326>");
        // All that are listed are answered in.
        for system in &systems {
            assert_eq!(get(&format!("?crs={system}")).status, 200, "{system}");
        }
        assert_eq!(get("?crs=http://www.opengis.net/def/crs/EPSG/0/1").status, 400);
    });
}

#[test]
fn crs_bbox_crs_action() {
    with_gates(25, |s| {
        let find = |query: &str| names(&s.document(&format!("/collections/gates/items?limit=100&{query}"))).join(" ");
        assert_eq!(
            find("bbox=46.1,-123.7985,46.3,-123.7955&bbox-crs=http://www.opengis.net/def/crs/EPSG/0/4326"),
            "G2 G3 G4"
        );
        let projected = s.document("/collections/gates/items?limit=100&crs=EPSG:2269");
        let x = |i: usize| projected["features"][i]["geometry"]["coordinates"][0].as_f64().unwrap();
        let extent =
            format!("bbox={},0,{},2000000&bbox-crs=http://www.opengis.net/def/crs/EPSG/0/2269", x(2) - 1.0, x(4) + 1.0);
        assert_eq!(find(&extent), "G2 G3 G4");
    });
}

#[test]
fn filter_queryables_and_filter_parameter() {
    with_gates(25, |s| {
        let one = s.document("/collections/gates");
        let address = links(&one, "http://www.opengis.net/def/rel/ogc/1.0/queryables")[0];
        let answer = s.get(address);
        assert_eq!(answer.kind(), "application/schema+json");
        let schema = answer.json();
        assert_eq!(schema["$id"].as_str(), Some(address));
        assert_eq!(schema["properties"]["width"]["type"], "number");
        assert_eq!(schema["properties"]["built"]["format"], "date");
        assert_eq!(schema["properties"]["geometry"]["format"], "geometry-point");
        let find = |text: &str, more: &str| {
            let page = s.document(&format!("/collections/gates/items?limit=100&filter={}{more}", encoded(text)));
            names(&page).join(" ")
        };
        assert_eq!(find("kind = 'weir' AND width < 1", ""), "G0 G3");
        assert_eq!(
            find(
                "S_INTERSECTS(geometry, POLYGON((-123.7985 46, -123.7955 46, -123.7955 47, -123.7985 47, -123.7985 46)))",
                ""
            ),
            "G2 G3 G4"
        );
        let turned = "S_INTERSECTS(geometry, BBOX(46, -123.7985, 47, -123.7955))";
        assert_eq!(find(turned, "&filter-crs=http://www.opengis.net/def/crs/EPSG/0/4326"), "G2 G3 G4");
        // Filters, values and extents hold together.
        assert_eq!(find("width > 0.5", "&kind=weir&bbox=-123.7985,46,-123.79,47"), "G3 G6 G9");
        assert_eq!(find("gate = 'G1'' OR 1=1 --'", ""), "");
    });
}

#[test]
fn html_content_is_markup_of_nobody_else() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("gates.csv");
    std::fs::write(&file, "gate,lon,lat\n<script>alert(1)</script>,-123.8,46.2\n").unwrap();
    let s = Served::new(Options { layers: vec![file], ..local() });
    for path in [
        "/?f=html",
        "/conformance?f=html",
        "/collections?f=html",
        "/collections/gates?f=html",
        "/collections/gates/items?f=html&filter=&bbox=",
        "/collections/gates/items/1?f=html",
        "/collections/gates/map",
        "/try/position",
        "/try/position?position=%3Cscript%3Ealert(1)%3C/script%3E&from=&to=",
    ] {
        let answer = s.get(path);
        assert_eq!((answer.status, answer.kind()), (200, "text/html; charset=utf-8"), "{path}: {}", answer.body);
        assert!(
            answer.body.to_lowercase().starts_with("<!doctype html>") && !answer.body.contains("<script>alert"),
            "{path}"
        );
    }
    let browser = s.get_with("/", &[("accept", "text/html,application/xhtml+xml;q=0.9,*/*;q=0.8")]);
    assert_eq!(browser.kind(), "text/html; charset=utf-8");
    let tried = s.get("/try/position?position=46.2N+123.8W&from=&to=EPSG:32610").body;
    assert!(tried.contains("438277.79") && tried.contains("5116580.27"), "{tried}");
    let refused = s.get("/try/position?position=46.2N+123.8W&from=&to=/etc/passwd").body;
    assert!(refused.contains("no reference system"), "{refused}");
}

#[test]
fn a_geopackage_is_served_as_it_lies_there_and_exchanged_while_it_is_served() {
    let folder = tempfile::tempdir().unwrap();
    let made = |rows: u32, name: &str| {
        let file = folder.path().join(name);
        let degrees = basilocus::steps::Positions::in_system("EPSG:4326").unwrap();
        let layer = basilocus::Layer::open(gates(folder.path(), rows)).unwrap().positions(degrees);
        layer.named("gates").write(&file).unwrap().run().unwrap();
        file
    };
    let file = made(5, "gates.gpkg");
    let s = Served::new(Options { layers: vec![file.clone()], ..local() });
    let rows = || s.document("/collections/gates/items")["numberMatched"].as_u64().unwrap();
    assert_eq!(rows(), 5);
    std::fs::rename(made(7, "new.gpkg"), &file).unwrap();
    // It is looked at each second, and twice.
    let begun = std::time::Instant::now();
    while rows() == 5 {
        assert!(begun.elapsed() < std::time::Duration::from_secs(60), "the new file is not served");
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    assert_eq!(rows(), 7);
}
