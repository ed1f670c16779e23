//! Proposals on generated sites of several kinds, planted mistakes, advice.

use nalgebra::Vector2;
use vistazo_core::adjust::Group;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{
    Change, Demand, Design, Edge, Kit, NoGo, PlannedKind, PlannedTarget, Site, Slab, Station, Trap, Wall, Wish, advise,
    cover, predict, propose, propose_control, station_graph, traps,
};
use vistazo_core::targets::Fault;

use crate::sites;

use sites::{door, site};

/// The fewest stations of the same places that hang together and cover as much, as the public solver of
/// `benches/optimum.rs` found them; of the first ring only that there are no fewer.
const FEWEST: [usize; 10] = [4, 14, 3, 7, 7, 3, 11, 2, 7, 7];

#[test]
fn proposals_cover_hang_together_and_are_few() {
    let instrument = Instrument::mid_range();
    for (seed, fewest) in (0..).zip(FEWEST) {
        let (kind, site) = site(seed);
        let begin = std::time::Instant::now();
        let p = propose(&site, &instrument, &Wish::default(), &|_| true).unwrap();
        println!(
            "{kind} ({seed}): {} stations, at least {}; {} for cover alone, at least {}; {:.1} % of what can be reached ({:.1} %), {} places, {:.1} s",
            p.stations.len(),
            p.at_least_together,
            p.for_cover,
            p.at_least,
            100.0 * p.covered,
            100.0 * p.reachable,
            p.candidates,
            begin.elapsed().as_secs_f64()
        );
        assert!(p.covered >= 0.99 && p.connected);
        // within 15 % of the fewest there are, and no bound above them
        assert!(p.stations.len() as f64 <= 1.15 * fewest as f64);
        assert!(p.at_least <= p.for_cover && p.at_least <= p.at_least_together && p.at_least_together <= fewest);
        // judged again from outside, with the cover that the plan shows
        let stations: Vec<Station> = p.stations.iter().map(|s| Station::at("S", *s)).collect();
        let c = cover(&site, &stations, &instrument, 0.5);
        assert!((c.once.unwrap() / p.reachable - p.covered).abs() < 1e-9);
        let alone: Vec<Vec<usize>> = vec![Vec::new(); stations.len()];
        assert_eq!(station_graph(&c.overlap, &alone, &alone).components.len(), 1);
    }
}

/// Stations of several storeys stand on floors, hang together up the stairs, and are walked storey by storey.
#[test]
fn storeys_are_planned_one_after_the_other() {
    let corner = |x: f64, y: f64| Vector2::new(x, y);
    let ring = [(0.0, 0.0), (14.0, 0.0), (14.0, 8.0), (0.0, 8.0), (0.0, 0.0)].map(|p| corner(p.0, p.1));
    let mut site = Site::default();
    for k in 0..3 {
        let base = 3.2 * f64::from(k);
        let wall = Wall::plain(site.walls.len(), ring.to_vec(), base, base + 3.0);
        site.walls.push(Wall { demand: Some(Demand::spaced(0.02)), ..wall });
        // open over the stairs
        let outline = [(0.0, 0.0), (11.0, 0.0), (11.0, 8.0), (0.0, 8.0)].map(|p| corner(p.0, p.1)).to_vec();
        site.slabs.push(Slab { outline, height: base, demand: None });
    }
    let wish = Wish { floors: vec![0.0, 3.2, 6.4], share: 0.97, ..Wish::default() };
    let p = propose(&site, &Instrument::mid_range(), &wish, &|_| true).unwrap();
    assert!(p.connected && p.covered >= 0.97 && p.at_least_together <= p.stations.len());
    assert!(p.stations.iter().all(|s| s.z < 2.0 || s.x < 11.0), "{:?}", p.stations);
    let climbs = p.stations.windows(2).filter(|w| (w[0].z - w[1].z).abs() > 1.0).count();
    assert_eq!(climbs, 2, "{:?}", p.stations);
}

/// What is to be seen twice is seen from two places, around stations that stay.
#[test]
fn everything_is_seen_twice_from_different_places() {
    let (_, site) = site(0);
    let instrument = Instrument::mid_range();
    let locked = vec![Vec3::new(3.0, 3.0, 1.6)];
    let wish = Wish { times: 2, share: 0.95, locked: locked.clone(), ..Wish::default() };
    let p = propose(&site, &instrument, &wish, &|_| true).unwrap();
    assert!(p.stations[0] == locked[0] && p.locked == 1 && p.covered >= 0.95);
    for (k, a) in p.stations.iter().enumerate() {
        assert!(p.stations[..k].iter().all(|b| (a - b).norm() > 0.5), "{:?}", p.stations);
    }
    let stations: Vec<Station> = p.stations.iter().map(|s| Station::at("S", *s)).collect();
    assert!(cover(&site, &stations, &instrument, 0.5).twice.unwrap() >= 0.95 * p.reachable);
    // stopped when the caller says so
    assert!(propose(&site, &instrument, &wish, &|s| s < 0.3).is_err());
}

/// A plan with one mistake; the tool must name it, and not name it once it is mended.
#[test]
fn planted_mistakes_are_named() {
    let room = |w: f64, d: f64| {
        Wall::plain(
            0,
            [(0.0, 0.0), (w, 0.0), (w, d), (0.0, d), (0.0, 0.0)].iter().map(|p| Vector2::new(p.0, p.1)).collect(),
            0.0,
            3.0,
        )
    };
    let station = |x: f64, y: f64| Station::at(&format!("S{x}"), Vec3::new(x, y, 1.6));
    let target = |x: f64, y: f64, z: f64| PlannedTarget {
        name: format!("K{x}"),
        position: Vec3::new(x, y, z),
        kind: PlannedKind::Sphere,
        control_sigma: None,
        check: false,
    };
    let known = |t: PlannedTarget, check: bool| PlannedTarget { control_sigma: Some(Vec3::repeat(0.002)), check, ..t };
    let look = |site: &Site, stations: &[Station], targets: &[PlannedTarget]| {
        let instrument = Instrument::mid_range();
        let design = Design::new(site, &instrument, Kit::default(), stations, targets);
        let (c, p) = (cover(site, stations, &instrument, 0.25), predict(&design));
        traps(&design, &c, &station_graph(&c.overlap, &p.sees, &p.marks()), &p)
    };
    let hall = Site { walls: vec![room(20.0, 14.0)], ..Site::default() };
    let stations = [station(4.0, 4.0), station(10.0, 9.0), station(16.0, 5.0)];
    let spread = [
        known(target(1.0, 2.0, 1.2), false),
        known(target(18.5, 3.0, 1.9), false),
        known(target(10.5, 13.0, 1.5), false),
        known(target(3.0, 11.0, 2.1), false),
        known(target(12.0, 2.0, 1.1), true),
    ];
    assert_eq!(look(&hall, &stations, &spread), [], "a good plan has no traps");
    // all control in one corner
    let mut t = spread.to_vec();
    for (k, x) in t.iter_mut().enumerate() {
        if k != 0 {
            x.control_sigma = None;
        }
    }
    t.push(known(target(2.3, 6.5, 1.4), false));
    t.push(known(target(6.5, 2.2, 1.7), false));
    assert!(look(&hall, &stations, &t).iter().any(|f| matches!(f, Trap::ControlInCorner(s) if *s < 0.5)));
    // what is proposed instead spreads over the site, keeps checks back, and no trap of control is left
    let instrument = Instrument::mid_range();
    let design = Design::new(&hall, &instrument, Kit::default(), &stations, &t);
    let chosen = propose_control(&design, &predict(&design));
    assert!(chosen.fit.len() == 5 && chosen.check.len() == 2, "{chosen:?}");
    let spread_out: Vec<_> = t
        .iter()
        .enumerate()
        .map(|(k, x)| {
            let taken = chosen.fit.contains(&k) || chosen.check.contains(&k);
            PlannedTarget {
                control_sigma: taken.then_some(Vec3::repeat(0.002)),
                check: chosen.check.contains(&k),
                ..x.clone()
            }
        })
        .collect();
    assert_eq!(look(&hall, &stations, &spread_out), []);
    // none held back, too little, in a line
    let t: Vec<_> = spread.iter().map(|x| PlannedTarget { check: false, ..x.clone() }).collect();
    assert!(look(&hall, &stations, &t).contains(&Trap::NoCheck(5)));
    let t: Vec<_> = spread
        .iter()
        .enumerate()
        .map(|(k, x)| PlannedTarget { control_sigma: x.control_sigma.filter(|_| k < 2), ..x.clone() })
        .collect();
    assert!(look(&hall, &stations, &t).contains(&Trap::FewControl(2)));
    let mut t = spread.to_vec();
    for (k, x) in t.iter_mut().take(4).enumerate() {
        x.position = Vec3::new(2.0 + 5.0 * k as f64, 2.0 + 3.0 * k as f64, 1.5);
    }
    assert!(look(&hall, &stations, &t).iter().any(|f| matches!(f, Trap::ControlInLine(_))));
    // a symmetric pattern, and targets in a line, between two stations
    let square = [target(6.0, 3.0, 1.5), target(14.0, 3.0, 1.5), target(14.0, 11.0, 1.5), target(6.01, 11.0, 1.5)];
    let weak = |f: &Trap, fault: Fault| matches!(f, Trap::WeakTargets(_, _, c) if c.faults.contains(&fault));
    assert!(look(&hall, &stations, &square).iter().any(|f| weak(f, Fault::Ambiguous)));
    let row = [target(3.0, 7.0, 1.5), target(9.0, 7.1, 1.5), target(17.0, 7.0, 1.6)];
    assert!(look(&hall, &stations, &row).iter().any(|f| weak(f, Fault::InLine)));
    // two halls with a shut wall between them, then a door that nothing goes through, then a station in it
    let mut wall = Wall::plain(1, vec![Vector2::new(10.0, 0.0), Vector2::new(10.0, 14.0)], 0.0, 3.0);
    let halves = [station(4.0, 10.0), station(15.0, 4.0)];
    let shut = Site { walls: vec![room(20.0, 14.0), wall.clone()], ..Site::default() };
    assert!(look(&shut, &halves, &spread[..2]).iter().any(|f| matches!(f, Trap::Apart(g) if g.len() == 2)));
    wall.openings.push(door(7.0));
    let open = Site { walls: vec![room(20.0, 14.0), wall], ..Site::default() };
    assert!(look(&open, &halves, &spread[..2]).iter().any(|f| matches!(f, Trap::Doorway(d) if d.name == "Door")));
    let three = [halves[0].clone(), station(10.0, 7.1), halves[1].clone()];
    assert!(!look(&open, &three, &spread[..2]).iter().any(|f| matches!(f, Trap::Doorway(_))));
    // a chain hangs on every link
    assert!(look(&open, &three, &[]).iter().any(|f| matches!(f, Trap::OneTie(..))));
    // where no instrument may stand, against a wall, a target nobody measures, a wall nobody covers
    let mut guarded = hall.clone();
    guarded.no_go.push(NoGo {
        outline: vec![Vector2::new(3.0, 3.0), Vector2::new(6.0, 3.0), Vector2::new(6.0, 6.0), Vector2::new(3.0, 6.0)],
    });
    assert!(look(&guarded, &stations, &spread).contains(&Trap::NoGo(0)));
    let quay = Edge { line: vec![Vector2::new(1.0, 4.6), Vector2::new(9.0, 4.6)], foot: -2.5, crest: 0.0 };
    let quay = Site { edges: vec![quay], ..hall.clone() };
    let near = |f: &Trap| matches!(f, Trap::NearEdge(0, away, drop) if (away - 0.6).abs() < 1e-9 && *drop == 2.5);
    let found = look(&quay, &stations, &spread);
    assert!(found.len() == 1 && near(&found[0]), "{found:?}");
    // upstairs, over the opening for the stairs
    let corners = [(0.0, 0.0), (12.0, 0.0), (12.0, 14.0), (0.0, 14.0)];
    let floor = Slab { outline: corners.iter().map(|p| Vector2::new(p.0, p.1)).collect(), height: 3.2, demand: None };
    let house = Site { slabs: vec![floor], ..hall.clone() };
    let up = |x: f64| [Station::at("U", Vec3::new(x, 7.0, 4.8)), stations[0].clone()];
    assert!(look(&house, &up(15.0), &spread).contains(&Trap::NoFloor(0)));
    assert!(!look(&house, &up(10.0), &spread).iter().any(|f| matches!(f, Trap::NoFloor(_))));
    assert!(look(&hall, &[station(0.2, 4.0), stations[1].clone()], &spread).contains(&Trap::Blocked(0)));
    let mut t = spread.to_vec();
    t.push(target(30.0, 30.0, 1.0));
    assert!(look(&hall, &stations, &t).contains(&Trap::Unmeasured(5, 0)));
    let mut wanted = shut.clone();
    wanted.walls[1].demand = Some(Demand::spaced(0.002));
    assert!(look(&wanted, &halves, &spread[..2]).iter().any(|f| matches!(f, Trap::Uncovered(_, s) if *s < 0.5)));
    // a wall asked for better than it can come out
    let mut exact = hall.clone();
    exact.walls[0].demand = Some(Demand { accuracy: Some(1e-4), ..Demand::spaced(0.5) });
    let wrong = look(&exact, &stations, &spread);
    assert!(wrong.iter().any(|f| matches!(f, Trap::Inaccurate(_, w, l) if *w > 0.001 && *l == 1e-4)), "{wrong:?}");
    exact.walls[0].demand = Some(Demand { accuracy: Some(0.05), ..Demand::spaced(0.5) });
    assert!(!look(&exact, &stations, &spread).iter().any(|f| matches!(f, Trap::Inaccurate(..))));
    // equal bays tied by nothing but their look
    let bays: Vec<Wall> = (0..5)
        .map(|k| Wall::plain(k, vec![Vector2::new(4.0 * k as f64, 0.0), Vector2::new(4.0 * k as f64, 5.0)], 0.0, 3.0))
        .collect();
    let ring = Site { walls: bays, ..Site::default() };
    let two = [station(2.0, 7.0), station(6.0, 7.0)];
    assert!(look(&ring, &two, &[]).iter().any(|f| matches!(f, Trap::Repeating(_, n) if *n >= 5)));
}

/// The change that is advised does what is said of it, and the budget adds up to what is known in
/// plain cases.
#[test]
fn advice_comes_true_and_budgets_add_up() {
    let instrument = Instrument::mid_range();
    let site = Site::default();
    let stations: Vec<Station> =
        [(0.0, 0.0), (9.0, 2.0), (17.0, -1.0)].iter().map(|p| Station::at("S", Vec3::new(p.0, p.1, 1.6))).collect();
    let target = |x: f64, y: f64, z: f64, sigma: Option<f64>| PlannedTarget {
        name: format!("K{x}"),
        position: Vec3::new(x, y, z),
        kind: PlannedKind::Sphere,
        control_sigma: sigma.map(Vec3::repeat),
        check: false,
    };
    let targets = vec![
        target(2.0, 5.0, 1.2, Some(0.002)),
        target(5.0, -4.0, 1.9, Some(0.002)),
        target(11.0, 6.0, 1.4, Some(0.002)),
        target(14.0, -5.0, 1.7, None),
        target(21.0, 3.0, 1.3, None),
    ];
    let run = |targets: &[PlannedTarget]| {
        let design = Design::new(&site, &instrument, Kit::default(), &stations, targets);
        let p = predict(&design);
        let sigma = Vec3::repeat(0.002);
        (advise(&design, &p, sigma, 3), p.weakest().unwrap(), p.budget(p.used.len() - 1).unwrap())
    };
    let (advice, (_, now), parts) = run(&targets);
    let sum: f64 = parts.shares.iter().map(|s| s.1).sum();
    assert!((sum - 1.0).abs() < 1e-9 && parts.share(Group::Checkers) == 0.0, "{parts:?}");
    assert!(parts.share(Group::Control) > 0.05 && parts.share(Group::Spheres) > 0.005, "{parts:?}");
    let best = &advice[0];
    assert!(best.then < 0.9 * now, "{advice:?} against {now}");
    let mut changed = targets.clone();
    match best.change {
        Change::AddSphere(at) => changed.push(target(at.x, at.y, at.z, None)),
        Change::MakeControl(t) => changed[t].control_sigma = Some(Vec3::repeat(0.002)),
        Change::UseCheck(t) => changed[t].check = false,
    }
    assert!((run(&changed).1.1 - best.then).abs() < 1e-9);
    // with control a hundred times worse than all else, it is all control
    let coarse: Vec<_> = targets
        .iter()
        .map(|t| PlannedTarget { control_sigma: t.control_sigma.map(|s| s * 100.0), ..t.clone() })
        .collect();
    assert!(run(&coarse).2.share(Group::Control) > 0.98);
}
