use crate::geometry::Vec3;
use crate::mobile::Unit;
use crate::plan::Bvh;
use nalgebra::Vector2;

/// How much room there is about somebody who walks: it tells the pace.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Space {
    /// A passage, a stair, between machines.
    Tight,
    /// A room, a hall.
    Rooms,
    /// A yard, open ground.
    Open,
}

/// A place that is passed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spot {
    /// Of the unit, metres.
    pub at: Vec3,
    /// Seconds since the walk began.
    pub time: f64,
    /// Metres walked.
    pub walked: f64,
    /// Radians turned, summed up.
    pub turned: f64,
    /// How much room there is.
    pub space: Space,
}

/// A walk from spot to spot.
#[derive(Clone, Debug, Default)]
pub struct Course {
    /// In the order walked.
    pub spots: Vec<Spot>,
    /// Marks that it stands on: which spot, and which mark.
    pub stands: Vec<(usize, usize)>,
    /// Where the line leads through something that stands, metres.
    pub crossed: Vec<Vector2<f64>>,
}

/// Distance of spots, metres.
const STEP: f64 = 0.7;
/// So near a mark a corner of the line stands on it, metres.
const ON: f64 = 0.3;
/// What standing on a mark takes, seconds.
const STANDS: f64 = 8.0;
/// Directions looked in.
const ROUND: usize = 16;
/// Whoever sees less far than this in half of all directions is in a passage; than this, in a room; metres.
const NEAR: [f64; 2] = [1.5, 12.0];

impl Course {
    /// Seconds it takes.
    pub fn seconds(&self) -> f64 {
        self.spots.last().map_or(0.0, |s| s.time)
    }

    /// Metres it is long.
    pub fn metres(&self) -> f64 {
        self.spots.last().map_or(0.0, |s| s.walked)
    }
}

/// Walks along a line of the plan over a floor at a height: as fast as the room about it allows, `pace` (metres a second) at
/// most; stands still for a moment on those of the `marks` (on the ground, metres) that a corner of the line lies on.
pub fn course(bvh: &Bvh, line: &[Vector2<f64>], floor: f64, unit: &Unit, pace: Option<f64>, marks: &[Vec3]) -> Course {
    let high = floor + unit.handling.height;
    let mut out = Course::default();
    let Some(first) = line.first() else { return out };
    let (mut time, mut walked, mut turned) = (0.0, 0.0, 0.0);
    let mut ahead: Option<Vector2<f64>> = None;
    let mut put = |at: Vec3, by: f64, turn: f64| {
        let space = space(bvh, &at);
        let own = unit.handling.pace[space as usize];
        time += by / pace.map_or(own, |p| p.min(own));
        walked += by;
        turned += turn;
        out.spots.push(Spot { at, time, walked, turned, space });
        out.spots.len() - 1
    };
    let mut corners = vec![put(first.push(high), 0.0, 0.0)];
    let mut crossed = Vec::new();
    for leg in line.windows(2) {
        let way = leg[1] - leg[0];
        let long = way.norm();
        if long < 1e-6 {
            corners.push(corners[corners.len() - 1]);
            continue;
        }
        if bvh.blocked(&leg[0].push(high), &leg[1].push(high)) {
            crossed.push((leg[0] + leg[1]) / 2.0);
        }
        let turn = ahead.map_or(0.0, |a| a.angle(&way));
        ahead = Some(way);
        let parts = (long / STEP).ceil().max(1.0) as usize;
        let mut last = 0;
        for k in 1..=parts {
            let at = leg[0] + way * (k as f64 / parts as f64);
            last = put(at.push(high), long / parts as f64, if k == 1 { turn } else { 0.0 });
        }
        corners.push(last);
    }
    out.crossed = crossed;
    corners.dedup();
    for spot in corners {
        let at = out.spots[spot].at;
        let near = |m: &Vec3| (m.xy() - at.xy()).norm() < ON && (m.z - floor).abs() < 1.5;
        let nearest =
            |a: &usize, b: &usize| (marks[*a].xy() - at.xy()).norm().total_cmp(&(marks[*b].xy() - at.xy()).norm());
        if let Some(mark) = (0..marks.len()).filter(|m| near(&marks[*m])).min_by(nearest) {
            out.stands.push((spot, mark));
            out.spots[spot + 1..].iter_mut().for_each(|s| s.time += STANDS);
        }
    }
    out
}

fn space(bvh: &Bvh, at: &Vec3) -> Space {
    let free = |far: f64| {
        let open = |k: &usize| {
            let turn = std::f64::consts::TAU * *k as f64 / ROUND as f64;
            !bvh.blocked(at, &(at + Vec3::new(turn.cos(), turn.sin(), 0.0) * far))
        };
        (0..ROUND).filter(open).count()
    };
    match () {
        () if 2 * free(NEAR[0]) < ROUND => Space::Tight,
        () if 2 * free(NEAR[1]) < ROUND => Space::Rooms,
        () => Space::Open,
    }
}
