use crate::adjust::observation::padded;
use crate::adjust::{Group, Linearised, Measurement, Network, SystematicUnknown, Unknown};
use crate::geometry::{Mat3, Vec3, skew};
use crate::targets::TargetKind;
use nalgebra::{Matrix3x6, Matrix6};

/// The centre of a target measured in a scan.
///
/// Rows: the centre in the scanner frame, metres. For `l = Rᵀ (X − t)` and `w = X − t` the
/// derivative by left increments of the pose and by the target is `dl = Rᵀ (dX − ρ + [w]× ω)`. Errors
/// that many sightings share are added to it, each times its [`crate::adjust::Parameter::effect`].
#[derive(Clone, Debug)]
pub struct TargetCentre {
    /// Index of the scan.
    pub scan: usize,
    /// Index of the target.
    pub target: usize,
    /// Centre in the scanner frame, metres.
    pub centre: Vec3,
    /// Its covariance, m².
    pub covariance: Mat3,
    /// What was measured.
    pub by: TargetKind,
    /// Errors it shares with others: indices of the systematic unknowns of the instrument and of the set-up.
    pub systematic: [Option<usize>; 2],
}

impl TargetCentre {
    fn shared(&self) -> impl Iterator<Item = usize> + use<> {
        self.systematic.into_iter().flatten()
    }

    /// The centre without what is known of the errors it shares, metres.
    pub fn corrected(&self, systematic: &[SystematicUnknown]) -> Vec3 {
        let wrong = |k: usize| systematic[k].design(&self.centre, self.by) * systematic[k].values;
        self.centre - self.shared().map(wrong).sum::<Vec3>()
    }
}

impl Measurement for TargetCentre {
    fn group(&self) -> Group {
        match self.by {
            TargetKind::Sphere => Group::Spheres,
            TargetKind::Checker => Group::Checkers,
            TargetKind::Corner | TargetKind::Point => Group::Picked,
        }
    }

    fn linearise(&self, net: &Network) -> Linearised {
        let pose = &net.scans[self.scan].pose;
        let rt = pose.matrix().transpose();
        let w = net.targets[self.target].position - pose.translation;
        let mut scan = Matrix3x6::zeros();
        scan.fixed_view_mut::<3, 3>(0, 0).copy_from(&-rt);
        scan.fixed_view_mut::<3, 3>(0, 3).copy_from(&(rt * skew(&w)));
        let own = Linearised::new(self.corrected(&net.systematic) - rt * w)
            .by(Unknown::Scan(self.scan), scan)
            .by(Unknown::Target(self.target), rt);
        self.shared().fold(own, |l, k| {
            let s = &net.systematic[k];
            l.by(Unknown::Systematic(k), s.design(&self.centre, self.by))
        })
    }

    fn covariance(&self) -> Matrix6<f64> {
        padded(&self.covariance)
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Scan(self.scan)), Some(Unknown::Target(self.target))]
    }

    fn retarget(&mut self, to: &dyn Fn(usize) -> usize) {
        self.target = to(self.target);
    }
}
