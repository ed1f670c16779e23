//! What goes into a package is chosen on the page, and its walk-through opens from a folder, without the server.

use serde_json::Value;
use std::io::Read;
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

#[tokio::test]
async fn a_walk_through_opens_from_its_folder() {
    let (server, c, id) = job::standing("vera", "Rooms").await;
    let base = format!("/api/jobs/{id}");
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;

    // the brief asks for it; without it in the package that is said
    b.page.goto(&format!("{}/jobs/{id}/brief", server.url)).await.unwrap();
    for what in ["Walk-through, a page that opens by itself", "Floor plans (DXF, PDF)"] {
        b.click(&format!("//label[contains(., '{what}')]")).await;
    }
    b.press("Save brief").await;
    b.see("//button[contains(., 'Saved')]").await;
    b.sheet("Deliver").await;
    b.says("The brief asks for what would not be in it: Floor plans").await;
    b.see("//tr[contains(., 'Walk-through')]//input[@type='checkbox' and @aria-label='Walk-through, a page that opens by itself']").await;
    b.press("Make package").await;
    b.see_within("//h2[contains(., 'Package 1')]", 120).await;
    b.says("walk-through/").await;

    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0]["id"].as_str().unwrap().to_owned();
    let bytes = c.request("GET", &format!("{base}/packages/{package}/download")).send().await.unwrap().bytes().await;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes.unwrap().to_vec())).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let names: Vec<String> = zip.file_names().map(|n| n.unwrap().into_owned()).collect();
    for name in names.iter().filter(|n| n.starts_with("walk-through/")) {
        let mut out = Vec::new();
        zip.by_name(name).unwrap().read_to_end(&mut out).unwrap();
        std::fs::write(folder.path().join(name.trim_start_matches("walk-through/")), out).unwrap();
    }

    b.page.goto(&format!("file://{}/index.html", folder.path().display())).await.unwrap();
    b.see("//body[@data-station='R1']").await;
    b.see("//h1[.='Rooms']").await;
    // from station to station, by what is seen and on the plan
    b.see("//*[@id='links']/button").await;
    let first = b.page.find(fantoccini::Locator::Css("#links button")).await.unwrap().text().await.unwrap_or_default();
    b.page.execute("document.querySelector('#links button').click()", Vec::new()).await.unwrap();
    b.see("//body[@data-station and not(@data-station='R1')]").await;
    b.page
        .execute("document.querySelectorAll('#plan .station')[0].dispatchEvent(new MouseEvent('click'))", Vec::new())
        .await
        .unwrap();
    b.see("//body[@data-station='R1']").await;
    b.press("Cloud").await;
    b.see("//button[@id='to-cloud' and @aria-pressed='true']").await;
    // something is drawn: more than one colour, and nothing went wrong
    let said = b.see("//*[@id='said']").await.text().await.unwrap();
    assert_eq!(said, "", "{first}");
    b.close().await;
}
