//! The order of stations beside a public solver in the same run, and beside going to the nearest next.
//!
//! `scripts/bench order`; the solver is that of `benches/order.py`, run by the Python of `VISTAZO_BENCH_PYTHON` (left out
//! without it): exact with a proof for small plans, its guided local search for large ones, ten seconds each.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::json;
use std::time::Instant;
use vistazo_core::day::{Fixed, Problem, Stop, Unit, best_order, carried, untied};

/// Halls with stations in them, in rows with some put aside: places as they are on plans, no cloud of darts.
fn site(n: usize, rng: &mut ChaCha8Rng) -> Vec<[f64; 2]> {
    let halls = 1 + n / 12;
    (0..n)
        .map(|k| {
            let hall = k % halls;
            let (x, y) = ((hall % 3) as f64 * 45.0, (hall / 3) as f64 * 35.0);
            [x + rng.random_range(0.0..38.0), y + rng.random_range(0.0..26.0)]
        })
        .collect()
}

fn problem(at: &[[f64; 2]], reach: f64) -> Problem {
    let apart = |a: &[f64; 2], b: &[f64; 2]| (a[0] - b[0]).hypot(a[1] - b[1]);
    let all: Vec<[f64; 2]> = std::iter::once([-3.0, -3.0]).chain(at.iter().copied()).collect();
    let ties = |k: usize| (0..at.len()).filter(|&j| j != k && apart(&at[k], &at[j]) < reach).collect();
    Problem {
        stops: (0..at.len()).map(|k| Stop { scan: 200.0, ties: ties(k), ..Stop::default() }).collect(),
        people: 1,
        units: vec![Unit::default()],
        walk: all.iter().map(|a| all.iter().map(|b| apart(a, b)).collect()).collect(),
        ..Problem::default()
    }
}

fn nearest(p: &Problem) -> Vec<usize> {
    let (mut at, mut out): (usize, Vec<usize>) = (0, Vec::new());
    while out.len() < p.stops.len() {
        let left = (0..p.stops.len()).filter(|k| !out.contains(k));
        let next = left.min_by(|a, b| p.walk[at][a + 1].total_cmp(&p.walk[at][b + 1])).unwrap();
        out.push(next);
        at = next + 1;
    }
    out
}

pub(crate) fn main() {
    let folder = tempfile::tempdir().unwrap();
    let mut plans = Vec::new();
    println!("metres of carrying, gate to gate; each station tied to one before it");
    for (n, seed) in [(8, 1), (10, 2), (12, 3), (14, 4), (50, 5), (100, 6), (100, 7)] {
        let at = site(n, &mut ChaCha8Rng::seed_from_u64(seed));
        // small plans with ties that bind; large ones without, as the solver's search knows none
        let p = problem(&at, if n < 20 { 24.0 } else { 1e9 });
        let began = Instant::now();
        let order = best_order(&p, &p.dealt(), &Fixed::default());
        let took = began.elapsed().as_secs_f64();
        let near = vec![nearest(&p)];
        println!(
            "  {n} stations: ours {:.1} m in {took:.2} s ({} tied to nothing); nearest next {:.1} m ({})",
            carried(&p, &order),
            untied(&p, &order),
            carried(&p, &near),
            untied(&p, &near)
        );
        let ties: Vec<&Vec<usize>> = p.stops.iter().map(|s| &s.ties).collect();
        plans.push(json!({ "walk": p.walk, "ties": ties, "ours": carried(&p, &order), "loose": untied(&p, &order), "exact": n < 20 }));
    }
    std::fs::write(folder.path().join("plans.json"), json!(plans).to_string()).unwrap();
    let Ok(python) = std::env::var("VISTAZO_BENCH_PYTHON") else {
        println!("  the solver: left out (VISTAZO_BENCH_PYTHON)");
        return;
    };
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/order.py");
    let status = std::process::Command::new(python).arg(script).arg(folder.path()).status().unwrap();
    assert!(status.success());
}
