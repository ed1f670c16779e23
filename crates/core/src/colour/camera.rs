use crate::geometry::{Pose, Vec3};

/// A camera: where it stood and how it draws.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Camera {
    /// From its frame (right, down, forward) to that of the cloud, metres.
    pub pose: Pose,
    /// Focal length, pixels.
    pub focal: f64,
    /// Principal point, pixels from the upper left corner to the right and down.
    pub centre: [f64; 2],
    /// Radial distortion k₁ and k₂.
    pub radial: [f64; 2],
}

impl Camera {
    /// Where a point of the cloud is drawn, pixels, and how far before the camera it lies, metres; none behind it.
    ///
    /// ```
    /// use vistazo_core::colour::Camera;
    /// use vistazo_core::geometry::{Pose, Vec3};
    /// let c = Camera { pose: Pose::identity(), focal: 1000.0, centre: [750.0, 500.0], radial: [0.0; 2] };
    /// let (at, depth) = c.project(&Vec3::new(0.5, 0.0, 2.0)).unwrap();
    /// assert_eq!((at, depth), ([1000.0, 500.0], 2.0));
    /// assert!(c.project(&Vec3::new(0.0, 0.0, -1.0)).is_none());
    /// ```
    pub fn project(&self, point: &Vec3) -> Option<([f64; 2], f64)> {
        let p = self.pose.rotation.inverse() * (point - self.pose.translation);
        if p.z < 1e-3 {
            return None;
        }
        let (x, y) = (p.x / p.z, p.y / p.z);
        let r2 = x * x + y * y;
        let bent = 1.0 + r2 * (self.radial[0] + r2 * self.radial[1]);
        // beyond the turning point of the polynomial the lens would draw things twice
        let turning = 1.0 + r2 * (3.0 * self.radial[0] + 5.0 * r2 * self.radial[1]);
        (turning > 0.0).then(|| ([0, 1].map(|k| self.centre[k] + self.focal * bent * [x, y][k]), p.z))
    }

    /// Unit direction, in the frame of the cloud, of what is drawn at a pixel.
    pub fn ray(&self, at: [f64; 2]) -> Vec3 {
        let drawn = [0, 1].map(|k| (at[k] - self.centre[k]) / self.focal);
        let mut p = drawn;
        // the distortion undone step by step: a few are enough for any lens that one would work with
        for _ in 0..20 {
            let r2 = p[0] * p[0] + p[1] * p[1];
            let bent = 1.0 + r2 * (self.radial[0] + r2 * self.radial[1]);
            p = drawn.map(|v| v / bent.max(0.2));
        }
        self.pose.rotation * Vec3::new(p[0], p[1], 1.0).normalize()
    }
}
