use crate::material::Material;
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
            let colour = colour(scene, epoch, &at, f64::from(light));
            let lit = exposure * (0.72 + 0.4 / (1.0 + range / 14.0));
            let tint = [1.0 + warmth, 1.0, 1.0 - warmth];
            std::array::from_fn(|c| (colour[c] * lit * tint[c]).clamp(0.0, 255.0) as u8)
        })
        .collect()
}

/// What is at a place, by what of the scene it lies on.
pub(crate) fn colour(scene: &Scene, epoch: usize, at: &Vec3, light: f64) -> [f64; 3] {
    let near = 0.03;
    if (0..scene.spheres.len()).any(|i| (at - scene.sphere_at(i, epoch)).norm() < scene.spheres[i].radius + near) {
        return [236.0, 236.0, 230.0];
    }
    if scene.boards.iter().any(|b| (at - b.centre).norm() < 1.5 * b.half && (at - b.centre).dot(&b.normal).abs() < near)
    {
        // black and white as they came back, whatever the angle
        return [(light * 270.0).clamp(25.0, 240.0); 3];
    }
    surface(scene, at).colour(at, scene.ground)
}

/// What a place lies on, walls in the end.
fn surface(scene: &Scene, at: &Vec3) -> Material {
    let near = 0.03;
    let flat = Vector2::new(at.x, at.y);
    let inside = |o: &[Vector2<f64>]| {
        let (low, high) = o.iter().fold((o[0], o[0]), |(a, b), p| (a.inf(p), b.sup(p)));
        at.x > low.x - near && at.x < high.x + near && at.y > low.y - near && at.y < high.y + near
    };
    if at.z < scene.ground + near {
        Material::Ground
    } else if scene.site.slabs.iter().any(|s| (at.z - s.height).abs() < near) {
        Material::Plaster
    } else if scene.site.columns.iter().any(|c| ((flat - c.centre).norm() - c.radius).abs() < near) {
        Material::Iron
    } else if scene.site.obstacles.iter().any(|o| !o.outline.is_empty() && inside(&o.outline)) {
        Material::Planks
    } else {
        scene.wall_at(&flat)
    }
}
