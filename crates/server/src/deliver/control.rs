use super::{Document, Package, csv};
use crate::tasks::Stop;

/// How control and check points fit, metres.
pub(super) struct Control;

impl Document for Control {
    fn name(&self) -> &'static str {
        "control.csv"
    }

    fn write(&self, p: &Package) -> Result<Vec<u8>, Stop> {
        let head = [
            "point",
            "target",
            "use",
            "dE [m]",
            "dN [m]",
            "dH [m]",
            "expected E 95 % [m]",
            "expected N 95 % [m]",
            "expected H 95 % [m]",
            "p",
        ];
        let mut rows = vec![head.map(str::to_owned).to_vec()];
        for (list, word) in [(&p.grid.residuals, "control"), (&p.grid.checks, "check")] {
            for r in list {
                let mut row = vec![r.name.clone(), r.target.clone(), word.to_owned()];
                row.extend(r.residual.iter().chain(&r.expected).chain([&r.p_value]).map(|v| format!("{v:.5}")));
                rows.push(row);
            }
        }
        for name in &p.grid.check_summary.missing {
            let mut row = vec![name.clone(), "fits no target".into(), "check".into()];
            row.resize(head.len(), String::new());
            rows.push(row);
        }
        csv(rows)
    }
}
