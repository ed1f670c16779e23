use crate::photograph::colour;
use crate::scanner::Scanner;
use crate::scene::Scene;
use crate::shapes::{Shape, nearest, passers, shapes};
use rayon::prelude::*;
use vistazo_core::colour::Camera;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;

/// What a camera sees of a scene.
pub struct Eye<'a> {
    scene: &'a Scene,
    epoch: usize,
    shapes: Vec<Shape>,
    all: Vec<u32>,
    instrument: Instrument,
}

/// Colour of the sky.
const SKY: [u8; 3] = [198, 212, 228];

impl<'a> Eye<'a> {
    /// At the time of a scan.
    pub fn open(scene: &'a Scene, epoch: usize) -> Self {
        let instrument = Instrument { max_range: 400.0, ..Instrument::mid_range() };
        let mut all = shapes(scene, epoch, &Scanner::perfect(&instrument), 0);
        all.extend(passers(scene, epoch));
        Self { scene, epoch, all: (0..all.len() as u32).collect(), shapes: all, instrument }
    }

    /// The first place that a ray meets; none towards the sky.
    fn meets(&self, from: &Vec3, ray: &Vec3) -> Option<Vec3> {
        let hit = nearest(&self.shapes, &self.all, self.scene.ground, from, ray, &self.instrument)?;
        Some(from + ray * hit.range)
    }

    /// Whether a place is seen from another: nothing stands before it, to some centimetres.
    pub fn sees(&self, from: &Vec3, place: &Vec3) -> bool {
        let way = place - from;
        self.meets(from, &way.normalize()).is_none_or(|p| (p - from).norm() > way.norm() - 0.03)
    }

    /// A photograph: red, green, blue of its pixels, row by row from above.
    pub fn photograph(&self, camera: &Camera, size: [usize; 2]) -> Vec<[u8; 3]> {
        let from = camera.pose.translation;
        let pixel = |k: usize| {
            let at = [(k % size[0]) as f64 + 0.5, (k / size[0]) as f64 + 0.5];
            let Some(p) = self.meets(&from, &camera.ray(at)) else { return SKY };
            let lit = 0.72 + 0.4 / (1.0 + (p - from).norm() / 14.0);
            colour(self.scene, self.epoch, &p, 0.5).map(|v| (v * lit).clamp(0.0, 255.0) as u8)
        };
        (0..size[0] * size[1]).into_par_iter().map(pixel).collect()
    }
}
