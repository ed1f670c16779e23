use super::Camera;
use super::start::{calibrated, linear, planar};
use crate::geometry::{Mat3, Pose, Vec3};
use crate::stats::{f_quantile, f_tail};
use nalgebra::{Matrix2, SMatrix, SVector, Vector2, Vector6};

/// The same thing in the cloud and in a photograph.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pair {
    /// In the cloud, metres.
    pub point: Vec3,
    /// In the photograph, pixels to the right and down.
    pub pixel: [f64; 2],
}

/// Where a photograph was taken from, and how well that is known.
#[derive(Clone, Debug)]
pub struct Fit {
    /// The camera.
    pub camera: Camera,
    /// Residual of each pair, drawn less picked, pixels.
    pub residuals: Vec<[f64; 2]>,
    /// How likely a residual as large is by chance, over all pairs, by each pair left to the others.
    pub p_family: Vec<f64>,
    /// Scatter of a pick, 1σ of a coordinate, pixels.
    pub sigma: f64,
    /// 95 % of where the camera stood, along each axis, metres.
    pub position95: Vec3,
    /// 95 % of where things are drawn at the four corners of the photograph and in its middle, the largest, pixels.
    pub drawn95: f64,
}

/// Why a camera cannot be found.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ResectError {
    /// Too few pairs.
    #[error(
        "found {0} pairs, expected at least 6: the same things picked in the photograph and in the cloud, spread over both"
    )]
    TooFew(usize),
    /// The points lie on a line, or picks on top of one another.
    #[error("the pairs lie in a line: pick things that are spread over the photograph, at several depths")]
    InLine,
    /// No camera draws these points near these pixels.
    #[error(
        "no camera draws these points there: {0:.0} pixels are left at the best; a pair is not the same thing, or the photograph is cut or mirrored"
    )]
    NoCamera(f64),
}

/// Fewest pairs.
const FEWEST: usize = 6;
/// Focal lengths tried, in widths of the photograph.
const TRIED: [f64; 6] = [0.5, 0.75, 1.0, 1.4, 2.0, 3.2];
/// How well a lens is known beforehand: principal point in widths, k₁, k₂, 1σ; picks, pixels.
const CENTRE: f64 = 0.02;
const RADIAL: [f64; 2] = [0.15, 0.1];
const PICKED: f64 = 1.0;
/// Picks are no better than this, however well a few fit, pixels.
const FINEST: f64 = 0.3;
/// Worse than this is no camera, in widths of the photograph.
const WORST: f64 = 0.03;
/// The third extent of the points is flat below this share of the first, the second in a line.
const FLAT: f64 = 0.02;

/// Unknowns: shift and turn of the pose (left increments), logarithm of the focal length, principal point, k₁, k₂.
const UNKNOWNS: usize = 11;
type Row = SVector<f64, UNKNOWNS>;
type Normal = SMatrix<f64, UNKNOWNS, UNKNOWNS>;

/// Finds the camera that draws points of the cloud at pixels of a photograph of a size (width, height, pixels).
///
/// It begins with the direct linear transform (Abdel-Aziz and Karara 1971) and, where points lie nearly on one plane, with
/// the homography of that plane, for several focal lengths; the best is refined by least squares with all unknowns of
/// the lens, which priors hold where the pairs say nothing of them.
///
/// # Errors
/// [`ResectError`], with what to do about it.
pub fn resect(pairs: &[Pair], size: [f64; 2]) -> Result<Fit, ResectError> {
    if pairs.len() < FEWEST {
        return Err(ResectError::TooFew(pairs.len()));
    }
    let extents = extents(pairs);
    if extents[1] < FLAT * extents[0] {
        return Err(ResectError::InLine);
    }
    let middle = [size[0] / 2.0, size[1] / 2.0];
    let flat = extents[2] < 4.0 * FLAT * extents[0];
    let mut starts: Vec<Camera> = Vec::new();
    if !flat {
        starts.extend(linear(pairs, size));
    }
    for f in TRIED.map(|f| f * size[0]) {
        let lens = Camera { pose: Pose::identity(), focal: f, centre: middle, radial: [0.0; 2] };
        let found = if flat { planar(pairs, &lens) } else { calibrated(pairs, &lens) };
        starts.extend(found);
    }
    let mut best: Option<(f64, Camera)> = None;
    for start in starts {
        let (cost, camera) = refine(pairs, start, size);
        if best.as_ref().is_none_or(|b| cost < b.0) {
            best = Some((cost, camera));
        }
    }
    let (_, camera) = best.ok_or(ResectError::InLine)?;
    let fit = judge(pairs, camera, size);
    let worst = fit.residuals.iter().map(|r| r[0].hypot(r[1])).collect::<Vec<_>>();
    let typical = (worst.iter().map(|v| v * v).sum::<f64>() / worst.len() as f64).sqrt();
    if !typical.is_finite() || typical > WORST * size[0] {
        return Err(ResectError::NoCamera(typical));
    }
    Ok(fit)
}

/// Extents of the points along their principal axes, the largest first.
fn extents(pairs: &[Pair]) -> [f64; 3] {
    let n = pairs.len() as f64;
    let mean = pairs.iter().map(|p| p.point).sum::<Vec3>() / n;
    let scatter = pairs.iter().fold(Mat3::zeros(), |m, p| m + (p.point - mean) * (p.point - mean).transpose()) / n;
    let mut e: [f64; 3] = scatter.symmetric_eigenvalues().into();
    e.sort_by(|a, b| b.total_cmp(a));
    e.map(|v| v.max(0.0).sqrt())
}

/// A camera changed by a step of all unknowns.
fn moved(c: &Camera, d: &Row) -> Camera {
    let pose = c.pose.moved(&Vector6::new(d[0], d[1], d[2], d[3], d[4], d[5]));
    Camera {
        pose,
        focal: c.focal * d[6].exp(),
        centre: [c.centre[0] + d[7], c.centre[1] + d[8]],
        radial: [c.radial[0] + d[9], c.radial[1] + d[10]],
    }
}

/// What a change of each unknown does to where a point is drawn: by differences, which are exact enough and cannot be wrong.
fn rows(c: &Camera, point: &Vec3, size: [f64; 2]) -> Option<[Row; 2]> {
    let depth = c.project(point)?.1;
    let mut out = [Row::zeros(); 2];
    for k in 0..UNKNOWNS {
        let step = match k {
            0..=2 => 1e-5 * depth,
            7 | 8 => 1e-5 * size[0],
            _ => 1e-6,
        };
        let mut d = Row::zeros();
        d[k] = step;
        let (a, b) = (moved(c, &d).project(point)?.0, moved(c, &-d).project(point)?.0);
        for (row, (a, b)) in out.iter_mut().zip(a.into_iter().zip(b)) {
            row[k] = (a - b) / (2.0 * step);
        }
    }
    Some(out)
}

/// Weights of the priors, and what they hold the unknowns to.
fn priors(c: &Camera, size: [f64; 2]) -> (Normal, Row) {
    let mut weights = Normal::zeros();
    let mut off = Row::zeros();
    let held = [
        (7, size[0] / 2.0 - c.centre[0], CENTRE * size[0]),
        (8, size[1] / 2.0 - c.centre[1], CENTRE * size[0]),
        (9, -c.radial[0], RADIAL[0]),
        (10, -c.radial[1], RADIAL[1]),
    ];
    for (k, by, sigma) in held {
        weights[(k, k)] = (PICKED / sigma).powi(2);
        off[k] = weights[(k, k)] * by;
    }
    (weights, off)
}

fn cost(pairs: &[Pair], c: &Camera, size: [f64; 2]) -> f64 {
    let drawn = |p: &Pair| {
        c.project(&p.point).map_or(1e12, |(at, _)| (at[0] - p.pixel[0]).powi(2) + (at[1] - p.pixel[1]).powi(2))
    };
    let (weights, off) = priors(c, size);
    let held: f64 = (7..UNKNOWNS).map(|k| off[k].powi(2) / weights[(k, k)]).sum();
    pairs.iter().map(drawn).sum::<f64>() + held
}

/// Levenberg and Marquardt.
fn refine(pairs: &[Pair], start: Camera, size: [f64; 2]) -> (f64, Camera) {
    let (mut camera, mut damping) = (start, 1e-3);
    let mut now = cost(pairs, &camera, size);
    for _ in 0..120 {
        let (mut normal, mut right) = priors(&camera, size);
        for p in pairs {
            let (Some(rows), Some((at, _))) = (rows(&camera, &p.point, size), camera.project(&p.point)) else {
                continue;
            };
            for (k, row) in rows.iter().enumerate() {
                normal += row * row.transpose();
                right += row * (p.pixel[k] - at[k]);
            }
        }
        let mut damped = normal;
        for k in 0..UNKNOWNS {
            damped[(k, k)] *= 1.0 + damping;
            damped[(k, k)] += 1e-12;
        }
        let Some(step) = damped.cholesky().map(|c| c.solve(&right)) else { break };
        let next = moved(&camera, &step);
        let then = cost(pairs, &next, size);
        if then < now {
            let gained = (now - then) / now.max(1e-12);
            (camera, now, damping) = (next, then, (damping * 0.3).max(1e-9));
            if gained < 1e-10 {
                break;
            }
        } else {
            damping *= 8.0;
            if damping > 1e9 {
                break;
            }
        }
    }
    (now, camera)
}

/// Residuals with what each says, and how well all is known.
fn judge(pairs: &[Pair], camera: Camera, size: [f64; 2]) -> Fit {
    let (mut normal, _) = priors(&camera, size);
    let mut all = Vec::new();
    for p in pairs {
        let rows = rows(&camera, &p.point, size).unwrap_or([Row::zeros(); 2]);
        for row in &rows {
            normal += row * row.transpose();
        }
        let at = camera.project(&p.point).map_or([f64::INFINITY; 2], |a| a.0);
        all.push((rows, [at[0] - p.pixel[0], at[1] - p.pixel[1]]));
    }
    let inverse = normal.try_inverse().unwrap_or_else(Normal::zeros);
    // of each pair the share of its own two coordinates that the others check
    let mut checked = Vec::new();
    for (rows, _) in &all {
        let of = |i: usize, j: usize| rows[i].dot(&(inverse * rows[j]));
        checked.push(Matrix2::new(1.0 - of(0, 0), -of(0, 1), -of(1, 0), 1.0 - of(1, 1)));
    }
    let freedom = checked.iter().map(Matrix2::trace).sum::<f64>().max(0.5);
    let squares: f64 = all.iter().map(|(_, r)| r[0] * r[0] + r[1] * r[1]).sum();
    let variance = squares / freedom;
    let n = pairs.len() as f64;
    let p_family = all.iter().zip(&checked).map(|((_, r), q)| {
        let r = Vector2::from(*r);
        let Some(weight) = q.try_inverse() else { return 1.0 };
        let own = r.dot(&(weight * r));
        // the pair set against a scatter that it took no part in
        let others = ((squares - own) / (freedom - 2.0).max(0.5)).max(FINEST.powi(2));
        if freedom < 3.0 {
            return 1.0;
        }
        let p = f_tail(own / 2.0 / others, 2.0, freedom - 2.0);
        -f64::exp_m1(n * f64::ln_1p(-p.min(1.0 - 1e-12)))
    });
    let sigma = variance.sqrt().max(FINEST);
    // few pairs know their own scatter badly
    let wide = f_quantile(0.95, 1.0, freedom).sqrt() * sigma;
    let corners = [[0.0, 0.0], [size[0], 0.0], [0.0, size[1]], size, [size[0] / 2.0, size[1] / 2.0]];
    let depth = pairs.iter().filter_map(|p| camera.project(&p.point)).map(|d| d.1).sum::<f64>() / n;
    let drawn = corners.iter().filter_map(|c| {
        let rows = rows(&camera, &(camera.pose.translation + camera.ray(*c) * depth), size)?;
        Some(rows.iter().map(|r| r.dot(&(inverse * r))).fold(0.0, f64::max))
    });
    let drawn95 = wide * drawn.fold(0.0, f64::max).sqrt();
    Fit {
        position95: Vec3::from_fn(|k, _| wide * inverse[(k, k)].max(0.0).sqrt()),
        residuals: all.iter().map(|a| a.1).collect(),
        p_family: p_family.collect(),
        drawn95,
        sigma,
        camera,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::UnitQuaternion;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;
    use rand_distr::StandardNormal;

    const SIZE: [f64; 2] = [6000.0, 4000.0];

    /// A camera that looks along y, level, with a lens like those people carry.
    fn camera(rng: &mut ChaCha8Rng) -> Camera {
        let level = UnitQuaternion::from_matrix(&Mat3::new(1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, -1.0, 0.0));
        let turn = Vec3::from_fn(|_, _| rng.random_range(-0.3..0.3));
        Camera {
            pose: Pose {
                rotation: UnitQuaternion::from_scaled_axis(turn) * level,
                translation: Vec3::new(412_000.0, 5_604_000.0, 112.0)
                    + Vec3::from_fn(|_, _| rng.random_range(-2.0..2.0)),
            },
            focal: rng.random_range(0.6..1.6) * SIZE[0],
            centre: [0.5, 0.5].map(|h| h * SIZE[0] + rng.random_range(-40.0..40.0)),
            radial: [rng.random_range(-0.1..0.05), rng.random_range(-0.02..0.02)],
        }
    }

    fn pairs(rng: &mut ChaCha8Rng, camera: &Camera, count: usize, flat: bool, noise: f64) -> Vec<Pair> {
        let mut out = Vec::new();
        while out.len() < count {
            let pixel = [rng.random_range(200.0..5800.0), rng.random_range(200.0..3800.0)];
            let ray = camera.ray(pixel);
            let point = if flat {
                // a wall 8 m before it, askew
                let normal = Vec3::new(0.35, -1.0, 0.05).normalize();
                let range = -8.0 / ray.dot(&normal);
                camera.pose.translation + ray * range
            } else {
                camera.pose.translation + ray * rng.random_range(4.0..20.0)
            };
            let mut pixel = pixel;
            for v in &mut pixel {
                *v += noise * rng.sample::<f64, _>(StandardNormal);
            }
            out.push(Pair { point, pixel });
        }
        out
    }

    fn with_centre(mut c: Camera) -> Camera {
        c.centre[1] = c.centre[0] - SIZE[0] / 2.0 + SIZE[1] / 2.0;
        c
    }

    #[test]
    fn cameras_are_found_and_their_errors_are_those_stated() {
        for flat in [false, true] {
            let (mut inside, mut asked, mut worst) = (0, 0, 0.0_f64);
            for seed in 0..60 {
                let mut rng = ChaCha8Rng::seed_from_u64(seed);
                let truth = with_centre(camera(&mut rng));
                let count = rng.random_range(if flat { 10..20 } else { 8..20 });
                let picked = pairs(&mut rng, &truth, count, flat, 1.0);
                let fit = resect(&picked, SIZE).unwrap();
                for k in 0..3 {
                    let off = (fit.camera.pose.translation[k] - truth.pose.translation[k]).abs();
                    asked += 1;
                    inside += usize::from(off < fit.position95[k]);
                    worst = worst.max(off / fit.position95[k]);
                }
            }
            println!("flat {flat}: {inside} of {asked} inside their 95 %, the worst {worst:.2} times it");
            assert!(inside * 100 >= asked * 88 && worst < 4.0, "{inside} of {asked}, {worst}");
        }
    }

    #[test]
    fn a_photograph_is_placed_within_a_pixel() {
        // twelve pairs picked to half a pixel, looked at where none was picked
        let (mut off, mut inside) = (Vec::new(), 0);
        for seed in 100..140 {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let truth = with_centre(camera(&mut rng));
            let picked = pairs(&mut rng, &truth, 12, false, 0.5);
            let fit = resect(&picked, SIZE).unwrap();
            for p in pairs(&mut rng, &truth, 20, false, 0.0) {
                let at = fit.camera.project(&p.point).unwrap().0;
                let by = (at[0] - p.pixel[0]).hypot(at[1] - p.pixel[1]);
                inside += usize::from(by < fit.drawn95);
                off.push(by);
            }
        }
        off.sort_by(f64::total_cmp);
        let (half, most) = (off[off.len() / 2], off[off.len() * 95 / 100]);
        println!(
            "half within {half:.2} pixels where nothing was picked, 95 % within {most:.2}; {inside} of {} as stated",
            off.len()
        );
        assert!(half < 1.0 && most < 4.0, "{half} {most}");
        assert!(inside * 100 >= off.len() * 93, "{inside} of {}", off.len());
    }

    #[test]
    fn a_pair_that_is_not_the_same_thing_is_named() {
        let mut named = 0;
        for seed in 200..230 {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let truth = with_centre(camera(&mut rng));
            let mut picked = pairs(&mut rng, &truth, 12, false, 1.0);
            picked[5].pixel[0] += 40.0;
            let fit = resect(&picked, SIZE).unwrap();
            let least = (0..12).min_by(|a, b| fit.p_family[*a].total_cmp(&fit.p_family[*b])).unwrap();
            named += usize::from(least == 5 && fit.p_family[5] < 0.01);
        }
        assert!(named >= 27, "{named} of 30");
    }

    #[test]
    fn what_cannot_be_said_is_refused() {
        let mut rng = ChaCha8Rng::seed_from_u64(1);
        let truth = with_centre(camera(&mut rng));
        let few = pairs(&mut rng, &truth, 5, false, 1.0);
        assert_eq!(resect(&few, SIZE).unwrap_err(), ResectError::TooFew(5));
        let line: Vec<Pair> = (0..8)
            .map(|k| Pair { point: Vec3::new(f64::from(k), 5.0, 0.0), pixel: [f64::from(k) * 100.0, 50.0] })
            .collect();
        assert_eq!(resect(&line, SIZE).unwrap_err(), ResectError::InLine);
        let mut wild = pairs(&mut rng, &truth, 12, false, 1.0);
        for p in &mut wild {
            p.pixel = [rng.random_range(0.0..6000.0), rng.random_range(0.0..4000.0)];
        }
        assert!(matches!(resect(&wild, SIZE), Err(ResectError::NoCamera(_))));
    }
}
