//! The demo's own command: it runs once in a folder, says so when it is started again, and stops nothing but itself.

use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use std::time::Duration;

/// `scripts/demo` as somebody starts it, on a port and in a folder of its own.
fn demo(home: &std::path::Path, port: u16) -> Command {
    let mut command = Command::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../scripts/demo"));
    // what Cargo says of this test is not said of the demo: crates whose build reads it, and the server behind them, were built again
    for (name, _) in std::env::vars()
        .filter(|(name, _)| name == "CARGO" || name.starts_with("CARGO_PKG_") || name.starts_with("CARGO_MANIFEST_"))
    {
        command.env_remove(name);
    }
    command
        .env("VISTAZO_HOME", home)
        .env("VISTAZO_ADDRESS", format!("127.0.0.1:{port}"))
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped());
    command
}

#[tokio::test]
async fn a_second_start_says_that_it_runs_and_stops_nothing() {
    vistazo_store::tls();
    let home = tempfile::Builder::new().prefix("vistazo-demo-").tempdir_in("/var/tmp").unwrap();
    // the database's own user enters it
    std::fs::set_permissions(home.path(), std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
    let port = vistazo_tests::port::free();
    let mut first = demo(home.path(), port).spawn().unwrap();
    let mut lines = BufReader::new(first.stdout.take().unwrap()).lines().map_while(Result::ok);
    assert!(lines.any(|l| l.contains("Vistazo is at")), "the demo did not start");
    let health = format!("http://127.0.0.1:{port}/api/health");
    assert_eq!(reqwest::get(&health).await.unwrap().status(), 200);
    let second = demo(home.path(), port).output().unwrap();
    let said = String::from_utf8_lossy(&second.stderr);
    assert!(
        !second.status.success() && said.contains(&format!("the demo runs already, at http://127.0.0.1:{port}")),
        "{said}"
    );
    tokio::time::sleep(Duration::from_secs(1)).await;
    assert_eq!(reqwest::get(&health).await.unwrap().status(), 200, "the first goes on");
    let signed = reqwest::Client::new()
        .post(format!("http://127.0.0.1:{port}/api/session"))
        .json(&serde_json::json!({ "email": "sera@corvane.example", "password": vistazo_server::demo::PASSWORD }))
        .send()
        .await
        .unwrap();
    assert_eq!(signed.status(), 200, "and so does its database");
    let asked = Command::new("kill").args(["-TERM", &first.id().to_string()]).status().unwrap();
    assert!(asked.success());
    first.wait().unwrap();
    assert!(reqwest::get(&health).await.is_err(), "it ended");
}
