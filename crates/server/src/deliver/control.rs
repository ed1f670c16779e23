use super::{Document, Package, csv};
use crate::tasks::Stop;

/// How control and check points fit, in the unit of the job.
pub(super) struct Control;

impl Document for Control {
    fn name(&self) -> &'static str {
        "control.csv"
    }

    fn write(&self, p: &Package) -> Result<Vec<u8>, Stop> {
        let u = p.state.brief.unit();
        let named = |n: &str| format!("{n} [{}]", u.code());
        let lengths = ["dE", "dN", "dH", "expected E 95 %", "expected N 95 %", "expected H 95 %"].map(named);
        let mut head = ["point", "target", "use"].map(str::to_owned).to_vec();
        head.extend(lengths);
        head.push("p".into());
        let columns = head.len();
        let mut rows = vec![head];
        for (list, word) in [(&p.grid.residuals, "control"), (&p.grid.checks, "check")] {
            for r in list {
                let mut row = vec![r.name.clone(), r.target.clone(), word.to_owned()];
                row.extend(r.residual.iter().chain(&r.expected).map(|v| format!("{:.5}", v / u.metres())));
                row.push(format!("{:.5}", r.p_value));
                rows.push(row);
            }
        }
        for name in &p.grid.check_summary.missing {
            let mut row = vec![name.clone(), "fits no target".into(), "check".into()];
            row.resize(columns, String::new());
            rows.push(row);
        }
        Ok(csv(rows)?)
    }
}
