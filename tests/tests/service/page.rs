//! The logic of the pages, tested by their own runner under this one.

#[test]
fn the_logic_of_the_pages() {
    let web = concat!(env!("CARGO_MANIFEST_DIR"), "/../web");
    let out = std::process::Command::new("node")
        .args(["node_modules/vitest/vitest.mjs", "run", "--reporter=verbose"])
        .env("NO_COLOR", "1")
        .current_dir(web)
        .output()
        .expect("node is there: scripts/test installs the packages of the pages first");
    let said = String::from_utf8_lossy(&out.stdout);
    assert!(out.status.success(), "{said}\n{}", String::from_utf8_lossy(&out.stderr));
    // a runner that finds no tests has tested nothing
    let passed = said.lines().filter(|l| l.trim_start().starts_with('✓')).count();
    assert!(passed > 100, "{passed} tests passed\n{said}");
}
