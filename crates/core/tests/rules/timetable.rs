//! The judge of timetables: the rules of a day written down a second time, and orders found in other ways.

use std::collections::{HashMap, HashSet};
use vistazo_core::day::*;

const HAIR: f64 = 1e-3;

/// Everything in a timetable that breaks a rule.
pub(super) fn broken(p: &Problem, order: &Order, t: &Timetable) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let mut say = |ok: bool, what: String| {
        if !ok {
            out.push(what)
        }
    };
    let place = |s: &Step| s.stop.map(|k| k + 1).or(s.errand.map(|k| 1 + p.stops.len() + k));
    let shift = |s: &Step| p.shifts.iter().position(|d| s.from >= d.from - HAIR && s.to <= d.to + HAIR);
    for s in &t.steps {
        say(s.to >= s.from && shift(s).is_some(), format!("outside of the days: {s:?}"));
    }
    for person in 0..p.people {
        let mut steps: Vec<&Step> = t.steps.iter().filter(|s| s.person == Some(person)).collect();
        steps.sort_by(|a, b| a.from.total_cmp(&b.from));
        let mut at = 0;
        for w in steps.windows(2) {
            say(w[0].to <= w[1].from + HAIR, format!("in two places: {:?} {:?}", w[0], w[1]));
        }
        for s in &steps {
            match s.work {
                Work::Arrive | Work::Induction | Work::Check | Work::Pack => {
                    say(at == 0, format!("not at the gate: {s:?}"))
                }
                Work::Walk => {
                    let to = place(s).unwrap_or(0);
                    say((s.to - s.from - p.walk[at][to]).abs() < HAIR, format!("walks from {at}: {s:?}"));
                    at = to;
                }
                Work::SetUp | Work::Scan | Work::Photographs | Work::ReTie | Work::Occupy | Work::Pass => {
                    // two places may be one
                    say(
                        Some(at) == place(s) || place(s).is_some_and(|q| p.walk[at][q] < HAIR),
                        format!("is at {at}: {s:?}"),
                    );
                }
                Work::Targets if s.stop.is_some() => say(Some(at) == place(s), format!("is at {at}: {s:?}")),
                _ => {}
            }
        }
        // rests
        for (k, d) in p.shifts.iter().enumerate() {
            for b in &d.breaks {
                let works = |s: &&&Step| {
                    matches!(s.work, Work::SetUp | Work::Scan | Work::Photographs | Work::Occupy) && shift(s) == Some(k)
                };
                let late = steps.iter().filter(works).any(|s| s.to > b.to + HAIR);
                let rests = steps.iter().any(|s| {
                    s.work == Work::Break
                        && s.from >= b.from - HAIR
                        && s.from <= b.to + HAIR
                        && (s.to - s.from - b.length).abs() < HAIR
                });
                say(!late || rests, format!("no rest on day {k} for {person}: {b:?}"));
            }
        }
    }
    for (u, unit) in p.units.iter().enumerate() {
        let mut steps: Vec<&Step> = t.steps.iter().filter(|s| s.unit == Some(u)).collect();
        // what warms up after a swap follows it
        steps.sort_by(|a, b| a.from.total_cmp(&b.from));
        let (mut on, mut swaps, mut day, mut card, mut cards) = (None, 0, None, 0.0, 0);
        let (mut tracked, mut busy) = (false, 0.0);
        for s in steps {
            if shift(s) != day {
                (day, swaps, tracked) = (shift(s), 0, false);
            }
            match s.work {
                Work::WarmUp => on = Some(s.from),
                Work::Swap => {
                    swaps += 1;
                    tracked = false;
                    say(swaps < unit.batteries, format!("no battery left: {s:?}"));
                }
                Work::Card => {
                    cards += 1;
                    card = 0.0;
                    say(cards < unit.cards, format!("no card left: {s:?}"));
                }
                _ => {}
            }
            if s.work != Work::WarmUp {
                say(s.from >= busy - HAIR, format!("a scanner does two things: {s:?}"));
                say(s.person == Some(unit.person), format!("carried by another: {s:?}"));
                busy = s.to;
            }
            if matches!(s.work, Work::SetUp | Work::Scan | Work::Photographs | Work::ReTie) {
                let runs = on.map_or(f64::INFINITY, |o: f64| s.to - o);
                say(unit.battery <= 0.0 || runs <= unit.battery + HAIR, format!("the battery is empty: {s:?}"));
                say(
                    s.work == Work::SetUp || on.is_some_and(|o| s.from >= o + unit.warm_up - HAIR),
                    format!("cold: {s:?}"),
                );
            }
            if s.work == Work::Scan {
                let k = s.stop.unwrap();
                say(order[u].contains(&k), format!("not its stop: {s:?}"));
                say((s.to - s.from - p.stops[k].scan).abs() < HAIR, format!("not its time: {s:?}"));
                card += p.stops[k].bytes;
                say(unit.card <= 0.0 || card <= unit.card, format!("the card is full: {s:?}"));
                let begun =
                    |j: &&usize| t.steps.iter().any(|x| x.work == Work::Scan && x.stop == Some(**j) && x.from < s.from);
                let first = !t.steps.iter().any(|x| x.work == Work::Scan && x.unit == s.unit && x.from < s.from);
                let tied = p.stops[k].ties.iter().filter(begun).count() > 0;
                let re_tied = t.steps.iter().any(|x| x.work == Work::ReTie && x.stop == Some(k));
                say(!unit.tracks || tracked || tied || first || re_tied, format!("hangs on nothing: {s:?}"));
                tracked = true;
            }
        }
    }
    // each stop once, whole, while it is open
    for (k, stop) in p.stops.iter().enumerate() {
        let of = |work: Work| t.steps.iter().filter(move |s| s.work == work && s.stop == Some(k));
        let count = of(Work::Scan).count();
        say(count + t.left.iter().filter(|l| l.0 == k).count() == 1, format!("stop {k} scanned {count} times"));
        say(
            of(Work::Photographs).count() == usize::from(count == 1 && stop.photographs > 0.0),
            format!("photographs of {k}"),
        );
        if let (Some(from), Some(to)) =
            (of(Work::SetUp).next(), of(Work::Scan).chain(of(Work::Photographs)).map(|s| s.to).max_by(f64::total_cmp))
        {
            let open = stop.open.is_empty() || stop.open.iter().any(|o| o.0 <= from.from + HAIR && to <= o.1 + HAIR);
            say(open, format!("stop {k} is closed from {} to {to}: {:?}", from.from, stop.open));
        }
    }
    for (k, e) in p.errands.iter().enumerate() {
        let did: Vec<&Step> = t.steps.iter().filter(|s| s.errand == Some(k) && s.work == Work::Occupy).collect();
        say(
            did.len() + t.errands_left.iter().filter(|l| l.0 == k).count() == 1,
            format!("errand {k} {} times", did.len()),
        );
        for s in did {
            let open = e.open.is_empty() || e.open.iter().any(|o| o.0 <= s.from + HAIR && s.to <= o.1 + HAIR);
            let after = e.after.is_none_or(|(b, gap)| {
                t.steps.iter().any(|x| x.work == Work::Occupy && x.errand == Some(b) && x.to + gap <= s.from + HAIR)
            });
            say(open && after && (s.to - s.from - e.seconds).abs() < HAIR, format!("errand {k}: {s:?}"));
        }
    }
    // targets: what stands when, one event after the other
    let mut events: Vec<(f64, u8, usize)> = Vec::new();
    for s in &t.steps {
        events.extend(s.down.iter().map(|&x| (s.from, 0, x)).chain(s.up.iter().map(|&x| (s.to, 1, x))));
    }
    events.sort_by(|a, b| (a.0, a.1).partial_cmp(&(b.0, b.1)).unwrap());
    let mut stands: HashMap<usize, f64> = HashMap::new();
    let mut stood: Vec<(usize, f64, f64)> = Vec::new();
    for (at, what, x) in events {
        if what == 0 {
            let from = stands.remove(&x);
            say(from.is_some(), format!("target {x} taken down twice"));
            stood.push((x, from.unwrap_or(0.0), at));
        } else {
            say(stands.insert(x, at).is_none(), format!("target {x} put up twice"));
        }
        say(p.stock.is_none_or(|n| stands.len() <= n), format!("{} targets stand at {at}", stands.len()));
    }
    stood.extend(stands.iter().map(|(x, from)| (*x, *from, f64::INFINITY)));
    for s in t.steps.iter().filter(|s| s.work == Work::Scan) {
        for x in &p.stops[s.stop.unwrap()].targets {
            say(
                stood.iter().any(|o| o.0 == *x && o.1 <= s.from + HAIR && s.to <= o.2 + HAIR),
                format!("target {x} does not stand: {s:?}"),
            );
        }
    }
    // from the first scan that needs it to the last nobody touches a target
    let times: HashSet<usize> = stood.iter().map(|s| s.0).collect();
    say(times.len() == stood.len(), format!("a target stood twice: {stood:?}"));
    out
}

/// Shortest way through all, each tied to one before it, by trying all ends of all sets (Held and Karp 1962).
pub(super) fn exact(p: &Problem) -> Option<f64> {
    let n = p.stops.len();
    let mut best = vec![vec![f64::INFINITY; n]; 1 << n];
    for k in 0..n {
        best[1 << k][k] = p.walk[0][k + 1];
    }
    for set in 1..1_usize << n {
        for last in (0..n).filter(|l| set & (1 << l) != 0) {
            let so_far = best[set][last];
            for next in (0..n).filter(|k| set & (1 << k) == 0 && p.stops[*k].ties.iter().any(|t| set & (1 << t) != 0)) {
                let to = &mut best[set | 1 << next][next];
                *to = to.min(so_far + p.walk[last + 1][next + 1]);
            }
        }
    }
    let all = &best[(1 << n) - 1];
    (0..n).map(|k| all[k] + p.walk[k + 1][0]).min_by(f64::total_cmp).filter(|b| b.is_finite())
}

/// Nearest stop next, whatever ties it.
pub(super) fn nearest(p: &Problem) -> Order {
    let (mut at, mut out): (usize, Vec<usize>) = (0, Vec::new());
    while out.len() < p.stops.len() {
        let left = (0..p.stops.len()).filter(|k| !out.contains(k));
        let next = left.min_by(|a, b| p.walk[at][a + 1].total_cmp(&p.walk[at][b + 1])).unwrap();
        out.push(next);
        at = next + 1;
    }
    vec![out]
}
