use super::{PlanDocument, PlanPackage};
use crate::ApiError;
use vistazo_core::geometry::Vec3;
use vistazo_core::plan::PlannedKind;

/// Stations and targets as CSV in the job's unit.
pub(super) struct Table;

impl PlanDocument for Table {
    fn name(&self) -> &'static str {
        "plan.csv"
    }

    fn media_type(&self) -> &'static str {
        "text/csv; charset=utf-8"
    }

    fn write(&self, p: &PlanPackage) -> Result<Vec<u8>, ApiError> {
        let u = p.brief.unit();
        let named = |n: &str| format!("{n} [{}]", u.code());
        let mut rows =
            vec![vec!["kind".to_owned(), "name".into(), named("x"), named("y"), named("height"), "known".into()]];
        let mut add = |kind: &str, name: &str, at: &Vec3, known: &str| {
            let v = at / u.metres();
            let mut row = vec![kind.to_owned(), name.to_owned()];
            row.extend(v.iter().map(|x| format!("{x:.4}")));
            row.push(known.to_owned());
            rows.push(row);
        };
        for (_, s) in &p.plan.stations {
            add("station", &s.name, &s.position, "");
        }
        for (_, t) in &p.plan.targets {
            let known = match (t.control_sigma, t.check) {
                (None, _) => "",
                (Some(_), true) => "check",
                (Some(_), false) => "control",
            };
            let kind = match t.kind {
                PlannedKind::Sphere => "sphere",
                PlannedKind::Checker(_) => "checker",
                PlannedKind::Mark => "mark",
            };
            add(kind, &t.name, &t.position, known);
        }
        crate::deliver::csv(rows)
    }
}
