//! Walks that drift: tied to scans and to themselves they lie where they truly were, within what is stated; the double
//! surfaces that drift makes are found, and gone afterwards.

use crate::sites::{Plan, like_rooms, scene, shown};

use nalgebra::{Matrix6, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use vistazo_core::clean::{Surfaces, behind};
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::mobile::{
    Anchor, Mark, Noted, PassIn, PassOut, Piece, Registered, Sample, TimedPoint, Trajectory, Unit, doubled, pieces,
    register, units,
};
use vistazo_core::stats::chi2_quantile;
use vistazo_core::tie::Shown;
use vistazo_sim::{Scanner, Scene, Walk, Walker, roundhouse, set_up_near, walk};

/// A pass as the mathematics takes it.
pub(crate) struct Taken {
    pub(crate) walk: Walk,
    pub(crate) path: Trajectory,
    pub(crate) pieces: Vec<Piece>,
    unit: Unit,
}

impl Taken {
    pub(crate) fn of(scene: &Scene, walker: &Walker, way: &[Vec3], unit: usize, seed: u64) -> Self {
        let walk = walk(scene, walker, way, 0, seed);
        let sample =
            |(time, pose): &(f64, Pose)| Sample { time: *time, place: pose.translation, turn: Some(pose.rotation) };
        let path = Trajectory::new(walk.path.iter().map(sample).collect()).unwrap();
        let points: Vec<TimedPoint> = walk.points.iter().map(|p| TimedPoint { time: p.time, at: p.at }).collect();
        let unit = units().swap_remove(unit);
        let pieces = pieces(&path, &points, unit.max_range);
        Self { walk, path, pieces, unit }
    }

    fn given(&self) -> PassIn<'_> {
        PassIn { path: &self.path, pieces: &self.pieces, unit: &self.unit, start: None, marks: &[] }
    }

    /// Where the frame of the truth lies in the one that came out: what is not told by anything but the walk itself.
    fn judged(&self, out: &PassOut, frame: &Pose) -> Judged {
        let mut j = Judged::default();
        let limit = chi2_quantile(0.95, 3);
        let whole = out.correction.laid_whole(&out.rigid);
        for ((time, pose), truth) in self.walk.path.iter().zip(&self.walk.truth).step_by(20) {
            let at = out.correction.apply(*time, &pose.translation);
            let truly = frame.apply(&truth.translation);
            let off = truly - at;
            j.before += (truly - out.rigid.apply(&pose.translation)).norm_squared();
            j.after += off.norm_squared();
            let c = out.correction.covariance(*time, &at);
            let square = c.cholesky().map_or(f64::INFINITY, |l| l.solve(&off).dot(&off));
            j.inside += f64::from(u8::from(square < limit));
            j.squares += square / 3.0;
            let laid = whole.apply(*time, &pose.translation);
            let (off, c) = (truly - laid, whole.covariance(*time, &laid));
            j.whole += f64::from(u8::from(c.cholesky().is_some_and(|l| l.solve(&off).dot(&off) < limit)));
            j.n += 1.0;
        }
        // what the unit measured, where it now lies
        for (p, met) in self.walk.points.iter().zip(&self.walk.met).step_by(997) {
            let at = out.correction.apply(p.time, &Vec3::from(p.at.map(f64::from)));
            let off = frame.apply(met) - at;
            let range = (at - out.correction.apply(p.time, &self.path.place(p.time))).norm();
            let c = out.correction.covariance(p.time, &at) + Mat3::identity() * self.unit.point_variance(range);
            j.points += f64::from(u8::from(c.cholesky().is_some_and(|l| l.solve(&off).dot(&off) < limit)));
            j.of_points += 1.0;
        }
        j
    }
}

/// Sums over walks.
#[derive(Clone, Copy, Debug, Default)]
struct Judged {
    before: f64,
    after: f64,
    inside: f64,
    squares: f64,
    n: f64,
    points: f64,
    of_points: f64,
    /// Places of the pass laid down whole that are within what is then stated.
    whole: f64,
}

impl Judged {
    fn add(&mut self, o: &Self) {
        self.before += o.before;
        self.after += o.after;
        self.inside += o.inside;
        self.squares += o.squares;
        self.n += o.n;
        self.points += o.points;
        self.of_points += o.of_points;
        self.whole += o.whole;
    }

    fn say(&self, of: &str) {
        println!(
            "{of}: {:.1} mm before, {:.1} mm after; places inside their 95 %: {:.1} %, squares {:.2}; points {:.1} % of {}",
            1e3 * (self.before / self.n).sqrt(),
            1e3 * (self.after / self.n).sqrt(),
            100.0 * self.inside / self.n,
            self.squares / self.n,
            100.0 * self.points / self.of_points,
            self.of_points,
        );
    }
}

/// Along the corridor of a row of like rooms, into each of them by its door, round its middle and out again, and back.
pub(crate) fn way(plan: &Plan) -> Vec<Vec3> {
    let high = |x: f64, y: f64| Vec3::new(x, y, 1.45);
    let mut out = vec![high(0.8, 6.5)];
    let doors = |y: f64| {
        let walls = plan.0.iter().filter(move |w| (w.line[0].y - y).abs() < 1e-9 && !w.openings.is_empty());
        walls.map(|w| (w.line[0].x, w.line[0].x + w.openings[0].at + w.openings[0].width / 2.0))
    };
    for (k, (x, door)) in doors(5.44).enumerate() {
        if k % 2 == 1 {
            continue;
        }
        out.extend([high(door, 6.5), high(door, 4.9), high(x + 2.4, 4.2), high(x + 3.0, 3.8), high(x + 3.6, 4.2)]);
        out.extend([high(x + 3.0, 5.0), high(door, 5.0), high(door, 6.5)]);
    }
    out.push(high(29.2, 6.5));
    for (_, door) in doors(7.56).collect::<Vec<_>>().into_iter().rev().step_by(2) {
        out.extend([high(door, 6.5), high(door, 8.3), high(door, 6.5)]);
    }
    out.push(high(0.8, 6.5));
    out
}

pub(crate) fn stations(scene: &Scene, at: &[Vec3], seed: u64) -> Vec<(Shown, Pose)> {
    let instrument = Instrument { step: 0.005, ..Instrument::mid_range() };
    let scanner = Scanner::perfect(&instrument);
    let of = |(k, p): (usize, &Vec3)| {
        let pose = set_up_near(*p, &instrument, seed + k as u64);
        (shown(scene, &scanner, &pose, seed + k as u64), pose)
    };
    at.iter().enumerate().map(of).collect()
}

pub(crate) fn known(scans: &[(Shown, Pose)]) -> Vec<Anchor<'_>> {
    let covariance = Matrix6::from_diagonal(&Vector6::new(1e-6, 1e-6, 1e-6, 1e-9, 1e-9, 1e-8));
    scans.iter().map(|(shown, pose)| Anchor { shown, pose: *pose, covariance }).collect()
}

/// Sites drawn, fewer by themselves than by hand: each takes half a minute.
fn seeds(by_itself: u64) -> u64 {
    std::env::var("VISTAZO_WALK_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(by_itself)
}

pub(crate) fn registered(anchors: &[Anchor<'_>], taken: &[&Taken]) -> Registered {
    let given: Vec<PassIn<'_>> = taken.iter().map(|t| t.given()).collect();
    register(anchors, &given, &|_| true).unwrap().unwrap()
}

fn among_scans(walker: &Walker, unit: usize, seeds: std::ops::RangeInclusive<u64>) -> (Judged, [[usize; 2]; 2]) {
    let (mut all, mut doubled) = (Judged::default(), [[0; 2]; 2]);
    for seed in seeds {
        let plan = like_rooms(&mut ChaCha8Rng::seed_from_u64(seed));
        let scene = scene(&plan);
        let scans = stations(&scene, &plan.3[..5], seed);
        let taken = Taken::of(&scene, walker, &way(&plan), unit, seed);
        let out = registered(&known(&scans), &[&taken]);
        let Ok(pass) = &out.passes[0] else {
            println!("seed {seed}: refused");
            continue;
        };
        let j = taken.judged(pass, &Pose::identity());
        j.say(&format!("seed {seed}, factors {:.2?}, {} ties", out.factors, out.ties.len()));
        all.add(&j);
        for (sum, d) in doubled.iter_mut().zip(&pass.doubled) {
            sum[0] += d.double;
            sum[1] += d.compared;
        }
    }
    all.say("all");
    println!("double {doubled:?}");
    (all, doubled)
}

#[test]
fn a_walk_among_scans_lies_where_it_was() {
    let sites = seeds(2);
    let (all, doubled) = among_scans(&Walker::hand_held(), 0, 1..=sites);
    assert!(all.n > 80.0 * sites as f64, "none is refused: {}", all.n);
    assert!(all.after < 0.01 * all.before, "{all:?}");
    assert!((all.after / all.n).sqrt() < 0.009);
    assert!((0.88..0.99).contains(&(all.inside / all.n)) && (0.5..1.5).contains(&(all.squares / all.n)));
    // laid down whole it is worse, and says so
    assert!(all.whole / all.n > 0.9, "{all:?}");
    // its profile states more than the unit does
    assert!(all.points / all.of_points > 0.92);
    assert!(doubled[0][0] * 5 > doubled[0][1] && doubled[1][0] * 50 < doubled[1][1], "{doubled:?}");
}

#[test]
fn a_telephone_is_brought_to_the_centimetre() {
    // the fifth has two rooms that the first search takes for one another
    let first = if std::env::var("VISTAZO_WALK_SEEDS").is_ok() { 1 } else { 5 };
    let last = seeds(5);
    let (all, _) = among_scans(&Walker::phone_grade(), 3, first..=last);
    assert!(all.n > 100.0 && (all.after / all.n).sqrt() < 0.03, "{all:?}");
    assert!(all.inside / all.n > 0.88);
}

/// A yard with nothing in reach but its ground: nails that it is set down on hold it, and what lies between is stated as it is.
#[test]
fn a_telephone_in_the_open_is_held_by_what_it_stands_on() {
    let house = roundhouse();
    let high = |x: f64, y: f64| Vec3::new(x, y, 1.4);
    let nail = |k: usize| high(house.nails[k].1.x, house.nails[k].1.y);
    let rows = [nail(0), nail(1), high(13.0, -15.2), high(-13.0, -15.2), nail(2), nail(3), nail(4), high(-8.0, -21.8)];
    // along the fence a second time, the other way
    let back = [high(-13.5, -18.2), high(-7.0, -21.2), high(0.0, -22.8), high(7.0, -21.2), nail(3), nail(0)];
    let rows: Vec<Vec3> = rows.into_iter().chain(back).collect();
    let (mut all, walks, mut fence) = (Judged::default(), seeds(2), [[0; 2]; 2]);
    for seed in 1..=walks {
        let (way, stands) = house.set_down(&rows, seed);
        let taken = Taken::of(&house.scene, &Walker::phone_grade(), &way, 3, seed);
        assert_eq!((stands.len(), taken.walk.stood.len()), (7, 7));
        let mark = |(time, (name, height)): (&f64, &(String, f64))| {
            let (_, at, _) = house.nails.iter().find(|n| n.0 == *name).unwrap();
            let covariance = Mat3::identity() * 0.005_f64.powi(2);
            Mark { noted: Noted::Stood(*time), at: at + Vec3::z() * *height, covariance }
        };
        let marks: Vec<Mark> = taken.walk.stood.iter().zip(&stands).map(mark).collect();
        let given = || [PassIn { marks: &marks, ..taken.given() }];
        let out = register(&[], &given(), &|_| true).unwrap().unwrap();
        let pass = out.passes[0].as_ref().expect("a place by its nails");
        if seed == 1 {
            // to the last digit, though much of it is done side by side
            let again = register(&[], &given(), &|_| true).unwrap().unwrap();
            assert_eq!(again.passes[0].as_ref().unwrap().correction.poses, pass.correction.poses);
        }
        assert_eq!(out.wrong_marks, []);
        let j = taken.judged(pass, &Pose::identity());
        j.say(&format!("seed {seed}, factors {:.2?}, {} ties", out.factors, out.ties.len()));
        all.add(&j);
        for (sum, d) in fence.iter_mut().zip(&pass.doubled) {
            *sum = [sum[0] + d.double, sum[1] + d.compared];
        }
    }
    all.say("yard");
    println!("double {fence:?}");
    assert!(fence[0][0] * 10 > fence[0][1] && fence[1][0] * 20 < fence[1][1], "{fence:?}");
    assert!((0.87..0.995).contains(&(all.inside / all.n)) && (0.5..1.5).contains(&(all.squares / all.n)), "{all:?}");
    assert!(all.after < 0.02 * all.before && (all.after / all.n).sqrt() < 0.06, "{all:?}");
}

#[test]
fn a_walk_alone_closes_on_itself() {
    let mut all = Judged::default();
    for seed in 2..=seeds(2).max(2) {
        let plan = like_rooms(&mut ChaCha8Rng::seed_from_u64(seed));
        let scene = scene(&plan);
        let taken = Taken::of(&scene, &Walker::hand_held(), &way(&plan), 0, seed);
        let out = registered(&[], &[&taken]);
        let pass = out.passes[0].as_ref().unwrap();
        // its own frame is that of its first piece, wherever that was
        let t = pass.correction.times[0];
        let n = (t * 20.0) as usize;
        let (believed, truly) = (taken.walk.path[n].1, taken.walk.truth[n]);
        let frame = believed.compose(&truly.inverse());
        let j = taken.judged(pass, &frame);
        j.say(&format!("seed {seed}, factors {:.2?}, {} ties", out.factors, out.ties.len()));
        all.add(&j);
    }
    all.say("alone");
    assert!(all.after < 0.1 * all.before && (all.after / all.n).sqrt() < 0.03, "{all:?}");
    assert!(all.inside / all.n > 0.8 && all.squares / all.n < 2.0);
}

/// Where the pieces of a pass truly lay.
fn true_poses(taken: &Taken) -> Vec<Pose> {
    let of = |p: &Piece| {
        let after = taken.walk.path.partition_point(|s| s.0 < p.time).min(taken.walk.path.len() - 1);
        let frame = taken.walk.truth[after].compose(&taken.walk.path[after].1.inverse());
        Pose { translation: frame.apply(&p.place), ..frame }
    };
    taken.pieces.iter().map(of).collect()
}

#[test]
fn surfaces_that_lie_double_are_found_and_single_ones_are_not() {
    let (mut found, mut false_ones) = ([0; 2], [0; 2]);
    for seed in 1..=seeds(1) {
        let plan = like_rooms(&mut ChaCha8Rng::seed_from_u64(seed));
        let once = way(&plan);
        let twice: Vec<Vec3> = once.iter().chain(&once[1..]).copied().collect();
        let mut taken = Taken::of(&scene(&plan), &Walker::hand_held(), &twice, 0, seed);
        let poses = true_poses(&taken);
        let half = taken.path.walked(f64::INFINITY) / 2.0;
        let later: Vec<bool> = taken.pieces.iter().map(|p| taken.path.walked(p.time) > half).collect();
        // both rounds are visits, and what was passed twice within one is not
        for (p, later) in taken.pieces.iter_mut().zip(&later) {
            p.time = if *later { 1000.0 } else { 0.0 };
        }
        let single = doubled(&taken.pieces, &poses);
        false_ones = [false_ones[0] + single.double, false_ones[1] + single.compared];
        // the second round three times the noise of a point aside, for surfaces that face along an axis
        let aside = 3.0 * taken.unit.range_sigma;
        let moved = |(later, pose): (&bool, &Pose)| Pose {
            translation: pose.translation + Vec3::repeat(if *later { aside } else { 0.0 }),
            ..*pose
        };
        let moved: Vec<Pose> = later.iter().zip(&poses).map(moved).collect();
        let double = doubled(&taken.pieces, &moved);
        found = [found[0] + double.double, found[1] + double.compared];
    }
    let share = |of: [usize; 2]| of[0] as f64 / of[1] as f64;
    println!("double {found:?} {:.3}, single {false_ones:?} {:.3}", share(found), share(false_ones));
    assert!(found[1] > 200 && share(found) >= 0.95);
    assert!(share(false_ones) <= 0.02);
}

#[test]
fn points_behind_walls_are_found_and_others_are_not() {
    let (mut found, mut wrong) = ([0; 2], [0; 2]);
    for seed in 1..=seeds(1) {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let plan = like_rooms(&mut rng);
        // as dense as a slow unit is
        let walker = Walker { rays: 60_000.0, ..Walker::hand_held() };
        let mut taken = Taken::of(&scene(&plan), &walker, &way(&plan)[..20], 0, seed);
        // one in a hundred beams comes back late: half a metre to three behind what it met
        let late: Vec<bool> = taken.walk.points.iter().map(|_| rng.random::<f64>() < 0.01).collect();
        for (p, late) in taken.walk.points.iter_mut().zip(&late).filter(|p| *p.1) {
            let from = taken.path.place(p.time);
            let beam = Vec3::from(p.at.map(f64::from)) - from;
            let farther = if *late { 0.5 + 2.5 * rng.random::<f64>() } else { 0.0 };
            p.at = (from + beam * (1.0 + farther / beam.norm())).map(|v| v as f32).into();
        }
        let timed: Vec<TimedPoint> = taken.walk.points.iter().map(|p| TimedPoint { time: p.time, at: p.at }).collect();
        taken.pieces = pieces(&taken.path, &timed, taken.unit.max_range);
        let poses = true_poses(&taken);
        let placed = taken.pieces.iter().zip(&poses).flat_map(|(p, at)| p.cloud.placed(at).collect::<Vec<_>>());
        let surfaces = Surfaces::of(&placed.collect::<Vec<_>>()).unwrap();
        let moved = |time: f64, at: Vec3| {
            let k = taken.pieces.partition_point(|p| p.span[1] < time).min(poses.len() - 1);
            poses[k].apply(&(at - taken.pieces[k].place))
        };
        let beam = |k: usize| {
            let p = &timed[k];
            (moved(p.time, taken.path.place(p.time)), moved(p.time, p.place()))
        };
        let out = behind(&surfaces, timed.len(), beam, &|_| true).unwrap();
        for (said, truly) in out.iter().zip(&late) {
            let of = if *truly { &mut found } else { &mut wrong };
            *of = [of[0] + usize::from(*said), of[1] + 1];
        }
        assert_eq!(behind(&surfaces, timed.len(), beam, &|_| false), None);
    }
    let share = |of: [usize; 2]| of[0] as f64 / of[1] as f64;
    println!("late {found:?} {:.3}, others {wrong:?} {:.5}", share(found), share(wrong));
    assert!(found[1] > 1000 && share(found) >= 0.95 && share(wrong) <= 0.005);
}
