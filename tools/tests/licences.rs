//! Every package that is built, for tests or for use, has a licence that `deny.toml` allows, and comes from the registry.

use std::path::Path;
use std::process::Command;

/// The texts of a list in `deny.toml`.
fn allowed(deny: &str) -> Vec<String> {
    let list = deny.split_once("\nallow = [").unwrap().1.split_once(']').unwrap().0;
    list.lines()
        .filter(|l| !l.trim_start().starts_with('#'))
        .flat_map(|l| l.split('"').skip(1).step_by(2))
        .map(String::from)
        .collect()
}

/// Whether an expression of licences (SPDX: `MIT OR (Apache-2.0 AND ISC)`) can be met by what is allowed.
fn is_met(expression: &str, allowed: &[String]) -> bool {
    let text = expression.replace('(', " ( ").replace(')', " ) ").replace('/', " OR ");
    let words: Vec<&str> = text.split_whitespace().collect();
    let mut at = 0;
    let met = one_of(&words, &mut at, allowed);
    met && at == words.len()
}

fn one_of(words: &[&str], at: &mut usize, allowed: &[String]) -> bool {
    let mut met = all_of(words, at, allowed);
    while words.get(*at) == Some(&"OR") {
        *at += 1;
        met |= all_of(words, at, allowed);
    }
    met
}

fn all_of(words: &[&str], at: &mut usize, allowed: &[String]) -> bool {
    let mut met = single(words, at, allowed);
    while words.get(*at) == Some(&"AND") {
        *at += 1;
        met &= single(words, at, allowed);
    }
    met
}

fn single(words: &[&str], at: &mut usize, allowed: &[String]) -> bool {
    let word = words.get(*at).copied().unwrap_or_default();
    *at += 1;
    if word == "(" {
        let met = one_of(words, at, allowed);
        let is_closed = words.get(*at) == Some(&")");
        *at += 1;
        return met && is_closed;
    }
    // "Apache-2.0 WITH LLVM-exception" allows more than the licence alone.
    if words.get(*at) == Some(&"WITH") {
        *at += 2;
    }
    allowed.iter().any(|a| a == word)
}

#[test]
fn expressions_of_licences() {
    let allowed = ["MIT".to_string(), "ISC".to_string()];
    for (expression, met) in [
        ("MIT", true),
        ("MIT/Apache-2.0", true),
        ("GPL-3.0-only OR MIT", true),
        ("GPL-3.0-only AND MIT", false),
        ("(GPL-3.0-only OR MIT) AND ISC", true),
        ("MIT AND (GPL-3.0-only OR LGPL-2.1)", false),
        ("ISC WITH some-exception", true),
        ("GPL-3.0-only", false),
        ("(MIT", false),
        ("", false),
    ] {
        assert_eq!(is_met(expression, &allowed), met, "{expression}");
    }
}

#[test]
fn licences_are_allowed() {
    // The workspace of the SQL engine has this test too, for its own packages.
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let root = here.ancestors().find(|folder| folder.join("deny.toml").exists()).unwrap();
    let allowed = allowed(&std::fs::read_to_string(root.join("deny.toml")).unwrap());
    assert!(allowed.len() > 2, "{allowed:?}");
    let out = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--all-features", "--locked", "--offline"])
        .args(["--filter-platform", "x86_64-unknown-linux-gnu"])
        .current_dir(here)
        .output()
        .unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let metadata: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    let packages = metadata["packages"].as_array().unwrap();
    assert!(packages.len() > 100, "{}", packages.len());
    for package in packages {
        let (name, licence) = (package["name"].as_str().unwrap(), package["license"].as_str().unwrap_or_default());
        assert!(is_met(licence, &allowed), "{name} has the licence \"{licence}\", which deny.toml does not allow");
        let source = package["source"].as_str().unwrap_or("here");
        assert!(source == "here" || source.starts_with("registry+"), "{name} comes from {source}");
    }
}
