//! How near the proposals come to the best there is: on generated sites the fewest stations of the same
//! places are found by a public integer-programming solver (CBC, Debian's package `coinor-cbc`), for the
//! cover alone and hanging together. `scripts/bench optimum`; seconds a site in `VISTAZO_PATIENCE`.
#[path = "../../crates/core/tests/rules/sites/mod.rs"]
mod sites;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::process::Command;
use std::time::{Duration, Instant};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{LEAST_OVERLAP, Station, Wish, candidates, cover, propose};

/// What is to be solved: for each place, the groups of pieces that it covers and the places that hang
/// together with it; the area of each group.
struct Task {
    covers: Vec<Vec<usize>>,
    near: Vec<Vec<usize>>,
    area: Vec<f64>,
    wanted: f64,
}

fn task(seed: u64, wish: &Wish, instrument: &Instrument) -> Task {
    let (_, site) = sites::site(seed);
    let stations: Vec<Station> = candidates(&site, wish).into_iter().map(|p| Station::at("", p)).collect();
    let c = cover(&site, &stations, instrument, wish.sample_grid);
    // pieces covered from the same places are one
    let mut groups: BTreeMap<Vec<usize>, f64> = BTreeMap::new();
    for (i, s) in c.samples.iter().enumerate().filter(|(_, s)| s.demand.is_some()) {
        let from: Vec<usize> = (0..stations.len()).filter(|&k| c.stations[k].samples[i].is_ok()).collect();
        if !from.is_empty() {
            *groups.entry(from).or_default() += s.area();
        }
    }
    let mut covers = vec![Vec::new(); stations.len()];
    let mut area = Vec::new();
    for (g, (from, a)) in groups.into_iter().enumerate() {
        from.iter().for_each(|&k| covers[k].push(g));
        area.push(a);
    }
    let linked = |a: usize, b: usize| a != b && c.overlap[a][b].min(c.overlap[b][a]) >= LEAST_OVERLAP;
    let n = stations.len();
    let near = (0..n).map(|a| (0..n).filter(|&b| linked(a, b)).collect()).collect();
    let wanted = wish.share * area.iter().sum::<f64>();
    Task { covers, near, area, wanted }
}

/// Groups of the chosen that hang together.
fn groups(t: &Task, chosen: &[usize]) -> Vec<Vec<usize>> {
    let mut left = chosen.to_vec();
    let mut out = Vec::new();
    while let Some(first) = left.pop() {
        let mut group = vec![first];
        let mut k = 0;
        while k < group.len() {
            let at = group[k];
            let (join, stay): (Vec<usize>, Vec<usize>) = left.iter().partition(|c| t.near[at].contains(c));
            group.extend(join);
            left = stay;
            k += 1;
        }
        out.push(group);
    }
    out
}

/// What the solver found out in the time it had.
enum Answer {
    Fewest(usize),
    AtLeast(usize),
}

impl std::fmt::Display for Answer {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Fewest(n) => write!(f, "{n}"),
            Self::AtLeast(n) => write!(f, "not settled, at least {n}"),
        }
    }
}

/// One condition: the sum of the places, and of the roots, is at least that of the last and the number.
struct Cut {
    places: Vec<usize>,
    roots: Vec<usize>,
    hangs: Option<usize>,
}

/// Area covered from places of a set, m².
fn area_of(t: &Task, inside: impl Fn(usize) -> bool) -> f64 {
    let mut seen = vec![false; t.area.len()];
    for k in (0..t.covers.len()).filter(|&k| inside(k)) {
        t.covers[k].iter().for_each(|&g| seen[g] = true);
    }
    seen.iter().zip(&t.area).filter(|x| *x.0).map(|x| x.1).sum()
}

fn beside(t: &Task, set: &BTreeSet<usize>) -> Vec<usize> {
    let all: BTreeSet<usize> = set.iter().flat_map(|&k| t.near[k].iter().copied()).collect();
    all.difference(set).copied().collect()
}

/// What cuts off a choice of which `part` does not hang together with the rest. Where neither a set
/// nor its outside can cover enough alone, one of the places beside it stands: a cut for every choice.
/// Otherwise the places that hang on a root elsewhere do so through those beside.
fn cuts(t: &Task, part: &[usize], chosen: &[usize]) -> Vec<Cut> {
    let others: BTreeSet<usize> = chosen.iter().copied().filter(|c| !part.contains(c)).collect();
    let own: BTreeSet<usize> = part.iter().copied().collect();
    let both = |s: &BTreeSet<usize>| {
        let less = |a: f64| a < t.wanted - 1e-9;
        less(area_of(t, |k| s.contains(&k))) && less(area_of(t, |k| !s.contains(&k)))
    };
    let hanging = |s: &BTreeSet<usize>| -> Vec<Cut> {
        let roots: Vec<usize> = s.iter().copied().collect();
        part.iter().map(|&a| Cut { places: beside(t, s), roots: roots.clone(), hangs: Some(a) }).collect()
    };
    let mut out = hanging(&own);
    let mut layer = own.clone();
    while layer.is_disjoint(&others) {
        let next = beside(t, &layer);
        if next.is_empty() {
            break;
        }
        if both(&layer) {
            out.push(Cut { places: next.clone(), roots: Vec::new(), hangs: None });
        }
        layer.extend(next);
    }
    // as far out as the others are not touched
    let border: BTreeSet<usize> = beside(t, &others).into_iter().collect();
    if own.is_disjoint(&border) {
        let mut far = own;
        let mut queue: Vec<usize> = part.to_vec();
        while let Some(a) = queue.pop() {
            for &b in t.near[a].iter().filter(|b| !border.contains(b) && !others.contains(b)) {
                if far.insert(b) {
                    queue.push(b);
                }
            }
        }
        if both(&far) {
            out.push(Cut { places: beside(t, &far), roots: Vec::new(), hangs: None });
        } else {
            out.extend(hanging(&far));
        }
    }
    out
}

/// The problem in the solver's text format: `x` a place is chosen, `y` it is the root, `z` the share of
/// a group of pieces that counts as covered.
fn written(t: &Task, cuts: &[Cut]) -> String {
    let mut s = String::from("Minimize\nobj:");
    // the format wants short lines
    let term = |s: &mut String, text: String| write!(s, "\n{text}").unwrap();
    (0..t.covers.len()).for_each(|k| term(&mut s, format!("+ x{k}")));
    s.push_str("\nSubject To");
    for g in 0..t.area.len() {
        (0..t.covers.len())
            .filter(|&k| t.covers[k].binary_search(&g).is_ok())
            .for_each(|k| term(&mut s, format!("+ x{k}")));
        term(&mut s, format!("- z{g} >= 0"));
    }
    t.area.iter().enumerate().for_each(|(g, a)| term(&mut s, format!("+ {a} z{g}")));
    term(&mut s, format!(">= {}", t.wanted));
    (0..t.covers.len()).for_each(|k| term(&mut s, format!("+ y{k}")));
    term(&mut s, "= 1".into());
    (0..t.covers.len()).for_each(|k| term(&mut s, format!("x{k} - y{k} >= 0")));
    for c in cuts {
        c.places.iter().for_each(|k| term(&mut s, format!("+ x{k}")));
        c.roots.iter().for_each(|k| term(&mut s, format!("+ y{k}")));
        term(&mut s, c.hangs.map_or(">= 1".into(), |k| format!("- x{k} >= 0")));
    }
    s.push_str("\nBounds");
    (0..t.area.len()).for_each(|g| term(&mut s, format!("z{g} <= 1")));
    s.push_str("\nBinaries");
    (0..t.covers.len()).for_each(|k| term(&mut s, format!("x{k} y{k}")));
    s.push_str("\nEnd\n");
    s
}

/// The fewest places. With `connected`, whatever falls apart is cut off and the solver asked again.
fn fewest(t: &Task, connected: bool, patience: Duration) -> Answer {
    let begin = Instant::now();
    let folder = tempfile::tempdir().unwrap();
    let (problem, solution) = (folder.path().join("p.lp"), folder.path().join("p.sol"));
    let mut known: Vec<Cut> = Vec::new();
    let mut at_least = 0;
    loop {
        let Some(left) = patience.checked_sub(begin.elapsed()) else { return Answer::AtLeast(at_least) };
        std::fs::write(&problem, written(t, &known)).unwrap();
        let seconds = left.as_secs().max(1).to_string();
        let run =
            Command::new("cbc").arg(&problem).args(["sec", &seconds, "solve", "solution"]).arg(&solution).output();
        let log = String::from_utf8(run.expect("cbc: Debian's package coinor-cbc").stdout).unwrap();
        let text = std::fs::read_to_string(&solution).unwrap();
        if !text.starts_with("Optimal") {
            let bound = log.lines().find_map(|l| l.strip_prefix("Lower bound:")?.trim().parse::<f64>().ok());
            return Answer::AtLeast(bound.map_or(at_least, |b| at_least.max((b - 1e-6).ceil() as usize)));
        }
        let chosen: Vec<usize> = text
            .lines()
            .skip(1)
            .filter_map(|l| {
                let mut w = l.split_whitespace().skip(1);
                let (name, value) = (w.next()?, w.next()?.parse::<f64>().ok()?);
                name.strip_prefix('x').filter(|_| value > 0.5)?.parse().ok()
            })
            .collect();
        at_least = chosen.len();
        let parts = groups(t, &chosen);
        if !connected || parts.len() == 1 {
            return Answer::Fewest(chosen.len());
        }
        known.extend(parts.iter().flat_map(|p| cuts(t, p, &chosen)));
    }
}

pub(crate) fn main() {
    let patience = std::env::var("VISTAZO_PATIENCE").ok().and_then(|s| s.parse().ok()).unwrap_or(300);
    let patience = Duration::from_secs(patience);
    let instrument = Instrument::mid_range();
    let wish = Wish::default();
    for seed in 0..10 {
        let (kind, site) = sites::site(seed);
        let begin = Instant::now();
        let p = propose(&site, &instrument, &wish, &|_| true).unwrap();
        let own = begin.elapsed().as_secs_f64();
        let t = task(seed, &wish, &instrument);
        let timed = |connected| {
            let begin = Instant::now();
            (fewest(&t, connected, patience), begin.elapsed().as_secs_f64())
        };
        let ((alone, first), (together, second)) = (timed(false), timed(true));
        println!(
            "{kind} ({seed}), {} places: proposed {} hanging together (at least {}), {} for cover (at least {}), {own:.1} s; fewest hanging together {together} ({second:.0} s), for cover {alone} ({first:.0} s)",
            p.candidates,
            p.stations.len(),
            p.at_least_together,
            p.for_cover,
            p.at_least,
        );
    }
}
