//! Timetables: thousands of random plans, each step judged again by rules that are written down here a second time.

use super::timetable::{broken, exact, nearest};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use std::collections::HashSet;
use vistazo_core::day::*;
use vistazo_core::plan::ways;

const HOUR: f64 = 3600.0;

/// The same plans each time; others, and more of them, by `PROPTEST_RNG_SEED` and `PROPTEST_CASES`.
fn often(cases: u32) -> ProptestConfig {
    let usual = ProptestConfig::default();
    ProptestConfig {
        cases: if std::env::var_os("PROPTEST_CASES").is_some() { usual.cases } else { cases },
        rng_seed: if std::env::var_os("PROPTEST_RNG_SEED").is_some() { usual.rng_seed } else { RngSeed::Fixed(38) },
        ..usual
    }
}

/// Numbers that a plan is made from.
#[derive(Clone, Debug)]
struct Drawn {
    places: Vec<(f64, f64)>,
    scans: Vec<f64>,
    people: usize,
    units: usize,
    battery: f64,
    batteries: usize,
    tracks: bool,
    card: f64,
    stock: Option<usize>,
    reach: f64,
    errands: usize,
    closed: Vec<bool>,
    days: usize,
    seed: usize,
}

fn drawn() -> impl Strategy<Value = Drawn> {
    let place = (0.0..120.0_f64, 0.0..80.0_f64);
    (
        (proptest::collection::vec(place, 1..28), proptest::collection::vec(60.0..700.0_f64, 28)),
        (1..4_usize, 1..3_usize, prop_oneof![Just(0.0), 1.2 * HOUR..4.0 * HOUR], 1..5_usize, any::<bool>()),
        (prop_oneof![Just(0.0), 3e9..2e10_f64], proptest::option::of(5..9_usize), 25.0..70.0_f64, 0..5_usize),
        (proptest::collection::vec(prop::bool::weighted(0.2), 40), 1..3_usize, 0..1000_usize),
    )
        .prop_map(
            |((places, scans), (people, units, battery, batteries, tracks), (card, stock, reach, errands), rest)| {
                let (closed, days, seed) = rest;
                let units = units.min(people);
                Drawn {
                    places,
                    scans,
                    people,
                    units,
                    battery,
                    batteries,
                    tracks,
                    card,
                    stock,
                    reach,
                    errands,
                    closed,
                    days,
                    seed,
                }
            },
        )
}

fn problem(d: &Drawn) -> Problem {
    let apart = |a: (f64, f64), b: (f64, f64)| (a.0 - b.0).hypot(a.1 - b.1);
    let marks: Vec<(f64, f64)> = (0..2 * d.errands).map(|k| ((k / 2) as f64 * 31.0, 90.0)).collect();
    let all: Vec<(f64, f64)> = [(-5.0, -5.0)].into_iter().chain(d.places.iter().copied()).chain(marks).collect();
    let walk = all.iter().map(|a| all.iter().map(|b| apart(*a, *b)).collect()).collect();
    let afternoon = |k: usize| {
        (0..d.days).map(move |day| {
            (day as f64 * 24.0 * HOUR + (10 + k % 5) as f64 * HOUR, day as f64 * 24.0 * HOUR + 16.5 * HOUR)
        })
    };
    let stops = d.places.iter().enumerate().map(|(k, at)| Stop {
        name: format!("S{k}"),
        scan: d.scans[k],
        photographs: if (k + d.seed).is_multiple_of(3) { 170.0 } else { 0.0 },
        bytes: d.scans[k] * 6e6,
        points: d.scans[k] * 1e5,
        targets: (0..40).filter(|t| apart(*at, ((t % 8) as f64 * 16.0, (t / 8) as f64 * 18.0)) < 14.0).collect(),
        ties: (0..d.places.len()).filter(|&j| j != k && apart(*at, d.places[j]) < d.reach).collect(),
        open: if d.closed[k] { afternoon(k).collect() } else { Vec::new() },
    });
    let errands = (0..2 * d.errands).map(|k| Errand {
        name: format!("P{} {}", k / 2, k % 2),
        seconds: 240.0 + (k * d.seed % 200) as f64,
        after: (k % 2 == 1).then(|| (k - 1, HOUR)),
        pass: false,
        open: if d.closed[39 - k] { afternoon(k).collect() } else { Vec::new() },
    });
    let day = |k: usize| {
        let at = k as f64 * 24.0 * HOUR;
        let rest = |from: f64, to: f64, length: f64| Break { from: at + from * HOUR, to: at + to * HOUR, length };
        Shift {
            from: at + 7.5 * HOUR,
            to: at + (13.0 + (d.seed % 5) as f64) * HOUR,
            induction: k == 0,
            breaks: vec![rest(9.5, 10.5, 900.0), rest(12.0, 13.0, 1800.0)],
        }
    };
    Problem {
        stops: stops.collect(),
        errands: errands.collect(),
        people: d.people,
        units: (0..d.units)
            .map(|u| Unit {
                name: format!("U{u}"),
                person: u,
                battery: d.battery,
                batteries: d.batteries,
                swap: 180.0,
                warm_up: 300.0,
                tracks: d.tracks,
                card: d.card,
                cards: 2,
                change: 60.0,
            })
            .collect(),
        shifts: (0..d.days).map(day).collect(),
        walk,
        stock: d.stock,
        pace: Pace::default(),
    }
}

proptest! {
    #![proptest_config(often(1500))]

    #[test]
    fn no_rule_is_ever_broken(d in drawn()) {
        let p = problem(&d);
        let order = if d.seed % 8 != 0 { p.dealt() } else { best_order(&p, &p.dealt(), &Fixed::default()) };
        let t = timetable(&p, &order, None);
        let wrong = broken(&p, &order, &t);
        prop_assert!(wrong.is_empty(), "{}\n{:#?}", wrong.join("\n"), t.left);
    }

    /// What is planned anew at noon is what was planned in the morning, as long as nothing happened.
    #[test]
    fn going_on_at_noon_is_the_same_as_having_planned_it_so(d in drawn(), noon in 8.0..16.0_f64) {
        let p = problem(&d);
        let order = p.dealt();
        let whole = timetable(&p, &order, None);
        let start = standing_at(&p, &order, noon * HOUR);
        let rest = timetable(&p, &order, Some(&start));
        let done = |t: &Timetable| t.steps.iter().filter(|s| s.work == Work::Scan).map(|s| s.stop.unwrap()).collect::<HashSet<_>>();
        // nothing is done twice. One scanner on one battery: the very same; where batteries are changed, or several
        // scanners wait for one another's targets, the rest is decided anew
        let same = p.units.len() == 1 && d.battery == 0.0;
        let begun: HashSet<usize> = start.done.iter().map(|d| d.0).collect();
        prop_assert!(done(&rest).is_disjoint(&begun));
        let both: HashSet<usize> = done(&rest).union(&begun).copied().collect();
        prop_assert!(!same || both == done(&whole), "{both:?} {:?}", done(&whole));
        // what is still to come comes when it was to come; batteries may be changed at another of equal places
        if same {
            for s in rest.steps.iter().filter(|s| s.work == Work::Scan) {
                prop_assert!(whole.steps.contains(s), "{s:?} was not planned");
            }
        }
    }

    #[test]
    fn batteries_are_changed_where_it_costs_least(
        all in proptest::collection::vec((1.0..40.0_f64, 0.0..10.0_f64), 1..12),
        used in 0.0..50.0_f64,
    ) {
        let s: Vec<Stretch> = all.iter().map(|a| Stretch { need: a.0, cost: a.1 }).collect();
        let cost = |set: u32| -> Option<f64> {
            let (mut run, mut sum) = (used, 0.0);
            for (k, x) in s.iter().enumerate() {
                if set & (1 << k) != 0 {
                    (run, sum) = (0.0, sum + x.cost);
                }
                run += x.need;
                if run > 50.0 {
                    return None;
                }
            }
            Some(sum)
        };
        let best = (0..1_u32 << s.len()).filter_map(cost).min_by(f64::total_cmp);
        let found = swaps(&s, 50.0, used).map(|f| cost(f.iter().map(|k| 1 << k).sum()).expect("no battery is empty before it is changed"));
        prop_assert_eq!(found.is_some(), best.is_some());
        if let (Some(f), Some(b)) = (found, best) {
            prop_assert!((f - b).abs() < 1e-9, "{f} against {b}");
        }
    }
}

proptest! {
    #![proptest_config(often(60))]

    #[test]
    fn small_orders_are_within_five_percent_of_the_best(mut d in drawn()) {
        d.places.truncate(9);
        d.units = 1;
        let p = Problem { stock: None, ..problem(&d) };
        let found = best_order(&p, &p.dealt(), &Fixed::default());
        if let Some(best) = exact(&p) {
            prop_assert_eq!(untied(&p, &found), 0);
            prop_assert!(carried(&p, &found) <= 1.05 * best + 1e-6, "{} against {best}", carried(&p, &found));
        }
    }

    #[test]
    fn what_is_locked_stays_and_large_orders_beat_the_nearest_next(mut d in drawn(), locks in proptest::collection::vec(any::<bool>(), 28)) {
        d.units = 1;
        let p = Problem { stock: None, ..problem(&d) };
        let given = p.dealt();
        let locked: Vec<usize> = given[0].iter().copied().filter(|k| locks[*k]).collect();
        let held = best_order(&p, &given, &Fixed { locked: locked.clone() });
        for k in locked {
            prop_assert_eq!(held[0].iter().position(|x| *x == k), given[0].iter().position(|x| *x == k));
        }
        let free = best_order(&p, &given, &Fixed::default());
        let near = nearest(&p);
        prop_assert!(untied(&p, &free) <= untied(&p, &near));
        if untied(&p, &free) == untied(&p, &near) {
            prop_assert!(carried(&p, &free) <= carried(&p, &near) + 1e-6);
        }
    }
}

/// Two stops a day's end apart; what falls out first is what takes most.
#[test]
fn what_breaks_first_is_named_with_how_much_it_gives() {
    let stop = |k: usize| Stop { name: format!("S{k}"), scan: 1800.0, ..Stop::default() };
    let walk = vec![vec![10.0; 11]; 11];
    let day = |to: f64| Problem {
        stops: (0..10).map(stop).collect(),
        people: 1,
        units: vec![Unit { person: 0, batteries: 1, cards: 1, ..Unit::default() }],
        shifts: vec![Shift { from: 8.0 * HOUR, to, ..Shift::default() }],
        walk: walk.clone(),
        ..Problem::default()
    };
    let order = day(24.0 * HOUR).dealt();
    let end = timetable(&day(24.0 * HOUR), &order, None).ends[0].unwrap();
    // 1000 s to spare of 18 000 s of scans: 5.6 % longer, one falls out
    let give = breaks_first(&day(end + 1000.0), &order, None);
    assert_eq!((give[0].part, give[0].stop), (Part::Scan, Some(9)));
    assert!((give[0].share.unwrap() - 0.06).abs() < 1e-9, "{give:?}");
    assert_eq!(give[0].later, None, "a fifth of the scans is more than there is");
    let walks = give.iter().find(|g| g.part == Part::Walk).unwrap();
    assert_eq!(walks.share, None);
    assert!((walks.later.unwrap() - 22.0).abs() < 1e-6);
}

/// One scan goes through everything first, and is looked at; three hundred at once would have been known wrong too late.
#[test]
fn the_office_machine_works_overnight_and_a_trial_comes_first() {
    let p = Problem {
        stops: (0..3)
            .map(|k| Stop { scan: 600.0, points: 1e7, bytes: 1e8, name: format!("S{k}"), ..Stop::default() })
            .collect(),
        people: 1,
        units: vec![Unit { batteries: 1, cards: 1, ..Unit::default() }],
        shifts: vec![Shift { from: 0.0, to: 10.0 * HOUR, ..Shift::default() }],
        walk: vec![vec![0.0; 4]; 4],
        ..Problem::default()
    };
    let t = timetable(&p, &p.dealt(), None);
    let machines =
        Machines { tie: 1e-6, travel: 1800.0, copy: 1e7, office: 1e-4, lanes: 2, device: None, trial: Some(600.0) };
    let r = ready(&p, &t, &machines);
    let home = t.ends[0].unwrap() + 1800.0;
    assert!((r[0].tied - r[0].scanned - 10.0).abs() < 1e-6);
    let copied: Vec<f64> = r.iter().map(|x| x.copied - home).collect();
    assert!(copied.iter().zip([10.0, 20.0, 30.0]).all(|(a, b)| (a - b).abs() < 1e-6), "{copied:?}");
    // 1000 s of work each; two lanes, and both wait for the look at the first
    let worked: Vec<f64> = r.iter().map(|x| x.worked - home).collect();
    assert!(worked.iter().zip([1010.0, 2610.0, 2610.0]).all(|(a, b)| (a - b).abs() < 1e-6), "{worked:?}");
    // all on the device: one after the other, each after its scan
    let slow = ready(&p, &t, &Machines { device: Some(3e-4), trial: None, ..machines });
    assert!(slow[2].worked - slow[2].scanned > 6000.0);
}

/// A hall with a door and a store beside it: round the wall and through the door, not through the wall.
#[test]
fn ways_go_through_doors_and_round_walls() {
    use nalgebra::Vector2;
    use vistazo_core::geometry::Vec3;
    use vistazo_core::plan::{Obstacle, Opening, Site, Wall};
    let door = |at: f64, sill: f64| Opening { name: "D".into(), at, width: 1.0, sill, head: sill + 2.1 };
    let wall = |line: &[(f64, f64)], openings: Vec<Opening>| Wall {
        id: 0,
        line: line.iter().map(|p| Vector2::new(p.0, p.1)).collect(),
        base: 0.0,
        top: 3.0,
        openings,
        demand: None,
    };
    let at = |x: f64, y: f64| Vec3::new(x, y, 1.6);
    let places = [at(5.0, 2.0), at(5.0, -2.0), at(9.0, 2.0)];
    let between = |openings: Vec<Opening>| {
        let site = Site { walls: vec![wall(&[(0.0, 0.0), (20.0, 0.0)], openings)], ..Site::default() };
        ways(&site, &places)
    };
    // round the nearer end of the wall: 2 · √(5² + 2²); walls are a cell thick
    let round = 2.0 * 29.0_f64.sqrt();
    let shut = between(Vec::new());
    assert!((round..1.12 * round).contains(&shut.metres[0][1]), "{} of {round}", shut.metres[0][1]);
    assert_eq!(shut.metres[1][0], shut.metres[0][1]);
    assert!(shut.shut.is_empty());
    // through a door at 8 m
    let through = 2.0 * 13.0_f64.sqrt();
    let open = between(vec![door(8.0, 0.0)]);
    assert!((0.98 * through..1.1 * through).contains(&open.metres[0][1]), "{} of {through}", open.metres[0][1]);
    // a window is no door
    assert_eq!(between(vec![door(8.0, 0.9)]).metres[0][1], shut.metres[0][1]);
    // what lies free is as long as it is
    assert_eq!(open.metres[0][2], 4.0);
    // a closed room without a door: the straight line, and it is said
    let room = wall(&[(0.0, 0.0), (10.0, 0.0), (10.0, 6.0), (0.0, 6.0), (0.0, 0.0)], Vec::new());
    let site = Site { walls: vec![room], ..Site::default() };
    let closed = ways(&site, &places);
    assert_eq!((closed.metres[0][1], closed.shut), (4.0, vec![(0, 1), (1, 2)]));
    // an obstacle in the way makes it longer, one overhead does not
    let block = |base: f64| Obstacle {
        outline: [(6.0, 0.5), (8.0, 0.5), (8.0, 3.5), (6.0, 3.5)].iter().map(|p| Vector2::new(p.0, p.1)).collect(),
        base,
        top: base + 1.0,
    };
    let crate_at = |base: f64| ways(&Site { obstacles: vec![block(base)], ..Site::default() }, &places).metres[0][2];
    assert!(crate_at(0.0) > 4.5 && crate_at(2.5) == 4.0, "{} {}", crate_at(0.0), crate_at(2.5));
}
