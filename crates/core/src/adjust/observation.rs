use super::kinds::{Kind, KnownPoint, Level, TargetCentre};
use super::network::Network;
use super::{Group, kinds};
use crate::geometry::{Mat3, Vec3};
use nalgebra::{Matrix6, SMatrix, Vector6};

/// Something to be solved for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Unknown {
    /// The pose of a scan: 6 columns, left increments (shift in metres, turn in radians).
    Scan(usize),
    /// The position of a target: 3 columns, metres.
    Target(usize),
    /// Errors that many sightings share: a column a parameter, at most 6.
    Systematic(usize),
}

/// An observation linearised at the present state of a network: at most six rows and five unknowns.
///
/// Matrices are 6 × 6 and zero beyond the rows and columns used, so that every kind goes through the
/// same arithmetic without a matrix on the heap.
#[derive(Clone, Copy, Debug)]
pub struct Linearised {
    /// Number of rows, 1 to 6.
    pub rows: usize,
    /// Observed minus computed, in the units of the rows.
    pub misclosure: Vector6<f64>,
    parts: [(Unknown, Matrix6<f64>); 5],
    used: usize,
}

impl Linearised {
    /// With no unknowns yet.
    pub fn new<const R: usize>(misclosure: SMatrix<f64, R, 1>) -> Self {
        let mut padded = Vector6::zeros();
        padded.rows_mut(0, R).copy_from(&misclosure);
        Self { rows: R, misclosure: padded, parts: [(Unknown::Scan(0), Matrix6::zeros()); 5], used: 0 }
    }

    /// With the derivative by one more unknown.
    #[must_use]
    pub fn by<const R: usize, const C: usize>(mut self, unknown: Unknown, design: SMatrix<f64, R, C>) -> Self {
        debug_assert!(self.used < 5 && R == self.rows);
        let mut padded = Matrix6::zeros();
        padded.view_mut((0, 0), (R, C)).copy_from(&design);
        self.parts[self.used] = (unknown, padded);
        self.used += 1;
        self
    }

    /// The unknowns with their derivatives.
    pub fn parts(&self) -> &[(Unknown, Matrix6<f64>)] {
        &self.parts[..self.used]
    }
}

/// What every kind of observation can say of itself. One kind, one file under [`kinds`].
pub trait Measurement {
    /// What part of the error budget it belongs to.
    fn group(&self) -> Group;
    /// Rows, misclosure and derivatives at the present state of the network.
    fn linearise(&self, net: &Network) -> Linearised;
    /// Its covariance in the units of its rows, zero beyond them.
    fn covariance(&self) -> Matrix6<f64>;
    /// The scans and targets it connects.
    fn unknowns(&self) -> [Option<Unknown>; 2];
    /// Points it to other targets, when they were renumbered.
    fn retarget(&mut self, to: &dyn Fn(usize) -> usize);
    /// The rows are radians, not metres.
    fn angular(&self) -> bool {
        false
    }
}

/// One observation of a network.
#[derive(Clone, Debug)]
pub struct Observation {
    /// What was measured.
    pub kind: Kind,
    /// Takes part. Excluded observations keep their place and still get a residual.
    pub active: bool,
    /// Caller's identifier, kept from the row that it came from to the report.
    pub id: usize,
    /// Its covariance is multiplied by this: 1, or what an earlier adjustment found of the noise.
    pub inflation: f64,
}

impl Observation {
    /// Of any kind.
    pub fn new(kind: impl Into<Kind>) -> Self {
        Self { kind: kind.into(), active: true, id: 0, inflation: 1.0 }
    }

    /// The centre of a sphere in a scan: scanner frame, metres and m².
    pub fn target(scan: usize, target: usize, centre: Vec3, covariance: Mat3) -> Self {
        Self::new(TargetCentre {
            scan,
            target,
            centre,
            covariance,
            by: crate::targets::TargetKind::Sphere,
            systematic: [None; 2],
        })
    }

    /// The compensator of a scan, σ per axis in radians.
    pub fn level(scan: usize, sigma: f64) -> Self {
        Self::new(Level { scan, sigma })
    }

    /// Known coordinates of a target, frame of the block, metres and m².
    pub fn known(target: usize, position: Vec3, covariance: Mat3) -> Self {
        Self::new(KnownPoint { target, position, covariance })
    }

    /// The same with an identifier.
    #[must_use]
    pub fn with_id(self, id: usize) -> Self {
        Self { id, ..self }
    }

    /// Its covariance as it enters.
    pub fn weighted_covariance(&self) -> Matrix6<f64> {
        self.covariance() * self.inflation
    }

    /// The scan it was made in, when it was made in one.
    pub fn scan(&self) -> Option<usize> {
        self.unknowns().into_iter().flatten().find_map(|u| match u {
            Unknown::Scan(s) => Some(s),
            Unknown::Target(_) | Unknown::Systematic(_) => None,
        })
    }

    /// The target it is of, when it is of one.
    pub fn target_index(&self) -> Option<usize> {
        self.unknowns().into_iter().flatten().find_map(|u| match u {
            Unknown::Target(t) => Some(t),
            Unknown::Scan(_) | Unknown::Systematic(_) => None,
        })
    }

    /// The target centre in it, when it is one.
    pub fn centre(&self) -> Option<&kinds::TargetCentre> {
        match &self.kind {
            Kind::TargetCentre(c) => Some(c),
            _ => None,
        }
    }
}

impl std::ops::Deref for Observation {
    type Target = dyn Measurement + 'static;
    fn deref(&self) -> &Self::Target {
        self.kind.measurement()
    }
}

/// A 3 × 3 covariance in the upper left of a 6 × 6.
pub(super) fn padded(c: &Mat3) -> Matrix6<f64> {
    let mut out = Matrix6::zeros();
    out.fixed_view_mut::<3, 3>(0, 0).copy_from(c);
    out
}
