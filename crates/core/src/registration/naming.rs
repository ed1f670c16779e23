use super::input::{Input, NamedPlace};
use super::network::{Placed, TargetKindOf};
use crate::adjust::Solution;
use crate::geometry::{FitModel, Mat3, Pose, Vec3, fit};
use crate::tie::{MatchOptions, Matched, match_points};
use std::collections::HashSet;

/// A target this near to a named place has its name, when nothing else is as near, metres: set-ups
/// and targets stand where the plan wants them to within some decimetres.
const NEAR: f64 = 0.4;
/// Above this many possible pairs a match without poses is not tried.
const MOST_PAIRS: usize = 20_000;

/// Gives every target a name: that of the plan or of control where the places agree, else a number
/// that no plan and no control point uses.
pub(super) fn name(input: &Input, placed: &mut Placed, solution: &Solution) {
    if let Some(pose) = to_plan(input, placed, solution) {
        let places: Vec<Vec3> = solution.targets.iter().map(|p| pose.apply(p)).collect();
        let fits = |t: usize, n: &NamedPlace| {
            n.kind.is_none_or(|k| placed.targets[t].kind == TargetKindOf::Scanned(k)) && !placed.targets[t].named
        };
        let near = |n: &NamedPlace| NEAR.max(3.0 * n.sigma);
        let mut given: Vec<(usize, usize)> = Vec::new();
        // control first: it is known better
        let mut order: Vec<usize> = (0..input.named.len()).collect();
        order.sort_by_key(|&n| !input.named[n].control);
        for n in order {
            let place = &input.named[n];
            let mut close: Vec<(f64, usize)> = (0..places.len())
                .filter(|&t| fits(t, place) && placed.targets[t].group == 0)
                .map(|t| ((places[t] - place.position).norm(), t))
                .filter(|d| d.0 < near(place))
                .collect();
            close.sort_by(|a, b| a.0.total_cmp(&b.0));
            let Some(&(nearest, t)) = close.first() else { continue };
            let sure = close.get(1).is_none_or(|second| second.0 > 2.0 * nearest + 0.1);
            if sure && given.iter().all(|g| g.1 != t) {
                given.push((n, t));
            }
        }
        for (n, t) in given {
            placed.targets[t].name.clone_from(&input.named[n].name);
            placed.targets[t].named = true;
        }
    }
    second_places(placed, solution);
    number(input, placed);
    for (t, info) in placed.network.targets.iter_mut().zip(&placed.targets) {
        t.name.clone_from(&info.name);
    }
}

/// The second place of a target that was moved is called after the first.
fn second_places(placed: &mut Placed, solution: &Solution) {
    for k in 0..placed.targets.len() {
        if placed.targets[k].group == 0 {
            continue;
        }
        let first = (0..placed.targets.len())
            .filter(|&j| placed.targets[j].group == 0 && placed.targets[j].kind == placed.targets[k].kind)
            .map(|j| ((solution.targets[j] - solution.targets[k]).norm(), j))
            .filter(|d| d.0 < NEAR)
            .min_by(|a, b| a.0.total_cmp(&b.0));
        if let Some((_, j)) = first.filter(|f| !placed.targets[f.1].name.is_empty()) {
            placed.targets[k].name = format!("{} moved", placed.targets[j].name);
            placed.targets[k].named = placed.targets[j].named;
        }
    }
}

/// Numbers what has no name, past every name that is taken.
fn number(input: &Input, placed: &mut Placed) {
    let key = |s: &str| s.trim().to_lowercase();
    let mut taken: HashSet<String> = input.named.iter().map(|n| key(&n.name)).collect();
    taken.extend(placed.targets.iter().map(|t| key(&t.name)));
    let mut next = 0;
    for info in &mut placed.targets {
        if !info.name.is_empty() {
            continue;
        }
        loop {
            next += 1;
            let name = format!("T{next:02}");
            if taken.insert(key(&name)) {
                info.name = name;
                break;
            }
        }
    }
}

/// Where the block lies on the plan: by the stations that its scans were taken from, else by the layout
/// of the named places.
fn to_plan(input: &Input, placed: &Placed, solution: &Solution) -> Option<Pose> {
    if input.named.is_empty() {
        return None;
    }
    let levelled = placed.scans.iter().any(|&s| input.scans[s].compensator.is_some());
    let model = if levelled { FitModel::Levelled } else { FitModel::Rigid };
    let (from, to): (Vec<Vec3>, Vec<Vec3>) = placed
        .scans
        .iter()
        .zip(&solution.poses)
        .filter_map(|(&s, pose)| Some((pose.translation, input.scans[s].planned?)))
        .unzip();
    if from.len() >= 3
        && let Some(f) = fit(model, &from, &to)
        && f.rms < 0.5
    {
        return Some(f.pose);
    }
    if input.named.len() * placed.targets.len() > MOST_PAIRS {
        return None;
    }
    let named: Vec<Matched> = input
        .named
        .iter()
        .map(|n| Matched { position: n.position, covariance: square(n.sigma), kind: n.kind })
        .collect();
    let scanned: Vec<Matched> = placed
        .targets
        .iter()
        .enumerate()
        .map(|(t, info)| Matched {
            position: solution.targets[t],
            covariance: solution.target_covariance(t),
            kind: match info.kind {
                TargetKindOf::Scanned(k) => Some(k),
                TargetKindOf::Mark => None,
            },
        })
        .collect();
    let options = MatchOptions { levelled, least: 4, sigmas: 3.0, ..MatchOptions::default() };
    match_points(&named, &scanned, &options).filter(|m| !m.ambiguous).map(|m| m.fit.pose)
}

fn square(sigma: f64) -> Mat3 {
    Mat3::identity() * (sigma * sigma)
}
