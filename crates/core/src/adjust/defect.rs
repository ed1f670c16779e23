use super::dense;
use super::network::Network;
use super::normal::{Normal, Over, gauge};
use nalgebra::DMatrix;

/// Something the observations do not determine, in words.
#[derive(Clone, Debug, PartialEq)]
pub struct Defect {
    /// Scans that can move.
    pub scans: Vec<usize>,
    /// What is free and what would mend it.
    pub reason: String,
}

/// Looks for movements of single scans, beyond those of the block as a whole, that change no
/// observation: null vectors of the scaled reduced normal matrix with the gauge taken out.
///
/// Whether there are any is told first by the inverse, which is cheap: its diagonal bounds the
/// smallest eigenvalue. Only then are the eigenvectors asked which scans move.
pub(super) fn find(net: &Network, normal: &Normal) -> Vec<Defect> {
    let n = normal.reduced.nrows();
    let scale: Vec<f64> =
        (0..n).map(|i| if normal.scans[(i, i)] > 0.0 { normal.scans[(i, i)].sqrt().recip() } else { 1.0 }).collect();
    let scaled = DMatrix::from_fn(n, n, |i, j| normal.reduced[(i, j)] * scale[i] * scale[j]);
    // the gauge in the same scaling, made orthonormal
    let mut g = gauge(net, Over::All).rows(0, n).into_owned();
    for i in 0..n {
        for c in 0..g.ncols() {
            g[(i, c)] /= scale[i];
        }
    }
    let q = g.qr().q();
    let held = &scaled + &q * q.transpose();
    if dense::inverse(&held).is_some_and(|i| i.diagonal().max() * f64::from(n as u32) < 1e9) {
        return Vec::new();
    }
    let Some((values, vectors)) = dense::eigen(&held) else { return Vec::new() };
    let mut free: Vec<usize> = Vec::new();
    for k in (0..n).filter(|&k| values[k] < 1e-9) {
        let v = vectors.column(k);
        for s in 0..net.scans.len() {
            if v.fixed_rows::<6>(net.scan_column(s)).norm() > 0.05 && !free.contains(&s) {
                free.push(s);
            }
        }
    }
    free.sort_unstable();
    free.iter().map(|&s| describe(net, s)).collect()
}

fn describe(net: &Network, scan: usize) -> Defect {
    let name = &net.scans[scan].name;
    let shared: Vec<&str> = net
        .observations
        .iter()
        .filter(|o| o.active && o.scan == scan)
        .filter(|o| net.observations.iter().any(|p| p.active && p.scan != scan && p.target == o.target))
        .map(|o| net.targets[o.target].name.as_str())
        .collect();
    let reason = match shared.len() {
        0 => format!("{name} shares no target with another scan: nothing holds it; 3 shared targets are needed"),
        1 => format!(
            "{name} hangs on {} only: it can turn about that point in any direction; 2 more shared targets are needed",
            shared[0]
        ),
        2 => format!(
            "{name} hangs on {} and {} only: it can turn about the line through them; one more shared target off that line is needed",
            shared[0], shared[1]
        ),
        _ => format!(
            "{name} shares {}, which do not hold it: they lie in a line; one more target off that line is needed",
            shared.join(", ")
        ),
    };
    Defect { scans: vec![scan], reason }
}
