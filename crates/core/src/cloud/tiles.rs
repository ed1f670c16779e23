use super::order::{LEVELS, Order};
use crate::clean::Class;
use crate::scan::Scan;
use rayon::prelude::*;

/// A tile with more points than this is divided.
const LEAF: usize = 30_000;
/// A divided tile shows one point for each cell of this many halvings of itself: 32 × 32 × 32.
const DETAIL: u32 = 5;

/// The points of one tile, as they are to be drawn.
#[derive(Debug, Default)]
pub struct TilePoints {
    /// Middle of the tile, scanner frame, metres; positions are relative to it.
    pub centre: [f64; 3],
    /// Positions about the middle, metres.
    pub positions: Vec<[f32; 3]>,
    /// Intensity (stretched to the scan's brightest), cosine of incidence (0 unknown, else 1..255), and what the point is
    /// taken for ([`Class`](crate::clean::Class) by its number).
    pub shades: Vec<[u8; 3]>,
    /// Colours, grey by intensity where a point has none; empty when the scan has none.
    pub colours: Vec<[u8; 3]>,
}

/// A tile of the tree, after its points were handed over.
#[derive(Debug, Clone)]
pub struct TileNode<T> {
    /// What the sink made of its points.
    pub content: T,
    /// Number of points in this tile alone.
    pub points: usize,
    /// Box of all points in and below this tile: middle and half extents, scanner frame, metres.
    pub middle: [f64; 3],
    /// Half extents of the box, metres.
    pub half: [f64; 3],
    /// Distance between shown points when the children are not shown, metres; 0 in a leaf.
    pub error: f64,
    /// Parts of it, up to eight.
    pub children: Vec<TileNode<T>>,
}

/// Divides a scan into an octree in which every point stands in exactly one tile: a divided tile
/// shows one point for each cell of a 32 × 32 × 32 grid, its children show what is left.
///
/// `incidence` comes from [`super::working`], by place; `classes` are by point, none where all stay. `sink` receives each tile once, from several
/// threads, and may stop everything by an error. Which point of a cell is shown is spread by a
/// hash: always the first would draw the grid.
///
/// # Errors
/// The first error of the sink.
pub fn tiles<T: Send, E: Send>(
    scan: &Scan,
    order: &Order,
    incidence: &[u8],
    classes: &[Class],
    sink: &(dyn Fn(TilePoints) -> Result<T, E> + Sync),
) -> Result<TileNode<T>, E> {
    let mut taken = vec![false; order.len()];
    let build = Build { scan, order, incidence, classes, bright: brightest(scan), sink };
    build.node(0, 0, &mut taken)
}

/// The intensity that 99.5 % of the points stay under, at least 1: what is shown as white.
pub(super) fn brightest(scan: &Scan) -> f64 {
    let mut sample: Vec<u16> = scan.intensity.iter().copied().step_by((scan.intensity.len() / 50_000).max(1)).collect();
    if sample.is_empty() {
        return 65_535.0;
    }
    let at = (sample.len() * 995 / 1000).min(sample.len() - 1);
    let (_, v, _) = sample.select_nth_unstable(at);
    f64::from((*v).max(1))
}

/// The colour of a point; what has none (black) is grey by its intensity, and so is every point of a scan without colours.
pub(super) fn shown(scan: &Scan, index: usize, bright: f64) -> [u8; 3] {
    scan.colour.get(index).copied().filter(|c| *c != [0; 3]).unwrap_or_else(|| {
        let v = (f64::from(scan.intensity[index]) / bright).min(1.0).sqrt();
        [(v * 235.0) as u8 + 10; 3]
    })
}

struct Build<'a, T, E> {
    scan: &'a Scan,
    order: &'a Order,
    incidence: &'a [u8],
    classes: &'a [Class],
    bright: f64,
    sink: &'a (dyn Fn(TilePoints) -> Result<T, E> + Sync),
}

impl<T: Send, E: Send> Build<'_, T, E> {
    /// The tile of the places `start..start + taken.len()`, which share their cell at `level`.
    fn node(&self, level: u32, start: usize, taken: &mut [bool]) -> Result<TileNode<T>, E> {
        let end = start + taken.len();
        let left = taken.iter().filter(|t| !**t).count();
        let leaf = left <= LEAF || level >= LEVELS;
        let mut shown = Vec::with_capacity(if leaf { left } else { 8_000 });
        if leaf {
            shown.extend((start..end).filter(|p| !taken[p - start]));
        } else {
            let fine = (level + DETAIL).min(LEVELS);
            let mut at = start;
            while at < end {
                let stop = self.order.run_end(at, end, fine);
                let n = stop - at;
                let first = (at.wrapping_mul(0x9E37_79B9) >> 5) % n;
                if let Some(k) = (0..n).map(|k| at + (first + k) % n).find(|p| !taken[p - start]) {
                    taken[k - start] = true;
                    shown.push(k);
                }
                at = stop;
            }
        }
        let mut children = Vec::new();
        if !leaf {
            let mut parts = Vec::new();
            let (mut rest, mut at) = (taken, start);
            while at < end {
                let stop = self.order.run_end(at, end, level + 1);
                let (a, b) = rest.split_at_mut(stop - at);
                if a.iter().any(|t| !t) {
                    parts.push((at, a));
                }
                rest = b;
                at = stop;
            }
            children = parts
                .into_par_iter()
                .map(|(at, part)| self.node(level + 1, at, part))
                .collect::<Result<Vec<_>, E>>()?;
        }
        let points = self.draw(&shown);
        let (mut lo, mut hi) = ([f64::MAX; 3], [f64::MIN; 3]);
        for p in &points.positions {
            for k in 0..3 {
                let v = points.centre[k] + f64::from(p[k]);
                lo[k] = lo[k].min(v);
                hi[k] = hi[k].max(v);
            }
        }
        for c in &children {
            for k in 0..3 {
                lo[k] = lo[k].min(c.middle[k] - c.half[k]);
                hi[k] = hi[k].max(c.middle[k] + c.half[k]);
            }
        }
        Ok(TileNode {
            points: shown.len(),
            content: (self.sink)(points)?,
            middle: std::array::from_fn(|k| f64::midpoint(lo[k], hi[k])),
            half: std::array::from_fn(|k| ((hi[k] - lo[k]) / 2.0).max(0.001)),
            error: if leaf { 0.0 } else { self.order.side(level + DETAIL) },
            children,
        })
    }

    fn draw(&self, places: &[usize]) -> TilePoints {
        let at = |place: &usize| self.scan.points[self.order.index(*place)];
        let n = places.len().max(1) as f64;
        let sum = places.iter().fold([0.0; 3], |s, p| {
            let v = at(p);
            std::array::from_fn(|k| s[k] + f64::from(v[k]))
        });
        // a middle that f32 holds exactly: positions about it are then exact too
        let centre: [f64; 3] = sum.map(|s: f64| (s / n).round());
        TilePoints {
            centre,
            positions: places
                .iter()
                .map(|p| {
                    let v = at(p);
                    std::array::from_fn(|k| (f64::from(v[k]) - centre[k]) as f32)
                })
                .collect(),
            shades: places
                .iter()
                .map(|p| {
                    let index = self.order.index(*p);
                    let i = f64::from(self.scan.intensity[index]) / self.bright;
                    let class = self.classes.get(index).copied().unwrap_or_default();
                    [(i.min(1.0) * 255.0) as u8, self.incidence[*p], class as u8]
                })
                .collect(),
            colours: if self.scan.colour.is_empty() {
                Vec::new()
            } else {
                places.iter().map(|p| shown(self.scan, self.order.index(*p), self.bright)).collect()
            },
        }
    }
}
