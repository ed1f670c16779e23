use crate::geometry::Vec3;
use crate::scan::Scan;
use rayon::prelude::*;

/// How far a scan saw in every direction, half a degree apart: what lies nearer was seen through.
///
/// Directions are columns by azimuth anticlockwise from −180° and rows by elevation from +90° down.
#[derive(Clone, Debug, PartialEq)]
pub struct Sight {
    /// Nearest and farthest range of each direction, metres; infinite and zero where nothing was measured.
    cells: Vec<[f32; 2]>,
    /// The same of each direction and those beside it; a direction without a range has none here either.
    around: Vec<[f32; 2]>,
}

/// What a scan says of a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Seen {
    /// It saw a surface there.
    Surface,
    /// It saw through there: nothing can be there.
    Through,
    /// It lies behind something, or where nothing was measured.
    Unknown,
}

/// Directions round the horizon.
const COLUMNS: usize = 720;
/// Directions from zenith to nadir.
const ROWS: usize = 360;
/// Directions that are one where surfaces of a walk are looked at.
const COARSE: usize = 6;
/// Nearest and farthest of a direction without a range.
const NOTHING: [f32; 2] = [f32::INFINITY, 0.0];

impl Sight {
    /// Of a scan.
    pub fn of(scan: &Scan) -> Self {
        let mut cells = vec![NOTHING; COLUMNS * ROWS];
        // some points a direction are enough
        let step = (scan.points.len() / (COLUMNS * ROWS * 16)).max(1);
        for p in scan.points.iter().step_by(step) {
            let range = p[0].hypot(p[1]).hypot(p[2]);
            if range > 0.1 {
                let (row, col) = direction(*p);
                let cell = &mut cells[row * COLUMNS + col];
                *cell = [cell[0].min(range), cell[1].max(range)];
            }
        }
        Self::from_cells(cells)
    }

    /// Of surfaces that are centimetres apart, as from one place, though whoever measured them moved by a step or two: coarser
    /// by so much, and only what lies before all surfaces thereabouts was seen through.
    pub fn coarse(points: &[[f32; 3]]) -> Self {
        const WIDE: usize = COLUMNS / COARSE;
        const HIGH: usize = ROWS / COARSE;
        let mut wide = vec![NOTHING; WIDE * HIGH];
        for p in points {
            let range = p[0].hypot(p[1]).hypot(p[2]);
            let (row, col) = direction(*p);
            let cell = &mut wide[row / COARSE * WIDE + col / COARSE];
            *cell = [cell[0].min(range), cell[1].max(range)];
        }
        let about = |k: usize| {
            let (row, col) = (k / WIDE, k % WIDE);
            let rows = row.saturating_sub(1)..=(row + 1).min(HIGH - 1);
            let beside = rows.flat_map(|r| (col + WIDE - 1..=col + WIDE + 1).map(move |c| r * WIDE + c % WIDE));
            let near = beside.map(|i| wide[i][0]).fold(f32::INFINITY, f32::min);
            if wide[k][1] > 0.0 { [near, wide[k][1]] } else { NOTHING }
        };
        let around: Vec<[f32; 2]> = (0..wide.len()).map(about).collect();
        let fine = |wide: &[[f32; 2]]| {
            let of = |k: usize| wide[k / COLUMNS / COARSE * WIDE + k % COLUMNS / COARSE];
            (0..COLUMNS * ROWS).map(of).collect()
        };
        Self { cells: fine(&wide), around: fine(&around) }
    }

    fn from_cells(cells: Vec<[f32; 2]>) -> Self {
        let of = |index: usize| {
            let (row, col) = (index / COLUMNS, index % COLUMNS);
            if cells[index][1] <= 0.0 {
                return NOTHING;
            }
            let aside = beside(row);
            let rows = row.saturating_sub(1)..=(row + 1).min(ROWS - 1);
            let near_by = rows
                .flat_map(|r| (col + COLUMNS - aside..=col + COLUMNS + aside).map(move |c| r * COLUMNS + c % COLUMNS));
            near_by.fold(NOTHING, |a, i| [a[0].min(cells[i][0]), a[1].max(cells[i][1])])
        };
        let around = (0..cells.len()).map(of).collect();
        Self { cells, around }
    }

    /// How far each direction was certainly clear, metres: less than the nearest range of it and of those beside it by as
    /// much as ranges differ there, since a surface that is met askew begins somewhere within a direction. 0 where nothing
    /// was measured.
    pub fn clear(&self) -> Vec<f32> {
        let of = |index: usize| {
            let (row, col) = (index / COLUMNS, index % COLUMNS);
            let aside = beside(row);
            let rows = row.saturating_sub(1)..=(row + 1).min(ROWS - 1);
            let near_by = rows
                .flat_map(|r| (col + COLUMNS - aside..=col + COLUMNS + aside).map(move |c| r * COLUMNS + c % COLUMNS));
            let nearest = near_by.map(|i| self.cells[i]).filter(|c| c[1] > 0.0).min_by(|a, b| a[0].total_cmp(&b[0]));
            nearest.filter(|_| self.cells[index][1] > 0.0).map_or(0.0, |c| c[0] - (c[1] - c[0]).min(0.5 * c[0]))
        };
        (0..self.cells.len()).into_par_iter().map(of).collect()
    }

    /// The direction of a place in the frame of the scan, as an index into [`Self::clear`].
    pub fn direction(at: &Vec3) -> usize {
        let (row, col) = direction([at.x as f32, at.y as f32, at.z as f32]);
        row * COLUMNS + col
    }

    /// As bytes: nearest and farthest range of each direction in centimetres, little-endian, 0 for nothing.
    pub fn to_bytes(&self) -> Vec<u8> {
        let cm = |v: f32| (v * 100.0).clamp(0.0, 65_535.0) as u16;
        let pair = |c: &[f32; 2]| if c[1] > 0.0 { [cm(c[0]), cm(c[1])] } else { [0, 0] };
        self.cells.iter().flat_map(pair).flat_map(u16::to_le_bytes).collect()
    }

    /// From [`Sight::to_bytes`]; `None` when they are not of a sight.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        if bytes.len() != COLUMNS * ROWS * 4 {
            return None;
        }
        let metres = |b: &[u8]| f32::from(u16::from_le_bytes([b[0], b[1]])) / 100.0;
        let cell = |b: &[u8]| {
            let (near, far) = (metres(&b[..2]), metres(&b[2..]));
            if far > 0.0 { [near, far] } else { NOTHING }
        };
        Some(Self::from_cells(bytes.chunks_exact(4).map(cell).collect()))
    }

    /// How far level rays certainly passed: azimuth and range, radians and metres; directions without a range are left out.
    pub(super) fn level(&self) -> impl Iterator<Item = (f64, f64)> + '_ {
        (0..COLUMNS).filter_map(|c| {
            let rows = ROWS / 2 - 2..ROWS / 2 + 2;
            let near = rows.map(|r| self.cells[r * COLUMNS + c][0]).fold(f32::INFINITY, f32::min);
            let azimuth = (c as f64 + 0.5) / COLUMNS as f64 * std::f64::consts::TAU - std::f64::consts::PI;
            near.is_finite().then_some((azimuth, f64::from(near)))
        })
    }

    /// What the scan says of a place in its frame, within `tolerance` metres. The neighbouring directions count as
    /// well, so that edges and slanting surfaces speak against nothing.
    pub fn look(&self, at: &Vec3, tolerance: f64) -> Seen {
        let range = at.norm();
        let (row, col) = direction([at.x as f32, at.y as f32, at.z as f32]);
        let [near, far] = self.around[row * COLUMNS + col];
        if far <= 0.0 || range < 0.3 {
            return Seen::Unknown;
        }
        let (near, far) = (f64::from(near), f64::from(far));
        // a surface that is seen askew fills the range between; one does not know then
        if range < near - tolerance {
            Seen::Through
        } else if range <= far + tolerance && far - near < 0.15 * range + 2.0 * tolerance {
            Seen::Surface
        } else {
            Seen::Unknown
        }
    }
}

/// How many columns to each side lie beside a direction: towards the poles they draw together.
fn beside(row: usize) -> usize {
    const MOST: f64 = 60.0;
    let elevation = (0.5 - (row as f64 + 0.5) / ROWS as f64) * std::f64::consts::PI;
    (1.0 / elevation.cos()).min(MOST).round() as usize
}

fn direction(p: [f32; 3]) -> (usize, usize) {
    const PER: f32 = COLUMNS as f32 / std::f32::consts::TAU;
    let col = ((p[1].atan2(p[0]) + std::f32::consts::PI) * PER) as usize;
    let row = ((std::f32::consts::FRAC_PI_2 - p[2].atan2(p[0].hypot(p[1]))) * PER) as usize;
    (row.min(ROWS - 1), col.min(COLUMNS - 1))
}
