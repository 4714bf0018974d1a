//! All that is served as an OpenAPI 3.0 document.

use crate::features;
use crate::links::Base;
use crate::processes::PROCESSES;
use crate::server::App;
use serde_json::{Map, Value, json};

const PROBLEM: &str = "#/components/responses/Problem";

fn answer(description: &str, kind: &str) -> Value {
    json!({"description": description, "content": {kind: {"schema": {"type": "object"}}}})
}

/// A GET of a document.
fn get(id: &str, summary: &str, kind: &str, parameters: Vec<Value>) -> Value {
    let mut answered = answer(summary, kind);
    // What has a form for people is a page in it.
    if parameters.contains(&form()) {
        answered["content"]["text/html"] = json!({"schema": {"type": "string"}});
    }
    json!({"get": {
        "operationId": id,
        "summary": summary,
        "parameters": parameters,
        "responses": {"200": answered, "default": {"$ref": PROBLEM}},
    }})
}

fn of_path(name: &str, description: &str) -> Value {
    json!({"name": name, "in": "path", "required": true, "description": description, "schema": {"type": "string"}})
}

fn of_query(name: &str, description: &str, schema: Value) -> Value {
    json!({"name": name, "in": "query", "required": false, "description": description, "schema": schema, "style": "form", "explode": false})
}

fn text() -> Value {
    json!({"type": "string"})
}

fn form() -> Value {
    of_query("f", "json or html", json!({"type": "string", "enum": ["json", "html"]}))
}

/// The document.
pub(crate) fn document(app: &App, base: &Base) -> Value {
    let json_kind = "application/json";
    let mut paths: Map<String, Value> = Map::new();
    let mut add = |path: &str, operations: Value| {
        paths.insert(path.into(), operations);
    };
    add("/", get("landing", "What is served", json_kind, vec![form()]));
    add("/conformance", get("conformance", "What of the standards is served", json_kind, vec![form()]));
    add("/api", get("api", "This document", "application/vnd.oai.openapi+json;version=3.0", vec![]));
    add("/collections", get("collections", "All collections", json_kind, vec![form()]));
    for c in app.layers().iter() {
        let (id, path) = (c.id(), features::path(c));
        let columns: Vec<(String, Value)> =
            c.columns().iter().map(|col| (col.name.clone(), features::schema_of(col.kind))).collect();
        let items = of_items(&columns);
        let named = |what: &str| format!("{what}.{id}");
        add(&path, get(&named("collection"), &format!("The collection {id}"), json_kind, vec![form()]));
        let schema = "application/schema+json";
        add(&format!("{path}/queryables"), get(&named("queryables"), "What can be asked of it", schema, vec![]));
        add(
            &format!("{path}/items"),
            get(&named("items"), &format!("Features of {id}"), "application/geo+json", items),
        );
        let one =
            vec![of_path("feature", "Number of the feature"), of_query("crs", "System of the answer", text()), form()];
        add(&format!("{path}/items/{{feature}}"), get(&named("feature"), "One feature", "application/geo+json", one));
        add(&format!("{path}/map"), get(&named("map"), "The features on a map", "text/html", vec![]));
    }
    if app.heights().is_some() {
        let id = crate::heights::ID;
        add(&format!("/collections/{id}"), get("collection.heights", "Heights", json_kind, vec![form()]));
        let parameters = vec![
            json!({"name": "coords", "in": "query", "required": true, "description": "POINT(lon lat) or MULTIPOINT((lon lat),…)", "schema": {"type": "string"}}),
            of_query("parameter-name", "height", text()),
            of_query("crs", "CRS84", text()),
            of_query("f", "CoverageJSON", text()),
        ];
        let kind = "application/prs.coverage+json";
        add(&format!("/collections/{id}/position"), get("position.heights", "Heights of positions", kind, parameters));
    }
    let limit = || {
        vec![
            of_query("limit", "Entries of the list", json!({"type": "integer", "minimum": 1, "default": 100})),
            of_query("after", "Where it goes on; from a link", json!({"type": "integer", "minimum": 0, "default": 0})),
        ]
    };
    add("/processes", get("processes", "All processes", json_kind, limit()));
    for process in PROCESSES {
        let (id, path) = (process.id, format!("/processes/{}", process.id));
        add(&path, get(&format!("process.{id}"), process.title, json_kind, vec![]));
        add(&format!("{path}/execution"), execution(process));
    }
    add("/jobs", get("jobs", "All jobs", json_kind, limit()));
    let job = || vec![of_path("job", "Number of the job")];
    let mut one = get("job", "How far a job is", json_kind, job());
    one["delete"] = get("dismiss", "Ends a job", json_kind, job())["get"].clone();
    add("/jobs/{job}", one);
    add("/jobs/{job}/results", get("results", "What a job came to", json_kind, job()));
    add(
        "/openls",
        json!({"post": {
            "operationId": "openls",
            "summary": "Addresses to positions and positions to addresses, by OpenLS 1.2",
            "requestBody": {"required": true, "content": {"application/xml": {"schema": {"type": "string"}}}},
            "responses": {"200": {"description": "The answer", "content": {"application/xml": {"schema": {"type": "string"}}}}, "default": {"description": "An error of OpenLS", "content": {"application/xml": {"schema": {"type": "string"}}}}},
        }}),
    );
    add(
        "/metrics",
        get("metrics", "What is counted, in the OpenMetrics text format", "application/openmetrics-text", vec![]),
    );
    let mut out = json!({
        "openapi": "3.0.3",
        "info": {
            "title": "Basilocus",
            "description": "Layers, conversions, addresses and heights. Every error is a problem of RFC 9457 with the field that is wrong and what was expected.",
            "version": env!("CARGO_PKG_VERSION"),
            "license": {"name": "MIT OR Apache-2.0"},
        },
        "paths": paths,
        "components": {
            "responses": {"Problem": {
                "description": "What was wrong, and what was expected",
                "content": {"application/problem+json": {"schema": {
                    "type": "object",
                    "required": ["type", "title", "status", "detail"],
                    "properties": {
                        "type": {"type": "string", "format": "uri-reference"},
                        "title": {"type": "string"},
                        "status": {"type": "integer"},
                        "detail": {"type": "string"},
                        "field": {"type": "string"},
                    },
                }}},
            }},
        },
    });
    if !base.0.is_empty() {
        out["servers"] = json!([{"url": base.0}]);
    }
    if app.tokens.is_some() {
        out["components"]["securitySchemes"] = json!({"token": {"type": "http", "scheme": "bearer"}});
        out["security"] = json!([{"token": []}]);
    }
    out
}

/// The execution of a process.
fn execution(process: &crate::processes::Process) -> Value {
    let inputs = (process.inputs)();
    let schemas: Map<String, Value> =
        inputs.as_object().into_iter().flatten().map(|(name, input)| (name.clone(), input["schema"].clone())).collect();
    let required: Vec<&String> =
        inputs.as_object().into_iter().flatten().filter(|(_, i)| i["minOccurs"] != 0).map(|(name, _)| name).collect();
    let mut of_inputs = json!({"type": "object", "properties": schemas});
    if !required.is_empty() {
        of_inputs["required"] = json!(required);
    }
    json!({"post": {
        "operationId": format!("execute.{}", process.id),
        "summary": process.title,
        "description": process.description,
        "parameters": [{
            "name": "Prefer",
            "in": "header",
            "required": false,
            "description": "respond-async for a job",
            "schema": {"type": "string"},
        }],
        "requestBody": {"required": true, "content": {"application/json": {"schema": {
            "type": "object",
            "required": ["inputs"],
            "properties": {
                "inputs": of_inputs,
                "outputs": {"type": "object"},
                "response": {"type": "string", "enum": ["raw", "document"]},
            },
        }}}},
        "responses": {
            "200": {"description": "The result", "content": {"application/json": {"schema": {}}}},
            "201": answer("The job", "application/json"),
            "default": {"$ref": PROBLEM},
        },
    }})
}

/// The parameters of the features of a collection.
pub(crate) fn of_items(columns: &[(String, Value)]) -> Vec<Value> {
    let mut all = vec![
        of_query(
            "bbox",
            "Extent: four numbers in the order of the axes",
            json!({"type": "array", "minItems": 4, "maxItems": 6, "items": {"type": "number"}}),
        ),
        of_query("bbox-crs", "System of bbox", text()),
        of_query("datetime", "A day, a moment, or an interval", text()),
        of_query(
            "limit",
            "Features of a page",
            json!({"type": "integer", "minimum": 1, "maximum": crate::features::items::MOST, "default": 10}),
        ),
        of_query("crs", "System of the answer", text()),
        of_query("filter", "Filter in CQL2 text", text()),
        of_query("filter-lang", "cql2-text", json!({"type": "string", "enum": ["cql2-text"]})),
        of_query("filter-crs", "System of shapes in the filter", text()),
        of_query("after", "Where the page begins; from a link", json!({"type": "integer"})),
        form(),
    ];
    all.extend(columns.iter().map(|(name, schema)| of_query(name, "Value of the column", schema.clone())));
    all
}
