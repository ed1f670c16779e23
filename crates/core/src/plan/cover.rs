use super::bvh::Bvh;
use super::site::{Demand, Site, Station, Wall, inside};
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use nalgebra::Vector2;
use rayon::prelude::*;

/// Incidence up to which a surface that nothing is asked of counts as seen, radians (70°).
pub const USUAL_INCIDENCE: f64 = 1.221_730_476;

/// Why a station does not cover a sample; the later, the nearer it is to being covered.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum NotCovered {
    /// Something stands in between.
    Hidden,
    /// Above the field of view, or in the blind cone under the tripod.
    BlindCone,
    /// Nearer or farther than the instrument measures.
    Range,
    /// Met at a larger angle than the limit.
    Oblique,
    /// Seen, but the points lie wider apart than required.
    Coarse,
}

/// Which surface a sample lies on: the index among those of its kind.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Surface {
    /// A wall of the site.
    Wall(usize),
    /// A slab of the site.
    Slab(usize),
}

/// A small piece of a surface.
#[derive(Clone, Copy, Debug)]
pub struct Sample {
    /// The surface.
    pub surface: Surface,
    /// Centre, metres.
    pub position: Vec3,
    /// Unit normal; walls are seen from either side, slabs from above.
    pub normal: Vec3,
    /// Extent along the wall (slab: in x) and upward (slab: in y), metres.
    pub size: [f64; 2],
    /// Distance of the centre along the unrolled wall, metres; 0 on slabs.
    pub along: f64,
    /// What is wanted there.
    pub demand: Option<Demand>,
}

impl Sample {
    /// Area, m².
    pub fn area(&self) -> f64 {
        self.size[0] * self.size[1]
    }
}

/// How a station sees a sample that it covers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Seen {
    /// Distance between neighbouring points there, metres.
    pub spacing: f64,
    /// Angle between ray and normal, radians.
    pub incidence: f64,
}

/// What one station covers.
#[derive(Clone, Debug)]
pub struct StationCover {
    /// For each sample, how it is seen, or the reason it is not covered.
    pub samples: Vec<Result<Seen, NotCovered>>,
    /// Area covered, m².
    pub area: f64,
}

impl StationCover {
    /// Whether points fall on a sample at all, dense enough or not.
    pub fn sees(&self, sample: usize) -> bool {
        matches!(self.samples[sample], Ok(_) | Err(NotCovered::Coarse))
    }
}

/// What all stations cover together.
#[derive(Clone, Debug)]
pub struct Cover {
    /// The samples.
    pub samples: Vec<Sample>,
    /// One per station.
    pub stations: Vec<StationCover>,
    /// `overlap[a][b]`: the share of the area that `b` sees and `a` sees too, from the same side, 0..1.
    pub overlap: Vec<Vec<f64>>,
    /// Share of the required area covered at least once, 0..1; `None` when nothing is required.
    pub once: Option<f64>,
    /// Share of the required area covered at least twice.
    pub twice: Option<f64>,
}

impl Cover {
    /// How many stations cover a sample.
    pub fn count(&self, sample: usize) -> usize {
        self.stations.iter().filter(|s| s.samples[sample].is_ok()).count()
    }

    /// The best spacing at a sample and the best incidence, over all stations; when no station
    /// covers it, the reason of the one that comes nearest.
    ///
    /// # Errors
    /// Why no station covers it.
    pub fn best(&self, sample: usize) -> Result<Seen, NotCovered> {
        let all = self.stations.iter().map(|s| s.samples[sample]);
        all.reduce(|a, b| match (a, b) {
            (Ok(a), Ok(b)) => Ok(Seen { spacing: a.spacing.min(b.spacing), incidence: a.incidence.min(b.incidence) }),
            (Ok(a), Err(_)) => Ok(a),
            (Err(_), Ok(b)) => Ok(b),
            (Err(a), Err(b)) => Err(a.max(b)),
        })
        .unwrap_or(Err(NotCovered::Hidden))
    }
}

/// Computes what the stations cover, sample by sample.
///
/// Walls (their solid parts) and slabs are cut into pieces of about `grid` metres. A piece is
/// covered when its centre is in range and field of view, met at no more than the limit, in line of
/// sight, and no coarser than required.
pub fn cover(site: &Site, stations: &[Station], instrument: &Instrument, grid: f64) -> Cover {
    let bvh = Bvh::new(site);
    let samples = sample(site, grid);
    let seen: Vec<StationCover> = stations.par_iter().map(|s| look_round(&bvh, &samples, s, instrument)).collect();
    let overlap = overlap(&samples, stations, &seen);
    let (once, twice) = (share(&samples, &seen, 1), share(&samples, &seen, 2));
    Cover { samples, stations: seen, overlap, once, twice }
}

/// What one station covers of some samples.
pub fn look_round(bvh: &Bvh, samples: &[Sample], station: &Station, instrument: &Instrument) -> StationCover {
    let set = station.set(instrument);
    let seen: Vec<_> = samples.par_iter().with_min_len(512).map(|p| look(bvh, &station.position, p, &set)).collect();
    let area = seen.iter().zip(samples).filter(|(c, _)| c.is_ok()).map(|(_, p)| p.area()).sum();
    StationCover { samples: seen, area }
}

/// Share of the required area covered at least so many times; `None` when nothing is required.
fn share(samples: &[Sample], seen: &[StationCover], times: usize) -> Option<f64> {
    let (mut total, mut covered) = (0.0, 0.0);
    for (i, s) in samples.iter().enumerate().filter(|(_, s)| s.demand.is_some()) {
        total += s.area();
        if seen.iter().filter(|c| c.samples[i].is_ok()).take(times).count() == times {
            covered += s.area();
        }
    }
    (total > 0.0).then(|| covered / total)
}

/// What a station sees as a bit set: two bits a sample, one for each side. Two stations on the two
/// sides of a wall see two faces, which tie nothing together.
pub(super) fn faces(samples: &[Sample], from: &Vec3, seen: &StationCover) -> Vec<u64> {
    let mut set = vec![0u64; (2 * samples.len()).div_ceil(64)];
    for i in (0..samples.len()).filter(|&i| seen.sees(i)) {
        let k = 2 * i + usize::from((samples[i].position - from).dot(&samples[i].normal) > 0.0);
        set[k / 64] |= 1 << (k % 64);
    }
    set
}

/// For each pair, the share of what the second sees that the first sees too. Bit sets: for hundreds
/// of stations this is most of the work.
fn overlap(samples: &[Sample], stations: &[Station], seen: &[StationCover]) -> Vec<Vec<f64>> {
    let sets: Vec<Vec<u64>> = stations.par_iter().zip(seen).map(|(s, c)| faces(samples, &s.position, c)).collect();
    let words = sets.first().map_or(0, Vec::len);
    let area_of = |mut word: u64, w: usize| {
        let mut area = 0.0;
        while word != 0 {
            // two faces a sample
            area += samples[w * 32 + word.trailing_zeros() as usize / 2].area();
            word &= word - 1;
        }
        area
    };
    let common = |a: &[u64], b: &[u64]| -> f64 { (0..words).map(|w| area_of(a[w] & b[w], w)).sum() };
    let areas: Vec<f64> = sets.iter().map(|s| common(s, s)).collect();
    let half: Vec<Vec<f64>> =
        (0..sets.len()).into_par_iter().map(|a| (0..=a).map(|b| common(&sets[a], &sets[b])).collect()).collect();
    let both = |a: usize, b: usize| if a >= b { half[a][b] } else { half[b][a] };
    let of = |a: usize, b: usize| if areas[b] > 0.0 { both(a, b) / areas[b] } else { 0.0 };
    (0..sets.len()).map(|a| (0..sets.len()).map(|b| of(a, b)).collect()).collect()
}

/// Samples of a site at most: 25 000 square metres at 0.25 m. What is larger is looked at more coarsely, so that no
/// drawing takes more memory or time than this.
pub(super) const MOST_SAMPLES: f64 = 4e5;

/// The spacing that a site is sampled at: `grid`, or as much coarser as [`MOST_SAMPLES`] asks for, metres.
pub(super) fn spacing_of(site: &Site, grid: f64) -> f64 {
    let walls = site.walls.iter().flat_map(Wall::pieces).map(|[from, to, base, top]| [to - from, top - base]);
    // the whole box about a floor is walked through
    let slabs = site.slabs.iter().filter_map(|s| {
        let first = s.outline.first()?;
        let (low, high) = s.outline.iter().fold((*first, *first), |(a, b), p| (a.inf(p), b.sup(p)));
        Some([high.x - low.x, high.y - low.y])
    });
    let (area, sides) = walls.chain(slabs).fold((0.0, 0.0), |(area, sides), [a, b]| (area + a * b, sides + a + b));
    // a piece begun counts whole: (a/g + 1)(b/g + 1) of each, all together the most
    grid.max((sides + (sides * sides + 4.0 * area * MOST_SAMPLES).sqrt()) / (2.0 * MOST_SAMPLES))
}

/// Cuts the surfaces of a site into pieces of about `grid` metres, of a very large one into coarser ones
/// ([`spacing_of`]).
pub fn sample(site: &Site, grid: f64) -> Vec<Sample> {
    let mut out = Vec::new();
    let grid = spacing_of(site, grid);
    let parts = |length: f64| (length / grid).ceil().max(1.0);
    for (k, w) in site.walls.iter().enumerate() {
        for [from, to, base, top] in w.pieces() {
            let (nu, nv) = (parts(to - from), parts(top - base));
            let size = [(to - from) / nu, (top - base) / nv];
            for i in 0..nu as usize {
                let along = from + size[0] * (i as f64 + 0.5);
                let Some((foot, d)) = w.point_at(along) else { continue };
                for j in 0..nv as usize {
                    out.push(Sample {
                        surface: Surface::Wall(k),
                        position: foot.push(base + size[1] * (j as f64 + 0.5)),
                        normal: Vec3::new(d.y, -d.x, 0.0),
                        size,
                        along,
                        demand: w.demand,
                    });
                }
            }
        }
    }
    for (k, s) in site.slabs.iter().enumerate() {
        let Some(first) = s.outline.first() else { continue };
        let (low, high) = s.outline.iter().fold((*first, *first), |(a, b), p| (a.inf(p), b.sup(p)));
        let (nu, nv) = (parts(high.x - low.x), parts(high.y - low.y));
        let size = [(high.x - low.x) / nu, (high.y - low.y) / nv];
        for i in 0..nu as usize {
            for j in 0..nv as usize {
                let at = low + Vector2::new(size[0] * (i as f64 + 0.5), size[1] * (j as f64 + 0.5));
                if inside(&s.outline, &at) {
                    let position = at.push(s.height);
                    out.push(Sample {
                        surface: Surface::Slab(k),
                        position,
                        normal: Vec3::z(),
                        size,
                        along: 0.0,
                        demand: s.demand,
                    });
                }
            }
        }
    }
    out
}

/// How one sample is seen from a place.
fn look(bvh: &Bvh, from: &Vec3, sample: &Sample, instrument: &Instrument) -> Result<Seen, NotCovered> {
    let d = sample.position - from;
    let range = d.norm();
    if range < instrument.min_range || range > instrument.max_range {
        return Err(NotCovered::Range);
    }
    let elevation = (d.z / range).asin();
    if elevation < instrument.elevation_min || elevation > instrument.elevation_max {
        return Err(NotCovered::BlindCone);
    }
    let facing = -sample.normal.dot(&d) / range;
    let cos_incidence = if matches!(sample.surface, Surface::Slab(_)) { facing } else { facing.abs() };
    if cos_incidence < sample.demand.map_or(USUAL_INCIDENCE, |d| d.incidence).cos() {
        return Err(NotCovered::Oblique);
    }
    if bvh.blocked(from, &sample.position) {
        return Err(NotCovered::Hidden);
    }
    let spacing = instrument.spacing(range, cos_incidence);
    if sample.demand.is_some_and(|d| spacing > d.spacing) {
        return Err(NotCovered::Coarse);
    }
    Ok(Seen { spacing, incidence: cos_incidence.min(1.0).acos() })
}

#[cfg(test)]
mod tests {
    use super::super::{Column, Opening, Slab};
    use super::*;

    fn wall(id: usize, a: (f64, f64), b: (f64, f64)) -> Wall {
        let line = vec![Vector2::new(a.0, a.1), Vector2::new(b.0, b.1)];
        Wall { demand: Some(Demand::spaced(0.05)), ..Wall::plain(id, line, 0.0, 3.0) }
    }

    fn of(walls: Vec<Wall>) -> Site {
        Site { walls, ..Site::default() }
    }

    /// 900 km of wall, 100 km high, asked for 1.4 million million samples.
    #[test]
    fn no_drawing_takes_more_than_so_many_samples() {
        let long = Wall { top: 1e5, ..wall(0, (0.0, 0.0), (9e5, 0.0)) };
        let outline = [(0.0, 0.0), (9e5, 9e5), (9e5, 9e5 - 1.0)].map(|(x, y)| Vector2::new(x, y)).to_vec();
        let floor = Slab { outline, height: 0.0, demand: None };
        let thin = Wall { top: 0.1, ..long.clone() };
        for site in [of(vec![long]), of(vec![thin]), Site { slabs: vec![floor], ..Site::default() }] {
            let n = sample(&site, 0.25).len();
            assert!(n as f64 <= MOST_SAMPLES + 10.0, "{n}");
        }
        let hall = of(vec![wall(0, (0.0, 0.0), (100.0, 0.0))]);
        assert!((spacing_of(&hall, 0.25) - 0.25).abs() < 1e-12, "a site of usual size keeps its grid");
    }

    fn area(c: &Cover, station: usize, is: impl Fn(&Result<Seen, NotCovered>) -> bool) -> f64 {
        c.samples.iter().zip(&c.stations[station].samples).filter(|(_, s)| is(s)).map(|(p, _)| p.area()).sum()
    }

    /// A wall seen from 2 m, along to where the ray meets it at 70°, or the spacing runs out.
    #[test]
    fn one_wall_is_covered_as_far_as_the_angle_allows() {
        let site = of(vec![wall(0, (-20.0, 2.0), (20.0, 2.0))]);
        let c = cover(&site, &[Station::at("S1", Vec3::new(0.0, 0.0, 1.5))], &Instrument::mid_range(), 0.05);
        // the circle of 70° about the foot: z between 0 and 3 is nearly flat at this distance
        let reach = |z: f64| ((2.0 * 70.0_f64.to_radians().tan()).powi(2) - z * z).sqrt();
        let exact: f64 = (0..600).map(|k| 2.0 * reach(-1.5 + 0.005 * f64::from(k)) * 0.005).sum();
        assert!((area(&c, 0, Result::is_ok) / exact - 1.0).abs() < 0.01, "{} of {exact}", area(&c, 0, Result::is_ok));
        // what is not covered is all of it too oblique
        let all = 40.0 * 3.0;
        assert!((area(&c, 0, |s| *s == Err(NotCovered::Oblique)) - (all - exact)).abs() < 0.01 * all);
    }

    /// A column's shadow on a wall, between the tangents.
    #[test]
    fn the_shadow_of_a_column_lies_between_its_tangents() {
        let column = Column { centre: Vector2::new(0.0, 3.0), radius: 0.25, base: 0.0, top: 3.0 };
        let site = Site { columns: vec![column], ..of(vec![wall(0, (-8.0, 9.0), (8.0, 9.0))]) };
        let c = cover(&site, &[Station::at("S1", Vec3::new(0.0, 0.0, 1.5))], &Instrument::mid_range(), 0.02);
        let exact = 3.0 * 2.0 * 9.0 * (0.25_f64 / 3.0).asin().tan();
        let hidden = area(&c, 0, |s| *s == Err(NotCovered::Hidden));
        assert!((hidden - exact).abs() < 0.13, "{hidden} of {exact}");
        assert!((c.once.unwrap() - (48.0 - exact) / 48.0).abs() < 0.005);
    }

    /// Two walls at a corner, the near one hides a wedge of the far one.
    #[test]
    fn a_corner_hides_a_wedge() {
        let site = of(vec![wall(0, (1.0, 2.0), (1.0, 10.0)), wall(1, (-6.0, 10.0), (8.0, 10.0))]);
        let c = cover(&site, &[Station::at("S1", Vec3::new(0.0, 0.0, 1.5))], &Instrument::mid_range(), 0.05);
        let hidden: f64 = (0..c.samples.len())
            .filter(|&i| c.samples[i].surface == Surface::Wall(1))
            .filter(|&i| c.stations[0].samples[i] == Err(NotCovered::Hidden))
            .map(|i| c.samples[i].area())
            .sum();
        // from the end of the near wall (1, 2) the shadow runs to x = 5, from its far end (1, 10) it begins at x = 1
        assert!((hidden - 4.0 * 3.0).abs() < 0.2, "{hidden}");
    }

    /// Under the tripod lies a disc that the scanner cannot see.
    #[test]
    fn the_blind_cone_is_a_disc_on_the_floor() {
        let corners = [(-6.0, -6.0), (6.0, -6.0), (6.0, 6.0), (-6.0, 6.0)];
        let outline = corners.iter().map(|p| Vector2::new(p.0, p.1)).collect();
        let wanted = Demand { incidence: 1.55, ..Demand::spaced(0.5) };
        let site = Site { slabs: vec![Slab { outline, height: 0.0, demand: Some(wanted) }], ..Site::default() };
        let instrument = Instrument::mid_range();
        let c = cover(&site, &[Station::at("S1", Vec3::new(0.0, 0.0, 1.6))], &instrument, 0.05);
        let radius = 1.6 / (-instrument.elevation_min).tan();
        let blind = area(&c, 0, |s| *s == Err(NotCovered::BlindCone));
        let exact = std::f64::consts::PI * radius * radius;
        assert!((blind / exact - 1.0).abs() < 0.02, "{blind} of {exact}");
        // from below, a floor is not seen at all
        let c = cover(&site, &[Station::at("S1", Vec3::new(0.0, 0.0, -1.6))], &instrument, 0.5);
        assert!(c.stations[0].samples.iter().all(Result::is_err));
    }

    /// Through a door one sees as much of the wall behind as similar triangles say.
    #[test]
    fn through_a_door_one_sees_a_strip() {
        let door = Opening { name: "D1".into(), at: 6.0, width: 1.0, sill: 0.0, head: 2.5 };
        let front = Wall { openings: vec![door], ..wall(0, (-6.0, 2.0), (6.0, 2.0)) };
        let mut behind = wall(1, (-8.0, 6.0), (8.0, 6.0));
        behind.top = 2.0;
        let c = cover(
            &of(vec![front, behind]),
            &[Station::at("S1", Vec3::new(0.0, 0.0, 1.0))],
            &Instrument::mid_range(),
            0.05,
        );
        let seen: f64 = (0..c.samples.len())
            .filter(|&i| c.samples[i].surface == Surface::Wall(1) && c.stations[0].sees(i))
            .map(|i| c.samples[i].area())
            .sum();
        // one metre at 2 m opens three at 6 m
        assert!((seen - 3.0 * 2.0).abs() < 0.15, "{seen}");
        let solid: f64 = c.samples.iter().filter(|s| s.surface == Surface::Wall(0)).map(Sample::area).sum();
        assert!((solid - (36.0 - 2.5)).abs() < 1e-9);
    }

    /// Two rooms with a closed wall between them share nothing: they see its two faces.
    #[test]
    fn there_is_no_overlap_through_a_wall() {
        let site = of(vec![
            wall(0, (0.0, -4.0), (0.0, 4.0)),
            wall(1, (-5.0, -4.0), (-5.0, 4.0)),
            wall(2, (5.0, -4.0), (5.0, 4.0)),
        ]);
        let at = |x: f64| Station::at("S", Vec3::new(x, 0.0, 1.5));
        let c = cover(&site, &[at(-2.5), at(2.5)], &Instrument::mid_range(), 0.1);
        for (i, s) in c.samples.iter().enumerate() {
            assert_eq!(c.stations[0].sees(i) && c.stations[1].sees(i), s.surface == Surface::Wall(0), "{s:?}");
        }
        assert!(c.overlap[0][1].abs() < 1e-12);
        // on the same side, the common wall is common
        let c = cover(&site, &[at(-2.5), at(-1.5)], &Instrument::mid_range(), 0.1);
        assert!(c.overlap[0][1] > 0.9);
    }
}
