use super::csv;
use super::plan::{PLAN_DOCUMENTS, PlanPackage};
use crate::dto::Brief;
use crate::work::outlook;
use crate::work::planning::Plan;
use nalgebra::Vector2;
use uuid::Uuid;
use vistazo_core::geometry::Vec3;
use vistazo_core::plan::{Demand, Obstacle, PlannedKind, PlannedTarget, Station, Wall};
use vistazo_core::units::LengthUnit;

#[test]
fn a_name_neither_shifts_columns_nor_runs() {
    let rows = vec![vec!["Hall, north".to_owned(), "=HYPERLINK(\"x\")".to_owned(), "-1.5".to_owned()]];
    let text = String::from_utf8(csv(rows).unwrap()).unwrap();
    assert_eq!(text, "\"Hall, north\",\"'=HYPERLINK(\"\"x\"\")\",-1.5\n");
}

fn target(name: &str, at: [f64; 3], kind: PlannedKind) -> (Uuid, PlannedTarget) {
    let t = PlannedTarget { name: name.into(), position: Vec3::from(at), kind, control_sigma: None, check: false };
    (Uuid::now_v7(), t)
}

/// A hall of 20 m by 12 m with three stations and five targets; one of the names is hostile.
fn package(unit: &str, simulated: bool) -> PlanPackage {
    let mut plan = Plan::default();
    let corners = [[0.0, 0.0], [20.0, 0.0], [20.0, 12.0], [0.0, 12.0], [0.0, 0.0]].map(|[x, y]| Vector2::new(x, y));
    let demand = Some(Demand { spacing: 0.01, incidence: 1.2, accuracy: None });
    let wall = Wall { id: 0, line: corners.to_vec(), base: 0.0, top: 6.0, openings: Vec::new(), demand };
    plan.site.walls.push(wall);
    plan.surfaces[0].push((Uuid::now_v7(), "Walls".into()));
    let block = [[9.0, 5.0], [11.0, 5.0], [11.0, 7.0], [9.0, 7.0]].map(|[x, y]| Vector2::new(x, y));
    plan.site.obstacles.push(Obstacle { outline: block.to_vec(), base: 0.0, top: 3.0 });
    for (k, at) in [[4.0, 3.0], [15.0, 3.0], [10.0, 10.0]].iter().enumerate() {
        let station = Station::at(&format!("S{}", k + 1), Vec3::new(at[0], at[1], 1.7));
        plan.stations.push((Uuid::now_v7(), station));
        plan.locked.push(false);
    }
    plan.targets = vec![
        target("K1", [2.0, 10.0, 1.2], PlannedKind::Sphere),
        target("</script><b>", [18.0, 10.0, 1.6], PlannedKind::Sphere),
        target("K3", [10.0, 1.0, 0.9], PlannedKind::Sphere),
        target("K4", [6.0, 6.5, 2.1], PlannedKind::Sphere),
        target("=1+1", [14.0, 6.0, 1.4], PlannedKind::Checker(None)),
    ];
    plan.targets[0].1.control_sigma = Some(Vec3::repeat(0.002));
    let brief = Brief { unit: unit.into(), site: "Hall".into(), ..Brief::default() };
    let cover = outlook::to_dto(&plan, &brief);
    PlanPackage { job: Uuid::now_v7(), name: "Job".into(), plan, items: Vec::new(), brief, cover, simulated }
}

fn written(p: &PlanPackage, name: &str) -> Vec<u8> {
    PLAN_DOCUMENTS.iter().find(|d| d.name() == name).expect("in the list").write(p).expect("written")
}

fn text(p: &PlanPackage, name: &str) -> String {
    String::from_utf8(written(p, name)).expect("UTF-8")
}

#[test]
fn the_table_is_in_the_unit_of_the_job_and_runs_nothing() {
    let read = |unit: &str| -> Vec<Vec<String>> {
        let bytes = written(&package(unit, false), "plan.csv");
        let mut reader = ::csv::ReaderBuilder::new().has_headers(false).from_reader(bytes.as_slice());
        reader.records().map(|r| r.unwrap().iter().map(str::to_owned).collect()).collect()
    };
    let (metres, feet) = (read("m"), read("ftUS"));
    assert_eq!(metres[0], ["kind", "name", "x [m]", "y [m]", "height [m]", "known"]);
    assert_eq!(feet[0][2], "x [ftUS]");
    assert_eq!(metres.len(), 9, "three stations and five targets");
    for (m, f) in metres[1..].iter().zip(&feet[1..]) {
        for k in 2..5 {
            let (m, f): (f64, f64) = (m[k].parse().unwrap(), f[k].parse().unwrap());
            assert!((f * LengthUnit::UsSurveyFoot.metres() - m).abs() < 1e-4);
        }
    }
    assert_eq!(metres[4][1..], ["K1", "2.0000", "10.0000", "1.2000", "control"]);
    assert_eq!(metres[8][1], "'=1+1");
}

#[test]
fn the_page_to_carry_holds_the_plan_and_no_name_ends_its_script() {
    let page = text(&package("m", false), "field.html");
    assert!(page.contains("\\u003c/script>\\u003cb>"), "the name is there, as text");
    let own = include_str!("plan/carried.html").matches("</script>").count();
    assert_eq!(page.matches("</script>").count(), own, "only the page's own");
    let links = page.replace("http://www.w3.org/2000/svg", "");
    assert!(!links.contains("http://") && !links.contains("https://"), "opens without a connection");
    assert!(page.contains("\"simulated\":false"));
    let started = page.find("id=\"data\">").map(|i| &page[i + 10..]).expect("the data");
    let mut values = serde_json::Deserializer::from_str(started).into_iter::<serde_json::Value>();
    let data = values.next().unwrap().expect("data that can be read");
    assert_eq!(data["stations"].as_array().unwrap().len(), 3);
    let [distance, bearing] = [0, 1].map(|k| data["stations"][1]["walk"][k].as_f64().unwrap());
    assert!((distance - 11.0).abs() < 1e-9 && (bearing - std::f64::consts::FRAC_PI_2).abs() < 1e-9, "11 m east");
    assert_eq!(data["stations"][0]["walk"], serde_json::Value::Null, "the first has no way to it");
}

#[test]
fn the_sheet_is_a_pdf_and_every_file_has_its_own_name_and_kind() {
    let p = package("ft", true);
    assert!(written(&p, "sheet.pdf").starts_with(b"%PDF"));
    let mut names: Vec<_> = PLAN_DOCUMENTS.iter().map(|d| d.name()).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), PLAN_DOCUMENTS.len());
    assert!(PLAN_DOCUMENTS.iter().all(|d| d.media_type().contains('/')));
}
