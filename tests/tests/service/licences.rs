//! What ships is free to ship: every dependency, of the program and of the pages, has a licence from a list. Works without
//! a network, on what is installed.

use serde_json::Value;
use std::collections::BTreeSet;

/// Licences that ask for no more than their own text.
const ALLOWED: &[&str] = &[
    "MIT",
    "MIT-0",
    "Apache-2.0",
    "Apache-2.0 WITH LLVM-exception",
    "BSD-1-Clause",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "0BSD",
    "ISC",
    "Zlib",
    "Unlicense",
    "CC0-1.0",
    "CC-BY-4.0",
    "BlueOak-1.0.0",
    "Unicode-3.0",
    "BSL-1.0",
    "OFL-1.1",
    "CDLA-Permissive-2.0",
    "OpenSSL",
    "Python-2.0",
    // of files that are used as they come, and may be with anything
    "MPL-2.0",
    "LGPL-3.0-or-later",
];

/// Says its licence (MIT) in its own text and not in its description.
const SAID_ELSEWHERE: &str = "node_modules/combine-errors";

/// Whether one of the ways that an expression offers needs nothing outside the list.
fn allowed(expression: &str) -> bool {
    let plain = expression.replace(['(', ')'], " ").replace('/', " OR ");
    plain.split(" OR ").any(|way| way.split(" AND ").all(|l| ALLOWED.contains(&l.trim())))
}

#[test]
fn every_dependency_of_the_program_may_be_shipped() {
    let out = std::process::Command::new("cargo")
        .args(["metadata", "--format-version", "1", "--offline", "--filter-platform", "x86_64-unknown-linux-gnu"])
        .current_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/.."))
        .output()
        .unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let all: Value = serde_json::from_slice(&out.stdout).unwrap();
    let used: BTreeSet<&str> =
        all["resolve"]["nodes"].as_array().unwrap().iter().map(|n| n["id"].as_str().unwrap()).collect();
    let packages: Vec<&Value> =
        all["packages"].as_array().unwrap().iter().filter(|p| used.contains(p["id"].as_str().unwrap())).collect();
    assert!(packages.len() > 300, "{} packages", packages.len());
    let wrong: Vec<String> = packages
        .iter()
        .filter(|p| !p["license"].as_str().is_some_and(allowed) && p["license_file"].is_null())
        .map(|p| format!("{} {}: {}", p["name"], p["version"], p["license"]))
        .collect();
    assert!(wrong.is_empty(), "not in the list:\n{}", wrong.join("\n"));
}

#[test]
fn every_package_of_the_pages_may_be_shipped() {
    let lock = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../web/package-lock.json")).unwrap();
    let lock: Value = serde_json::from_str(&lock).unwrap();
    let packages = lock["packages"].as_object().unwrap();
    // what is only built with is not shipped
    let shipped = packages
        .iter()
        .filter(|(path, p)| !path.is_empty() && *path != SAID_ELSEWHERE && p["dev"] != true && p["optional"] != true);
    let mut count = 0;
    let wrong: Vec<String> = shipped
        .inspect(|_| count += 1)
        .filter(|(_, p)| !p["license"].as_str().is_some_and(allowed))
        .map(|(path, p)| format!("{path}: {}", p["license"]))
        .collect();
    assert!(count > 50, "{count} packages");
    assert!(wrong.is_empty(), "not in the list:\n{}", wrong.join("\n"));
}
