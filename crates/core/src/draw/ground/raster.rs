use super::filter;
use crate::draw::Stand;
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use nalgebra::{Vector2, Vector6};
use std::collections::HashMap;

/// Points of one scan over the ground, in columns: only the lowest of each are kept.
#[derive(Clone, Debug)]
pub struct GroundScan {
    cell: f64,
    columns: HashMap<(i32, i32), Column>,
}

/// Points of a scan over one cell of the ground, by height.
#[derive(Clone, Debug, Default)]
pub struct Column {
    /// Slices of [`SLICE`] metres from the lowest up: number, points, sums of heights over the middle of the slice and of
    /// their squares.
    slices: Vec<(i32, Sums)>,
}

#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Sums {
    pub(super) count: u32,
    pub(super) z: f64,
    pub(super) zz: f64,
}

impl Sums {
    fn add(&mut self, o: &Self) {
        *self = Self { count: self.count + o.count, z: self.z + o.z, zz: self.zz + o.zz };
    }
}

/// Height of a slice of a column, metres.
pub(super) const SLICE: f64 = 0.02;
/// So many slices over the lowest are kept.
const KEPT: usize = 60;

/// A cell of the ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GroundCell {
    /// Height in its middle, metres.
    pub height: f64,
    /// Of that, m²: what this cell has for itself.
    pub own: f64,
    /// Of that, m²: what it has in common with its neighbours, by the places of the scans and the instrument.
    pub common: f64,
    /// Points it rests on.
    pub points: u32,
}

/// The ground as a raster; cells that no scan shows are left out.
#[derive(Clone, Debug, Default)]
pub struct Ground {
    /// Lower left corner of the first cell, and the side of one, metres.
    pub corner: Vector2<f64>,
    /// Side of a cell, metres.
    pub cell: f64,
    /// Cells from west to east, then from south to north.
    pub size: [usize; 2],
    /// Row by row from the south.
    pub cells: Vec<Option<GroundCell>>,
    /// Points that are ground, and all that were looked at.
    pub points: [u64; 2],
}

impl Ground {
    /// Middle of a cell.
    pub fn middle(&self, k: usize) -> Vector2<f64> {
        let (x, y) = (k % self.size[0], k / self.size[0]);
        self.corner + Vector2::new(x as f64 + 0.5, y as f64 + 0.5) * self.cell
    }

    /// The cell that a place lies in.
    pub fn at(&self, p: &Vector2<f64>) -> Option<usize> {
        let q = (p - self.corner) / self.cell;
        let inside = q.x >= 0.0 && q.y >= 0.0 && q.x < self.size[0] as f64 && q.y < self.size[1] as f64;
        inside.then(|| q.y as usize * self.size[0] + q.x as usize)
    }
}

impl GroundScan {
    /// Counts into cells of this size, metres.
    pub fn new(cell: f64) -> Self {
        Self { cell, columns: HashMap::new() }
    }

    /// Counts a point, in the frame of the plan, metres.
    pub fn add(&mut self, p: &Vec3) {
        let key = ((p.x / self.cell).floor() as i32, (p.y / self.cell).floor() as i32);
        let slice = (p.z / SLICE).floor() as i32;
        let over = p.z - (f64::from(slice) + 0.5) * SLICE;
        self.columns.entry(key).or_default().add(slice, &Sums { count: 1, z: over, zz: over * over });
    }

    /// Adds what another part of the same scan shows.
    pub fn merge(&mut self, other: Self) {
        for (key, column) in other.columns {
            let mine = self.columns.entry(key).or_default();
            column.slices.iter().for_each(|(s, sums)| mine.add(*s, sums));
        }
    }
}

impl Column {
    fn add(&mut self, slice: i32, sums: &Sums) {
        match self.slices.binary_search_by_key(&slice, |s| s.0) {
            Ok(k) => self.slices[k].1.add(sums),
            Err(k) if k < KEPT => {
                self.slices.insert(k, (slice, *sums));
                self.slices.truncate(KEPT);
            }
            Err(_) => {}
        }
    }
}

/// Fewer points in a slice are none.
const FEW: u32 = 2;
/// What lies so near to the surface of the filter is ground, metres, and so much more for its slope.
const NEAR: [f64; 2] = [0.06, 0.4];
/// The lowest slices of a column that hold so much of the most that any hold are the ground.
const MANY: f64 = 0.6;
/// The ground is uneven within a cell by this where too little of one is seen to tell, 1σ, metres.
const UNEVEN: f64 = 0.003;

/// Finds the ground in what all scans show.
///
/// The lowest of each cell are opened with ever larger windows; what stands out over the opening by more than the slope
/// allows is no ground (simple morphological filter, Pingel et al. 2013). What lies on the surface that is left is ground,
/// scan by scan; a cell is the mean of what its scans say, weighted by what each is uncertain by. `widest` is the largest
/// thing that is taken off, metres; `slope` the steepest the ground may be, rise over run.
pub fn ground(
    scans: &[GroundScan],
    stands: &[Stand],
    instrument: &Instrument,
    widest: f64,
    slope: f64,
) -> Option<Ground> {
    let cell = scans.first()?.cell;
    let keys = || scans.iter().flat_map(|s| s.columns.keys());
    let (low, high) = keys().fold(([i32::MAX; 2], [i32::MIN; 2]), |(l, h), k| {
        ([l[0].min(k.0), l[1].min(k.1)], [h[0].max(k.0), h[1].max(k.1)])
    });
    if low[0] > high[0] {
        return None;
    }
    let size = [0, 1].map(|k| (high[k] - low[k] + 1) as usize);
    let at = |key: &(i32, i32)| (key.1 - low[1]) as usize * size[0] + (key.0 - low[0]) as usize;
    // the lowest of each cell that more than one point speaks for
    let mut lowest = vec![f64::NAN; size[0] * size[1]];
    let mut columns: Vec<Vec<(i32, u32)>> = vec![Vec::new(); lowest.len()];
    for s in scans {
        for (key, c) in &s.columns {
            let to = &mut columns[at(key)];
            for (slice, sums) in &c.slices {
                match to.binary_search_by_key(slice, |t| t.0) {
                    Ok(k) => to[k].1 += sums.count,
                    Err(k) => to.insert(k, (*slice, sums.count)),
                }
            }
        }
    }
    for (l, c) in lowest.iter_mut().zip(&columns) {
        let two = c.iter().enumerate().find(|(k, (slice, n))| {
            let next = c.get(k + 1).filter(|o| o.0 == slice + 1).map_or(0, |o| o.1);
            n + next >= FEW
        });
        if let Some((_, (slice, _))) = two {
            *l = (f64::from(*slice) + 0.5) * SLICE;
        }
    }
    let surface = filter::opened(&lowest, size, cell, widest, slope);
    let steep = filter::slopes(&surface, size, cell);
    let mut out = Ground {
        corner: Vector2::new(f64::from(low[0]), f64::from(low[1])) * cell,
        cell,
        size,
        cells: vec![None; lowest.len()],
        points: [0; 2],
    };
    let mut said: Vec<Vec<(f64, f64, f64, u32)>> = vec![Vec::new(); lowest.len()];
    for (s, stand) in scans.iter().zip(stands) {
        for (key, column) in &s.columns {
            let k = at(key);
            let limit = NEAR[0] + NEAR[1] * steep[k] * cell;
            out.points[1] += column.slices.iter().map(|s| u64::from(s.1.count)).sum::<u64>();
            let thick = 2 + (steep[k] * cell / SLICE).ceil() as i32;
            let (base, all) = lying(column, surface[k], limit, thick);
            if all.count == 0 {
                continue;
            }
            out.points[0] += u64::from(all.count);
            let n = f64::from(all.count);
            let mean = all.z / n;
            let scatter =
                if all.count > 3 { ((all.zz - n * mean * mean) / (n - 1.0)).max(0.0) } else { UNEVEN * UNEVEN * 9.0 };
            let place = out.middle(k).push(base + mean);
            said[k].push((base + mean, scatter / n, shared(stand, instrument, &place), all.count));
        }
    }
    for (cell, said) in out.cells.iter_mut().zip(said) {
        *cell = joined(&said, UNEVEN);
    }
    Some(out)
}

/// What lies on the surface of the filter in a column: a height, and the points about it. Of a wall that stands in the
/// cell there are points at all heights, of the ground at one: the lowest slices that hold about as many as any are it.
fn lying(column: &Column, surface: f64, limit: f64, thick: i32) -> (f64, Sums) {
    let middle = |slice: i32| (f64::from(slice) + 0.5) * SLICE;
    let near: Vec<_> = column.slices.iter().filter(|s| (middle(s.0) - surface).abs() <= limit).collect();
    let of = |k: usize| {
        let end = near[k..].iter().take_while(|s| s.0 < near[k].0 + thick).count();
        &near[k..k + end]
    };
    let counts: Vec<u32> = (0..near.len()).map(|k| of(k).iter().map(|s| s.1.count).sum()).collect();
    let most = counts.iter().copied().max().unwrap_or(0);
    let Some(k) = counts.iter().position(|n| f64::from(*n) >= MANY * f64::from(most)) else {
        return (0.0, Sums::default());
    };
    let base = middle(near[k].0);
    let mut all = Sums::default();
    for (slice, sums) in of(k) {
        // about one height, so that nothing is lost in large numbers
        let d = middle(*slice) - base;
        let n = f64::from(sums.count);
        all.add(&Sums { count: sums.count, z: sums.z + n * d, zz: sums.zz + 2.0 * d * sums.z + n * d * d });
    }
    (base, all)
}

/// What all points of a scan about a place have in common, in height, m².
pub(in crate::draw) fn shared(stand: &Stand, instrument: &Instrument, at: &Vec3) -> f64 {
    let from = stand.pose.translation;
    let turn = (at - from).cross(&Vec3::z());
    let row = Vector6::new(0.0, 0.0, 1.0, turn.x, turn.y, turn.z);
    let (d, down) = ((at - from).norm().max(0.1), (from.z - at.z).abs());
    let s = &instrument.systematic;
    let range = s.common_range(d).hypot(0.5 * s.reflectivity) * down / d;
    let angle = s.index.hypot(s.index_at_set_up) * d;
    row.dot(&(stand.covariance * row)).max(0.0) + range * range + angle * angle
}

/// A cell out of what its scans say: height, own and common variance, points. It is uneven by so much, 1σ, metres.
pub(in crate::draw) fn joined(said: &[(f64, f64, f64, u32)], uneven: f64) -> Option<GroundCell> {
    let weight = |s: &(f64, f64, f64, u32)| 1.0 / (s.1 + s.2 + uneven * uneven / f64::from(s.3).min(9.0));
    let sum: f64 = said.iter().map(weight).sum();
    if said.is_empty() {
        return None;
    }
    let height = said.iter().map(|s| weight(s) * s.0).sum::<f64>() / sum;
    let points = said.iter().map(|s| s.3).sum::<u32>();
    let of = |v: fn(&(f64, f64, f64, u32)) -> f64| said.iter().map(|s| (weight(s) / sum).powi(2) * v(s)).sum::<f64>();
    // where scans disagree by more than they should, neither is believed more than that
    let misfit =
        said.iter().map(|s| weight(s) * (s.0 - height).powi(2)).sum::<f64>() / (said.len() as f64 - 1.0).max(1.0);
    let own = of(|s| s.1) + uneven * uneven / f64::from(points).min(9.0);
    Some(GroundCell { height, own: own * misfit.max(1.0), common: of(|s| s.2) * misfit.max(1.0), points })
}
