use crate::scene::Scene;
use nalgebra::Vector2;
use vistazo_core::geometry::{Pose, Vec3};

/// The colours that photographs from the scanner's place give its points: red, green, blue of each, in their order.
///
/// What stands there has the colour of what it would be made of: brick with its courses, concrete with its joints, iron,
/// planks, gravel, white spheres, and boards as bright as they came back. The light falls off away from the scanner, and
/// every set-up has an exposure of its own, as pictures taken one after the other have. Ranges and intensities are none of
/// its business.
///
/// `points` are in the scanner's frame, metres, `intensity` 0..1; `epoch` is the number of the scan in the order taken.
///
/// ```
/// use vistazo_core::geometry::{Pose, Vec3};
/// let scene = vistazo_sim::Scene::default();
/// let up = Pose::levelled(0.0, Vec3::new(0.0, 0.0, 1.6));
/// let ground = vistazo_sim::photograph(&scene, &up, 0, &[[3.0, 0.0, -1.6]], &[0.2]);
/// assert_eq!(ground.len(), 1);
/// ```
pub fn photograph(scene: &Scene, pose: &Pose, epoch: usize, points: &[[f32; 3]], intensity: &[f32]) -> Vec<[u8; 3]> {
    use rayon::prelude::*;
    let k = epoch as f64;
    // warmer or cooler, lighter or darker, by some hundredths
    let exposure = 1.0 + 0.05 * (2.3 * k).sin();
    let warmth = 0.03 * (1.7 * k + 1.0).cos();
    points
        .par_iter()
        .zip(intensity)
        .map(|(p, &light)| {
            let own = Vec3::new(f64::from(p[0]), f64::from(p[1]), f64::from(p[2]));
            let at = pose.apply(&own);
            let range = own.norm();
            let colour = material(scene, epoch, &at, f64::from(light));
            let lit = exposure * (0.72 + 0.4 / (1.0 + range / 14.0));
            let tint = [1.0 + warmth, 1.0, 1.0 - warmth];
            std::array::from_fn(|c| (colour[c] * lit * tint[c]).clamp(0.0, 255.0) as u8)
        })
        .collect()
}

/// A number between -1 and 1 that belongs to a place.
fn grain(a: f64, b: f64) -> f64 {
    let v = (a * 127.1 + b * 311.7).sin() * 43_758.545;
    2.0 * (v - v.floor()) - 1.0
}

/// How near the next joint of a pattern is, 0 on it, to half its width.
fn joint(x: f64, width: f64) -> f64 {
    let r = x.rem_euclid(width);
    r.min(width - r)
}

fn spread(base: [f64; 3], by: f64) -> [f64; 3] {
    base.map(|v| v * (1.0 + by))
}

/// What is at a place, by what of the scene it lies on.
fn material(scene: &Scene, epoch: usize, at: &Vec3, light: f64) -> [f64; 3] {
    let near = 0.03;
    if (0..scene.spheres.len()).any(|i| (at - scene.sphere_at(i, epoch)).norm() < scene.spheres[i].radius + near) {
        return [236.0, 236.0, 230.0];
    }
    if scene.boards.iter().any(|b| (at - b.centre).norm() < 1.5 * b.half && (at - b.centre).dot(&b.normal).abs() < near)
    {
        // black and white as they came back, whatever the angle
        return [(light * 270.0).clamp(25.0, 240.0); 3];
    }
    if at.z < scene.ground + near {
        return ground(at);
    }
    if scene.site.slabs.iter().any(|s| (at.z - s.height).abs() < near) {
        // a plastered ceiling
        return spread([206.0, 200.0, 188.0], 0.03 * grain((at.x / 0.8).floor(), (at.y / 0.8).floor()));
    }
    let flat = Vector2::new(at.x, at.y);
    if scene.site.columns.iter().any(|c| ((flat - c.centre).norm() - c.radius).abs() < near) {
        return spread([62.0, 84.0, 74.0], 0.1 * grain((at.z * 9.0).floor(), 1.0));
    }
    let inside = |o: &[Vector2<f64>]| {
        let (low, high) = o.iter().fold((o[0], o[0]), |(a, b), p| (a.inf(p), b.sup(p)));
        at.x > low.x - near && at.x < high.x + near && at.y > low.y - near && at.y < high.y + near
    };
    if scene.site.obstacles.iter().any(|o| !o.outline.is_empty() && inside(&o.outline)) {
        // planks
        let plank = (at.z / 0.14).floor();
        let gap = if joint(at.z, 0.14) < 0.008 { -0.5 } else { 0.0 };
        return spread([150.0, 112.0, 68.0], 0.16 * grain(plank, 3.0) + gap);
    }
    wall(scene, at)
}

/// Brick above a plinth, weathered towards the ground; what is low and stands alone is a fence of boards.
fn wall(scene: &Scene, at: &Vec3) -> [f64; 3] {
    let tall = scene.site.walls.iter().any(|w| {
        w.top > scene.ground + 2.5
            && w.line.windows(2).any(|s| {
                let (d, p) = (s[1] - s[0], Vector2::new(at.x, at.y) - s[0]);
                let along = (p.dot(&d) / d.norm_squared()).clamp(0.0, 1.0);
                (p - d * along).norm() < 0.06
            })
    });
    // along whichever axis the wall runs more
    let along = at.x + at.y * 0.618;
    if !tall {
        let board = (along / 0.12).floor();
        let gap = if joint(along, 0.12) < 0.01 { -0.45 } else { 0.0 };
        return spread([128.0, 118.0, 104.0], 0.12 * grain(board, 7.0) + gap);
    }
    if at.z < scene.ground + 0.6 {
        return spread([118.0, 114.0, 108.0], 0.08 * grain((along / 0.6).floor(), (at.z / 0.3).floor()));
    }
    let course = (at.z / 0.077).floor();
    let shift = if course.rem_euclid(2.0) < 1.0 { 0.0 } else { 0.125 };
    let mortar = joint(at.z, 0.077) < 0.006 || joint(along + shift, 0.25) < 0.006;
    let damp = -0.18 * (-(at.z - scene.ground) / 1.2).exp();
    if mortar {
        spread([168.0, 158.0, 142.0], damp)
    } else {
        spread([146.0, 78.0, 58.0], damp + 0.18 * grain(((along + shift) / 0.25).floor(), course))
    }
}

/// Concrete slabs within, a turntable with its rails in the middle, gravel beyond.
fn ground(at: &Vec3) -> [f64; 3] {
    let (x, y) = (at.x, at.y);
    let r = x.hypot(y);
    let rail = |d: f64| d.abs() < 0.04;
    let azimuth = y.atan2(x);
    // tracks from the table into the bays, every 22 degrees, 1.435 m apart
    let bay = (azimuth.to_degrees() - 90.0) / 22.0;
    let across = (bay - bay.round()).to_radians() * 22.0 * r;
    let track = y > -3.0 && (rail(across - 0.7175) || rail(across + 0.7175));
    if r < 7.0 && (rail(r - 6.6) || rail(x - 0.7175) || rail(x + 0.7175)) || (7.0..24.0).contains(&r) && track {
        return [96.0, 90.0, 86.0];
    }
    let fine = 0.10 * grain((x * 40.0).floor(), (y * 40.0).floor());
    if r < 7.0 {
        return spread([104.0, 96.0, 84.0], fine + 0.08 * grain((y / 0.25).floor(), 5.0));
    }
    if y > -4.0 {
        let slab = 0.05 * grain((x / 3.0).floor(), (y / 3.0).floor());
        let gap = if joint(x, 3.0) < 0.015 || joint(y, 3.0) < 0.015 { -0.3 } else { 0.0 };
        return spread([158.0, 152.0, 142.0], slab + gap + 0.5 * fine);
    }
    spread([134.0, 126.0, 112.0], 2.2 * fine)
}
