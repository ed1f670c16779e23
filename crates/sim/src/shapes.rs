//! What a scene is made of for the beams: bodies, and where a ray meets them.

use crate::material::Material;
use crate::scanner::Scanner;
use crate::scene::{Scene, Standing};
use nalgebra::Vector2;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;

pub(crate) enum Shape {
    Panel {
        a: [f64; 2],
        b: [f64; 2],
        base: f64,
        top: f64,
        of: Material,
    },
    Sphere {
        c: Vec3,
        r: f64,
    },
    Post {
        x: f64,
        y: f64,
        r: f64,
        base: f64,
        top: f64,
        light: Light,
    },
    /// Round, in any direction: an end of its axis, its direction, how long.
    Pipe {
        a: Vec3,
        along: Vec3,
        long: f64,
        r: f64,
    },
    Board {
        c: Vec3,
        n: Vec3,
        half: f64,
        turn: f64,
        bulge: f64,
    },
    /// An upright mirror.
    Mirror {
        a: [f64; 2],
        b: [f64; 2],
        base: f64,
        top: f64,
    },
    /// A ceiling, or the top of a thing.
    Level {
        outline: Vec<Vector2<f64>>,
        z: f64,
        of: Material,
    },
}

/// How much of the light comes back: a share, or what the material has where it was met.
#[derive(Clone, Copy)]
pub(crate) enum Light {
    Share(f64),
    Of(Material),
}

#[derive(Clone, Copy)]
pub(crate) struct Hit {
    pub(crate) range: f64,
    pub(crate) cos: f64,
    pub(crate) light: Light,
    /// Index of the shape; none of the ground.
    pub(crate) of: Option<u32>,
}

pub(crate) fn shapes(scene: &Scene, epoch: usize, scanner: &Scanner, seed: u64) -> Vec<Shape> {
    let mut out: Vec<Shape> = scene
        .site
        .panels()
        .iter()
        .map(|p| {
            let middle = (p.a + p.b) / 2.0;
            let planks = scene.site.obstacles.iter().any(|o| {
                let sides = o.outline.iter().zip(o.outline.iter().cycle().skip(1));
                p.top == o.top && sides.into_iter().any(|(a, b)| (a + b) / 2.0 == middle)
            });
            let of = if planks { Material::Planks } else { scene.wall_at(&middle) };
            Shape::Panel { a: [p.a.x, p.a.y], b: [p.b.x, p.b.y], base: p.base, top: p.top, of }
        })
        .collect();
    for (i, s) in scene.spheres.iter().enumerate() {
        let c = scene.sphere_at(i, epoch);
        out.push(Shape::Sphere { c: c + scanner.out_of_round(seed, i), r: s.radius });
        out.push(Shape::Post {
            x: c.x,
            y: c.y,
            r: 0.012,
            base: scene.ground,
            top: c.z - 0.9 * s.radius,
            light: Light::Share(0.12),
        });
    }
    out.extend(scene.site.columns.iter().map(|c| Shape::Post {
        x: c.centre.x,
        y: c.centre.y,
        r: c.radius,
        base: c.base,
        top: c.top,
        light: Light::Of(Material::Iron),
    }));
    out.extend(scene.pipes.iter().map(|&([a, b], r)| Shape::Pipe {
        a,
        along: (b - a).normalize(),
        long: (b - a).norm(),
        r,
    }));
    let ceilings = scene.site.slabs.iter().map(|s| (&s.outline, s.height, Material::Plaster));
    let tops = scene.site.obstacles.iter().map(|o| (&o.outline, o.top, Material::Planks));
    let levels = ceilings.chain(tops).filter(|l| l.0.len() > 2);
    out.extend(levels.map(|(outline, z, of)| Shape::Level { outline: outline.clone(), z, of }));
    out.extend(scene.boards.iter().enumerate().map(|(i, b)| Shape::Board {
        c: b.centre,
        n: b.normal,
        half: b.half,
        turn: b.turn,
        bulge: scanner.bulge(i),
    }));
    for &([a, b], base, top) in &scene.mirrors {
        out.push(Shape::Mirror { a, b, base, top });
    }
    out
}

/// What is there in this scan and not in others: people as upright bodies with a head, things as boxes.
pub(crate) fn passers(scene: &Scene, epoch: usize) -> impl Iterator<Item = Shape> + '_ {
    let here = scene.standing.iter().filter(move |s| (s.scans.0..s.scans.1).contains(&epoch));
    let things = here.flat_map(|Standing { thing, .. }| {
        let corner = |v: &Vector2<f64>| [v.x, v.y];
        let sides = thing.outline.iter().zip(thing.outline.iter().cycle().skip(1));
        let (base, top, of) = (thing.base, thing.top, Material::Planks);
        let sides = sides.map(move |(a, b)| Shape::Panel { a: corner(a), b: corner(b), base, top, of });
        sides.chain([Shape::Level { outline: thing.outline.clone(), z: top, of }])
    });
    let people = scene.passers.iter().filter(move |p| p.epoch == epoch).flat_map(|p| {
        let ([x, y], top) = (p.at, scene.ground + p.height);
        let light = Light::Share(0.35);
        [
            Shape::Post { x, y, r: 0.2, base: scene.ground, top: top - 0.26, light },
            Shape::Sphere { c: Vec3::new(x, y, top - 0.12), r: 0.12 },
        ]
    });
    people.chain(things)
}

/// What is there after at most one mirror: the way along the ray, as a scanner takes it, and whether that was a mirror.
pub(crate) fn seen(
    shapes: &[Shape],
    candidates: &[u32],
    ground: f64,
    o: &Vec3,
    d: &Vec3,
    instrument: &Instrument,
) -> Option<(Hit, bool)> {
    let hit = nearest(shapes, candidates, ground, o, d, instrument)?;
    let Some(Shape::Mirror { a, b, .. }) = hit.of.and_then(|k| shapes.get(k as usize)) else {
        return Some((hit, false));
    };
    let n = Vec3::new(b[1] - a[1], a[0] - b[0], 0.0).normalize();
    let back = d - n * (2.0 * d.dot(&n));
    let from = o + d * hit.range + back * 1e-4;
    let all: Vec<u32> = (0..shapes.len() as u32).filter(|k| Some(*k) != hit.of).collect();
    let behind = nearest(shapes, &all, ground, &from, &back, instrument)?;
    Some((Hit { range: hit.range + behind.range, of: None, ..behind }, true))
}

pub(crate) fn nearest(
    shapes: &[Shape],
    candidates: &[u32],
    ground: f64,
    o: &Vec3,
    d: &Vec3,
    instrument: &Instrument,
) -> Option<Hit> {
    let mut best: Option<Hit> = None;
    if d.z < -1e-6 {
        let range = (ground - o.z) / d.z;
        best = Some(Hit { range, cos: -d.z, light: Light::Of(Material::Ground), of: None });
    }
    for &k in candidates {
        if let Some(h) = meet(&shapes[k as usize], o, d, instrument)
            && best.is_none_or(|b| h.range < b.range)
        {
            best = Some(Hit { of: Some(k), ..h });
        }
    }
    best.filter(|h| h.range < instrument.max_range + 1.0)
}

fn meet(s: &Shape, o: &Vec3, d: &Vec3, instrument: &Instrument) -> Option<Hit> {
    match *s {
        Shape::Mirror { a, b, base, top } => {
            let wall = Shape::Panel { a, b, base, top, of: Material::Ground };
            meet(&wall, o, d, instrument)
        }
        Shape::Panel { a, b, base, top, of } => {
            let e = [b[0] - a[0], b[1] - a[1]];
            let det = d.x * e[1] - d.y * e[0];
            if det.abs() < 1e-12 {
                return None;
            }
            let w = [a[0] - o.x, a[1] - o.y];
            let s = (w[0] * e[1] - w[1] * e[0]) / det;
            let t = (w[0] * d.y - w[1] * d.x) / det;
            let z = o.z + s * d.z;
            (s > 1e-6 && (0.0..=1.0).contains(&t) && z >= base && z <= top).then(|| Hit {
                range: s,
                cos: det.abs() / (e[0] * e[0] + e[1] * e[1]).sqrt(),
                light: Light::Of(of),
                of: None,
            })
        }
        Shape::Sphere { c, r } => {
            let m = c - o;
            let along = m.dot(d);
            let miss = m.norm_squared() - along * along;
            (miss < r * r && along > 0.0).then(|| {
                let half = (r * r - miss).sqrt();
                Hit { range: along - half, cos: half / r, light: Light::Share(0.8), of: None }
            })
        }
        Shape::Post { x, y, r, base, top, light } => {
            let (mx, my) = (o.x - x, o.y - y);
            let a = d.x * d.x + d.y * d.y;
            let b = mx * d.x + my * d.y;
            let disc = b * b - a * (mx * mx + my * my - r * r);
            if disc <= 0.0 || a < 1e-12 {
                return None;
            }
            let s = (-b - disc.sqrt()) / a;
            let z = o.z + s * d.z;
            (s > 1e-6 && z >= base && z <= top).then(|| {
                let n = ((mx + s * d.x) / r, (my + s * d.y) / r);
                Hit { range: s, cos: -(n.0 * d.x + n.1 * d.y), light, of: None }
            })
        }
        Shape::Pipe { a, along, long, r } => {
            let m = o - a;
            let (dd, mm) = (d - along * d.dot(&along), m - along * m.dot(&along));
            let (p, q) = (dd.norm_squared(), mm.dot(&dd));
            let disc = q * q - p * (mm.norm_squared() - r * r);
            if disc <= 0.0 || p < 1e-12 {
                return None;
            }
            let s = (-q - disc.sqrt()) / p;
            let t = m.dot(&along) + s * d.dot(&along);
            let cos = -(mm + dd * s).dot(d) / r;
            (s > 1e-6 && (0.0..=long).contains(&t)).then_some(Hit {
                range: s,
                cos,
                light: Light::Of(Material::Iron),
                of: None,
            })
        }
        Shape::Level { ref outline, z, of } => {
            if d.z.abs() < 1e-9 {
                return None;
            }
            let s = (z - o.z) / d.z;
            let at = Vector2::new(o.x + s * d.x, o.y + s * d.y);
            (s > 1e-6 && inside(outline, &at)).then_some(Hit {
                range: s,
                cos: d.z.abs(),
                light: Light::Of(of),
                of: None,
            })
        }
        Shape::Board { c, n, half, turn, bulge } => {
            let across = d.dot(&n);
            if across.abs() < 1e-9 {
                return None;
            }
            let s = (c - o).dot(&n) / across;
            let q = o + d * s - c;
            let (sin, cos) = turn.sin_cos();
            let flat = q.dot(&Vec3::z().cross(&n));
            let (u, v) = (cos * flat + sin * q.z, cos * q.z - sin * flat);
            (s > 1e-6 && u.abs() < half && v.abs() < half).then(|| {
                // the picture as the beam's width blurs it
                let w = instrument.footprint_sigma(s) * std::f64::consts::SQRT_2;
                let pattern = soft(u / w) * soft(v / w);
                // as a sheet that arches: its middle stands out, its rim back
                let arch = bulge * (1.0 - (u * u + v * v) / (half * half));
                Hit {
                    range: s - arch / across.abs(),
                    cos: across.abs(),
                    light: Light::Share(0.47 + 0.38 * pattern),
                    of: None,
                }
            })
        }
    }
}

/// Whether a place lies in an outline, by how often a line from it crosses the rim.
fn inside(outline: &[Vector2<f64>], at: &Vector2<f64>) -> bool {
    let rim = outline.iter().zip(outline.iter().cycle().skip(1));
    let crossed = |(a, b): &(&Vector2<f64>, &Vector2<f64>)| {
        (a.y > at.y) != (b.y > at.y) && at.x < a.x + (at.y - a.y) / (b.y - a.y) * (b.x - a.x)
    };
    rim.filter(crossed).count() % 2 == 1
}

/// Whether the beam of half-width `w` (radians) may meet something besides what its axis meets:
/// only spheres, posts, boards and panel ends near the ray ask for a second cast.
pub(crate) fn is_edge(shapes: &[Shape], candidates: &[u32], hit: &Hit, o: &Vec3, d: &Vec3, w: f64) -> bool {
    candidates.iter().any(|&k| match shapes[k as usize] {
        Shape::Sphere { c, r } => {
            let m = c - o;
            let along = m.dot(d);
            if along < 0.0 || along - r > hit.range + 0.01 {
                return false;
            }
            let miss = (m.norm_squared() - along * along).max(0.0).sqrt();
            (miss - r).abs() < 4.0 * w * along
        }
        Shape::Post { x, y, r, .. } => {
            let (x, y) = (x - o.x, y - o.y);
            let miss = (x * d.y - y * d.x).abs() / (d.x * d.x + d.y * d.y).sqrt();
            (miss - r).abs() < 4.0 * w * (x * x + y * y).sqrt()
        }
        Shape::Pipe { a, along, r, .. } => {
            let across = d.cross(&along);
            let miss = (a - o).dot(&across).abs() / across.norm().max(1e-9);
            // how far along the ray it comes nearest to the axis
            let m = a - o;
            let near = (m - along * m.dot(&along)).dot(d) / across.norm_squared().max(1e-9);
            near > 0.0 && near - r < hit.range + 0.01 && (miss - r).abs() < 4.0 * w * near
        }
        Shape::Panel { a, b, top, .. } => {
            let z = o.z + hit.range * d.z;
            let p = [o.x + hit.range * d.x, o.y + hit.range * d.y];
            let near = 4.0 * w * hit.range;
            let beside = |end: [f64; 2]| (p[0] - end[0]).powi(2) + (p[1] - end[1]).powi(2) < near * near;
            beside(a) || beside(b) || (z - top).abs() < near
        }
        Shape::Board { .. } | Shape::Level { .. } | Shape::Mirror { .. } => false,
    })
}

/// The error function to 2.5e-5 (Abramowitz & Stegun 7.1.25), enough for a picture.
fn soft(x: f64) -> f64 {
    let t = 1.0 / (1.0 + 0.470_47 * x.abs());
    let y = 1.0 - (0.348_024_2 * t - 0.095_879_8 * t * t + 0.747_855_6 * t * t * t) * (-x * x).exp();
    y.copysign(x)
}
