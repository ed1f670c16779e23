//! In which order stops are taken: little carrying, each tied to one before it, targets enough.

use super::problem::{Order, Problem};

/// A stop that nothing before it ties costs as much as walking for so long, seconds.
const UNTIED: f64 = 1e5;
/// What walking of all weighs beside the time the slowest takes.
const CARRYING: f64 = 0.2;
/// How often a good order is broken up and mended again.
const TRIES: usize = 160;

/// What a search for an order leaves alone.
#[derive(Clone, Debug, Default)]
pub struct Fixed {
    /// Stops that stay in their place of the order given.
    pub locked: Vec<usize>,
}

/// Seconds of walking: each scanner from the gate through its stops and back.
pub fn carried(problem: &Problem, order: &Order) -> f64 {
    order.iter().map(|o| walk(problem, o)).sum()
}

fn walk(p: &Problem, route: &[usize]) -> f64 {
    let mut at = 0;
    let mut sum = 0.0;
    for &k in route {
        sum += p.walk[at][k + 1];
        at = k + 1;
    }
    sum + p.walk[at][0]
}

/// How many stops no stop before them ties, the very first left out: those are held by a tracked position, by
/// later ones, or by nothing.
pub fn untied(problem: &Problem, order: &Order) -> usize {
    let when = begins(problem, order);
    let first = order.iter().flatten().copied().min_by(|a, b| when[*a].total_cmp(&when[*b]));
    let tied = |k: usize| problem.stops[k].ties.iter().any(|&t| when[t] < when[k]);
    order.iter().flatten().filter(|&&k| Some(k) != first && !tied(k)).count()
}

/// When each stop begins if nothing but walking, setting up and scanning takes time; stops in no order never do.
fn begins(p: &Problem, order: &Order) -> Vec<f64> {
    let mut when = vec![f64::INFINITY; p.stops.len()];
    for route in order {
        let (mut at, mut t) = (0, 0.0);
        for &k in route {
            t += p.walk[at][k + 1];
            when[k] = t;
            t += stay(p, k);
            at = k + 1;
        }
    }
    when
}

fn stay(p: &Problem, k: usize) -> f64 {
    p.pace.set_up + p.stops[k].scan + p.stops[k].photographs
}

/// Targets that stand at once, over those there are, at worst.
fn short(p: &Problem, order: &Order) -> usize {
    let Some(stock) = p.stock else { return 0 };
    let when = begins(p, order);
    let mut all: Vec<usize> = order.iter().flatten().copied().collect();
    all.sort_by(|a, b| when[*a].total_cmp(&when[*b]));
    let count = p.stops.iter().flat_map(|s| &s.targets).max().map_or(0, |t| t + 1);
    let mut life = vec![None::<(usize, usize)>; count];
    for (i, &k) in all.iter().enumerate() {
        for &t in &p.stops[k].targets {
            life[t] = Some(life[t].map_or((i, i), |l| (l.0, i)));
        }
    }
    let standing = |i: usize| life.iter().flatten().filter(|l| l.0 <= i && l.1 >= i).count();
    (0..all.len()).map(|i| standing(i).saturating_sub(stock)).max().unwrap_or(0)
}

/// A way of taking all stops: for each scanner the walking and the whole time are kept with it.
#[derive(Clone)]
struct Found {
    order: Order,
    /// Seconds of each scanner, and of walking of all.
    times: Vec<f64>,
    walked: f64,
    cost: f64,
    faults: usize,
}

/// An order with little carrying, in which each stop is tied to an earlier one and targets are enough wherever
/// that is possible. With more than one scanner the one that takes longest counts most.
///
/// Built from the nearest stop that is tied, and from the order given; both mended by moving runs of up to three stops
/// and by turning stretches round (Or 1976; Croes 1958) until nothing is left to win, then broken up and
/// mended again (iterated local search, Lourenço, Martin and Stützle 2003). The same input gives the same order. What is
/// `fixed` stays in its place; then only the order given is mended.
pub fn best_order(problem: &Problem, given: &Order, fixed: &Fixed) -> Order {
    let search = Search { p: problem, locked: locked(problem, given, fixed) };
    let mut best = search.mended(search.judged(given.clone()));
    if fixed.locked.is_empty() {
        let built = search.mended(search.judged(search.nearest(given.len())));
        if better(&built, &best) {
            best = built;
        }
    }
    let mut random = Random(0x9e37_79b9_7f4a_7c15);
    for _ in 0..TRIES {
        let Some(broken) = search.broken(&best.order, &mut random) else { break };
        let found = search.mended(search.judged(broken));
        if better(&found, &best) {
            best = found;
        }
    }
    best.order
}

fn cost(times: &[f64], walked: f64) -> f64 {
    times.iter().copied().fold(0.0, f64::max) + CARRYING * walked
}

fn better(a: &Found, b: &Found) -> bool {
    (a.faults, a.cost + 1e-6) < (b.faults, b.cost)
}

fn locked(p: &Problem, given: &Order, fixed: &Fixed) -> Vec<Option<(usize, usize)>> {
    let mut out = vec![None; p.stops.len()];
    for (u, route) in given.iter().enumerate() {
        for (i, &k) in route.iter().enumerate() {
            if fixed.locked.contains(&k) {
                out[k] = Some((u, i));
            }
        }
    }
    out
}

struct Search<'a> {
    p: &'a Problem,
    /// Where each locked stop stays.
    locked: Vec<Option<(usize, usize)>>,
}

impl Search<'_> {
    fn judged(&self, order: Order) -> Found {
        let faults = untied(self.p, &order) + short(self.p, &order);
        let time = |r: &Vec<usize>| walk(self.p, r) + self.stays(r);
        let times: Vec<f64> = order.iter().map(time).collect();
        let walked = carried(self.p, &order);
        Found { cost: cost(&times, walked) + UNTIED * faults as f64, faults, times, walked, order }
    }

    fn stays(&self, run: &[usize]) -> f64 {
        run.iter().map(|&k| stay(self.p, k)).sum()
    }

    fn allowed(&self, order: &Order) -> bool {
        let mut stays = self.locked.iter().enumerate().filter_map(|(k, l)| Some((k, (*l)?)));
        stays.all(|(k, (u, i))| order.get(u).and_then(|r| r.get(i)) == Some(&k))
    }

    /// Each scanner goes on to the nearest stop that is tied to one taken; the one that is behind goes first.
    fn nearest(&self, units: usize) -> Order {
        let p = self.p;
        let mut order = vec![Vec::new(); units.max(1)];
        let mut time = vec![0.0_f64; order.len()];
        let mut done = vec![false; p.stops.len()];
        for _ in 0..p.stops.len() {
            let Some(u) = (0..order.len()).min_by(|a, b| time[*a].total_cmp(&time[*b])) else { break };
            let at = order[u].last().map_or(0, |k| k + 1);
            let rank = |k: usize| {
                let tied = !done.contains(&true) || p.stops[k].ties.iter().any(|&t| done[t]);
                (if tied { 0.0 } else { UNTIED }) + p.walk[at][k + 1]
            };
            let next = (0..p.stops.len()).filter(|&k| !done[k]).min_by(|a, b| rank(*a).total_cmp(&rank(*b)));
            let Some(k) = next else { break };
            time[u] += p.walk[at][k + 1] + stay(p, k);
            done[k] = true;
            order[u].push(k);
        }
        order
    }

    /// Mends until nothing is left to win.
    fn mended(&self, mut best: Found) -> Found {
        while let Some(next) = self.step(&best) {
            best = next;
        }
        best
    }

    /// The first change that makes an order better.
    fn step(&self, now: &Found) -> Option<Found> {
        let any_locked = self.locked.iter().any(Option::is_some);
        let attempt = |order: Order| -> Option<Found> {
            if any_locked && !self.allowed(&order) {
                return None;
            }
            let found = self.judged(order);
            better(&found, now).then_some(found)
        };
        for u in 0..now.order.len() {
            let n = now.order[u].len();
            for i in 0..n {
                for j in i + 1..n {
                    if self.turned(&now.order[u], i, j) < -1e-6 || now.faults > 0 {
                        let mut order = now.order.clone();
                        order[u][i..=j].reverse();
                        if let Some(f) = attempt(order) {
                            return Some(f);
                        }
                    }
                }
            }
        }
        for u in 0..now.order.len() {
            for length in 1..=3 {
                for i in 0..(now.order[u].len() + 1).saturating_sub(length) {
                    for v in 0..now.order.len() {
                        if let Some(f) = self.moved(now, (u, i, length), v, &attempt) {
                            return Some(f);
                        }
                    }
                }
            }
        }
        None
    }

    /// A run of stops somewhere else, as it is or turned round.
    fn moved(
        &self,
        now: &Found,
        (u, i, length): (usize, usize, usize),
        v: usize,
        attempt: &impl Fn(Order) -> Option<Found>,
    ) -> Option<Found> {
        let run: Vec<usize> = now.order[u][i..i + length].to_vec();
        let mut rest = now.order.clone();
        rest[u].drain(i..i + length);
        let gone = walk(self.p, &rest[u]) - walk(self.p, &now.order[u]);
        let stays = self.stays(&run);
        let plain = cost(&now.times, now.walked);
        for at in 0..=rest[v].len() {
            if u == v && at == i {
                continue;
            }
            for back in [false, true] {
                if back && length == 1 {
                    continue;
                }
                let (first, last) = if back { (run[length - 1], run[0]) } else { (run[0], run[length - 1]) };
                let before = at.checked_sub(1).map_or(0, |b| rest[v][b] + 1);
                let after = rest[v].get(at).map_or(0, |k| k + 1);
                let w = &self.p.walk;
                let inner: f64 = run.windows(2).map(|p| w[p[0] + 1][p[1] + 1]).sum();
                let added = w[before][first + 1] + inner + w[last + 1][after] - w[before][after];
                let time = |w: usize| {
                    let less = if w == u { gone - stays } else { 0.0 };
                    now.times[w] + less + if w == v { added + stays } else { 0.0 }
                };
                let slowest = (0..now.times.len()).map(time).fold(0.0, f64::max);
                // with faults left every change is looked at, otherwise only what makes it better
                if now.faults == 0 && slowest + CARRYING * (now.walked + gone + added) > plain - 1e-6 {
                    continue;
                }
                let mut order = rest.clone();
                let run = run.iter().copied();
                if back {
                    order[v].splice(at..at, run.rev());
                } else {
                    order[v].splice(at..at, run);
                }
                if let Some(f) = attempt(order) {
                    return Some(f);
                }
            }
        }
        None
    }

    /// How much longer a way gets when a stretch is turned round, seconds.
    fn turned(&self, route: &[usize], i: usize, j: usize) -> f64 {
        let w = &self.p.walk;
        let before = i.checked_sub(1).map_or(0, |b| route[b] + 1);
        let after = route.get(j + 1).map_or(0, |k| k + 1);
        let (a, b) = (route[i] + 1, route[j] + 1);
        w[before][b] + w[a][after] - w[before][a] - w[b][after]
    }

    /// Two stretches of one way exchanged (double bridge), where nothing locked moves.
    fn broken(&self, order: &Order, random: &mut Random) -> Option<Order> {
        let long: Vec<usize> = (0..order.len()).filter(|&u| order[u].len() >= 4).collect();
        let u = *long.get(random.below(long.len().max(1)))?;
        let n = order[u].len();
        for _ in 0..20 {
            // near to one another: what is far apart is seldom worth exchanging
            let a = random.below(n - 2);
            let b = a + 1 + random.below((n - a - 1).min(12));
            let c = b + 1 + random.below((n - b).min(12));
            if c > n || b >= n {
                continue;
            }
            let mut out = order.clone();
            out[u] = [&order[u][..a], &order[u][b..c], &order[u][a..b], &order[u][c..]].concat();
            if self.allowed(&out) {
                return Some(out);
            }
        }
        None
    }
}

/// `SplitMix64` (Steele, Lea and Flood 2014).
struct Random(u64);

impl Random {
    fn below(&mut self, n: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) % n.max(1) as u64) as usize
    }
}
