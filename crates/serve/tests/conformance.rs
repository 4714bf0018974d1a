//! The standards, requirement by requirement: each test is named after the one that it holds, with `_` for what no name of a
//! test may have: `features_1_core_fc_bbox_response` is `/req/core/fc-bbox-response` of OGC API - Features, part 1.
//!
//! | begin of the name | standard |
//! |---|---|
//! | `features_1` | OGC API - Features, part 1 (OGC 17-069r4) |
//! | `features_2` | part 2, systems (OGC 18-058r1) |
//! | `features_3` | part 3, filters (OGC 19-079r2) |
//! | `processes_1` | OGC API - Processes, part 1 (OGC 18-062r2) |

mod served;

use basilocus_serve::Options;
use serde_json::{Value, json};
use served::{Answer, Served, encoded, gates, links, local, reference};
use std::sync::OnceLock;

const GATES: u32 = 25;
const REL: &str = "http://www.opengis.net/def/rel/ogc/1.0";
const EPSG: &str = "http://www.opengis.net/def/crs/EPSG/0";
const CRS84: &str = "http://www.opengis.net/def/crs/OGC/1.3/CRS84";

/// One server for all of them.
fn server() -> &'static Served {
    static SERVED: OnceLock<(Served, tempfile::TempDir)> = OnceLock::new();
    let (served, _) = SERVED.get_or_init(|| {
        let folder = tempfile::tempdir().unwrap();
        let (layers, references) = (vec![gates(folder.path(), GATES)], vec![reference(folder.path(), 9)]);
        (Served::new(Options { layers, references, ..local() }), folder)
    });
    served
}

fn items(query: &str) -> Answer {
    server().get(&format!("/collections/gates/items{query}"))
}

fn names(query: &str) -> String {
    let answer = items(query);
    assert_eq!(answer.status, 200, "{query}: {}", answer.body);
    let page = answer.json();
    let all = page["features"].as_array().unwrap().iter();
    all.map(|f| f["properties"]["gate"].as_str().unwrap()).collect::<Vec<_>>().join(" ")
}

fn is_refused(query: &str, field: &str) {
    let answer = items(query);
    assert_eq!((answer.status, &answer.json()["field"]), (400, &json!(field)), "{query}: {}", answer.body);
}

/// The parameters of an operation, as the description for programs has them.
fn parameter(path: &str, name: &str) -> Value {
    let api = server().document("/api");
    let all = api["paths"][path]["get"]["parameters"].as_array().unwrap().clone();
    all.into_iter().find(|p| p["name"] == name).unwrap_or_else(|| panic!("{path} takes no {name}"))
}

fn execute(body: &Value) -> Answer {
    server().post_with("/processes/convert/execution", &[("content-type", "application/json")], &body.to_string())
}

fn conversion() -> Value {
    json!({"inputs": {"positions": [[-123.8, 46.2]], "to": "EPSG:32610"}})
}

/// A job that is done, by its status.
fn job() -> Value {
    let headers = [("content-type", "application/json"), ("prefer", "respond-async")];
    let made = server().post_with("/processes/convert/execution", &headers, &conversion().to_string());
    assert_eq!(made.status, 201, "{}", made.body);
    let place = made.headers["location"].clone();
    for _ in 0..600 {
        let status = server().document(&place);
        if status["status"] != "running" {
            return status;
        }
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    panic!("the job does not end");
}

#[test]
fn features_1_core_root_op_and_success() {
    let root = server().document("/");
    for rel in ["service-desc", "service-doc", "conformance", "data"] {
        assert!(!links(&root, rel).is_empty(), "{rel}");
    }
}

#[test]
fn features_1_core_api_definition_op_and_success() {
    for href in links(&server().document("/"), "service-desc") {
        assert_eq!(server().get(href).status, 200);
    }
}

#[test]
fn features_1_core_conformance_op_and_success() {
    let classes = server().document("/conformance");
    let core = json!("http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core");
    assert!(classes["conformsTo"].as_array().unwrap().contains(&core));
}

#[test]
fn features_1_core_http() {
    assert_eq!((server().get("/nothing").status, server().delete("/collections").status), (404, 405));
}

#[test]
fn features_1_core_query_param_unknown() {
    is_refused("?colour=red", "colour");
}

#[test]
fn features_1_core_query_param_invalid() {
    is_refused("?limit=many", "limit");
    is_refused("?bbox=1,2,3", "bbox");
    is_refused("?datetime=today", "datetime");
}

#[test]
fn features_1_core_crs84() {
    let place = items("?limit=1").json()["features"][0]["geometry"]["coordinates"].clone();
    assert_eq!(place, json!([-123.8, 46.2]));
}

#[test]
fn features_1_core_fc_md_op_and_success() {
    assert_eq!(server().document("/collections")["collections"][0]["id"], "gates");
}

#[test]
fn features_1_core_fc_md_links() {
    let all = server().document("/collections");
    assert!(!links(&all, "self").is_empty() && !links(&all, "alternate").is_empty());
}

#[test]
fn features_1_core_fc_md_items_and_links() {
    let all = server().document("/collections");
    let found = links(&all["collections"][0], "items");
    assert!(found.len() == 2 && found.iter().all(|href| server().get(href).status == 200));
}

#[test]
fn features_1_core_fc_md_extent() {
    let spatial = server().document("/collections/gates")["extent"]["spatial"].clone();
    assert_eq!((spatial["bbox"][0].as_array().unwrap().len(), &spatial["crs"]), (4, &json!(CRS84)));
}

#[test]
fn features_1_core_sfc_md_op_and_success() {
    assert_eq!(server().document("/collections")["collections"][0], server().document("/collections/gates"));
}

#[test]
fn features_1_core_fc_op_and_response() {
    let answer = items("");
    assert_eq!(
        (answer.status, answer.kind(), &answer.json()["type"]),
        (200, "application/geo+json", &json!("FeatureCollection"))
    );
}

#[test]
fn features_1_core_fc_bbox_definition() {
    let bbox = parameter("/collections/gates/items", "bbox");
    let schema = &bbox["schema"];
    assert_eq!((&schema["minItems"], &schema["maxItems"], &bbox["style"]), (&json!(4), &json!(6), &json!("form")));
}

#[test]
fn features_1_core_fc_bbox_response() {
    assert_eq!(names("?bbox=-123.7985,46.1,-123.7955,46.3"), "G2 G3 G4");
    assert_eq!(names("?bbox=-123.7985,46.1,-9,-123.7955,46.3,9"), "G2 G3 G4");
}

#[test]
fn features_1_core_fc_limit_definition() {
    let schema = parameter("/collections/gates/items", "limit")["schema"].clone();
    assert_eq!((&schema["type"], &schema["minimum"], &schema["default"]), (&json!("integer"), &json!(1), &json!(10)));
}

#[test]
fn features_1_core_fc_limit_response() {
    assert_eq!(names("?limit=3"), "G0 G1 G2");
    assert_eq!(items("").json()["features"].as_array().unwrap().len(), 10);
}

#[test]
fn features_1_core_fc_time_definition() {
    assert_eq!(parameter("/collections/gates/items", "datetime")["schema"]["type"], "string");
}

#[test]
fn features_1_core_fc_time_response() {
    for (time, expected) in [
        ("1958-03-02", "G1"),
        ("1958-03-02T10:00:00Z", "G1"),
        ("1958-03-02/1958-03-03", "G1 G2"),
        ("../1958-03-02", "G0 G1"),
        ("1958-03-24/..", "G23 G24"),
    ] {
        assert_eq!(names(&format!("?datetime={time}")), expected, "{time}");
    }
}

#[test]
fn features_1_core_fc_links_and_rel_type() {
    let page = items("").json();
    for rel in ["self", "alternate", "next"] {
        assert_eq!(links(&page, rel).len(), 1, "{rel}");
    }
    assert!(page["links"].as_array().unwrap().iter().all(|l| l["rel"].is_string() && l["type"].is_string()));
}

#[test]
fn features_1_core_fc_number_matched_and_returned() {
    let page = items("?limit=4&kind=weir").json();
    assert_eq!((&page["numberMatched"], &page["numberReturned"]), (&json!(9), &json!(4)));
}

#[test]
fn features_1_core_f_op_success_and_links() {
    let answer = server().get("/collections/gates/items/2");
    let one = answer.json();
    assert_eq!((answer.status, answer.kind(), &one["id"]), (200, "application/geo+json", &json!(2)));
    for rel in ["self", "alternate", "collection"] {
        assert_eq!(links(&one, rel).len(), 1, "{rel}");
    }
}

#[test]
fn features_1_oas30_definition() {
    assert_eq!(server().document("/api")["openapi"], "3.0.3");
}

#[test]
fn features_1_geojson_definition_and_content() {
    let page = items("").json();
    let shape = |f: &Value| f["type"] == "Feature" && f["geometry"]["type"] == "Point" && f["properties"].is_object();
    assert!(page["features"].as_array().unwrap().iter().all(shape));
}

#[test]
fn features_1_html_definition_and_content() {
    for path in [
        "/",
        "/conformance",
        "/collections",
        "/collections/gates",
        "/collections/gates/items",
        "/collections/gates/items/1",
    ] {
        let answer = server().get_with(path, &[("accept", "text/html")]);
        assert!(
            answer.status == 200 && answer.kind().starts_with("text/html") && answer.body.contains("</html>"),
            "{path}"
        );
    }
}

#[test]
fn features_2_crs_fc_md_crs_list() {
    let one = server().document("/collections/gates");
    assert_eq!(one["crs"][0], CRS84);
}

#[test]
fn features_2_crs_fc_md_storage_crs_is_one_of_the_list() {
    let one = server().document("/collections/gates");
    assert!(one["crs"].as_array().unwrap().contains(&one["storageCrs"]));
}

#[test]
fn features_2_crs_fc_bbox_crs_definition() {
    assert_eq!(parameter("/collections/gates/items", "bbox-crs")["schema"]["type"], "string");
}

#[test]
fn features_2_crs_fc_bbox_crs_valid_value() {
    is_refused("?bbox=1,2,3,4&bbox-crs=here", "bbox-crs");
}

#[test]
fn features_2_crs_fc_bbox_crs_default_and_action() {
    let by_default = names("?bbox=-123.7985,46.1,-123.7955,46.3");
    assert_eq!(by_default, names(&format!("?bbox=-123.7985,46.1,-123.7955,46.3&bbox-crs={CRS84}")));
    assert_eq!(by_default, names(&format!("?bbox=46.1,-123.7985,46.3,-123.7955&bbox-crs={EPSG}/4326")));
}

#[test]
fn features_2_crs_fc_crs_definition() {
    for path in ["/collections/gates/items", "/collections/gates/items/{feature}"] {
        assert_eq!(parameter(path, "crs")["schema"]["type"], "string");
    }
}

#[test]
fn features_2_crs_fc_crs_valid_value() {
    is_refused("?crs=http://www.opengis.net/def/crs/EPSG/0/1", "crs");
}

#[test]
fn features_2_crs_fc_crs_default_value() {
    assert_eq!(items("?limit=1").json()["features"], items(&format!("?limit=1&crs={CRS84}")).json()["features"]);
}

#[test]
fn features_2_crs_fc_crs_action_in_the_order_of_the_axes() {
    let place = items(&format!("?limit=1&crs={EPSG}/4326")).json()["features"][0]["geometry"]["coordinates"].clone();
    assert_eq!(place, json!([46.2, -123.8]));
}

#[test]
fn features_2_crs_ogc_crs_header_and_value() {
    assert_eq!(items("").headers["content-crs"], format!("<{CRS84}>"));
    assert_eq!(items(&format!("?crs={EPSG}/32610")).headers["content-crs"], format!("<{EPSG}/32610>"));
}

#[test]
fn features_3_queryables_get_queryables_op_and_response() {
    let answer = server().get("/collections/gates/queryables");
    let schema = answer.json();
    assert_eq!((answer.status, answer.kind(), &schema["type"]), (200, "application/schema+json", &json!("object")));
    assert!(schema["$id"].as_str().unwrap().ends_with("/collections/gates/queryables"));
    assert!(
        schema["properties"].as_object().unwrap().values().all(|p| p["type"].is_string() || p["format"].is_string())
    );
}

#[test]
fn features_3_queryables_link() {
    let one = server().document("/collections/gates");
    assert_eq!(links(&one, &format!("{REL}/queryables")).len(), 1);
}

#[test]
fn features_3_queryables_query_parameters() {
    let schema = server().document("/collections/gates/queryables");
    let columns = schema["properties"].as_object().unwrap().keys().filter(|name| *name != "geometry");
    columns.for_each(|name| drop(parameter("/collections/gates/items", name)));
    assert_eq!(names("?width=0.5"), "G2");
}

#[test]
fn features_3_filter_param_and_lang() {
    assert_eq!(parameter("/collections/gates/items", "filter-lang")["schema"]["enum"], json!(["cql2-text"]));
    assert_eq!(names("?filter=width%3D0.5&filter-lang=cql2-text"), "G2");
    is_refused("?filter=width%3D0.5&filter-lang=cql2-json", "filter-lang");
    is_refused("?filter=wide%3D0.5", "filter");
}

#[test]
fn features_3_filter_crs_param() {
    let filter = |text: &str| format!("?filter={}", encoded(&format!("S_INTERSECTS(geometry, POINT({text}))")));
    assert_eq!(names(&filter("-123.8 46.2")), "G0");
    assert_eq!(names(&format!("{}&filter-crs={EPSG}/4326", filter("46.2 -123.8"))), "G0");
    is_refused(&format!("{}&filter-crs=here", filter("1 2")), "filter-crs");
}

#[test]
fn features_3_filter_response_with_other_parameters() {
    assert_eq!(names("?filter=width%3E0.5&kind=weir&bbox=-123.7985,46,-123.79,47"), "G3 G6 G9");
}

#[test]
fn processes_1_core_landingpage_success() {
    let root = server().document("/");
    for rel in ["processes", "job-list", "conformance"] {
        assert!(!links(&root, &format!("{REL}/{rel}")).is_empty(), "{rel}");
    }
}

#[test]
fn processes_1_core_process_list_and_success() {
    let list = server().document("/processes");
    assert!(list["processes"].as_array().unwrap().iter().all(|p| p["id"].is_string() && p["version"].is_string()));
    assert!(!links(&list, "self").is_empty());
}

#[test]
fn processes_1_core_pl_limit_definition_and_response() {
    assert_eq!(parameter("/processes", "limit")["schema"]["minimum"], 1);
    assert_eq!(server().document("/processes?limit=2")["processes"].as_array().unwrap().len(), 2);
}

#[test]
fn processes_1_core_process_description_and_success() {
    let one = server().document("/processes/convert");
    assert!(one["inputs"].is_object() && one["outputs"].is_object() && one["jobControlOptions"].is_array());
}

#[test]
fn processes_1_core_process_exception_no_such_process() {
    let answer = server().get("/processes/none");
    assert!(answer.status == 404 && answer.json()["type"].as_str().unwrap().ends_with("no-such-process"));
}

#[test]
fn processes_1_core_process_execute_sync_raw_and_document() {
    let raw = execute(&conversion());
    assert_eq!((raw.status, raw.kind()), (200, "application/json"));
    let mut asked = conversion();
    asked["response"] = json!("document");
    assert_eq!(execute(&asked).json()["result"], raw.json());
}

#[test]
fn processes_1_core_process_execute_input_validation() {
    let answer = execute(&json!({"inputs": {"positions": [["west", "north"]], "to": "EPSG:32610"}}));
    assert_eq!((answer.status, &answer.json()["field"]), (400, &json!("inputs.positions[0]")));
}

#[test]
fn processes_1_core_process_execute_auto_execution_mode_and_success_async() {
    let status = job();
    assert_eq!(
        (&status["status"], &status["type"], &status["processID"]),
        (&json!("successful"), &json!("process"), &json!("convert"))
    );
}

#[test]
fn processes_1_core_job_and_success() {
    let status = job();
    assert!(status["jobID"].is_string() && !links(&status, "self").is_empty());
}

#[test]
fn processes_1_core_job_exception_no_such_job() {
    let answer = server().get("/jobs/999999");
    assert!(answer.status == 404 && answer.json()["type"].as_str().unwrap().ends_with("no-such-job"));
}

#[test]
fn processes_1_core_job_results_and_success() {
    let status = job();
    let results = server().document(links(&status, &format!("{REL}/results"))[0]);
    assert_eq!(results, execute(&conversion()).json());
}

#[test]
fn processes_1_core_job_results_exception_no_such_job() {
    let answer = server().get("/jobs/999999/results");
    assert!(answer.status == 404 && answer.json()["type"].as_str().unwrap().ends_with("no-such-job"));
}

#[test]
fn processes_1_job_list_op_and_success() {
    let id = job()["jobID"].clone();
    let list = server().document("/jobs?limit=10000");
    assert!(list["jobs"].as_array().unwrap().iter().any(|j| j["jobID"] == id));
}

#[test]
fn processes_1_dismiss_op_and_success() {
    let place = format!("/jobs/{}", job()["jobID"].as_str().unwrap());
    let answer = server().delete(&place);
    assert_eq!((answer.status, &answer.json()["status"]), (200, &json!("dismissed")));
    assert_eq!(server().get(&place).status, 404);
}
