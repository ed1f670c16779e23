use super::Depth;
use super::exposure::lit;
use crate::geometry::Vec3;
use rayon::prelude::*;

/// A photograph that colours points.
pub struct Photo<'a> {
    /// What it saw.
    pub depth: &'a Depth,
    /// Where the camera stood, metres.
    pub from: Vec3,
    /// Width and height, pixels.
    pub size: [usize; 2],
    /// Red, green, blue, row by row from above.
    pub pixels: &'a [[u8; 3]],
    /// Parts that colour nothing (somebody stood there): left, top, right, bottom, pixels.
    pub masks: &'a [[f64; 4]],
    /// What its light is multiplied by: red, green, blue ([`Exposure`](super::Exposure)); ones for as it is.
    pub gain: [f64; 3],
}

/// Colours of points, and where they come from.
#[derive(Clone, Debug, Default)]
pub struct Painted {
    /// Of each point its colour; none where no photograph saw it.
    pub colours: Vec<Option<[u8; 3]>>,
    /// How many points each photograph coloured.
    pub by: Vec<usize>,
}

/// Pixels this near to the border are left out: lenses draw worst there.
const BORDER: f64 = 4.0;
/// What is so dark or so bright shows little: another photograph is taken for it, if there is one.
const DARK: u8 = 8;
const BRIGHT: u8 = 248;
const POOR: f64 = 6.0;
/// Askew a surface is seen no worse than this: cosine.
const LEAST: f64 = 0.15;

/// Colours points (metres) with unit normals (zero where not known) by whatever photograph saw them best: near, squarely,
/// neither too dark nor too bright.
pub fn paint(points: &[(Vec3, Vec3)], photos: &[Photo<'_>]) -> Painted {
    let chosen: Vec<Option<(usize, [u8; 3])>> = points
        .par_iter()
        .with_min_len(1024)
        .map(|(p, n)| {
            let mut best: Option<(f64, usize, [u8; 3])> = None;
            for (k, photo) in photos.iter().enumerate() {
                let Some((at, depth)) = photo.depth.seen(p) else { continue };
                let Some(colour) = photo.at(at) else { continue };
                let towards = (photo.from - p).normalize();
                let square = if n.norm_squared() > 0.5 { n.dot(&towards).abs().max(LEAST) } else { 1.0 };
                let poor = colour.iter().all(|c| *c < DARK) || colour.iter().any(|c| *c > BRIGHT);
                let cost = depth / square * if poor { POOR } else { 1.0 };
                if best.is_none_or(|b| cost < b.0) {
                    best = Some((cost, k, colour));
                }
            }
            // black means no colour where colours are kept
            best.map(|b| (b.1, lit(b.2, &photos[b.1].gain).map(|v| v.max(1))))
        })
        .collect();
    let mut by = vec![0; photos.len()];
    chosen.iter().flatten().for_each(|c| by[c.0] += 1);
    Painted { colours: chosen.into_iter().map(|c| c.map(|c| c.1)).collect(), by }
}

impl Photo<'_> {
    /// The colour at a place, between the four pixels about it; none near the border and under a mask.
    pub(super) fn at(&self, [x, y]: [f64; 2]) -> Option<[u8; 3]> {
        let [w, h] = self.size;
        let inside = |v: f64, most: usize| v > BORDER && v < most as f64 - 1.0 - BORDER;
        if !inside(x, w) || !inside(y, h) {
            return None;
        }
        if self.masks.iter().any(|m| x >= m[0] && x <= m[2] && y >= m[1] && y <= m[3]) {
            return None;
        }
        // pixels are drawn about their middles
        let (x, y) = (x - 0.5, y - 0.5);
        let (c, r) = (x as usize, y as usize);
        let (a, b) = (x - c as f64, y - r as f64);
        let of = |c: usize, r: usize| self.pixels[r * w + c].map(f64::from);
        let (p, q, s, t) = (of(c, r), of(c + 1, r), of(c, r + 1), of(c + 1, r + 1));
        Some(std::array::from_fn(|k| {
            let (up, down) = (p[k] * (1.0 - a) + q[k] * a, s[k] * (1.0 - a) + t[k] * a);
            (up * (1.0 - b) + down * b).round() as u8
        }))
    }
}
