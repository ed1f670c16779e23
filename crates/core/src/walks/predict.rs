use super::course::Course;
use super::ties::Look;
use crate::geometry::{FitModel, Mat3, Pose, Vec3, fit};
use crate::mobile::{BESIDE, Fact, Graph, GraphError, Habits, LEANS, LONGEST, STATIONS, STEADY, Unit, VISIT, VISITS};
use crate::plan::{Bvh, Sample};
use nalgebra::{Matrix6, Vector6};

/// What walks are held by.
#[derive(Clone, Debug, Default)]
pub struct Held {
    /// Scans that will stand: where (metres), with what covariance of the place, m².
    pub stations: Vec<(Vec3, Mat3)>,
    /// Marks that are known, and walks stand on: where the unit is then, metres, with the covariance of that, m².
    pub marks: Vec<(Vec3, Mat3)>,
}

/// A stretch of a walk short enough to be rigid, and what will be known of it.
#[derive(Clone, Debug)]
pub struct Node {
    /// Of which walk.
    pub walk: usize,
    /// The spot in its middle.
    pub spot: usize,
    /// Where the unit is then, metres.
    pub at: Vec3,
    /// Of that place after correction, m².
    pub covariance: Mat3,
    /// Of that place when the walk is laid down whole where it fits best, m²: its own bend, and the fit.
    pub rigid: Mat3,
    /// Scans it is tied to.
    pub scans: usize,
    /// Other visits, of this walk or another, that it is tied to.
    pub visits: usize,
    /// It stands on a known mark.
    pub mark: bool,
}

/// What will come out of walks.
#[derive(Clone, Debug)]
pub struct Predicted {
    /// In the order walked, walk after walk.
    pub nodes: Vec<Node>,
    /// Scans or marks hold them; else errors are within the walks themselves, seen from where the first begins.
    pub framed: bool,
    /// The graph they were read off.
    pub(super) graph: Graph,
    /// The pose of the first node in it.
    pub(super) first: usize,
}

/// Directions of a scan that stands, 1σ, radians.
const TURN: f64 = 1e-4;

/// Cuts walks into nodes: the spot in the middle of each.
fn cut(course: &Course) -> Vec<usize> {
    let mut ends = vec![0];
    let spots = &course.spots;
    for (k, s) in spots.iter().enumerate() {
        let last = &spots[ends[ends.len() - 1]];
        if s.walked - last.walked >= LONGEST[0] || s.time - last.time >= LONGEST[1] {
            ends.push(k);
        }
    }
    if ends[ends.len() - 1] + 1 < spots.len() || ends.len() == 1 {
        ends.push(spots.len().max(1) - 1);
    }
    let mut out: Vec<usize> = ends.windows(2).map(|e| usize::midpoint(e[0], e[1])).collect();
    out.dedup();
    out
}

/// What will be left of the drift of walks: the graph that passes are corrected by, with ties as good as what both places see
/// of the samples makes them.
///
/// # Errors
/// [`GraphError`] when nothing can be solved.
pub fn predict(
    bvh: &Bvh,
    samples: &[Sample],
    walks: &[(&Course, &Unit)],
    held: &Held,
) -> Result<Predicted, GraphError> {
    let mut graph = Graph::default();
    for (place, c) in &held.stations {
        let pose = Pose { translation: *place, ..Pose::identity() };
        let of = graph.add(pose);
        let mut covariance = Matrix6::identity() * TURN.powi(2);
        covariance.fixed_view_mut::<3, 3>(0, 0).copy_from(&(c + Mat3::identity() * 1e-10));
        graph.know(Fact::Known { of, pose, covariance });
    }
    let first = graph.poses.len();
    let mut nodes: Vec<Node> = Vec::new();
    let mut own: Vec<(usize, Vec<usize>)> = Vec::new();
    for (walk, (course, _)) in walks.iter().enumerate() {
        let spots = cut(course);
        own.push((nodes.len(), spots.clone()));
        for spot in spots {
            let Some(s) = course.spots.get(spot) else { continue };
            graph.add(Pose { translation: s.at, ..Pose::identity() });
            nodes.push(Node {
                walk,
                spot,
                at: s.at,
                covariance: Mat3::zeros(),
                rigid: Mat3::zeros(),
                scans: 0,
                visits: 0,
                mark: false,
            });
        }
    }
    if nodes.is_empty() {
        return Err(GraphError::Loose);
    }
    let framed = !held.stations.is_empty() || walks.iter().any(|w| !w.0.stands.is_empty());
    for (w, (course, unit)) in walks.iter().enumerate() {
        let (from, spots) = &own[w];
        odometry(&mut graph, first + from, spots, course, unit);
        // far weaker than what holds it; where nothing does, the first walk is the frame
        let weak = Vector6::new(1.0, 1.0, 1.0, LEANS.powi(2), LEANS.powi(2), 1.0);
        let covariance = Matrix6::from_diagonal(&if framed || w > 0 { weak } else { Vector6::repeat(1e-10) });
        let pose = graph.poses[first + from];
        graph.know(Fact::Known { of: first + from, pose, covariance });
        for (spot, mark) in &course.stands {
            let Some((at, covariance)) = held.marks.get(*mark) else { continue };
            let Some(k) = (0..spots.len()).min_by_key(|k| spots[*k].abs_diff(*spot)) else { continue };
            let local = course.spots[*spot].at - course.spots[spots[k]].at;
            graph.know(Fact::Point { of: first + from + k, local, at: *at, covariance: *covariance });
            nodes[from + k].mark = true;
        }
    }
    tie_all(&mut graph, &mut nodes, bvh, samples, walks, held);
    let settled = graph.precision()?;
    for (k, n) in nodes.iter_mut().enumerate() {
        n.covariance = settled.covariances[first + k].fixed_view::<3, 3>(0, 0).into_owned();
    }
    for (w, (course, unit)) in walks.iter().enumerate() {
        let (from, spots) = &own[w];
        for (k, c) in bent(spots, course, unit).into_iter().enumerate() {
            nodes[from + k].rigid = c;
        }
    }
    Ok(Predicted { nodes, framed, graph, first })
}

/// What the unit says of its way from a spot to another, by left increments.
fn step(course: &Course, unit: &Unit, a: usize, b: usize) -> (Vec3, Matrix6<f64>) {
    let (a, b) = (course.spots[a], course.spots[b]);
    let way = b.at - a.at;
    (way, unit.drift.covariance(&way, b.walked - a.walked, b.time - a.time, b.turned - a.turned))
}

fn odometry(graph: &mut Graph, first: usize, spots: &[usize], course: &Course, unit: &Unit) {
    let habits = unit.in_graph(graph, course.seconds());
    for (k, s) in spots.windows(2).enumerate() {
        let (way, covariance) = step(course, unit, s[0], s[1]);
        let pose = Pose { translation: way, ..Pose::identity() };
        let [a, b] = [s[0], s[1]].map(|i| course.spots[i].time);
        let habit = Some((habits + (a / STEADY) as usize, Habits::step(&way, b - a)));
        graph.know(Fact::Relative {
            from: first + k,
            to: first + k + 1,
            pose,
            covariance,
            unheld: Matrix6::zeros(),
            kind: 0,
            habit,
        });
    }
}

/// What each node will be tied to.
fn tie_all(
    graph: &mut Graph,
    nodes: &mut [Node],
    bvh: &Bvh,
    samples: &[Sample],
    walks: &[(&Course, &Unit)],
    held: &Held,
) {
    let Some((_, usual)) = walks.first() else { return };
    let stations: Vec<Vec3> = held.stations.iter().map(|s| s.0).collect();
    let scans = Look::all(bvh, samples, &stations, usual);
    let mut looks: Vec<Look> = Vec::new();
    for (w, (_, unit)) in walks.iter().enumerate() {
        let places: Vec<Vec3> = nodes.iter().filter(|n| n.walk == w).map(|n| n.at).collect();
        looks.extend(Look::all(bvh, samples, &places, unit));
    }
    let first = stations.len();
    // what is walked within a node is no part of any tie of it
    let blurred = |k: usize| -> Matrix6<f64> {
        let (course, unit) = walks[nodes[k].walk];
        let s = course.spots[nodes[k].spot];
        let pace = unit.handling.pace[s.space as usize];
        unit.drift.blurred(LONGEST[0].min(LONGEST[1] * pace), LONGEST[0].min(LONGEST[1] * pace) / pace, 0.2)
    };
    let mut found: Vec<(usize, usize, Fact)> = Vec::new();
    for b in 0..nodes.len() {
        let unit = walks[nodes[b].walk].1;
        let mut best: Vec<(f64, usize)> =
            scans.iter().enumerate().filter_map(|(s, l)| Some((l.shares(&looks[b])?, s))).collect();
        best.sort_by(|x, y| y.0.total_cmp(&x.0));
        for (_, s) in best.into_iter().take(STATIONS) {
            let [tie, unheld] = scans[s].tie(&looks[b], samples, unit);
            let covariance = tie + blurred(b);
            let pose = Pose { translation: looks[b].at - stations[s], ..Pose::identity() };
            found.push((
                b,
                b,
                Fact::Relative { from: s, to: first + b, pose, covariance, unheld, kind: 1, habit: None },
            ));
        }
        let apart = |a: usize| nodes[a].walk != nodes[b].walk || b - a >= BESIDE;
        let mut best: Vec<(f64, usize)> =
            (0..b).filter(|a| apart(*a)).filter_map(|a| Some((looks[a].shares(&looks[b])?, a))).collect();
        best.sort_by(|x, y| y.0.total_cmp(&x.0));
        let mut visits: Vec<usize> = Vec::new();
        for (_, a) in best {
            if visits.len() == VISITS {
                break;
            }
            if visits.iter().any(|v| v.abs_diff(a) < VISIT) {
                continue;
            }
            visits.push(a);
            let [tie, unheld] = looks[a].tie(&looks[b], samples, unit);
            let covariance = tie + blurred(a) + blurred(b);
            let pose = Pose { translation: looks[b].at - looks[a].at, ..Pose::identity() };
            found.push((
                a,
                b,
                Fact::Relative { from: first + a, to: first + b, pose, covariance, unheld, kind: 2, habit: None },
            ));
        }
    }
    for (a, b, fact) in found {
        if a == b {
            nodes[a].scans += 1;
        } else {
            nodes[a].visits += 1;
            nodes[b].visits += 1;
        }
        graph.know(fact);
    }
}

/// What a walk is bent by its drift alone when it is laid down whole where it fits best, levelled: for each node the covariance of
/// what is left, m². Every error of every step is carried through all that follow, and through the fit: exact for small errors.
fn bent(spots: &[usize], course: &Course, unit: &Unit) -> Vec<Mat3> {
    let places: Vec<Vec3> = spots.iter().map(|s| course.spots[*s].at).collect();
    let mut out = vec![Mat3::zeros(); places.len()];
    if places.len() < 2 {
        return out;
    }
    let mut laid = |moved: &[Vec3]| {
        let Some(laid) = fit(FitModel::Levelled, moved, &places) else { return };
        for (i, m) in moved.iter().enumerate() {
            let off = laid.pose.apply(m) - places[i];
            out[i] += off * off.transpose();
        }
    };
    for habit in [0, 5] {
        // a habit of the whole walk; what it wanders is of second order in a walk laid down whole
        let sigma = unit.habits.sigma(None)[habit].hypot(unit.habits.sigma(Some(course.seconds() / 3.0))[habit]);
        let mut moved = vec![places[0]];
        let mut turned = 0.0;
        for k in 0..places.len() - 1 {
            let seconds = course.spots[spots[k + 1]].time - course.spots[spots[k]].time;
            let way = places[k + 1] - places[k];
            let by = Habits::step(&way, seconds).column(habit) * sigma;
            let shift: Vec3 = by.fixed_rows::<3>(0).into_owned();
            let carried = way + shift;
            moved.push(moved[k] + carried + Vec3::z().cross(&carried) * turned);
            turned += by[5];
        }
        laid(&moved);
    }
    for k in 0..places.len() - 1 {
        let (_, c) = step(course, unit, spots[k], spots[k + 1]);
        let scale = Matrix6::from_diagonal(&c.diagonal().map(|v| v.max(1e-18).sqrt()));
        let inverse = Matrix6::from_diagonal(&scale.diagonal().map(|v| 1.0 / v));
        let whole = inverse * c * inverse + Matrix6::identity() * 1e-9;
        let root = whole.cholesky().map_or(scale, |l| scale * l.l());
        for column in root.column_iter() {
            let (shift, turn) = (column.fixed_rows::<3>(0).into_owned(), column.fixed_rows::<3>(3).into_owned());
            let moved: Vec<Vec3> = places
                .iter()
                .enumerate()
                .map(|(i, p)| if i <= k { *p } else { p + shift + turn.cross(&(p - places[k + 1])) })
                .collect();
            laid(&moved);
        }
    }
    out
}
