use vistazo_core::geometry::Vec3;

/// Which axis of a file points up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum UpAxis {
    /// z up, x and y across: surveying.
    #[default]
    Z,
    /// y up, z towards the viewer: modelling programs. `(x, y, z)` becomes `(x, −z, y)`.
    Y,
}

/// Which columns of a text file hold what, from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Columns {
    /// Columns of x, y, z.
    pub xyz: [usize; 3],
    /// Column of the intensity.
    pub intensity: Option<usize>,
    /// First of three columns red, green, blue.
    pub rgb: Option<usize>,
}

/// What a file does not say by itself.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ReadOptions {
    /// Where the scanner stood in the file's coordinates (after unit and up axis), metres. The origin when the file is in the scanner's
    /// own frame. E57 says it by itself.
    pub scanner: Vec3,
    /// Metres in one unit of the file; for text and PLY, and LAS that does not say.
    pub unit: f64,
    /// Metres in one unit of its heights, where they have another.
    pub height_unit: Option<f64>,
    /// Axis that points up; for text and PLY.
    pub up: UpAxis,
    /// Columns of a text file; `None` lets them be guessed.
    pub columns: Option<Columns>,
}

impl Default for ReadOptions {
    fn default() -> Self {
        Self { scanner: Vec3::zeros(), unit: 1.0, height_unit: None, up: UpAxis::Z, columns: None }
    }
}

impl ReadOptions {
    /// A point of the file in the scanner's frame, metres, z up.
    pub(crate) fn place(&self, [x, y, z]: [f64; 3]) -> [f64; 3] {
        let (x, y, z) = match self.up {
            UpAxis::Z => (x, y, z),
            UpAxis::Y => (x, -z, y),
        };
        [
            x * self.unit - self.scanner.x,
            y * self.unit - self.scanner.y,
            z * self.height_unit.unwrap_or(self.unit) - self.scanner.z,
        ]
    }
}
