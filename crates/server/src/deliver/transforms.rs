use super::{Document, Package, csv};
use crate::tasks::Stop;

/// The rigid pose of every scan of the E57 file, always metres: E57 coordinates are by the standard.
pub(super) struct Transforms;

impl Document for Transforms {
    fn name(&self) -> &'static str {
        "transforms.csv"
    }

    fn write(&self, p: &Package) -> Result<Vec<u8>, Stop> {
        let head =
            ["scan", "r11", "r12", "r13", "r21", "r22", "r23", "r31", "r32", "r33", "tx [m]", "ty [m]", "tz [m]"];
        let rows = p.scans.iter().map(|(scan, local)| {
            let pose = p.map.pose(local);
            let r = pose.matrix();
            let mut row = vec![scan.name.clone()];
            row.extend((0..9).map(|k| format!("{:.12}", r[(k / 3, k % 3)])));
            row.extend(pose.translation.iter().map(|v| format!("{v:.5}")));
            row
        });
        Ok(csv(std::iter::once(head.map(str::to_owned).to_vec()).chain(rows))?)
    }
}
