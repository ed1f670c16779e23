use super::{Document, Package, csv};
use crate::tasks::Stop;

/// Targets and stations on the grid, in the unit of the job.
pub(super) struct Coordinates;

impl Document for Coordinates {
    fn name(&self) -> &'static str {
        "coordinates.csv"
    }

    fn write(&self, p: &Package) -> Result<Vec<u8>, Stop> {
        let u = p.state.brief.unit();
        let named = |n: &str| format!("{n} [{}]", u.code());
        let mut rows = vec![vec![
            "name".to_owned(),
            "kind".into(),
            named("E"),
            named("N"),
            named("H"),
            named("horizontal 95 %"),
            named("vertical 95 %"),
            named("3-D 95 %"),
            "scans".into(),
        ]];
        let mut add = |name: &str, kind: &str, at: [f64; 3], e: &crate::dto::Error95Dto, scans: usize| {
            let lengths = at.into_iter().chain([e.horizontal, e.vertical, e.spatial]);
            let mut row = vec![name.to_owned(), kind.to_owned()];
            row.extend(lengths.map(|v| format!("{:.5}", v / u.metres())));
            row.push(scans.to_string());
            rows.push(row);
        };
        for t in &p.grid.targets {
            add(&t.name, super::report::kind(t.kind), t.position, &t.error, t.scans);
        }
        for s in &p.grid.stations {
            add(&s.name, "station", s.pose.translation, &s.error, 1);
        }
        Ok(csv(rows)?)
    }
}
