use super::site::{Site, Station};
use crate::geometry::Vec3;

/// Overlap from which two stations hang together by their clouds.
pub const LEAST_OVERLAP: f64 = 0.30;
/// The same of the station that sees more, where the other shares the first with it: a hall shares little of itself
/// with a small room beside it, and the room much.
const LEAST_OTHER: f64 = 0.10;
/// Shared targets from which two stations hang together by targets.
pub const LEAST_TARGETS: usize = 3;
/// Shared marks from which two levelled stations hang together by their set-ups.
pub const LEAST_MARKS: usize = 2;

/// How much two stations share, 0..1: the better way round, unless the other shares next to nothing.
pub fn shares(overlap: &[Vec<f64>], a: usize, b: usize) -> f64 {
    let (less, more) = (overlap[a][b].min(overlap[b][a]), overlap[a][b].max(overlap[b][a]));
    if less >= LEAST_OTHER { more } else { less }
}

/// Two stations that hang together.
#[derive(Clone, Debug, PartialEq)]
pub struct Link {
    /// The stations (indices), the earlier first.
    pub stations: [usize; 2],
    /// What they share, 0..1 ([`shares`]).
    pub overlap: f64,
    /// Targets that both scans will show.
    pub targets: Vec<usize>,
    /// Marks that both stand over or sight.
    pub marks: Vec<usize>,
    /// Without this link the stations on its two sides would not hang together.
    pub bridge: bool,
}

/// How the stations hang together.
#[derive(Clone, Debug, Default)]
pub struct StationGraph {
    /// All links.
    pub links: Vec<Link>,
    /// Groups of stations that hang together, the largest first.
    pub components: Vec<Vec<usize>>,
    /// Stations without which others would not hang together.
    pub cuts: Vec<usize>,
}

/// Finds the links between stations, and what hangs on a single one of them (Tarjan 1974).
///
/// `sees` lists the targets that each station's scan will show, `marks` those it stands over or
/// sights. Two stations are linked by an overlap of at least [`LEAST_OVERLAP`] ([`shares`]), by
/// [`LEAST_TARGETS`] shared targets or by [`LEAST_MARKS`] shared marks.
pub fn station_graph(overlap: &[Vec<f64>], sees: &[Vec<usize>], marks: &[Vec<usize>]) -> StationGraph {
    let n = overlap.len();
    let mut links = Vec::new();
    for a in 0..n {
        for b in a + 1..n {
            let both = shares(overlap, a, b);
            let shared =
                |of: &[Vec<usize>]| -> Vec<usize> { of[a].iter().copied().filter(|t| of[b].contains(t)).collect() };
            let (targets, marks) = (shared(sees), shared(marks));
            if both >= LEAST_OVERLAP || targets.len() >= LEAST_TARGETS || marks.len() >= LEAST_MARKS {
                links.push(Link { stations: [a, b], overlap: both, targets, marks, bridge: false });
            }
        }
    }
    let mut walk = Walk { next: vec![Vec::new(); n], seen: vec![0; n], low: vec![0; n], time: 0, ..Walk::default() };
    for (k, l) in links.iter().enumerate() {
        walk.next[l.stations[0]].push((l.stations[1], k));
        walk.next[l.stations[1]].push((l.stations[0], k));
    }
    let mut components = Vec::new();
    for s in 0..n {
        if walk.seen[s] == 0 {
            walk.group.clear();
            walk.visit(s, None);
            walk.group.sort_unstable();
            components.push(walk.group.clone());
        }
    }
    for k in walk.bridges {
        links[k].bridge = true;
    }
    components.sort_by_key(|c| std::cmp::Reverse(c.len()));
    walk.cuts.sort_unstable();
    walk.cuts.dedup();
    StationGraph { links, components, cuts: walk.cuts }
}

#[derive(Default)]
struct Walk {
    next: Vec<Vec<(usize, usize)>>,
    seen: Vec<usize>,
    low: Vec<usize>,
    time: usize,
    group: Vec<usize>,
    bridges: Vec<usize>,
    cuts: Vec<usize>,
}

impl Walk {
    /// Depth first; as deep as there are stations, some hundreds.
    fn visit(&mut self, s: usize, by: Option<usize>) {
        self.time += 1;
        (self.seen[s], self.low[s]) = (self.time, self.time);
        self.group.push(s);
        let mut children = 0;
        for (t, link) in self.next[s].clone() {
            if Some(link) == by {
                continue;
            }
            if self.seen[t] > 0 {
                self.low[s] = self.low[s].min(self.seen[t]);
                continue;
            }
            children += 1;
            self.visit(t, Some(link));
            self.low[s] = self.low[s].min(self.low[t]);
            if self.low[t] > self.seen[s] {
                self.bridges.push(link);
            }
            if by.is_some() && self.low[t] >= self.seen[s] {
                self.cuts.push(s);
            }
        }
        if by.is_none() && children > 1 {
            self.cuts.push(s);
        }
    }
}

/// A passage that no link goes through.
#[derive(Clone, Debug, PartialEq)]
pub struct Doorway {
    /// Index of the wall.
    pub wall: usize,
    /// Name of the opening.
    pub name: String,
    /// Its middle at tripod height, metres: where a station would see both sides.
    pub at: Vec3,
    /// The stations nearest to it on either side.
    pub between: [usize; 2],
}

/// Passages one can walk through with stations on both sides, none of which is linked to one on the
/// other side: each needs a station in between.
pub fn doorways(site: &Site, stations: &[Station], graph: &StationGraph) -> Vec<Doorway> {
    const NEAR: f64 = 25.0;
    let mut out = Vec::new();
    for (k, w) in site.walls.iter().enumerate() {
        for o in w.openings.iter().filter(|o| o.width >= 0.6 && o.sill - w.base < 0.35 && o.head - o.sill >= 1.6) {
            let Some((foot, d)) = w.point_at(o.at) else { continue };
            let across = nalgebra::Vector2::new(d.y, -d.x);
            let at = foot.push(o.sill + 1.6);
            let mut sides: [Vec<(f64, usize)>; 2] = [Vec::new(), Vec::new()];
            let mut inside = false;
            for (s, st) in stations.iter().enumerate() {
                let v = st.position.xy() - foot;
                let storey = st.position.z > o.sill && st.position.z < o.head + 1.0;
                inside |= storey && v.norm() < o.width.max(1.2);
                if storey && v.norm() < NEAR {
                    sides[usize::from(v.dot(&across) > 0.0)].push((v.norm(), s));
                }
            }
            for side in &mut sides {
                side.sort_by(|a, b| a.0.total_cmp(&b.0));
            }
            let [Some(a), Some(b)] = [sides[0].first(), sides[1].first()] else { continue };
            let linked = graph.links.iter().any(|l| {
                let on = |side: &[(f64, usize)], s: usize| side.iter().any(|x| x.1 == s);
                let [p, q] = l.stations;
                (on(&sides[0], p) && on(&sides[1], q)) || (on(&sides[1], p) && on(&sides[0], q))
            });
            if !linked && !inside {
                out.push(Doorway { wall: k, name: o.name.clone(), at, between: [a.1, b.1] });
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::{Opening, Wall};
    use super::*;
    use nalgebra::Vector2;

    #[test]
    fn bridges_and_cuts_are_named() {
        // 0-1-2 in a ring, 3 hanging on 2, 4 alone
        let mut overlap = vec![vec![0.0; 5]; 5];
        for (a, b) in [(0, 1), (1, 2), (0, 2)] {
            overlap[a][b] = 0.4;
            overlap[b][a] = 0.35;
        }
        let sees = vec![vec![], vec![], vec![1, 2, 3], vec![1, 2, 3], vec![1, 2]];
        let g = station_graph(&overlap, &sees, &vec![vec![]; 5]);
        assert_eq!(g.components, [vec![0, 1, 2, 3], vec![4]]);
        assert_eq!(g.cuts, [2]);
        let bridges: Vec<_> = g.links.iter().filter(|l| l.bridge).map(|l| l.stations).collect();
        assert_eq!(bridges, [[2, 3]]);
    }

    #[test]
    fn a_door_with_nothing_through_it_is_named() {
        let door = Opening { name: "Door".into(), at: 5.0, width: 0.9, sill: 0.0, head: 2.1 };
        let line = vec![Vector2::new(0.0, 0.0), Vector2::new(10.0, 0.0)];
        let site =
            Site { walls: vec![Wall { openings: vec![door], ..Wall::plain(0, line, 0.0, 3.0) }], ..Site::default() };
        let st = |x, y| Station::at("S", Vec3::new(x, y, 1.6));
        let stations = [st(2.0, 4.0), st(8.0, -4.0)];
        let apart = station_graph(&[vec![1.0, 0.1], vec![0.1, 1.0]], &[vec![], vec![]], &[vec![], vec![]]);
        let found = doorways(&site, &stations, &apart);
        assert_eq!((found[0].name.as_str(), found[0].at.xy()), ("Door", Vector2::new(5.0, 0.0)));
        let linked = station_graph(&[vec![1.0, 0.1], vec![0.1, 1.0]], &[vec![], vec![]], &[vec![1, 2], vec![2, 1]]);
        assert!(doorways(&site, &stations, &linked).is_empty());
        let between = [st(2.0, 4.0), st(8.0, -4.0), st(5.0, 0.2)];
        let none = station_graph(&vec![vec![0.0; 3]; 3], &vec![vec![]; 3], &vec![vec![]; 3]);
        assert!(doorways(&site, &between, &none).is_empty());
    }
}
