use crate::stats::median;
use nalgebra::{Matrix2, Vector2};

/// Surfaces of scans beside one another in a part of a slice.
#[derive(Clone, Debug, PartialEq)]
pub struct Offsets {
    /// The scan that the others are set against: that which shows most there.
    pub beside: usize,
    /// Middle of the surface, in the picture, metres.
    pub middle: [f64; 2],
    /// Unit normal of the surface in the picture: what an offset counts along.
    pub normal: [f64; 2],
    /// Of each scan beside that one; none for itself and where too little is shared.
    pub of: Vec<Option<Offset>>,
}

/// How far the surface of a scan lies beside that of another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Offset {
    /// Along the normal, metres.
    pub distance: f64,
    /// Variance of that by how it scatters along the surface, m².
    pub own: f64,
    /// Stretches that both scans show.
    pub shared: usize,
}

/// Length of the stretches that are set against one another, metres; their number at least and at most.
const STRETCH: f64 = 0.03;
const FEWEST: usize = 6;
const MOST: usize = 40;
/// Fewest points of a scan on a stretch.
const POINTS: usize = 2;
/// A surface is so much longer in the picture than it scatters, 1σ.
const LONG: f64 = 3.0;

/// Sets the surfaces of scans against one another inside a rectangle of the picture (two corners, metres). `points` are those
/// of each scan, as [`super::Cut::place`] gives them.
///
/// The surface is cut into stretches along it; only those that two scans both show are set against one another, as in
/// [`crate::compare`]. None where what is there is no surface: no longer than it scatters.
pub fn offsets(points: &[Vec<[f64; 2]>], from: [f64; 2], to: [f64; 2]) -> Option<Offsets> {
    let inside = |p: &&[f64; 2]| (0..2).all(|k| p[k] >= from[k].min(to[k]) && p[k] <= from[k].max(to[k]));
    let own: Vec<Vec<Vector2<f64>>> =
        points.iter().map(|s| s.iter().filter(inside).map(|p| Vector2::from(*p)).collect()).collect();
    let beside = (0..own.len()).max_by_key(|&k| own[k].len())?;
    let n = own[beside].len();
    if n < FEWEST * POINTS {
        return None;
    }
    // the direction from all, each about its own middle, so that an offset does not turn it
    let mean = |s: &[Vector2<f64>]| s.iter().sum::<Vector2<f64>>() / s.len().max(1) as f64;
    let scatter = own.iter().fold(Matrix2::zeros(), |all, s| {
        let m = mean(s);
        s.iter().fold(all, |all, p| all + (p - m) * (p - m).transpose())
    });
    let eigen = scatter.symmetric_eigen();
    let long = usize::from(eigen.eigenvalues[1] > eigen.eigenvalues[0]);
    if eigen.eigenvalues[long].sqrt() < LONG * eigen.eigenvalues[1 - long].max(0.0).sqrt() {
        return None;
    }
    let along: Vector2<f64> = eigen.eigenvectors.column(long).into();
    let along = if along.x + 1e-9 * along.y < 0.0 { -along } else { along };
    let normal = Vector2::new(-along.y, along.x);
    let middle = mean(&own[beside]);
    let reach = |s: &[Vector2<f64>]| {
        s.iter()
            .map(|p| along.dot(&(p - middle)))
            .fold((f64::INFINITY, f64::NEG_INFINITY), |e, v| (e.0.min(v), e.1.max(v)))
    };
    let (low, high) = reach(&own[beside]);
    let count = (((high - low) / STRETCH) as usize).clamp(FEWEST, MOST);
    let heights: Vec<Vec<Option<f64>>> = own
        .iter()
        .map(|s| {
            let mut bins = vec![Vec::new(); count];
            for p in s {
                let off = p - middle;
                let at = (along.dot(&off) - low) / (high - low).max(1e-9);
                if (0.0..=1.0).contains(&at) {
                    bins[((at * count as f64) as usize).min(count - 1)].push(normal.dot(&off));
                }
            }
            bins.iter_mut().map(|b| if b.len() >= POINTS { median(b) } else { None }).collect()
        })
        .collect();
    let of = (0..own.len()).map(|k| if k == beside { None } else { between(&heights[beside], &heights[k]) });
    Some(Offsets { beside, middle: middle.into(), normal: normal.into(), of: of.collect() })
}

fn between(a: &[Option<f64>], b: &[Option<f64>]) -> Option<Offset> {
    let mut apart: Vec<f64> = a.iter().zip(b).filter_map(|(a, b)| Some((*b)? - (*a)?)).collect();
    let shared = apart.len();
    if shared < FEWEST {
        return None;
    }
    let distance = median(&mut apart)?;
    let mut off: Vec<f64> = apart.iter().map(|d| (d - distance).abs()).collect();
    let scatter = 1.4826 * median(&mut off)?;
    // of a median, from few: π / 2 times that of a mean, and wider as a t is
    let own = std::f64::consts::FRAC_PI_2 * scatter * scatter / (shared as f64 - 3.0);
    Some(Offset { distance, own, shared })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;

    /// Points of two scans on a line through the origin at an angle, with noise, the second shifted along its normal.
    fn walls(seed: u64, angle: f64, shift: f64, noise: f64) -> Vec<Vec<[f64; 2]>> {
        let mut random = ChaCha8Rng::seed_from_u64(seed);
        let (along, normal) = (Vector2::new(angle.cos(), angle.sin()), Vector2::new(-angle.sin(), angle.cos()));
        let mut scan = |count: usize, by: f64| {
            (0..count)
                .map(|_| {
                    let gauss: f64 = (0..12).map(|_| random.random::<f64>()).sum::<f64>() - 6.0;
                    (along * (random.random::<f64>() - 0.5) + normal * (by + noise * gauss)).into()
                })
                .collect()
        };
        vec![scan(300, 0.0), scan(180, shift)]
    }

    proptest! {
        #[test]
        fn a_shift_is_measured_whatever_the_direction(angle in -1.4..1.4, shift in -0.03..0.03, seed in 0_u64..1000) {
            let of = offsets(&walls(seed, angle, shift, 0.001), [-0.6, -0.6], [0.6, 0.6]).unwrap();
            let o = of.of[1].unwrap();
            prop_assert_eq!(of.beside, 0);
            prop_assert!((o.distance - shift).abs() < 5.0 * o.own.sqrt() + 1e-5, "{} {} {}", o.distance, shift, o.own.sqrt());
        }
    }

    #[test]
    fn what_is_stated_covers_what_happens() {
        let misses = (0..400).filter(|&seed| {
            let of = offsets(&walls(seed, 0.3, 0.0, 0.002), [-0.6, -0.6], [0.6, 0.6]).unwrap();
            let o = of.of[1].unwrap();
            o.distance.abs() > crate::stats::K95_1D * o.own.sqrt()
        });
        // 5 % of 400 and three times their scatter
        let misses = misses.count();
        assert!((4..=36).contains(&misses), "{misses} of 400");
    }

    #[test]
    fn a_heap_is_no_surface() {
        let mut random = ChaCha8Rng::seed_from_u64(1);
        let heap: Vec<[f64; 2]> = (0..500).map(|_| [random.random::<f64>(), random.random::<f64>()]).collect();
        assert_eq!(offsets(&[heap.clone(), heap], [0.0, 0.0], [1.0, 1.0]), None);
        assert_eq!(offsets(&[], [0.0, 0.0], [1.0, 1.0]), None);
    }
}
