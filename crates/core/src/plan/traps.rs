use super::cover::{Cover, Surface};
use super::graph::{Doorway, StationGraph, doorways, shares};
use super::predict::{Design, Means, PlannedKind, PlannedTarget, Prediction};
use super::site::{Edge, Site, inside};
use crate::geometry::{Error95, Vec3};
use crate::stats::K95_1D;
use crate::targets::{Configuration, Fault, configuration};
use nalgebra::Vector2;

/// A mistake in a plan that shows only on site, or after.
#[derive(Clone, Debug, PartialEq)]
pub enum Trap {
    /// Stations fall into groups that nothing ties together.
    Apart(Vec<Vec<usize>>),
    /// Two parts hang together by one link only: stations, shared overlap, shared targets.
    OneTie([usize; 2], f64, usize),
    /// Stations that follow one another share less than they should, and too few targets.
    ThinOverlap([usize; 2], f64),
    /// The targets that two stations share hold them badly.
    WeakTargets([usize; 2], Vec<usize>, Configuration),
    /// Two stations hang together by surfaces that repeat: how many look alike.
    Repeating([usize; 2], usize),
    /// Two stations hang together by their clouds, which leave a direction open: the 95 % half-width along
    /// it, metres, and the direction.
    Slides([usize; 2], f64, Vec3),
    /// A passage with stations on both sides and nothing through it.
    Doorway(Doorway),
    /// Fewer than three targets will be control, or none.
    FewControl(usize),
    /// All control lies in a part of the site: share of the site's extent it spans.
    ControlInCorner(f64),
    /// The control lies nearly in a line: distance of the farthest from it, metres.
    ControlInLine(f64),
    /// All known points are used to fit, none is held back.
    NoCheck(usize),
    /// A target that fewer than two stations will measure.
    Unmeasured(usize, usize),
    /// A station is to sight a mark and the instrument cannot: it has no telescope, or the mark is out
    /// of its range.
    CannotSight(usize, usize),
    /// Something stands between a station and a mark that it is to sight.
    SightBlocked(usize, usize),
    /// A backsight so short that it turns what is measured far away: station, backsight and the
    /// farthest it carries to, metres.
    ShortBacksight(usize, f64, f64),
    /// A station stands over a mark that is known, with nothing to tell its heading.
    NoBacksight(usize),
    /// A station stands where none may.
    NoGo(usize),
    /// A station stands near an edge where the ground falls: distance from it and drop, metres.
    NearEdge(usize, f64, f64),
    /// A station stands where the floor of its storey does not reach.
    NoFloor(usize),
    /// A station stands in or against something.
    Blocked(usize),
    /// Required area that no station covers: share covered.
    Uncovered(Surface, f64),
    /// A surface whose points would come out worse than asked: largest 95 % error and what is asked, metres.
    Inaccurate(Surface, f64, f64),
}

/// Looks for the mistakes that belong to planning, the gravest first.
pub fn traps(design: &Design<'_>, cover: &Cover, graph: &StationGraph, prediction: &Prediction) -> Vec<Trap> {
    let mut out = Vec::new();
    if graph.components.len() > 1 {
        out.push(Trap::Apart(graph.components.clone()));
    }
    stations(design, &mut out);
    control(design, &mut out);
    links(design, cover, graph, &mut out);
    out.extend(doorways(design.site, design.stations, graph).into_iter().map(Trap::Doorway));
    set_ups(design, cover, prediction, &mut out);
    sliding(design, graph, &mut out);
    for t in 0..design.targets.len() {
        let n = prediction.sightings.iter().filter(|s| s.iter().any(|x| x.target == t)).count();
        // a known mark serves the one station that uses it
        let mark = design.targets[t].kind == PlannedKind::Mark && design.targets[t].control_sigma.is_some();
        if n < if mark { 1 } else { 2 } && !design.stations.is_empty() {
            out.push(Trap::Unmeasured(t, n));
        }
    }
    let surfaces =
        (0..design.site.walls.len()).map(Surface::Wall).chain((0..design.site.slabs.len()).map(Surface::Slab));
    for s in surfaces {
        let (mut all, mut covered) = (0.0, 0.0);
        for (i, p) in cover.samples.iter().enumerate().filter(|(_, p)| p.surface == s && p.demand.is_some()) {
            all += p.area();
            if cover.count(i) > 0 {
                covered += p.area();
            }
        }
        if all > 0.0 && covered < 0.99 * all {
            out.push(Trap::Uncovered(s, covered / all));
        }
        let accuracy = cover.samples.iter().find(|p| p.surface == s).and_then(|p| p.demand?.accuracy);
        if let Some(limit) = accuracy {
            let of = |i: usize| surface_error(cover, design, prediction, i);
            let worst =
                (0..cover.samples.len()).filter(|&i| cover.samples[i].surface == s).filter_map(of).fold(0.0, f64::max);
            if worst > limit {
                out.push(Trap::Inaccurate(s, worst, limit));
            }
        }
    }
    out
}

/// Stations where nobody can or may stand.
fn stations(design: &Design<'_>, out: &mut Vec<Trap>) {
    for (k, s) in design.stations.iter().enumerate() {
        let at = s.position.xy();
        if design.site.no_go.iter().any(|a| inside(&a.outline, &at)) {
            out.push(Trap::NoGo(k));
        }
        if !design.site.has_floor(&s.position) {
            out.push(Trap::NoFloor(k));
        }
        let near = design.site.edges.iter().map(|e| (e.distance(&at), e.crest - e.foot));
        if let Some((away, drop)) = near.filter(|e| e.0 < Edge::MARGIN).min_by(|a, b| a.0.total_cmp(&b.0)) {
            out.push(Trap::NearEdge(k, away, drop));
        } else if is_blocked(design.site, &s.position) {
            out.push(Trap::Blocked(k));
        }
    }
}

/// What ties two stations, and is not enough.
fn links(design: &Design<'_>, cover: &Cover, graph: &StationGraph, out: &mut Vec<Trap>) {
    for l in &graph.links {
        let [a, b] = l.stations;
        if l.bridge && design.stations.len() > 2 {
            out.push(Trap::OneTie([a, b], l.overlap, l.targets.len()));
        }
        if l.targets.len() >= 3 {
            let places: Vec<Vec3> = l.targets.iter().map(|&t| design.targets[t].position).collect();
            let reach = (design.stations[a].position - design.stations[b].position).norm();
            let c = configuration(&places, reach);
            if !c.faults.is_empty() {
                out.push(Trap::WeakTargets([a, b], l.targets.clone(), c));
            }
        } else if l.bridge || b == a + 1 {
            let alike = repeats(design.site, cover, [a, b]);
            if alike >= ALIKE {
                out.push(Trap::Repeating([a, b], alike));
            }
        }
    }
    for b in 1..design.stations.len() {
        let a = b - 1;
        let overlap = shares(&cover.overlap, a, b);
        if !graph.links.iter().any(|l| l.stations == [a, b]) {
            out.push(Trap::ThinOverlap([a, b], overlap));
        }
    }
}

/// Ties by clouds that leave a direction open which no targets hold.
fn sliding(design: &Design<'_>, graph: &StationGraph, out: &mut Vec<Trap>) {
    for t in design.ties {
        let e = t.covariance.fixed_view::<3, 3>(0, 0).into_owned().symmetric_eigen();
        let worst = e.eigenvalues.imax();
        let along = K95_1D * e.eigenvalues[worst].max(0.0).sqrt();
        let held = graph.links.iter().any(|l| l.stations == [t.from, t.to] && l.targets.len() >= 3);
        if along > OPEN && !held {
            out.push(Trap::Slides([t.from, t.to], along, e.eigenvectors.column(worst).into()));
        }
    }
}

/// The predicted 3-D error of a point on a sample, metres at 95 %, by the station that covers it best:
/// its pose carried to there. `None` when no station covers it or nothing is predicted.
pub fn surface_error(cover: &Cover, design: &Design<'_>, prediction: &Prediction, sample: usize) -> Option<f64> {
    let at = cover.samples[sample].position;
    (0..cover.stations.len())
        .filter(|&k| cover.stations[k].samples[sample].is_ok())
        .filter_map(|k| prediction.point_covariance(k, &design.stations[k].position, &at))
        .map(|c| Error95::from_covariance(&c).spatial)
        .min_by(f64::total_cmp)
}

/// From this 95 % half-width on a tie by clouds counts as open in a direction, metres.
const OPEN: f64 = 0.02;
/// How many times farther than its backsight a station may carry its heading.
const CARRIED: f64 = 3.0;

fn set_ups(design: &Design<'_>, cover: &Cover, prediction: &Prediction, out: &mut Vec<Trap>) {
    for (k, s) in design.stations.iter().enumerate() {
        let measured = |t: usize| prediction.sightings[k].iter().any(|x| x.target == t && x.by == Means::SetUp);
        let away = |t: usize| (design.targets[t].position - s.position).norm();
        for &t in s.sights.iter().filter(|t| **t < design.targets.len() && !measured(**t)) {
            let reach = design.instrument.sighting_covariance(&(design.targets[t].position - s.position));
            out.push(if reach.is_none() { Trap::CannotSight(k, t) } else { Trap::SightBlocked(k, t) });
        }
        let Some(over) = s.over.filter(|&t| measured(t)) else { continue };
        let longest = s.sights.iter().filter(|&&t| t != over && measured(t)).map(|&t| away(t)).fold(0.0, f64::max);
        if longest == 0.0 {
            if prediction.sees[k].is_empty() {
                out.push(Trap::NoBacksight(k));
            }
            continue;
        }
        let seen = (0..cover.samples.len()).filter(|&i| cover.stations[k].samples[i].is_ok());
        let farthest = seen.map(|i| (cover.samples[i].position - s.position).norm()).fold(0.0, f64::max);
        if farthest > CARRIED * longest && prediction.sees[k].len() < 3 {
            out.push(Trap::ShortBacksight(k, longest, farthest));
        }
    }
}

fn is_blocked(site: &Site, at: &Vec3) -> bool {
    !Site { no_go: Vec::new(), edges: Vec::new(), ..site.clone() }.is_free(&at.xy(), at.z - 1.4, at.z + 0.2, 0.35)
}

fn control(design: &Design<'_>, out: &mut Vec<Trap>) {
    let known: Vec<&PlannedTarget> = design.targets.iter().filter(|t| t.control_sigma.is_some()).collect();
    let fit: Vec<Vec3> = known.iter().filter(|t| !t.check).map(|t| t.position).collect();
    if fit.len() < 3 {
        out.push(Trap::FewControl(fit.len()));
        return;
    }
    if known.len() == fit.len() {
        out.push(Trap::NoCheck(fit.len()));
    }
    let c = configuration(&fit, 0.0);
    if c.faults.contains(&Fault::InLine) {
        out.push(Trap::ControlInLine(c.off_line));
    }
    // against everything that is to come out right
    let places: Vec<Vector2<f64>> =
        design.stations.iter().map(|s| s.position.xy()).chain(design.targets.iter().map(|t| t.position.xy())).collect();
    let span = |p: &[Vector2<f64>]| -> f64 {
        let pairs = p.iter().flat_map(|a| p.iter().map(move |b| (a - b).norm()));
        pairs.fold(0.0, f64::max)
    };
    let share = span(&fit.iter().map(nalgebra::Matrix::xy).collect::<Vec<_>>()) / span(&places).max(1e-9);
    if share < 0.5 {
        out.push(Trap::ControlInCorner(share));
    }
}

/// So many stretches of wall that are alike make a site in which a match one bay off fits: fewer are the two sides and
/// the end of many a room.
const ALIKE: usize = 4;

/// How many stretches of wall that either station sees are alike: the largest group of
/// equal length and height that is not one straight wall.
fn repeats(site: &Site, cover: &Cover, stations: [usize; 2]) -> usize {
    let sees = stations.map(|s| &cover.stations[s]);
    // by wall, where either sees it
    let mut seen: Vec<Vec<Vector2<f64>>> = vec![Vec::new(); site.walls.len()];
    for (i, s) in cover.samples.iter().enumerate() {
        if let Surface::Wall(w) = s.surface
            && sees.iter().any(|of| of.sees(i))
        {
            seen[w].push(s.position.xy());
        }
    }
    let legs: Vec<(f64, f64, Vector2<f64>)> = site
        .walls
        .iter()
        .zip(&seen)
        .flat_map(|(w, seen)| {
            w.line.windows(2).filter_map(move |p| {
                let (length, middle) = ((p[1] - p[0]).norm(), (p[0] + p[1]) / 2.0);
                let shown = seen.iter().any(|q| (q - middle).norm() < length / 2.0);
                (length > 1.5 && shown).then_some((length, w.top - w.base, middle))
            })
        })
        .collect();
    let alike = |a: &(f64, f64, Vector2<f64>), b: &(f64, f64, Vector2<f64>)| {
        (a.0 - b.0).abs() < 0.02 * a.0 && (a.1 - b.1).abs() < 0.1
    };
    legs.iter().map(|a| legs.iter().filter(|b| alike(a, b)).count()).max().unwrap_or(0)
}
