use super::{DayDocument, time, words};
use crate::ApiError;
use crate::dto::DaysDto;
use crate::work::days::Days;

/// Every step as CSV, times on the clock of the site.
pub(super) struct DayTable;

impl DayDocument for DayTable {
    fn name(&self) -> &'static str {
        "day.csv"
    }

    fn media_type(&self) -> &'static str {
        "text/csv; charset=utf-8"
    }

    fn write(&self, days: &Days, dto: &DaysDto) -> Result<Vec<u8>, ApiError> {
        let head =
            ["date", "from", "to", "minutes", "work", "at", "person", "scanner", "targets up", "targets down", "noted"];
        let mut rows = vec![head.map(str::to_owned).to_vec()];
        let s = &days.settings;
        for step in &dto.steps {
            let date = days.date(step.from);
            rows.push(vec![
                date.to_string(),
                time(step.from),
                time(step.to),
                format!("{:.1}", (step.to - step.from) / 60.0),
                words(step.work).to_owned(),
                step.at.clone().unwrap_or_default(),
                step.person.and_then(|p| s.people.get(p).cloned()).unwrap_or_default(),
                step.unit.and_then(|u| s.scanners.get(u)).map(|u| u.name.clone()).unwrap_or_default(),
                step.up.join(" "),
                step.down.join(" "),
                if step.done { "yes" } else { "" }.into(),
            ]);
        }
        crate::deliver::csv(rows)
    }
}
