//! Six networks, every kind of fault, each one and a half times as large as the smallest that is found: the first
//! thing said is what was wrong.

use crate::survey;

use nalgebra::UnitQuaternion;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use survey::{Network, Survey, networks, stays};
use vistazo_core::adjust::{Hypothesis, Kind, POWER, SINGLE_RISK, TripodMoved, unnoticed};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Systematic;
use vistazo_core::registration::{Evidence, Finding, Input, Registration, register};
use vistazo_core::stats::noncentrality;

const RUNS: u64 = 25;
/// Times the minimal detectable bias.
const SIZE: f64 = 1.5;
/// Nothing larger counts as found by statistics, metres.
const LARGEST: f64 = 0.05;

fn profile() -> Systematic {
    Systematic { settling: 0.0004, ..Systematic::sober(0.0012, 4e-5) }
}

fn run(s: &Survey) -> Registration {
    register(&Input { scans: s.scans.clone(), systematic: profile(), ..Input::default() })
}

fn direction(rng: &mut ChaCha8Rng) -> Vec3 {
    Vec3::from_fn(|_, _| rng.sample::<f64, _>(StandardNormal)).normalize()
}

/// Which of the network's observations are sightings, with scan, target of the site, and detectable bias.
fn sightings(r: &Registration) -> Vec<(usize, usize, usize, f64)> {
    let block = r.block.as_ref().unwrap();
    let net = &r.placed.network;
    let of = |i: usize| {
        let o = &net.observations[i];
        Some((i, o.centre()?.scan, o.id % 1000, block.solution.residuals[i].detectable))
    };
    (0..net.observations.len()).filter_map(of).collect()
}

/// One wrong sighting: its finding points at it.
fn sighting(network: &Network, rng: &mut ChaCha8Rng, seed: u64) -> Option<bool> {
    let clean = run(&network.survey(&stays, &profile(), seed));
    let checked: Vec<_> = sightings(&clean).into_iter().filter(|s| s.3 < LARGEST).collect();
    let &(_, scan, target, bias) = checked.get(rng.random_range(0..checked.len().max(1)))?;
    let shift = direction(rng) * SIZE * bias;
    let off = |s: usize, t: usize| if (s, t) == (scan, target) { shift } else { Vec3::zeros() };
    let r = run(&network.survey(&off, &profile(), seed));
    let is = |i: usize| {
        let o = &r.placed.network.observations[i];
        o.id == 1000 * scan + target
    };
    Some(match r.findings.first() {
        Some(Finding::Outlier { observation, .. }) => is(*observation),
        // seen first or last by this scan, it may as well have been moved there
        Some(Finding::Moved { before, after, .. }) => {
            [before, after].into_iter().any(|side| side.len() == 1 && is(side[0]))
        }
        _ => false,
    })
}

/// A target moved between two scans.
fn moved(network: &Network, rng: &mut ChaCha8Rng, seed: u64) -> Option<bool> {
    let clean = run(&network.survey(&stays, &profile(), seed));
    let solution = &clean.block.as_ref().unwrap().solution;
    let all: Vec<_> = unnoticed(&clean.placed.network, solution).into_iter().filter(|u| u.size < LARGEST).collect();
    let u = all.get(rng.random_range(0..all.len().max(1)))?;
    let of = |s: &&(usize, usize, usize, f64)| clean.placed.network.observations[s.0].target_index() == Some(u.target);
    let target = sightings(&clean).iter().find(of)?.2;
    let (from, shift) = (clean.placed.scans[u.after], direction(rng) * SIZE * u.size);
    let off = |s: usize, t: usize| if t == target && s >= from { shift } else { Vec3::zeros() };
    let r = run(&network.survey(&off, &profile(), seed));
    let id = |i: usize| r.placed.network.observations[i].id;
    Some(match r.findings.first() {
        Some(Finding::Moved { before, after, .. }) => {
            before.iter().all(|&i| id(i) % 1000 == target && id(i) / 1000 < from)
                && after.iter().all(|&i| id(i) % 1000 == target && id(i) / 1000 >= from)
        }
        // alone on its side, a sighting may as well be wrong
        Some(Finding::Outlier { observation, .. }) => id(*observation) % 1000 == target,
        _ => false,
    })
}

/// A tripod knocked while its scan ran: what it saw afterwards is off by the same shift.
fn tripod(network: &Network, rng: &mut ChaCha8Rng, seed: u64) -> Option<bool> {
    let mut made = network.survey(&stays, &profile(), seed);
    let clean = run(&made);
    let of = |s: &vistazo_core::adjust::Suspicion| match &s.hypothesis {
        Hypothesis::Tripod(t) => Some(t.clone()),
        _ => None,
    };
    let all: Vec<TripodMoved> = clean.block.as_ref().unwrap().solution.suspicions.iter().filter_map(of).collect();
    let way = Vec3::new(direction(rng).x, direction(rng).y, 0.0).normalize();
    let found = |t: &TripodMoved| {
        let one = (way.transpose() * t.covariance.try_inverse().unwrap() * way)[0];
        SIZE * (noncentrality(SINGLE_RISK, 4, POWER) / one).sqrt()
    };
    let can: Vec<&TripodMoved> = all.iter().filter(|t| found(t) < LARGEST).collect();
    let t = *can.get(rng.random_range(0..can.len().max(1)))?;
    let (scan, size) = (clean.placed.scans[t.scan], found(t));
    let ids: Vec<usize> = t.after.iter().map(|&i| clean.placed.network.observations[i].id).collect();
    let knock = made.poses[scan].rotation.inverse() * (way * size);
    made.scans[scan].targets.iter_mut().filter(|o| ids.contains(&o.id)).for_each(|o| o.centre -= knock);
    let r = run(&made);
    Some(match r.findings.first() {
        Some(Finding::Tripod { moved, .. }) if r.placed.scans[moved.scan] == scan => {
            let pose = &r.block.as_ref().unwrap().solution.poses[moved.scan];
            // and moved as far as it says, within what it says of that
            let e = moved.shift - pose.rotation * knock;
            e.dot(&(moved.covariance.try_inverse().unwrap() * e)) < 30.0
        }
        // two stations that see the same may stand for one another
        Some(f) => evidence(f).is_some_and(|e| {
            e.rivals.iter().any(|s| matches!(&s.hypothesis, Hypothesis::Tripod(t) if r.placed.scans[t.scan] == scan))
        }),
        None => false,
    })
}

const fn evidence(f: &Finding) -> Option<&Evidence> {
    match f {
        Finding::Moved { evidence, .. }
        | Finding::Tripod { evidence, .. }
        | Finding::Outlier { evidence, .. }
        | Finding::Instrument { evidence, .. } => Some(evidence),
        _ => None,
    }
}

/// A scan that leans though it is said to be level.
fn level(network: &Network, rng: &mut ChaCha8Rng, seed: u64) -> Option<bool> {
    let mut made = network.survey(&stays, &profile(), seed);
    let clean = run(&made);
    let net = &clean.placed.network;
    let residuals = &clean.block.as_ref().unwrap().solution.residuals;
    let levels: Vec<(usize, f64)> = (0..net.observations.len())
        .filter_map(|i| match &net.observations[i].kind {
            Kind::Level(l) if residuals[i].detectable < 0.01 => {
                Some((clean.placed.scans[l.scan], residuals[i].detectable))
            }
            _ => None,
        })
        .collect();
    let &(scan, bias) = levels.get(rng.random_range(0..levels.len().max(1)))?;
    let a = rng.random_range(0.0..std::f64::consts::TAU);
    let lean = UnitQuaternion::from_scaled_axis(Vec3::new(a.cos(), a.sin(), 0.0) * SIZE * bias);
    made.scans[scan].targets.iter_mut().for_each(|o| o.centre = lean * o.centre);
    let r = run(&made);
    let level_of =
        |i: usize| matches!(&r.placed.network.observations[i].kind, Kind::Level(l) if r.placed.scans[l.scan] == scan);
    Some(match r.findings.first() {
        Some(Finding::NotLevel { scan: s, .. }) => r.placed.scans[*s] == scan,
        // an index that is off in one set-up looks the same where its targets lie on one side
        Some(f) => evidence(f).is_some_and(|e| {
            e.rivals.iter().any(|s| matches!(&s.hypothesis, Hypothesis::Observation(i) if level_of(*i)))
        }),
        None => false,
    })
}

#[test]
fn each_fault_is_named_first() {
    type Plant = fn(&Network, &mut ChaCha8Rng, u64) -> Option<bool>;
    let faults: [(&str, Plant); 4] =
        [("wrong sighting", sighting), ("moved target", moved), ("knocked tripod", tripod), ("leaning scan", level)];
    for (name, plant) in faults {
        let (mut named, mut of) = (0, 0);
        let mut says = String::new();
        for network in networks() {
            let found: Vec<bool> = (0..RUNS)
                .filter_map(|seed| plant(&network, &mut ChaCha8Rng::seed_from_u64(seed), 1000 + seed))
                .collect();
            let right = found.iter().filter(|f| **f).count();
            says += &format!("; {} {right} of {}", network.name, found.len());
            named += right;
            of += found.len();
        }
        println!("{name}: {named} of {of}{says}");
        assert!(of >= 125 && named * 100 >= of * 95, "{name}: {named} of {of}{says}");
    }
}

/// A scan of another place has no part in the block, and nothing else is accused for it.
#[test]
fn a_scan_of_another_place_is_left_aside() {
    let all = networks();
    let (mut aside, mut of) = (0, 0);
    for (k, network) in all.iter().enumerate() {
        let other = &all[(k + 1) % all.len()];
        // two networks of the same targets are the same place
        if (other.targets[0] - network.targets[0]).norm() < 1e-9 {
            continue;
        }
        for seed in 0..10 {
            let mut made = network.survey(&stays, &profile(), seed);
            let lost = 1 + seed as usize % (made.scans.len() - 1);
            let foreign = other.survey(&stays, &profile(), 50 + seed);
            made.scans[lost].targets.clone_from(&foreign.scans[seed as usize % foreign.scans.len()].targets);
            made.scans[lost].targets.iter_mut().for_each(|t| t.id += 100_000);
            let r = run(&made);
            let said = |f: &Finding| matches!(f, Finding::Unplaced { scan, .. } if *scan == lost);
            of += 1;
            aside += usize::from(
                r.findings.iter().any(said) && r.findings.iter().all(|f| matches!(f, Finding::Unplaced { .. })),
            );
        }
    }
    println!("left aside in {aside} of {of}");
    assert!(of >= 50 && aside * 100 >= of * 95, "{aside} of {of}");
}
