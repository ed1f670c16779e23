use super::bvh::Bvh;
use super::site::{Site, Station};
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::targets::{DEPENDABLE_HITS, Fault, configuration, predicted_sphere_covariance, usable_distance};
use nalgebra::{Matrix6, Vector2};
use rayon::prelude::*;
use std::cmp::Ordering;

/// Height of a sphere's centre on its tripod above the ground of the station, metres; every third
/// stands higher, so that no two patterns are alike.
const HEIGHTS: [f64; 3] = [1.2, 1.5, 1.8];

/// One move of the instrument.
#[derive(Clone, Debug, PartialEq)]
pub struct Move {
    /// The station moved to (index).
    pub station: usize,
    /// Spheres that stay where they are (numbers from 0), seen from here and from the station before.
    pub stay: Vec<usize>,
    /// Spheres that are carried, and where to.
    pub carry: Vec<(usize, Vec3)>,
    /// Where every sphere stands while this scan is taken.
    pub places: Vec<Vec3>,
    /// Predicted 95 % error of this station's position against the one before, from the spheres that
    /// stay, metres; `None` for the first.
    pub tie95: Option<f64>,
    /// What is wrong with the spheres that stay.
    pub faults: Vec<Fault>,
}

/// A leapfrog that cannot go on.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum LeapfrogError {
    /// Fewer than four spheres: three must stay, and one be free to carry.
    #[error("found {0} spheres in stock, expected at least 4: three stay at every move")]
    Stock(usize),
    /// Nowhere to put three spheres that both stations see.
    #[error(
        "between {from} and {to} there is no place for three spheres that both see within {reach:.0} m; a station in between is needed"
    )]
    Apart {
        /// Station left.
        from: String,
        /// Station moved to.
        to: String,
        /// How far a sphere can stand from the scanner, metres.
        reach: f64,
    },
    /// There are places between them, but the spheres that must stay behind are too many of the stock.
    #[error(
        "from {from} to {to} too few of the {stock} spheres are free to be carried ahead, as three must stay at every move; with 6 or more, or stations nearer to one another, it goes on"
    )]
    TooFewFree {
        /// Station left.
        from: String,
        /// Station moved to.
        to: String,
        /// Spheres in stock.
        stock: usize,
    },
}

/// Plans which spheres stay and which are carried at every move, for open ground without geometry.
///
/// At each move three spheres or more must be measured from both the station left and the one moved
/// to. Going backwards from what the next move needs, the free spheres are put where the two
/// stations they will serve both see them, one after another so that the predicted error of the tie
/// becomes smallest (greedy on the trace of the pose covariance).
///
/// # Errors
/// [`LeapfrogError`], naming the stations.
pub fn leapfrog(
    site: &Site,
    stations: &[Station],
    spheres: usize,
    radius: f64,
    instrument: &Instrument,
) -> Result<Vec<Move>, LeapfrogError> {
    if spheres < 4 {
        return Err(LeapfrogError::Stock(spheres));
    }
    let walk = Walk { site, stations, radius, instrument, bvh: Bvh::new(site) };
    let mut moves: Vec<Move> = Vec::new();
    let mut places: Vec<Option<Vec3>> = vec![None; spheres];
    for k in 0..stations.len() {
        // what ties this station to the one before stands already
        let before = k.checked_sub(1);
        let next = (k + 1 < stations.len()).then_some(k + 1);
        let ties: Vec<(usize, Vec3, Mat3)> = before.map_or_else(Vec::new, |b| {
            (0..spheres).filter_map(|i| places[i].and_then(|p| Some((i, p, walk.serves(b, k, &p)?)))).collect()
        });
        if let Some(b) = before
            && ties.len() < 3
        {
            let (from, to) = (stations[b].name.clone(), stations[k].name.clone());
            let feet = places_between(site, &stations[b], &stations[k], walk.ground(b));
            let height = walk.ground(b) + HEIGHTS[0];
            let possible = feet.iter().filter(|f| walk.serves(b, k, &f.push(height)).is_some()).count();
            return Err(if possible >= 3 {
                LeapfrogError::TooFewFree { from, to, stock: spheres }
            } else {
                LeapfrogError::Apart { from, to, reach: usable_distance(radius, DEPENDABLE_HITS, instrument) }
            });
        }
        let stay = walk.stay(k, next, &ties, &places);
        let carry = next.map_or_else(Vec::new, |n| walk.carry(k, n, &stay, &mut places));
        let tied: Vec<(Vec3, Mat3)> = ties.iter().filter(|t| stay.contains(&t.0)).map(|t| (t.1, t.2)).collect();
        let seen: Vec<Vec3> = tied.iter().map(|t| t.0).collect();
        let reach = seen.iter().map(|p| (p - stations[k].position).norm()).fold(0.0, f64::max);
        moves.push(Move {
            station: k,
            faults: if k == 0 { Vec::new() } else { configuration(&seen, reach).faults },
            tie95: (k > 0).then(|| position95(&tied, &stations[k].position)).flatten(),
            stay,
            carry,
            places: places.iter().flatten().copied().collect(),
        });
    }
    Ok(moves)
}

/// The stations that are walked, and what can be measured from them.
struct Walk<'a> {
    site: &'a Site,
    stations: &'a [Station],
    radius: f64,
    instrument: &'a Instrument,
    bvh: Bvh,
}

impl Walk<'_> {
    fn ground(&self, s: usize) -> f64 {
        self.stations[s].position.z - 1.6
    }

    /// Covariance of a sphere's centre as a station measures it; `None` when it cannot.
    fn measured(&self, s: usize, at: &Vec3) -> Option<Mat3> {
        let p = at - self.stations[s].position;
        let elevation = (p.z / p.norm()).asin();
        (elevation > self.instrument.elevation_min
            && elevation < self.instrument.elevation_max
            && !self.bvh.blocked(&self.stations[s].position, at))
        .then(|| predicted_sphere_covariance(&p, self.radius, self.instrument))
        .flatten()
    }

    /// What a place is worth between two stations.
    fn serves(&self, a: usize, b: usize, at: &Vec3) -> Option<Mat3> {
        Some(self.measured(a, at)? + self.measured(b, at)?)
    }

    /// Of the three spheres that stay, so many must serve the move after as well: with six in stock none, three are free.
    fn going_on(stock: usize) -> usize {
        6_usize.saturating_sub(stock)
    }

    /// Spheres that stay: the three that tie best, enough of them for the next move, and any others that it can use.
    fn stay(&self, k: usize, next: Option<usize>, ties: &[(usize, Vec3, Mat3)], places: &[Option<Vec3>]) -> Vec<usize> {
        let again = |i: usize| next.is_some_and(|n| places[i].is_some_and(|p| self.serves(k, n, &p).is_some()));
        let wanted = if next.is_some() { Self::going_on(places.len()) } else { 0 };
        let mut stay: Vec<usize> = Vec::new();
        while stay.len() < 3.min(ties.len()) {
            let with = |i: usize| -> Vec<(Vec3, Mat3)> {
                ties.iter().filter(|t| t.0 == i || stay.contains(&t.0)).map(|t| (t.1, t.2)).collect()
            };
            let value = |i: usize| cost(&with(i), &self.stations[k].position);
            let missing = wanted.saturating_sub(stay.iter().filter(|&&i| again(i)).count());
            let only = missing >= 3 - stay.len();
            let left = ties.iter().map(|t| t.0).filter(|i| !stay.contains(i));
            // what goes on comes first once no choice is left
            let best = left.min_by(|a, b| {
                (only && !again(*a), value(*a)).partial_cmp(&(only && !again(*b), value(*b))).unwrap_or(Ordering::Equal)
            });
            let Some(best) = best else { break };
            stay.push(best);
        }
        stay.extend(ties.iter().map(|t| t.0).filter(|&i| again(i)).filter(|i| !stay.contains(i)).collect::<Vec<_>>());
        stay.sort_unstable();
        stay
    }

    /// Carries the spheres that do not stay to where they tie station `k` to the next best.
    fn carry(&self, k: usize, next: usize, stay: &[usize], places: &mut [Option<Vec3>]) -> Vec<(usize, Vec3)> {
        let mut carry: Vec<(usize, Vec3)> = Vec::new();
        let mut held: Vec<(Vec3, Mat3)> =
            stay.iter().filter_map(|&i| places[i].and_then(|p| Some((p, self.serves(k, next, &p)?)))).collect();
        let feet = places_between(self.site, &self.stations[k], &self.stations[next], self.ground(k));
        let after = (next + 1 < self.stations.len()).then_some(next + 1);
        let goes_on = |p: &Vec3| after.is_none_or(|a| self.serves(next, a, p).is_some());
        for i in (0..places.len()).filter(|i| !stay.contains(i)) {
            // with a small stock what is put down here must serve the move after too
            let missing = Self::going_on(places.len()).saturating_sub(held.iter().filter(|h| goes_on(&h.0)).count());
            let height = self.ground(k) + HEIGHTS[i % HEIGHTS.len()];
            let clear = |p: &Vec3| {
                let others = (0..places.len()).filter(|&j| j != i).filter_map(|j| places[j]);
                held.iter().map(|h| h.0).chain(others).all(|q| (q.xy() - p.xy()).norm() > 1.5)
            };
            let best = feet
                .par_iter()
                .map(|f| f.push(height))
                .filter(|at| clear(at))
                .filter_map(|at| Some((at, self.serves(k, next, &at)?)))
                .map(|(at, c)| {
                    let mut with = held.clone();
                    with.push((at, c));
                    (missing > 0 && !goes_on(&at), cost(&with, &self.stations[next].position), at, c)
                })
                .min_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
            let Some((_, _, at, cov)) = best else { continue };
            carry.push((i, at));
            held.push((at, cov));
            places[i] = Some(at);
        }
        carry
    }
}

/// Information of a pose about `origin` from targets measured with these covariances (levelling
/// holds the tilts).
fn information(targets: &[(Vec3, Mat3)], origin: &Vec3) -> Matrix6<f64> {
    let mut n = Matrix6::zeros();
    for (p, c) in targets {
        let Some(w) = c.try_inverse() else { continue };
        let mut j = nalgebra::Matrix3x6::identity();
        j.fixed_view_mut::<3, 3>(0, 3).copy_from(&-crate::geometry::skew(&(p - origin)));
        n += j.transpose() * w * j;
    }
    // a compensator of 3″ in both scans
    let level = 1.0 / (2.0 * 1.454e-5_f64.powi(2));
    n[(3, 3)] += level;
    n[(4, 4)] += level;
    n
}

/// What the next sphere should make smaller: the variance of the position and of the heading at 15 m.
fn cost(targets: &[(Vec3, Mat3)], origin: &Vec3) -> f64 {
    let mut n = information(targets, origin);
    // one sphere alone does not hold a pose: a weak hold keeps the comparison finite
    for k in 0..6 {
        n[(k, k)] += 1.0;
    }
    // a pattern in a line or like itself costs as much as a tie several times as weak
    let places: Vec<Vec3> = targets.iter().map(|t| t.0).collect();
    let faults = if places.len() < 3 { 0 } else { configuration(&places, 0.0).faults.len() };
    let variance = n.try_inverse().map_or(f64::MAX, |c| c[(0, 0)] + c[(1, 1)] + c[(2, 2)] + 225.0 * c[(5, 5)]);
    variance * (1 + 8 * faults) as f64
}

fn position95(targets: &[(Vec3, Mat3)], origin: &Vec3) -> Option<f64> {
    let c = information(targets, origin).try_inverse()?;
    Some(crate::geometry::Error95::from_covariance(&c.fixed_view::<3, 3>(0, 0).into_owned()).spatial)
}

/// Places for spheres about two stations: rings round the line between them, clear of what stands.
pub(super) fn places_between(site: &Site, a: &Station, b: &Station, ground: f64) -> Vec<Vector2<f64>> {
    let (p, q) = (a.position.xy(), b.position.xy());
    let along = q - p;
    let length = along.norm().max(1.0);
    let (d, across) = (along / length, Vector2::new(-along.y, along.x) / length);
    let mut out = Vec::new();
    for i in -2..=12 {
        for j in -6..=6 {
            // not on a regular lattice: equal distances make scans ambiguous
            let (fi, fj) = (f64::from(i), f64::from(j));
            let off = Vector2::new((fi * 1.7 + fj * 0.9).sin(), (fj * 2.3 - fi * 1.1).cos()) * 0.35;
            let at = p + d * (length * fi / 10.0) + across * (length * fj / 10.0) + off;
            let clear = |s: &Station| (s.position.xy() - at).norm() > 2.0;
            if clear(a) && clear(b) && site.is_free(&at, ground, ground + 1.9, 0.4) {
                out.push(at);
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Across an open yard with six spheres: three stay at every move, seen by both, in no line, and
    /// no sphere is in two places.
    #[test]
    fn three_stay_at_every_move() {
        let stations: Vec<Station> = (0..7)
            .map(|k| {
                let k = f64::from(k);
                Station::at(&format!("S{}", k + 1.0), Vec3::new(14.0 * k, 4.0 * (k * 0.8).sin(), 1.62))
            })
            .collect();
        let instrument = Instrument::mid_range();
        let moves = leapfrog(&Site::default(), &stations, 6, 0.1, &instrument).unwrap();
        assert_eq!(moves.len(), 7);
        let mut places: Vec<Option<Vec3>> = vec![None; 6];
        for (k, m) in moves.iter().enumerate() {
            if k > 0 {
                assert!(m.stay.len() >= 3, "{m:?}");
                for &i in &m.stay {
                    for s in [k - 1, k] {
                        let p = places[i].unwrap() - stations[s].position;
                        assert!(predicted_sphere_covariance(&p, 0.1, &instrument).is_some());
                    }
                }
                assert!(m.tie95.unwrap() < 0.004, "{:?}", m.tie95);
                assert!(!m.faults.contains(&Fault::InLine) && !m.faults.contains(&Fault::Ambiguous), "{m:?}");
            }
            assert!(m.carry.iter().all(|c| !m.stay.contains(&c.0)));
            for (i, at) in &m.carry {
                places[*i] = Some(*at);
            }
        }
        assert!(matches!(leapfrog(&Site::default(), &stations, 3, 0.1, &instrument), Err(LeapfrogError::Stock(3))));
        let far = [stations[0].clone(), Station::at("Far", Vec3::new(150.0, 0.0, 1.6))];
        let said = leapfrog(&Site::default(), &far, 6, 0.1, &instrument).unwrap_err().to_string();
        assert!(said.contains("between S1 and Far there is no place"), "{said}");
    }
}
