//! The days on which the roundhouse is scanned: two mornings before visitors come, two people with a scanner each.

use crate::App;
use crate::dto::{BreakDto, DateDto, DayScannerDto, DaySettingsDto, MachinesDto, OccupyDto, WindowDto};
use vistazo_store::{Uuid, days};

const HOUR: f64 = 3600.0;

/// Keeps them, from the day after today on.
pub(super) async fn add(app: &App, job: Uuid, surveyor: Uuid, wing: Option<Uuid>) -> anyhow::Result<()> {
    let first = chrono::Utc::now().date_naive() + chrono::Duration::days(1);
    let usual = DaySettingsDto::usual(first);
    let scanner = |name: &str, person| DayScannerDto {
        name: name.into(),
        person,
        batteries: 2,
        cards: 1,
        card: 16e9,
        tracks: true,
    };
    let settings = DaySettingsDto {
        dates: (0..2)
            .map(|k| DateDto { date: first + chrono::Duration::days(k), from: 7.5 * HOUR, to: 9.25 * HOUR })
            .collect(),
        people: vec!["Sera Lindqvist".into(), "Tove Brandt".into(), "Ilan Reyes".into()],
        scanners: vec![scanner("Scanner A", 0), scanner("Scanner B", 1)],
        breaks: vec![BreakDto { name: "Tea".into(), from: 8.25 * HOUR, to: 8.75 * HOUR, length: 600.0 }],
        windows: wing
            .map(|area| WindowDto {
                name: "Carpenters in the wing".into(),
                area: Some(area),
                from: 7.0 * HOUR,
                to: 8.0 * HOUR,
                closed: true,
            })
            .into_iter()
            .collect(),
        daylight: Some([6.5 * HOUR, 18.0 * HOUR]),
        control: OccupyDto { occupy: true, seconds: 180.0, apart: 1800.0 },
        machines: MachinesDto { trial: Some(600.0), ..usual.machines },
        passes: Vec::new(),
        ..usual
    };
    let kept = serde_json::json!(settings.checked().map_err(|e| anyhow::anyhow!("{e}"))?);
    days::put(&app.db, job, &kept, 0, surveyor).await?;
    Ok(())
}
