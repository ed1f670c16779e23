use super::order::{LEVELS, Order, VOXEL};
use crate::geometry::{Mat3, Pose, Vec3};
use crate::scan::Scan;
use rayon::prelude::*;

/// The working cloud of a scan: one point a voxel of 5 cm (10 cm when the scan reaches beyond
/// 100 m, and so on by doubling), with the normal of the surface.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct WorkingCloud {
    /// Mean of the points of the voxel, scanner frame, metres.
    pub points: Vec<[f32; 3]>,
    /// Unit normal towards the scanner times 127; all zero where too few points say.
    pub normals: Vec<[i8; 3]>,
    /// How many points the voxel holds, at most 65 535.
    pub counts: Vec<u16>,
}

impl WorkingCloud {
    /// Side of its voxels, metres, by how far it reaches.
    pub fn voxel(&self) -> f64 {
        let reach = self.points.iter().flatten().fold(0.0_f32, |r, v| r.max(v.abs()));
        let most = VOXEL * f64::from(1_u32 << (LEVELS - 1));
        VOXEL * (f64::from(reach) / most).max(1.0).log2().ceil().exp2()
    }

    /// Its points with unit normals (nil where not known) where a pose puts them.
    pub fn placed<'a>(&'a self, pose: &'a Pose) -> impl Iterator<Item = (Vec3, Vec3)> + 'a {
        self.points.iter().zip(&self.normals).map(|(p, n)| {
            let n = Vec3::from(n.map(f64::from)).try_normalize(0.5).unwrap_or_default();
            (pose.apply(&Vec3::from(p.map(f64::from))), pose.rotation * n)
        })
    }
}

/// Fewest points a normal is taken from.
const LEAST: usize = 6;

/// Makes the working cloud, and for each place of the order the cosine of the incidence angle
/// (1..255 for 0..1; 0 where the normal is not known).
///
/// The normal is the direction of least scatter of the points in the cell of two voxels' side that
/// holds the voxel, or of four where that holds fewer than six points.
pub fn working(scan: &Scan, order: &Order) -> (WorkingCloud, Vec<u8>) {
    working_from(scan, order, &|_| Vec3::zeros())
}

/// The same of points that were not all seen from the origin: `from` says where the point with an index was seen from.
pub fn working_from(scan: &Scan, order: &Order, from: &(dyn Fn(usize) -> Vec3 + Sync)) -> (WorkingCloud, Vec<u8>) {
    let fine = (0..=LEVELS).rev().find(|&l| order.side(l) >= VOXEL * 0.999).unwrap_or(0);
    let (mid, coarse) = (fine.saturating_sub(1), fine.saturating_sub(2));
    // cut where a coarse cell ends, so that the parts are independent
    let part = (order.len() / (rayon::current_num_threads() * 8)).max(10_000);
    let mut cuts = vec![0];
    while let Some(&last) = cuts.last() {
        if last >= order.len() {
            break;
        }
        let near = (last + part).min(order.len() - 1);
        cuts.push(order.run_end(near, order.len(), coarse));
    }
    let mut incidence = vec![0_u8; order.len()];
    let mut slices = Vec::new();
    let mut rest = incidence.as_mut_slice();
    for w in cuts.windows(2) {
        let (a, b) = rest.split_at_mut(w[1] - w[0]);
        slices.push((w[0], a));
        rest = b;
    }
    let parts: Vec<WorkingCloud> = slices
        .into_par_iter()
        .map(|(start, out)| {
            let mut cloud = WorkingCloud::default();
            let end = start + out.len();
            let mut at = start;
            while at < end {
                let stop = order.run_end(at, end, coarse);
                let wide = normal(scan, order, at, stop);
                let mut m = at;
                while m < stop {
                    let m_end = order.run_end(m, stop, mid);
                    let n = if m_end - m >= LEAST { normal(scan, order, m, m_end) } else { None }.or(wide);
                    voxels(scan, order, (m, m_end), fine, (n, from), &mut cloud);
                    if let Some(n) = n {
                        for place in m..m_end {
                            let k = order.index(place);
                            let p = scan.at(k) - from(k);
                            let cos = (n.dot(&p) / p.norm()).abs();
                            out[place - start] = (cos * 254.0) as u8 + 1;
                        }
                    }
                    m = m_end;
                }
                at = stop;
            }
            cloud
        })
        .collect();
    let mut cloud = WorkingCloud::default();
    for p in parts {
        cloud.points.extend(p.points);
        cloud.normals.extend(p.normals);
        cloud.counts.extend(p.counts);
    }
    (cloud, incidence)
}

/// Voxels of a stretch with a common normal, turned towards where each was seen from.
fn voxels(
    scan: &Scan,
    order: &Order,
    (first, to): (usize, usize),
    fine: u32,
    (n, from): (Option<Vec3>, &(dyn Fn(usize) -> Vec3 + Sync)),
    out: &mut WorkingCloud,
) {
    let mut at = first;
    while at < to {
        let end = order.run_end(at, to, fine);
        let mean = (at..end).map(|k| scan.at(order.index(k))).sum::<Vec3>() / (end - at) as f64;
        out.points.push([mean.x as f32, mean.y as f32, mean.z as f32]);
        out.normals.push(n.map_or([0; 3], |n| {
            let n = if n.dot(&(mean - from(order.index(at)))) > 0.0 { -n } else { n };
            [n.x, n.y, n.z].map(|v| (v * 127.0).round() as i8)
        }));
        out.counts.push((end - at).min(65_535) as u16);
        at = end;
    }
}

/// Direction of least scatter of the points at places `from..to`; of at most some hundred of them.
fn normal(scan: &Scan, order: &Order, from: usize, to: usize) -> Option<Vec3> {
    if to - from < LEAST {
        return None;
    }
    let step = (to - from).div_ceil(200);
    let first = scan.at(order.index(from));
    let (mut sum, mut square, mut n) = (Vec3::zeros(), Mat3::zeros(), 0.0);
    for place in (from..to).step_by(step) {
        // about the first point: sums of squares of small numbers keep their digits
        let p = scan.at(order.index(place)) - first;
        sum += p;
        square += p * p.transpose();
        n += 1.0;
    }
    let scatter = square - sum * sum.transpose() / n;
    let eigen = scatter.symmetric_eigen();
    let mut e: Vec<(f64, usize)> = eigen.eigenvalues.iter().copied().zip(0..).collect();
    e.sort_by(|a, b| a.0.total_cmp(&b.0));
    // a line has no normal
    (e[1].0 > 1e-3 * e[2].0 && e[2].0 > 0.0).then(|| eigen.eigenvectors.column(e[0].1).into())
}
