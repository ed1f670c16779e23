use super::Class;
use crate::geometry::{Pose, Vec3};
use crate::scan::Scan;
use crate::tie::{Index, Shown};
use nalgebra::Matrix3;
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap, HashSet};

/// An upright mirror, or a pane that mirrors: what a scan shows behind it is what lies before it.
#[derive(Clone, Debug, PartialEq)]
pub struct Mirror {
    /// From its own frame (x along it, y upright, z towards the scanner that found it) to that of a scan, metres.
    pub pose: Pose,
    /// Area through which ghosts are seen, m².
    pub area: f64,
    /// Share of what is seen there, and says something, that lies before the plane as well.
    pub share: f64,
    /// Cells of the plane.
    cells: HashSet<Cell>,
}

impl Mirror {
    /// The same mirror for another scan, whose frame `to` leads to.
    #[must_use]
    pub fn seen_from(&self, to: &Pose) -> Self {
        Self { pose: to.compose(&self.pose), ..self.clone() }
    }

    /// Whether a scanner sees a place in it; `back` leads from its frame to that of the mirror.
    fn hides(&self, back: &Pose, p: &Vec3) -> bool {
        let q = back.apply(p);
        q.z < -NEAR && cell_of(&back.translation, &q).is_some_and(|c| self.cells.contains(&c))
    }

    /// The middle of where ghosts are seen, metres, frame of the scan.
    pub fn middle(&self) -> Vec3 {
        let n = self.cells.len().max(1) as f64;
        let sum = self.cells.iter().fold(Vec3::zeros(), |m, c| m + Vec3::new(c[0].into(), c[1].into(), 0.0));
        let half = Vec3::new(0.5, 0.5, 0.0);
        self.pose.apply(&((sum / n + half) * CELL))
    }
}

type Cell = [i32; 2];

/// Walls are told apart by direction and distance in steps of these, radians and metres.
const TURN: f64 = 0.03;
const ASIDE: f64 = 0.05;
/// A wall shows at least so many voxels; planes looked at, at most.
const WALL: usize = 80;
const PLANES: usize = 60;
/// Upright, level: vertical part of a normal.
const UPRIGHT: f64 = 0.25;
const LEVEL: f64 = 0.5;
/// What lies farther than this behind the plane is a ghost, if anything, metres.
const BEHIND: f64 = 0.25;
const NEAR: f64 = 0.04;
/// A surface is looked for so far round the place of a ghost, and found so near, metres.
const ROUND: f64 = 0.12;
const BESIDE: f64 = 0.05;
/// What runs along the mirror's normal is its own image, whether there is a mirror or a door: it says nothing.
const ALONG: f64 = 0.3;
/// Cells of the plane, metres; how many voxels a cell holds to count, how many cells and voxels a mirror.
const CELL: f64 = 0.15;
const FEWEST: usize = 2;
const CELLS: usize = 8;
const VOXELS: usize = 60;
/// Voxels that lie not on the plane that shows most, at least; planes are told apart by direction and distance in steps of these,
/// radians and metres.
const OTHERS: usize = 20;
const WAY: f64 = 0.1;
const DEEP: f64 = 0.1;
/// A mirror has no hole wider than this within it where nothing was seen, cells.
const REACH: i32 = 2;
/// It lies before the wall that it hangs on by at most this, metres.
const BEFORE: f64 = 0.06;
/// Share of what says something that lies before the plane as well, of a cell and of a mirror; and of all
/// seen there at most so much that other scans show where the ghost is.
const CELL_SHARE: f64 = 0.5;
const SHARE: f64 = 0.75;
const REAL: f64 = 0.15;

/// What one voxel behind a plane says.
struct Vote {
    /// The cell through which it is seen.
    cell: Cell,
    /// Whether its image lies on something; none where that says nothing.
    image: Option<bool>,
    /// Another scan shows a surface where it is.
    real: bool,
    /// By how much the plane would have to lie farther from the scanner for the image to lie on what was found, metres.
    shift: Option<f64>,
    /// The plane that it lies on, in steps.
    plane: [i32; 2],
}

/// What all voxels that are seen through a cell say.
type Cells = HashMap<Cell, Vec<Vote>>;

/// Finds mirrors: planes of walls behind which a scan shows what lies before them, turned over (symmetry, as in Käshammer
/// and Nüchter 2015, there of one scan's own frame of a mirror). `others` are scans with their poses in the frame of this
/// one: they show more of what lies before, and where one of them stands behind the plane and sees a surface, that is no ghost.
/// The z axis is upright. What is found is in the frame of `own`.
pub fn mirrors(own: &Shown, others: &[(&Shown, Pose)]) -> Vec<Mirror> {
    let index = Index::new(&own.cloud, ROUND, 1);
    let beside: Vec<(Index, Pose)> =
        others.iter().map(|(s, pose)| (Index::new(&s.cloud, ROUND, 1), pose.inverse())).collect();
    // a normal of nil is not known
    let spots: Vec<(Vec3, Vec3)> = own.cloud.placed(&Pose::identity()).collect();
    let mut out: Vec<Mirror> = Vec::new();
    for (normal, wall) in walls(&spots) {
        let look = |offset: f64, near: f64| votes(&spots, &index, &beside, &normal, offset, near);
        // a mirror hangs a little before its wall: how far is told by the images themselves
        let mut shifts: Vec<f64> = look(wall, BESIDE + 2.0 * BEFORE).iter().filter_map(|v| v.shift).collect();
        if shifts.len() < VOXELS {
            continue;
        }
        let half = shifts.len() / 2;
        let offset = wall + *shifts.select_nth_unstable_by(half, f64::total_cmp).1;
        let mut cells = Cells::new();
        for v in look(offset, BESIDE) {
            cells.entry(v.cell).or_default().push(v);
        }
        let pose = frame(&normal, offset);
        for (part, share) in mirrored_parts(&cells) {
            let area = part.len() as f64 * CELL * CELL;
            out.push(Mirror { pose, area, share, cells: widened(&part) });
        }
    }
    // neighbouring planes of one wall find the same mirror: the one that explains most stays
    out.sort_by(|a, b| (b.area * b.share).total_cmp(&(a.area * a.share)));
    let mut kept: Vec<Mirror> = Vec::new();
    for m in out {
        let z = |m: &Mirror| m.pose.rotation * Vec3::z();
        if kept.iter().all(|k| (k.middle() - m.middle()).norm() > 0.6 || z(k).dot(&z(&m)) < 0.9) {
            kept.push(m);
        }
    }
    // and walls seen in a mirror are none
    let seen_in = |m: &Mirror, k: &Mirror| k.hides(&k.pose.inverse(), &m.middle());
    let ghosts: Vec<bool> = kept.iter().map(|m| kept.iter().any(|k| seen_in(m, k))).collect();
    let mut ghosts = ghosts.into_iter();
    kept.retain(|_| !ghosts.next().unwrap_or_default());
    kept
}

/// What all that lies behind a plane says.
fn votes(
    spots: &[(Vec3, Vec3)],
    index: &Index,
    beside: &[(Index, Pose)],
    normal: &Vec3,
    offset: f64,
    near: f64,
) -> Vec<Vote> {
    let back = frame(normal, offset).inverse();
    let scanner = back.translation;
    // how far beside its place a surface that faces so lies, either way round
    let shown = |index: &Index, p: &Vec3, n: &Vec3| {
        let faces = [*n, -*n];
        let all = faces.iter().flat_map(|n| index.near(p, n, ROUND).map(|(off, _)| n.dot(&off) * n.dot(&faces[0])));
        all.min_by(|a, b| a.abs().total_cmp(&b.abs())).filter(|d| d.abs() < near)
    };
    let say = |(p, n): &(Vec3, Vec3)| {
        let behind = normal.dot(p) - offset;
        if behind > -BEHIND {
            return None;
        }
        let cell = cell_of(&scanner, &back.apply(p))?;
        let real =
            *n != Vec3::zeros() && beside.iter().any(|(i, to)| shown(i, &to.apply(p), &(to.rotation * n)).is_some());
        let plane = [n.y.atan2(n.x) / WAY, n.dot(p) / DEEP].map(|v| v.round() as i32);
        let says = n.z.abs() < LEVEL && n.dot(normal).abs() > ALONG;
        let image = p - normal * (2.0 * behind);
        let turned = n - normal * (2.0 * normal.dot(n));
        let found = || {
            shown(index, &image, &turned)
                .or_else(|| beside.iter().find_map(|(i, to)| shown(i, &to.apply(&image), &(to.rotation * turned))))
        };
        let found = says.then(found);
        // the image moves by twice what the plane does
        let shift = found.flatten().map(|d| d / (2.0 * turned.dot(normal))).filter(|s| s.abs() < BEFORE);
        Some(Vote { cell, image: found.map(|f| f.is_some()), real, shift, plane })
    };
    spots.par_iter().filter_map(say).collect()
}

/// Parts of a plane that mirror, with the share of what speaks for it. Things are seen behind a wall through holes in it. Where
/// a hole mirrors, what is seen above and beneath is seen in the same mirror, though it says nothing by itself.
fn mirrored_parts(cells: &Cells) -> Vec<(Vec<Cell>, f64)> {
    let mirrors = |c: &Cell| {
        let (found, says) = share_of(cells[c].iter());
        let real = cells[c].iter().filter(|v| v.real).count();
        says >= FEWEST && found as f64 >= CELL_SHARE * says as f64 && 2 * real <= cells[c].len()
    };
    let mut out = Vec::new();
    let mut left: HashSet<Cell> = cells.keys().copied().collect();
    while let Some(&first) = left.iter().min() {
        let hole = connected(first, &mut left);
        let mut seeds: HashSet<Cell> = hole.iter().copied().filter(mirrors).collect();
        while let Some(&first) = seeds.iter().min() {
            let seed = connected(first, &mut seeds);
            if judged(&seed, cells).is_none() {
                continue;
            }
            let part = rectangle(&seed, &hole);
            out.extend(judged(&part, cells).map(|share| (part, share)));
        }
    }
    out
}

/// The part of a hole that a mirror fills, which some of its cells are known to belong to: their columns, and to both sides those
/// that begin and end as high. A door beside it does not.
fn rectangle(seed: &[Cell], hole: &[Cell]) -> Vec<Cell> {
    let mut columns: BTreeMap<i32, [i32; 2]> = BTreeMap::new();
    for [x, y] in hole {
        let c = columns.entry(*x).or_insert([*y, *y]);
        *c = [c[0].min(*y), c[1].max(*y)];
    }
    let ends = |k: usize| {
        let mut all: Vec<i32> = seed.iter().map(|c| columns[&c[0]][k]).collect();
        all.sort_unstable();
        all[all.len() / 2]
    };
    let (low, high) = (ends(0), ends(1));
    let alike = |x: i32| columns.get(&x).is_some_and(|c| (c[0] - low).abs() <= 1 && (c[1] - high).abs() <= 1);
    let wide = seed.iter().fold([i32::MAX, i32::MIN], |w, c| [w[0].min(c[0]), w[1].max(c[0])]);
    let [mut from, mut to] = wide;
    while alike(from - 1) {
        from -= 1;
    }
    while alike(to + 1) {
        to += 1;
    }
    hole.iter().copied().filter(|c| (from..=to).contains(&c[0])).collect()
}

/// How many of some votes have found an image, of how many that say something.
fn share_of<'a>(votes: impl Iterator<Item = &'a Vote>) -> (usize, usize) {
    votes.filter_map(|v| v.image).fold((0, 0), |n, found| (n.0 + usize::from(found), n.1 + 1))
}

/// The share of what speaks for a part of a plane to be a mirror; none where it is not. One wall alone may stand as far behind
/// a door as another before it: something else has to agree.
fn judged(part: &[Cell], cells: &Cells) -> Option<f64> {
    let all = || part.iter().flat_map(|c| &cells[c]);
    let real = all().filter(|v| v.real).count();
    let (found, says) = share_of(all());
    let mut planes: HashMap<[i32; 2], usize> = HashMap::new();
    all().filter(|v| v.image == Some(true)).for_each(|v| *planes.entry(v.plane).or_default() += 1);
    let most = planes.iter().max_by_key(|p| (*p.1, *p.0))?.0;
    let near = |v: &Vote| (v.plane[0] - most[0]).abs() <= 1 && (v.plane[1] - most[1]).abs() <= 1;
    let (other, of) = share_of(all().filter(|v| !near(v)));
    let share = found as f64 / says.max(1) as f64;
    (part.len() >= CELLS
        && says >= VOXELS
        && share >= SHARE
        && other >= OTHERS
        && other as f64 >= CELL_SHARE * of as f64
        && real as f64 <= REAL * all().count() as f64)
        .then_some(share)
}

/// Points that are seen in a mirror.
pub fn in_mirrors(scan: &Scan, mirrors: &[Mirror]) -> Vec<Class> {
    // one that shows its back to the scanner hides nothing from it
    let before: Vec<(&Mirror, Pose)> =
        mirrors.iter().map(|m| (m, m.pose.inverse())).filter(|(_, back)| back.translation.z > NEAR).collect();
    let ghost = |p: &Vec3| before.iter().any(|(m, back)| m.hides(back, p));
    let of = |k: usize| if ghost(&scan.at(k)) { Class::Ghost } else { Class::Kept };
    (0..scan.points.len()).into_par_iter().with_min_len(4096).map(of).collect()
}

/// From the frame of a plane to that of the scan.
fn frame(normal: &Vec3, offset: f64) -> Pose {
    let axes = Matrix3::from_columns(&[Vec3::z().cross(normal), Vec3::z(), *normal]);
    Pose::from_matrix(axes, normal * offset)
}

/// The cell through which a scanner sees what lies behind, both in the frame of the plane; none where it lies before it.
fn cell_of(scanner: &Vec3, p: &Vec3) -> Option<Cell> {
    let share = scanner.z / (scanner.z - p.z);
    let through = scanner + (p - scanner) * share;
    (p.z < 0.0).then(|| [through.x, through.y].map(|v| (v / CELL).floor() as i32))
}

/// Upright planes that many voxels lie on: unit normal towards the scanner, and offset along it.
fn walls(spots: &[(Vec3, Vec3)]) -> Vec<(Vec3, f64)> {
    let mut bins: HashMap<[i32; 2], (Vec3, f64, usize)> = HashMap::new();
    for (p, n) in spots.iter().filter(|(_, n)| n.z.abs() < UPRIGHT) {
        let flat = Vec3::new(n.x, n.y, 0.0).normalize();
        let offset = flat.dot(p);
        let key = [(flat.y.atan2(flat.x) / TURN).floor() as i32, (offset / ASIDE).floor() as i32];
        let b = bins.entry(key).or_insert((Vec3::zeros(), 0.0, 0));
        *b = (b.0 + flat, b.1 + offset, b.2 + 1);
    }
    let mut all: Vec<([i32; 2], (Vec3, f64, usize))> = bins.into_iter().filter(|b| b.1.2 >= WALL).collect();
    all.sort_by(|a, b| b.1.2.cmp(&a.1.2).then(a.0.cmp(&b.0)));
    let mut out: Vec<(Vec3, f64)> = Vec::new();
    for (_, (normal, offset, n)) in all {
        let (normal, offset) = (normal.normalize(), offset / n as f64);
        let alike = |o: &(Vec3, f64)| o.0.dot(&normal) > (2.0 * TURN).cos() && (o.1 - offset).abs() < 0.8 * ASIDE;
        // one that the scanner stands on is no mirror for it
        if out.len() < PLANES && offset < -BEHIND && !out.iter().any(alike) {
            out.push((normal, offset));
        }
    }
    out
}

/// The cells that hang together with one, over gaps less than two, taken out of those left.
fn connected(first: Cell, left: &mut HashSet<Cell>) -> Vec<Cell> {
    left.remove(&first);
    let (mut part, mut at) = (vec![first], 0);
    while at < part.len() {
        let [a, b] = part[at];
        for (x, y) in (-REACH..=REACH).flat_map(|x| (-REACH..=REACH).map(move |y| (x, y))) {
            let next = [a + x, b + y];
            if left.remove(&next) {
                part.push(next);
            }
        }
        at += 1;
    }
    part
}

/// With the cells beside them: the rim of a mirror shows too little to count by itself.
fn widened(part: &[Cell]) -> HashSet<Cell> {
    part.iter().flat_map(|[a, b]| (-1..=1).flat_map(move |x| (-1..=1).map(move |y| [a + x, b + y]))).collect()
}
