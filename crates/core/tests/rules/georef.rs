//! From the block to the grid: scale of the grid, curved plumb lines, weights of control, checks that are never
//! left out, and a verdict that says no more than it knows.

use crate::survey;

use survey::{Recipe, flat, hall, stays, survey};
use vistazo_core::adjust::kinds::KnownPoint;
use vistazo_core::adjust::{EARTH_RADIUS, Group, Scaling, solve};
use vistazo_core::check::{
    Agreement, AreaLimits, Asked, Check, Checks, Designed, Evidence, Ground, Judged, Misfit, PlaceKind, Requirement,
    Verdict, verdict,
};
use vistazo_core::geometry::{Error95, FitModel, Vec3};
use vistazo_core::georef::{
    ControlPoint, Georeferenced, GridFactors, GridMap, Input, Pairing, Source, Weakness, georeference,
};
use vistazo_core::registration::{self, register};

/// A site on a round earth whose grid shortens lengths: grid coordinates are exact by this test's own formula.
struct Site {
    stations: Vec<Vec3>,
    targets: Vec<Vec3>,
    factor: f64,
    origin: Vec3,
}

impl Site {
    /// From a place in space (metres about the origin, z along the plumb line there) to the grid: along the
    /// sphere, at the height above it, and shortened.
    fn grid(&self, p: &Vec3) -> Vec3 {
        let up = (EARTH_RADIUS + p.z).hypot(p.xy().norm()) - EARTH_RADIUS;
        let flat = p.xy().norm();
        let along = flat.atan2(EARTH_RADIUS + p.z) * EARTH_RADIUS;
        let out = if flat > 0.0 { p.xy() * (along / flat) } else { p.xy() };
        self.origin + Vec3::new(out.x * self.factor, out.y * self.factor, up)
    }

    fn map(&self, at: &Vec3) -> GridMap {
        let local = Vec3::new((at.x - self.origin.x) / self.factor, (at.y - self.origin.y) / self.factor, 0.0);
        // about another place: the frame there is turned by the curvature between
        let turn =
            nalgebra::Rotation3::rotation_between(&Vec3::z(), &Vec3::new(local.x, local.y, EARTH_RADIUS).normalize())
                .unwrap();
        let here = turn * Vec3::new(0.0, 0.0, EARTH_RADIUS + at.z - self.origin.z) - Vec3::z() * EARTH_RADIUS;
        let factors = GridFactors { point_scale: self.factor, height_factor: 1.0, convergence: 0.0 };
        GridMap::from_exact(*at, factors, |p| self.grid(&(here + turn * p)))
    }

    fn up(p: &Vec3) -> Vec3 {
        Vec3::new(p.x, p.y, EARTH_RADIUS + p.z).normalize()
    }

    fn control(&self, which: &[usize], sigma: f64, check: &[usize]) -> Vec<ControlPoint> {
        which
            .iter()
            .map(|&t| ControlPoint {
                name: format!("C{t}"),
                position: self.grid(&self.targets[t]),
                sigma: Vec3::repeat(sigma),
                check: check.contains(&t),
                target: None,
            })
            .collect()
    }

    fn put(&self, noise: f64, control: Vec<ControlPoint>) -> Georeferenced {
        let sees = |s: usize, t: usize| (self.stations[s] - self.targets[t]).norm() < 75.0;
        let s = survey(&Recipe {
            stations: &self.stations,
            targets: &self.targets,
            sees: &sees,
            noise,
            level: noise,
            up: &Site::up,
            off: &stays,
            seed: 4,
        });
        let r = register(&registration::Input { scans: s.scans, ..Default::default() });
        let block = r.block.unwrap();
        let names: Vec<String> = r.placed.targets.iter().map(|t| t.name.clone()).collect();
        let input = Input {
            network: &r.placed.network,
            block: &block.solution,
            names: &names,
            control,
            model: FitModel::Levelled,
            levelled: true,
            map_at: &|at| self.map(at),
        };
        georeference(&input).unwrap_or_else(|f| panic!("{} {:?}", f.error, f.mistakes))
    }
}

/// Four hundred metres of stations in two rows, with targets between.
fn long_site(factor: f64) -> Site {
    let stations = (0..11).map(|k| Vec3::new(40.0 * k as f64 - 200.0, 12.0 * (k % 2) as f64, 1.7)).collect();
    let targets = (0..23)
        .map(|k| {
            // nothing that repeats
            let k = k as f64;
            Vec3::new(20.0 * k - 220.0 + 4.0 * (2.9 * k).sin(), 14.0 * (1.7 * k * k).sin(), 1.5 + (2.3 * k).sin())
        })
        .collect();
    Site { stations, targets, factor, origin: Vec3::new(412_350.0, 5_604_820.0, 87.0) }
}

/// A grid of 300 ppm and plumb lines that turn by 13″ from end to end: coordinates are right to a tenth of a
/// millimetre when the measurements are, and the points of a scan with them.
#[test]
fn a_long_job_on_a_shrunken_grid_is_right_to_a_tenth_of_a_millimetre() {
    let site = long_site(0.999_68);
    let g = site.put(1e-4, site.control(&[0, 4, 9, 14, 18, 22], 0.0005, &[]));
    assert_eq!(g.source, Source::Constrained, "{:?}", g.weaknesses);
    let mut worst = 0.0_f64;
    for k in 0..site.targets.len() {
        // targets are numbered in the order they were first seen; find each by place
        let at = g.target(k);
        let off = site.targets.iter().map(|t| (site.grid(t) - at).norm()).fold(f64::INFINITY, f64::min);
        worst = worst.max(off);
    }
    assert!(worst < 1e-4 + 0.4 * 1e-4, "targets are up to {:.3} mm off", worst * 1e3);
    for (pose, at) in g.poses.iter().zip(&site.stations) {
        let off = (g.map.pose(pose).translation - site.grid(at)).norm();
        assert!(off < 1.4e-4, "a station is {:.3} mm off", off * 1e3);
        // a point 30 m from the scanner: through the map, and as a file with rigid poses has it
        let p = Vec3::new(25.0, -16.0, 2.0);
        let rigid = g.map.pose(pose);
        let file = rigid.apply(&g.map.in_scan(pose, &rigid, &p));
        assert!((file - g.map.apply(&pose.apply(&p))).norm() < 1e-6);
    }
    // without the factor the ends would be 64 mm apart from where they are
    let distance = (g.target(0) - g.target(g.targets.len() - 1)).xy().norm();
    let on_site = (g.targets[0] - g.targets[g.targets.len() - 1]).xy().norm();
    assert!((distance / on_site - 0.999_68).abs() < 2e-6);
    // on the ground, lengths are those on site
    let ground = g.map.clone().ground();
    let stretched = (ground.apply(&g.targets[0]) - ground.apply(&g.targets[g.targets.len() - 1])).xy().norm();
    assert!((stretched / on_site - 1.0).abs() < 2e-6, "{}", stretched / on_site - 1.0);
}

/// Taken for parallel, the plumb lines of this length contradict the targets: levels that are right to a
/// ten-thousandth of their σ leave residuals of whole σ.
#[test]
fn plumb_lines_matter_at_this_length() {
    let site = long_site(1.0);
    let sees = |s: usize, t: usize| (site.stations[s] - site.targets[t]).norm() < 75.0;
    let s = survey(&Recipe {
        stations: &site.stations,
        targets: &site.targets,
        sees: &sees,
        noise: 1e-4,
        level: 1e-4,
        up: &Site::up,
        off: &stays,
        seed: 4,
    });
    let mut net = register(&registration::Input { scans: s.scans, ..Default::default() }).placed.network;
    let curved = solve(net.clone(), Scaling::Stated).unwrap();
    net.plumb.radius = f64::INFINITY;
    let parallel = solve(net, Scaling::Stated).unwrap();
    assert!(curved.sum < 0.01 && parallel.sum > 1.0, "{} {}", curved.sum, parallel.sum);
}

/// A height-only benchmark and plan-only points hold what they know and nothing else.
#[test]
fn benchmarks_and_plan_points_hold_what_they_know() {
    let site = long_site(0.9997);
    let which = [0, 6, 12, 18, 22];
    let mut control = site.control(&which, 0.001, &[]);
    // points that lack a coordinate are paired by hand: here by where a first fit has the targets
    let first = site.put(1e-3, control.clone());
    for (c, t) in control.iter_mut().zip(which) {
        c.target = (0..23).find(|&k| (first.target(k) - site.grid(&site.targets[t])).norm() < 0.05);
    }
    for c in &mut control[..3] {
        c.position.z = 0.0;
        c.sigma.z = KnownPoint::FREE;
    }
    // a benchmark knows no plan
    control[4].position = Vec3::new(0.0, 0.0, control[4].position.z);
    control[4].sigma.x = KnownPoint::FREE;
    control[4].sigma.y = KnownPoint::FREE;
    let g = site.put(1e-3, control);
    assert_eq!(g.free.dof, 3 * 2 + 3 + 1 - 4);
    assert!(g.free.residuals.iter().all(|r| r.residual.norm() < 2e-3), "{:?}", g.free.residuals);
    assert!(g.free.residuals[0].residual.z == 0.0 && g.free.residuals[4].residual.x == 0.0);
    let highest = (0..23)
        .map(|k| g.target(k))
        .map(|p| site.targets.iter().map(|t| (site.grid(t) - p).norm()).fold(f64::INFINITY, f64::min));
    assert!(highest.fold(0.0, f64::max) < 2e-3);
}

/// Control counts by its weight: poor control leaves the block its shape, good control bends it where the
/// block is weak; a wrong point is named and bends nothing.
#[test]
fn control_is_weighed_and_a_wrong_point_bends_nothing() {
    let site = long_site(1.0);
    let spread = |g: &Georeferenced| g.differences.iter().map(|d| d.norm()).fold(0.0, f64::max);
    let poor = site.put(3.0, site.control(&[0, 4, 9, 14, 18, 22], 0.05, &[]));
    let good = site.put(3.0, site.control(&[0, 4, 9, 14, 18, 22], 0.001, &[]));
    assert!(spread(&poor) < 0.3 * spread(&good), "{} {}", spread(&poor), spread(&good));
    assert!(good.target_error(11).spatial < poor.target_error(11).spatial);
    assert!(good.budgets[11].share(Group::Control) > 0.0);
    let mut control = site.control(&[0, 4, 9, 14, 18, 22], 0.001, &[]);
    control[2].position += Vec3::new(0.03, -0.02, 0.01);
    let wrong = site.put(1.0, control);
    assert_eq!(wrong.source, Source::Free);
    assert!(wrong.differences.is_empty());
    assert!(
        wrong.weaknesses.iter().any(|w| matches!(w, Weakness::ControlOff { control: 2, .. })),
        "{:?}",
        wrong.weaknesses
    );
}

/// Control in one corner, and none held back: both are said, and the far end is known worse for it.
#[test]
fn control_in_one_corner_and_no_checks_are_said() {
    let site = long_site(1.0);
    let all = site.put(1.0, site.control(&[0, 4, 9, 14, 18, 22], 0.002, &[9]));
    assert!(!all.weaknesses.iter().any(|w| matches!(w, Weakness::OutsideControl(..) | Weakness::NoChecks)));
    let corner = site.put(1.0, site.control(&[0, 1, 2, 3], 0.002, &[]));
    let Some(Weakness::OutsideControl(outside, of)) =
        corner.weaknesses.iter().find(|w| matches!(w, Weakness::OutsideControl(..)))
    else {
        panic!("{:?}", corner.weaknesses)
    };
    assert!(2 * outside > *of, "{outside} of {of}");
    assert!(corner.weaknesses.contains(&Weakness::NoChecks));
    let far = (0..site.targets.len()).max_by(|&a, &b| site.targets[a].x.total_cmp(&site.targets[b].x)).unwrap();
    assert!(corner.target_error(far).spatial > 2.0 * all.target_error(far).spatial);
}

/// A check point that fits badly counts as what it is, and one that fits nothing is said to.
#[test]
fn checks_are_never_left_out() {
    let site = long_site(1.0);
    let mut control = site.control(&[0, 4, 9, 14, 18, 22], 0.001, &[9, 14]);
    control[2].position += Vec3::new(0.06, 0.0, 0.0);
    control[3].position += Vec3::new(0.0, 3.0, 0.0);
    let g = site.put(1.0, control);
    let fitted: Vec<_> = g.checks.points.iter().filter_map(|c| c.fit.as_ref()).collect();
    assert_eq!(fitted.len(), 1);
    assert!((fitted[0].residual.x + 0.06).abs() < 0.005 && fitted[0].p_family < 1e-6, "{:?}", fitted[0]);
    assert!(g.checks.spatial > 0.055 && g.checks.bound > g.checks.spatial);
    assert!(g.weaknesses.iter().any(|w| matches!(w, Weakness::CheckOff { control: 2, .. })));
    assert!(g.weaknesses.contains(&Weakness::CheckMissing(3)));
    assert_eq!(g.pairing.pairing[3], Pairing::None);
    // the bound knows that few components are worth less than three a point
    assert!(g.checks.effective_dof < 3.0 + 1e-9);
}

fn evidence() -> Evidence {
    let place = |kind, name: &str, v: f64| Judged {
        kind,
        name: name.into(),
        error: Error95 { horizontal: v, vertical: v, spatial: v, ..Error95::default() },
        area: None,
    };
    let check =
        |name: &str| Check { name: name.into(), residual: Vec3::new(0.001, 0.0, 0.001), p_family: 0.6, area: None };
    Evidence {
        places: Some(vec![
            place(PlaceKind::Target, "K1", 0.003),
            place(PlaceKind::Station, "S1", 0.004),
            place(PlaceKind::Surface, "Wall 1", 0.0045),
        ]),
        checks: Checks {
            compared: vec![check("A"), check("B"), check("C")],
            spatial: 0.0014,
            bound: 0.0022,
            quadrants: 3,
            p_value: 0.4,
            ..Checks::default()
        },
        test_passed: true,
        ..Evidence::default()
    }
}

fn answers(e: &Evidence) -> Vec<Verdict> {
    let asked = Requirement { spatial95: Some(0.005), check_rmse: Some(0.003), ..Requirement::default() };
    verdict(&asked, e).iter().map(|r| r.verdict).collect()
}

/// Everything in place is *met*; each thing missing or contradicting alone is enough to say less.
#[test]
fn met_needs_independent_evidence_and_nothing_against_it() {
    use Verdict::{Met, NotDemonstrated, NotMet};
    assert_eq!(answers(&evidence()), [Met, Met]);
    let with = |change: &dyn Fn(&mut Evidence)| {
        let mut e = evidence();
        change(&mut e);
        answers(&e)
    };
    assert_eq!(with(&|e| e.places = None), [NotDemonstrated, NotDemonstrated]);
    assert_eq!(with(&|e| e.checks = Checks::default()), [NotDemonstrated, NotDemonstrated]);
    assert_eq!(with(&|e| e.unsettled = 1), [NotDemonstrated, Met]);
    assert_eq!(with(&|e| e.unplaced = 1), [NotDemonstrated, Met]);
    assert_eq!(with(&|e| e.control_off = vec!["CP3".into()]), [NotDemonstrated, Met]);
    assert_eq!(with(&|e| e.test_passed = false), [NotDemonstrated, Met]);
    assert_eq!(with(&|e| e.surfaces_missing = vec!["Wall 2".into()]), [NotDemonstrated, Met]);
    assert_eq!(with(&|e| e.not_measured = vec![Group::Clouds]), [NotDemonstrated, Met]);
    assert_eq!(with(&|e| e.checks.missing = vec!["D".into()]), [NotDemonstrated, NotDemonstrated]);
    // a surface or a station decides as a target does
    assert_eq!(with(&|e| e.places.as_mut().unwrap()[2].error.spatial = 0.006), [NotMet, Met]);
    assert_eq!(with(&|e| e.places.as_mut().unwrap()[1].error.spatial = 0.006), [NotMet, Met]);
    // a check point beyond the limit and beyond what is stated breaks the limit, whatever the formal errors say
    let off = |e: &mut Evidence| {
        e.checks.compared[1] =
            Check { name: "B".into(), residual: Vec3::new(0.02, 0.0, 0.0), p_family: 1e-9, area: None };
        e.checks.spatial = 0.012;
        e.checks.bound = 0.03;
    };
    assert_eq!(with(&off), [NotMet, NotMet]);
    assert_eq!(with(&|e| e.checks.p_value = 0.002), [NotDemonstrated, Met]);
    // few check points show less than many
    assert_eq!(with(&|e| e.checks.bound = 0.0035), [Met, NotDemonstrated]);
}

/// "The hall 5 mm, the yard 20": each place, check point and pair of scans is held against the limit of where it is.
#[test]
fn a_part_of_the_site_has_limits_of_its_own() {
    use Verdict::{Met, NotMet};
    let yard = AreaLimits { name: "yard".into(), spatial95: Some(0.02), ..AreaLimits::default() };
    let asked = Requirement { spatial95: Some(0.005), areas: vec![yard], ..Requirement::default() };
    let mut e = evidence();
    e.predicted = vec![[None, None, Some(0.004)], [None, None, Some(0.015)]];
    let places = e.places.as_mut().unwrap();
    places.push(Judged { name: "Y1".into(), area: Some(0), ..places[0].clone() });
    places[3].error.spatial = 0.018;
    let said = |e: &Evidence| -> Vec<_> {
        verdict(&asked, e)
            .into_iter()
            .map(|r| (r.of, r.required.unwrap(), r.predicted, r.achieved, r.verdict))
            .collect()
    };
    let row = |of: Option<&str>, required, predicted, achieved, answer| {
        (of.map(str::to_owned), required, Some(predicted), Some(achieved), answer)
    };
    let hall = row(None, 0.005, 0.004, 0.0045, Met);
    assert_eq!(said(&e), [hall.clone(), row(Some("yard"), 0.02, 0.015, 0.018, Met)]);
    // 18 mm in the hall would be too much, and 21 mm are in the yard
    e.places.as_mut().unwrap()[3].error.spatial = 0.021;
    assert_eq!(said(&e), [hall, row(Some("yard"), 0.02, 0.015, 0.021, NotMet)]);
    // a check point that is 15 mm off breaks the limit of the hall, not that of the yard
    e.places.as_mut().unwrap()[3].error.spatial = 0.01;
    e.checks.compared[0] =
        Check { name: "A".into(), residual: Vec3::new(0.015, 0.0, 0.0), p_family: 1e-6, area: Some(0) };
    let answers: Vec<_> = said(&e).into_iter().map(|r| r.4).collect();
    assert_eq!(answers, [Verdict::NotDemonstrated, Verdict::NotDemonstrated]);
    e.checks.compared[0].area = None;
    assert_eq!(said(&e)[0].4, NotMet);
    // two scans of the yard 8 mm apart are within what is asked there
    let pair = |area| Misfit { pair: "a–b".into(), apart: 0.008, apart95: 0.001, area };
    for (area, answer) in [(Some(0), Met), (None, NotMet)] {
        e.agreement = Some(Agreement { pairs: 2, misfits: vec![pair(area)], ..Agreement::default() });
        assert_eq!(verdict(&asked, &e).last().unwrap().verdict, answer);
    }
}

/// What stands elsewhere is held against the work; what is not built yet is not.
#[test]
fn a_design_is_judged_by_what_is_built() {
    let built = |counts, worst| Designed {
        name: "Fit-out".into(),
        tolerance: 0.01,
        counts,
        worst: Some((worst, 0.002)),
        elsewhere: vec!["W2".into()],
        in_the_way: Vec::new(),
        stale: false,
    };
    let of = |d: Designed| {
        let rows = verdict(&Requirement::default(), &Evidence { designs: vec![d], ..Evidence::default() });
        (rows[0].verdict, rows[0].grounds[0].clone())
    };
    assert_eq!(of(built([3, 0, 0, 4, 0], 0.004)), (Verdict::Met, Ground::Built([3, 0, 0, 4, 0])));
    assert_eq!(of(built([3, 1, 0, 4, 0], 0.04)), (Verdict::NotMet, Ground::BuiltElsewhere(vec!["W2".into()])));
    assert_eq!(of(built([3, 1, 0, 4, 0], 0.011)).0, Verdict::NotDemonstrated, "noise could explain it");
    assert_eq!(of(built([3, 0, 0, 4, 1], 0.004)).0, Verdict::NotDemonstrated, "one was not seen");
    assert_eq!(of(built([0, 0, 0, 4, 0], 0.0)).0, Verdict::NotDemonstrated, "nothing stands yet");
    let stale = Designed { stale: true, ..built([3, 1, 0, 0, 0], 0.04) };
    assert_eq!(of(stale), (Verdict::NotDemonstrated, Ground::DesignNotLookedFor));
}

#[test]
fn the_deciding_ground_comes_first() {
    let mut e = evidence();
    e.unsettled = 2;
    let asked = Requirement { horizontal95: Some(0.005), ..Requirement::default() };
    let rows = verdict(&asked, &e);
    assert_eq!((rows[0].asked, &rows[0].grounds[0]), (Asked::Horizontal, &Ground::Unsettled(2)));
    e.unsettled = 0;
    e.places.as_mut().unwrap()[0].error.horizontal = 0.02;
    let rows = verdict(&asked, &e);
    assert!(matches!(&rows[0].grounds[0], Ground::Within { worst, .. } if worst == "K1"), "{:?}", rows[0].grounds);
}

/// Names of control that lie elsewhere are not believed.
#[test]
fn names_are_verified_by_geometry() {
    let (stations, targets) = hall();
    let s = survey(&Recipe {
        stations: &stations,
        targets: &targets,
        sees: &|_, _| true,
        noise: 1.0,
        level: 1.0,
        up: &flat,
        off: &stays,
        seed: 8,
    });
    let r = register(&registration::Input { scans: s.scans, ..Default::default() });
    let block = r.block.unwrap();
    let names: Vec<String> = r.placed.targets.iter().map(|t| t.name.clone()).collect();
    let control = |k: usize, name: &str| ControlPoint {
        name: name.into(),
        position: targets[k] + Vec3::new(500.0, 800.0, 30.0),
        sigma: Vec3::repeat(0.001),
        check: false,
        target: None,
    };
    // T01 to T09 are numbers of the block; two of the names are swapped in the file
    let list = vec![control(0, "T01"), control(1, "T02"), control(2, "T04"), control(3, "T03"), control(5, "T06")];
    let input = Input {
        network: &r.placed.network,
        block: &block.solution,
        names: &names,
        control: list,
        model: FitModel::Levelled,
        levelled: true,
        map_at: &|at| GridMap::local(*at),
    };
    let g = georeference(&input).unwrap();
    assert_eq!(g.pairing.targets, [Some(0), Some(1), Some(2), Some(3), Some(5)]);
    assert_eq!(g.pairing.misnamed.len(), 2);
    assert_eq!(g.source, Source::Constrained, "{:?}", g.weaknesses);
}
