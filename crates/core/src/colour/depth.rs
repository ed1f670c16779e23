use super::Camera;
use crate::geometry::Vec3;

/// How far a camera saw in each direction: what lies behind that it did not see.
#[derive(Clone, Debug)]
pub struct Depth {
    camera: Camera,
    cols: usize,
    rows: usize,
    /// Pixels of the photograph across a cell.
    cell: f64,
    nearest: Vec<f32>,
}

/// Cells across a photograph.
const ACROSS: f64 = 400.0;
/// What is nearer behind the first surface than this is that surface, metres; and so much more for each cell's width there.
const BEHIND: f64 = 0.08;
const ASKEW: f64 = 3.0;
/// Radius of what one place covers, of the way to the next.
const OVER: f64 = 0.75;
/// Cells that one place covers to each side, at most.
const WIDEST: f64 = 30.0;

impl Depth {
    /// Nothing stands before it yet. `size` is that of the photograph, pixels.
    pub fn new(camera: Camera, size: [f64; 2]) -> Self {
        let cell = (size[0].max(size[1]) / ACROSS).max(1.0);
        let [cols, rows] = size.map(|v| (v / cell).ceil() as usize);
        Self { camera, cols, rows, cell, nearest: vec![f32::INFINITY; cols * rows] }
    }

    /// Places of a surface with the unit normals of it (nil where not known), so far from one another (metres), stand before it:
    /// each covers as a disc that lies in the surface. One that only faced the camera would hide the floor behind it.
    pub fn add(&mut self, places: impl Iterator<Item = (Vec3, Vec3)>, apart: f64) {
        let into = self.camera.pose.rotation.inverse();
        for (p, n) in places {
            let Some((at, depth)) = self.camera.project(&p) else { continue };
            let [x, y] = at.map(|v| v / self.cell);
            let across = self.cell / self.camera.focal;
            // what faces nobody knows where is sparse, and mostly floor far off
            let over = apart * if n == Vec3::zeros() { OVER / 3.0 } else { OVER };
            let half = (over / depth / across).clamp(0.5, WIDEST);
            let span = |v: f64, most: usize| {
                // what lies just beside the camera is drawn very far outside
                let (low, high) = ((v - half).floor().max(0.0), (v + half).floor().min(most as f64 - 1.0));
                (low <= high).then(|| low as usize..high as usize + 1)
            };
            let (Some(xs), Some(ys)) = (span(x, self.cols), span(y, self.rows)) else { continue };
            let (q, n) = (into * (p - self.camera.pose.translation), into * n);
            for row in ys {
                for col in xs.clone() {
                    // where the line of sight through the cell meets the disc; the lens bends nothing over so little
                    let beside = Vec3::new(col as f64 + 0.5 - x, row as f64 + 0.5 - y, 0.0);
                    let sight = q / depth + beside * across;
                    let own = col == x as usize && row == y as usize;
                    let far = if n == Vec3::zeros() || own { depth } else { n.dot(&q) / n.dot(&sight) };
                    if own || (far > 0.0 && (sight * far - q).norm() <= over) {
                        let nearest = &mut self.nearest[row * self.cols + col];
                        *nearest = nearest.min(far as f32);
                    }
                }
            }
        }
    }

    /// Where a point is drawn, pixels, and how far before the camera it lies; none where the camera did not see it.
    pub fn seen(&self, point: &Vec3) -> Option<([f64; 2], f64)> {
        let (at, depth) = self.camera.project(point)?;
        let [x, y] = at.map(|v| v / self.cell);
        if x < 0.0 || y < 0.0 || x >= self.cols as f64 || y >= self.rows as f64 {
            return None;
        }
        let nearest = f64::from(self.nearest[y as usize * self.cols + x as usize]);
        let tolerance = BEHIND + ASKEW * self.cell * depth / self.camera.focal;
        (depth <= nearest + tolerance).then_some((at, depth))
    }
}
