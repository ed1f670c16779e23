use crate::scene::{Board, Passer, Scene, Sphere, Standing, Truth};
use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Column, Demand, Obstacle, Site, Wall};

/// The terrestrial part of the demo job: the Corvane Roundhouse with its workshop wing.
pub struct Roundhouse {
    /// What stands there, in plan coordinates.
    pub scene: Scene,
    /// True poses in plan coordinates.
    pub truth: Truth,
    /// The scanner.
    pub instrument: Instrument,
    /// Stations as planned: name and centre of the instrument, plan coordinates.
    pub stations: Vec<(String, Vec3)>,
    /// Planned targets: name, centre, sphere or board.
    pub targets: Vec<(String, Vec3, bool)>,
    /// Grid coordinates (E, N, H) of the plan's origin, metres.
    pub origin: Vec3,
    /// Surveyed control: name, grid coordinates with their survey error, index into `targets`.
    pub control: Vec<(String, Vec3, usize)>,
    /// Nails in the ground of the yard: name, place on the plan, surveyed grid coordinates, metres. Scans do not see them.
    pub nails: Vec<(String, Vec3, Vec3)>,
    /// Standard deviation of the control, metres.
    pub control_sigma: Vec3,
}

impl Roundhouse {
    /// Where a place of the plan truly is on the grid, metres.
    pub fn on_grid(&self, p: &Vec3) -> Vec3 {
        self.origin + scaled(p)
    }

    /// A way on the plan (places of a mobile unit, metres) with a stand on each nail that a corner of it lies by, as well as a hand
    /// sets a unit down; and of each stand the nail and how high over it the unit was.
    pub fn set_down(&self, way: &[Vec3], seed: u64) -> (Vec<Vec3>, Vec<(String, f64)>) {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut off = || HAND * rng.sample::<f64, _>(StandardNormal);
        let (mut out, mut stands) = (Vec::new(), Vec::new());
        for corner in way {
            if let Some((name, at, _)) = self.nails.iter().find(|n| (n.1.xy() - corner.xy()).norm() < BY) {
                let height = corner.z - at.z;
                let here = at + Vec3::new(off(), off(), height + off());
                out.extend([here, here]);
                stands.push((name.clone(), height));
            } else if out.last() != Some(corner) {
                out.push(*corner);
            }
        }
        (out, stands)
    }
}

/// From the plan's origin, on the grid.
fn scaled(p: &Vec3) -> Vec3 {
    Vec3::new(p.x * GRID_FACTOR, p.y * GRID_FACTOR, p.z)
}

const BAYS: usize = 9;
/// What a length on site is on the grid at the invented place (EPSG:25832, E 412 350, N 5 604 820, 87 m):
/// point scale 0.999694342041 and height factor 0.999986368642, by an independent library.
const GRID_FACTOR: f64 = 0.999_680_714_850;

/// A corner of a way lies by a nail, and what a hand is off that sets a unit down on it (1σ each way), metres.
const BY: f64 = 0.3;
const HAND: f64 = 0.004;
/// Nails in the yard, places on the plan, metres.
const NAILS: [[f64; 2]; 5] = [[-13.0, -11.3], [13.0, -11.3], [-12.0, -18.7], [12.0, -18.7], [0.0, -21.8]];

/// A crate of 1.2 by 0.8 by 0.9 metres.
fn a_crate(x: f64, y: f64) -> Obstacle {
    let outline = [(0.0, 0.0), (1.2, 0.0), (1.2, 0.8), (0.0, 0.8)].map(|p| Vector2::new(x + p.0, y + p.1)).to_vec();
    Obstacle { outline, base: 0.0, top: 0.9 }
}

/// Builds the scene: a ring of alike bays with spheres and boards, and a wing without any. The third sphere is knocked between the fourth and the fifth scan.
pub fn roundhouse() -> Roundhouse {
    let mut rng = ChaCha8Rng::seed_from_u64(1897);
    let instrument = Instrument::mid_range();
    let at = |r: f64, degrees: f64| {
        let (s, c) = degrees.to_radians().sin_cos();
        Vector2::new(r * c, r * s)
    };
    let bay = 22.0;
    let first = 90.0 - bay * BAYS as f64 / 2.0;
    let mut walls = Vec::new();
    let mut wall = |line: Vec<Vector2<f64>>, top: f64, spacing: Option<f64>| {
        walls.push(Wall { demand: spacing.map(Demand::spaced), ..Wall::plain(walls.len(), line, 0.0, top) });
    };
    // back wall: one flat face a bay
    let back: Vec<_> = (0..=BAYS).map(|k| at(27.0, first + bay * k as f64)).collect();
    wall(back, 6.5, Some(0.06));
    // end walls and the short piers between bays
    for k in 0..=BAYS {
        let a = first + bay * k as f64;
        let inner = if k == 0 || k == BAYS { 15.5 } else { 24.0 };
        wall(vec![at(inner, a), at(27.0, a)], 6.5, None);
    }
    // yard fence
    wall(
        vec![
            at(26.0, first - 6.0),
            at(26.0, first - 40.0),
            at(26.0, 270.0),
            at(26.0, first + bay * BAYS as f64 + 40.0),
            at(26.0, first + bay * BAYS as f64 + 6.0),
        ],
        1.4,
        None,
    );
    let crates = [(-12.0, -9.0, 1.6, 1.1, 1.2), (14.5, -7.0, 2.4, 1.2, 0.9), (5.5, 19.5, 1.2, 2.6, 1.4)];
    let obstacles = crates
        .iter()
        .map(|&(x, y, w, d, h)| Obstacle {
            outline: [(0.0, 0.0), (w, 0.0), (w, d), (0.0, d)].iter().map(|p| Vector2::new(x + p.0, y + p.1)).collect(),
            base: 0.0,
            top: h,
        })
        .collect();
    let columns = (1..BAYS)
        .map(|k| Column { centre: at(16.0, first + bay * k as f64), radius: 0.16, base: 0.0, top: 6.0 })
        .collect();
    let spheres = [
        (9.2, 6.1, 1.35),
        (-8.4, 7.9, 1.62),
        (1.6, 13.1, 1.48),
        (-2.9, -6.6, 1.20),
        (11.8, -2.4, 1.71),
        (-13.2, 1.3, 1.41),
        (5.1, -12.7, 1.33),
        (-8.6, -14.2, 1.88),
        (15.6, 11.9, 1.55),
        (-14.9, 13.4, 1.45),
        (19.4, -8.9, 1.38),
        (21.6, -2.1, 1.57),
    ];
    let spheres: Vec<Sphere> = spheres
        .iter()
        .enumerate()
        .map(|(i, &(x, y, z))| Sphere {
            centre: Vec3::new(x, y, z),
            radius: 0.1,
            knocked: (i == 2).then(|| (4, Vec3::new(0.017, -0.011, 0.0))),
        })
        .collect();
    // boards on four back walls, two centimetres in front of the face
    let boards: Vec<Board> = [1.5, 3.5, 5.5, 7.5]
        .iter()
        .enumerate()
        .map(|(i, k)| {
            let a = first + bay * k;
            let inward = -at(1.0, a);
            let middle = (at(27.0, a - bay / 2.0) + at(27.0, a + bay / 2.0)) / 2.0 + inward * 0.02;
            Board {
                centre: Vec3::new(middle.x, middle.y, 1.9 + 0.17 * i as f64),
                normal: Vec3::new(inward.x, inward.y, 0.0),
                half: 0.2,
                turn: 0.35,
            }
        })
        .collect();
    let stations = [
        (0.8, 1.4),
        (7.1, 11.4),
        (-5.6, 14.6),
        (-12.3, 6.2),
        (-6.9, -6.3),
        (3.2, -8.4),
        (11.5, 2.9),
        (10.6, -13.1),
        (-13.6, -9.9),
    ];
    let stations: Vec<(String, Vec3)> = stations
        .iter()
        .enumerate()
        .map(|(i, &(x, y))| (format!("S{}", i + 1), Vec3::new(x, y, 1.62 + 0.03 * (i % 4) as f64)))
        .collect();
    // set up within some centimetres of the plan, turned anyhow
    let mut poses: Vec<_> = stations
        .iter()
        .map(|(_, p)| {
            let off =
                Vec3::new(rng.random_range(-0.15..0.15), rng.random_range(-0.15..0.15), rng.random_range(-0.05..0.05));
            crate::rooms::levelled(&mut rng, &instrument, p + off)
        })
        .collect();
    let mut site = Site { walls, obstacles, columns, ..Site::default() };
    let wing = crate::wing::add_to(&mut site);
    for (k, (_, p)) in wing.iter().enumerate() {
        poses.push(crate::rooms::set_up_near(*p, &instrument, 1898 + k as u64));
    }
    let stations = stations.into_iter().chain(wing).collect();
    let mut targets: Vec<(String, Vec3, bool)> =
        spheres.iter().enumerate().map(|(i, s)| (format!("K{}", i + 1), s.centre, true)).collect();
    targets.extend(boards.iter().enumerate().map(|(i, b)| (format!("B{}", i + 1), b.centre, false)));
    let origin = Vec3::new(412_350.0, 5_604_820.0, 87.0);
    let control_sigma = Vec3::new(0.0015, 0.0015, 0.002);
    let mut surveyed = |p: &Vec3| {
        let mut n = || rng.sample::<f64, _>(StandardNormal);
        origin + scaled(p) + Vec3::new(n(), n(), n()).component_mul(&control_sigma)
    };
    let control = [12, 15, 6, 4, 5, 7, 8, 1]
        .iter()
        .enumerate()
        .map(|(i, &t)| (format!("CP{}", 101 + i), surveyed(&targets[t].1), t))
        .collect();
    let nails = NAILS
        .iter()
        .enumerate()
        .map(|(i, &[x, y])| {
            let at = Vec3::new(x, y, 0.0);
            (format!("CP{}", 201 + i), at, surveyed(&at))
        })
        .collect();
    Roundhouse {
        scene: Scene {
            site,
            spheres,
            boards,
            // a crate comes after the fifth scan, and somebody looks on while the eighth is taken
            passers: vec![Passer { epoch: 7, at: [8.4, -11.2], height: 1.76 }],
            standing: vec![Standing { thing: a_crate(8.2, -4.8), scans: (5, usize::MAX) }],
            ..Scene::default()
        },
        truth: Truth { poses },
        instrument,
        stations,
        targets,
        origin,
        control,
        nails,
        control_sigma,
    }
}
