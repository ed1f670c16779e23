//! How far it is to walk, round walls and through doors.

use super::bvh::Bvh;
use super::site::{Site, inside};
use crate::geometry::Vec3;
use nalgebra::Vector2;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// Width of a cell, metres, unless the site is too large for it.
const CELL: f64 = 0.5;
/// Cells at most.
const MOST: f64 = 80_000.0;
/// Nobody walks along the very edge of a door, metres.
const JAMB: f64 = 0.15;
/// Whoever walks is as high as that in the way of what stands, below the height of the places, metres.
const CHEST: f64 = 0.4;
/// No cell.
const NOWHERE: usize = usize::MAX;
/// A door is walked through when it is as wide, its sill as low and its head as high, metres.
const DOOR: (f64, f64, f64) = (0.55, 0.35, 1.6);

/// Metres of walking between places: a row for each, in the order given.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Ways {
    /// Metres.
    pub metres: Vec<Vec<f64>>,
    /// Pairs of places between which the plan shows no way; the straight line is taken there.
    pub shut: Vec<(usize, usize)>,
}

/// Walking distances between places on a site: over a raster of half metres (coarser on large sites), eight ways
/// from each cell (Dijkstra 1959), round walls, obstacles and columns that stand at the height of a person, and
/// through doors; pulled tight between the corners that it goes round, so that it is as long as it is and not as the
/// raster has it. Where the plan shows no way, the straight line is taken and the pair is named.
pub fn ways(site: &Site, places: &[Vec3]) -> Ways {
    let n = places.len();
    let mut out = Ways { metres: vec![vec![0.0; n]; n], shut: Vec::new() };
    let Some(floor) = Floor::new(site, places) else { return out };
    for a in 0..n {
        let from = floor.from(&places[a].xy());
        for b in a + 1..n {
            let found = from.way(&places[b].xy());
            if found.is_none() {
                out.shut.push((a, b));
            }
            let way = found.map_or((places[b] - places[a]).xy().norm(), |w| length(&w));
            out.metres[a][b] = way;
            out.metres[b][a] = way;
        }
    }
    out
}

/// Metres along a line.
pub fn length(line: &[Vector2<f64>]) -> f64 {
    line.windows(2).map(|p| (p[1] - p[0]).norm()).sum()
}

/// The floor of a site as somebody walks on it: what is free of it, in cells.
pub struct Floor {
    low: Vector2<f64>,
    cell: f64,
    wide: usize,
    high: usize,
    blocked: Vec<bool>,
    /// What stands, for whether a straight way is free of it to the millimetre, and the height that is asked at.
    bvh: Bvh,
    chest: f64,
}

impl Floor {
    /// The floor that most of some places stand on; `None` where there is nothing at all.
    pub fn new(site: &Site, places: &[Vec3]) -> Option<Self> {
        let drawn = site.walls.iter().flat_map(|w| &w.line);
        let all: Vec<Vector2<f64>> = places.iter().map(Vec3::xy).chain(drawn.copied()).collect();
        let first = *all.first()?;
        let (low, top) = all.iter().fold((first, first), |(l, h), p| (l.inf(p), h.sup(p)));
        let margin = Vector2::repeat(4.0);
        let (low, size) = (low - margin, top - low + 2.0 * margin);
        let cell = CELL.max((size.x * size.y / MOST).sqrt());
        let (wide, high) = ((size.x / cell) as usize + 1, (size.y / cell) as usize + 1);
        // on the height that most places are on; other storeys are reached by ways the plan does not show
        let mut heights: Vec<f64> = places.iter().map(|p| p.z).collect();
        heights.sort_by(f64::total_cmp);
        let z = heights[heights.len() / 2];
        let blocked = vec![false; wide * high];
        let mut floor = Self { low, cell, wide, high, blocked, bvh: Bvh::new(site), chest: z - CHEST };
        let in_the_way = |base: f64, top: f64| base < z && top > z - 1.2;
        for w in site.walls.iter().filter(|w| in_the_way(w.base, w.top)) {
            let mut along = 0.0;
            for p in w.line.windows(2) {
                let length = (p[1] - p[0]).norm();
                floor.line(&p[0], &p[1], |s| {
                    let at = along + s * length;
                    w.openings.iter().any(|o| {
                        let passable = o.width >= DOOR.0 && o.sill - w.base < DOOR.1 && o.head - o.sill >= DOOR.2;
                        // a cell is one to walk through when its middle is, and the middle of a door always is
                        let clear = (o.width / 2.0 - JAMB).max(cell / 2.0);
                        passable && (at - o.at).abs() <= clear
                    })
                });
                along += length;
            }
        }
        for o in site.obstacles.iter().filter(|o| in_the_way(o.base, o.top)) {
            floor.fill(|p| inside(&o.outline, p));
        }
        for c in site.columns.iter().filter(|c| in_the_way(c.base, c.top)) {
            floor.fill(|p| (p - c.centre).norm() <= c.radius);
        }
        // nobody stands in a wall: who does, stands beside it
        for p in places {
            if let Some(c) = floor.at(&p.xy()) {
                floor.blocked[c] = false;
            }
        }
        Some(floor)
    }

    fn at(&self, p: &Vector2<f64>) -> Option<usize> {
        let q = (p - self.low) / self.cell;
        let inside = q.x >= 0.0 && q.y >= 0.0 && (q.x as usize) < self.wide && (q.y as usize) < self.high;
        inside.then(|| q.y as usize * self.wide + q.x as usize)
    }

    /// Blocks the cells under a line, but where `open` says so of how far along it their middles are.
    fn line(&mut self, a: &Vector2<f64>, b: &Vector2<f64>, open: impl Fn(f64) -> bool) {
        let steps = ((b - a).norm() / (self.cell / 2.0)).ceil().max(1.0) as usize;
        let (mut shut, mut free) = (Vec::new(), Vec::new());
        let along = b - a;
        for i in 0..=steps {
            let Some(c) = self.at(&(a + along * (i as f64 / steps as f64))) else { continue };
            let s = (self.middle(c) - a).dot(&along) / along.norm_squared().max(1e-12);
            if open(s) { free.push(c) } else { shut.push(c) }
        }
        shut.into_iter().filter(|c| !free.contains(c)).for_each(|c| self.blocked[c] = true);
    }

    fn fill(&mut self, inside: impl Fn(&Vector2<f64>) -> bool) {
        for c in 0..self.blocked.len() {
            if inside(&self.middle(c)) {
                self.blocked[c] = true;
            }
        }
    }

    fn middle(&self, c: usize) -> Vector2<f64> {
        self.low + Vector2::new((c % self.wide) as f64 + 0.5, (c / self.wide) as f64 + 0.5) * self.cell
    }

    /// Whether the straight line crosses nothing.
    fn free(&self, a: &Vector2<f64>, b: &Vector2<f64>) -> bool {
        let steps = ((b - a).norm() / (self.cell / 2.0)).ceil().max(1.0) as usize;
        (0..=steps).all(|i| self.at(&(a + (b - a) * (i as f64 / steps as f64))).is_some_and(|c| !self.blocked[c]))
            && !self.bvh.blocked(&a.push(self.chest), &b.push(self.chest))
    }

    /// The shortest ways from a place to everywhere.
    pub fn from(&self, p: &Vector2<f64>) -> WaysFrom<'_> {
        WaysFrom { floor: self, place: *p, before: self.flood(p) }
    }

    /// For every cell the one before it on the shortest way from a place; [`NOWHERE`] where none leads there.
    fn flood(&self, p: &Vector2<f64>) -> Vec<usize> {
        let mut before = vec![NOWHERE; self.blocked.len()];
        let mut far = vec![f32::INFINITY; self.blocked.len()];
        let Some(start) = self.at(p) else { return before };
        far[start] = 0.0;
        before[start] = start;
        let mut heap = BinaryHeap::from([(Reverse(0_u32), start)]);
        let step = [self.cell as f32, (self.cell * std::f64::consts::SQRT_2) as f32];
        while let Some((Reverse(d), c)) = heap.pop() {
            // distances are positive: their bits are in their order
            let d = f32::from_bits(d);
            if d > far[c] {
                continue;
            }
            let (x, y) = ((c % self.wide) as isize, (c / self.wide) as isize);
            for (dx, dy) in [(1, 0), (-1, 0), (0, 1), (0, -1), (1, 1), (1, -1), (-1, 1), (-1, -1)] {
                let (i, j) = (x + dx, y + dy);
                if i < 0 || j < 0 || i as usize >= self.wide || j as usize >= self.high {
                    continue;
                }
                let to = j as usize * self.wide + i as usize;
                // not between two walls that touch at a corner
                let beside = [y as usize * self.wide + i as usize, j as usize * self.wide + x as usize];
                if self.blocked[to] || (dx != 0 && dy != 0 && beside.iter().any(|&b| self.blocked[b])) {
                    continue;
                }
                let next = d + step[usize::from(dx != 0 && dy != 0)];
                if next < far[to] {
                    far[to] = next;
                    before[to] = c;
                    heap.push((Reverse(next.to_bits()), to));
                }
            }
        }
        before
    }
}

/// Shortest ways from one place.
pub struct WaysFrom<'a> {
    floor: &'a Floor,
    place: Vector2<f64>,
    before: Vec<usize>,
}

impl WaysFrom<'_> {
    /// The way to another place, pulled tight: its corners, both places included. `None` where none leads there.
    pub fn way(&self, to: &Vector2<f64>) -> Option<Vec<Vector2<f64>>> {
        let (floor, from) = (self.floor, self.place);
        if floor.free(&from, to) {
            return Some(vec![from, *to]);
        }
        let (start, mut cell) = (floor.at(&from)?, floor.at(to)?);
        // where it turns; between these it is straight already
        let (mut back, mut step) = (vec![*to], 0);
        while cell != start {
            let next = *self.before.get(cell).filter(|c| **c != NOWHERE)?;
            if next.wrapping_sub(cell) != step {
                back.push(floor.middle(cell));
            }
            (cell, step) = (next, next.wrapping_sub(cell));
        }
        back.push(from);
        // from one corner on as far as can be seen
        let mut out = vec![back[0]];
        for k in 1..back.len() {
            if k + 1 == back.len() || !floor.free(&out[out.len() - 1], &back[k + 1]) {
                out.push(back[k]);
            }
        }
        out.reverse();
        Some(out)
    }
}
