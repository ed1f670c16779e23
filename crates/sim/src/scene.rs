use crate::material::Material;
use nalgebra::Vector2;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::plan::{Obstacle, Site};

/// A sphere on a thin post.
#[derive(Clone, Debug)]
pub struct Sphere {
    /// Centre, metres.
    pub centre: Vec3,
    /// Radius, metres.
    pub radius: f64,
    /// Knocked: from this scan on (index in the order taken) the centre is displaced.
    pub knocked: Option<(usize, Vec3)>,
}

/// A flat four-quarter board.
#[derive(Clone, Debug)]
pub struct Board {
    /// Crossing of the quarters, metres.
    pub centre: Vec3,
    /// Unit normal, horizontal.
    pub normal: Vec3,
    /// Half-side, metres.
    pub half: f64,
    /// Turn in its own plane, radians.
    pub turn: f64,
}

/// Somebody who stands in the way during one scan, and is gone in the others.
#[derive(Clone, Copy, Debug)]
pub struct Passer {
    /// The scan (index in the order taken).
    pub epoch: usize,
    /// Where on the plan, metres.
    pub at: [f64; 2],
    /// How tall, metres.
    pub height: f64,
}

/// A thing that stands there during some scans only: it came, went, or was carried elsewhere.
#[derive(Clone, Debug)]
pub struct Standing {
    /// The thing.
    pub thing: Obstacle,
    /// The first scan that it stands there in, and the first that it does not any more (indices in the order taken).
    pub scans: (usize, usize),
}

/// What the simulated scanner looks at. The ground is level.
#[derive(Clone, Debug, Default)]
pub struct Scene {
    /// Walls, obstacles, columns, slabs.
    pub site: Site,
    /// Height of the ground, metres.
    pub ground: f64,
    /// Spheres.
    pub spheres: Vec<Sphere>,
    /// Boards.
    pub boards: Vec<Board>,
    /// People in the way.
    pub passers: Vec<Passer>,
    /// What came, went or was moved.
    pub standing: Vec<Standing>,
    /// Pipes: both ends of the axis and the radius, metres.
    pub pipes: Vec<([Vec3; 2], f64)>,
    /// Mirrors, upright: both ends on the plan, foot and top, metres.
    pub mirrors: Vec<([[f64; 2]; 2], f64, f64)>,
}

impl Scene {
    /// What the wall at a place of the plan is made of: what is low and stands alone is a fence.
    pub(crate) fn wall_at(&self, at: &Vector2<f64>) -> Material {
        let tall = self.site.walls.iter().any(|w| {
            w.top > self.ground + 2.5
                && w.line.windows(2).any(|s| {
                    let (d, p) = (s[1] - s[0], at - s[0]);
                    let along = (p.dot(&d) / d.norm_squared()).clamp(0.0, 1.0);
                    (p - d * along).norm() < 0.06
                })
        });
        if tall { Material::Brick } else { Material::Fence }
    }

    /// Where a sphere stands when scan number `epoch` is taken.
    pub fn sphere_at(&self, sphere: usize, epoch: usize) -> Vec3 {
        let s = &self.spheres[sphere];
        match s.knocked {
            Some((from, shift)) if epoch >= from => s.centre + shift,
            _ => s.centre,
        }
    }
}

/// What really is. Read by tests and by nothing else.
#[derive(Clone, Debug, Default)]
pub struct Truth {
    /// True pose of every scan in the frame of the scene.
    pub poses: Vec<Pose>,
}
