//! The power goes: what was not synced is gone from the disc. What a row speaks of is there.

use serde_json::Value;
use std::collections::HashSet;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use vistazo_tests::{Server, job};

/// Files and folders under a folder.
fn walk(at: &Path, files: &mut Vec<PathBuf>, folders: &mut Vec<PathBuf>) {
    for e in std::fs::read_dir(at).unwrap().map(|e| e.unwrap().path()) {
        if e.is_dir() {
            walk(&e, files, folders);
            folders.push(e);
        } else {
            files.push(e);
        }
    }
}

/// Empties what was never synced, as a disc with a cache does when the power goes; returns how many there were.
fn power_cut(store: &Path, synced: &Path) -> (usize, usize) {
    let list = std::fs::read_to_string(synced).unwrap_or_default();
    let kept: HashSet<u64> = list.lines().map(|l| l.parse().unwrap()).collect();
    let (mut files, mut folders) = (Vec::new(), Vec::new());
    walk(store, &mut files, &mut folders);
    let ino = |p: &PathBuf| std::fs::metadata(p).unwrap().ino();
    let mut lost = 0;
    for f in &files {
        // a file in a folder that does not know of it yet is gone as well
        let known = kept.contains(&ino(f)) && kept.contains(&ino(&f.parent().unwrap().to_path_buf()));
        if !known {
            std::fs::write(f, b"").unwrap();
            lost += 1;
        }
    }
    (lost, files.len())
}

#[tokio::test]
async fn what_a_row_speaks_of_outlives_the_power() {
    let folder = tempfile::tempdir().unwrap();
    let (library, synced) = (folder.path().join("unsynced.so"), folder.path().join("synced"));
    let source = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/service/unsynced.c");
    let made = std::process::Command::new("cc")
        .args(["-shared", "-fPIC", "-O1", "-o"])
        .arg(&library)
        .args([source, "-ldl"])
        .status();
    assert!(made.expect("a C compiler, as for the crates that build C").success());
    let settings = vec![("LD_PRELOAD", library.display().to_string()), ("SYNCED", synced.display().to_string())];
    let mut server = Server::start_with(settings).await;
    let c = server.person("gus").await;
    let files = job::files();
    let id = job::on_grid(&c, "Power", files).await;
    c.run(&id, "/packages").await;
    // the last upload is not even read when the power goes: the answer that it is there is all that was said
    let task = c.send(&id, "last.e57", files.scans[0].1.clone()).await.unwrap();
    server.kill();
    let (lost, all) = power_cut(server.data.path(), &synced);
    println!("{lost} of {all} files were lost with the power");
    assert!(std::fs::metadata(&synced).unwrap().len() > 0, "the library was not loaded");
    server.restart().await;
    assert_eq!(c.wait(&id, &task).await["state"], "done");
    let packages = c.ok("GET", &format!("/api/jobs/{id}/packages"), Value::Null).await;
    let path = format!("/api/jobs/{id}/packages/{}/download", packages[0]["id"].as_str().unwrap());
    let bytes = c.request("GET", &path).send().await.unwrap().bytes().await.expect("a whole package");
    assert_eq!(bytes.len() as i64, packages[0]["bytes"].as_i64().unwrap());
    let program = std::env::var("VISTAZO_TEST_PROGRAM").unwrap();
    let out = std::process::Command::new(program)
        .arg("verify")
        .env("VISTAZO_DATABASE_URL", &server.database)
        .env("VISTAZO_DATA", server.data.path())
        .output()
        .unwrap();
    let said = String::from_utf8(out.stdout).unwrap();
    assert!(out.status.success() && said.contains(": 0 damaged or missing"), "{said}");
}
