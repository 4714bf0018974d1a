//! The published schemas are those of the types. A change is written with `UPDATE_SCHEMAS=1`.
#![cfg(feature = "schemas")]
#![allow(missing_docs)]

use std::path::Path;

#[test]
fn the_published_schemas_are_those_of_the_types() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schemas");
    let update = std::env::var_os("UPDATE_SCHEMAS").is_some();
    let mut names = Vec::new();
    for (name, schema) in basilocus::schemas::all() {
        let text = serde_json::to_string_pretty(&schema).unwrap() + "\n";
        let file = folder.join(format!("{name}.json"));
        if update {
            std::fs::create_dir_all(&folder).unwrap();
            std::fs::write(&file, &text).unwrap();
        }
        let published = std::fs::read_to_string(&file).unwrap_or_default();
        assert!(published == text, "docs/schemas/{name}.json is not what the type says; run with UPDATE_SCHEMAS=1");
        assert!(jsonschema::meta::is_valid(&serde_json::to_value(&schema).unwrap()), "{name} is no schema");
        names.push(format!("{name}.json"));
    }
    let mut there: Vec<String> =
        std::fs::read_dir(&folder).unwrap().map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect();
    there.sort();
    assert_eq!(there, names, "files of schemas that no report has");
}
