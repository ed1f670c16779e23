use super::kinds::SystematicPrior;
use super::{Network, Observation};
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Systematic;
use crate::targets::TargetKind;
use nalgebra::{Matrix3x6, Vector6};

/// An error that many sightings of targets share.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Parameter {
    /// Zero offset of the ranges, metres.
    RangeOffset,
    /// By how much ranges to boards are longer than ranges to spheres, metres.
    BoardOffset,
    /// Scale of the ranges.
    RangeScale,
    /// Line of sight against tilting axis, radians.
    Collimation,
    /// Tilting axis against standing axis, radians.
    Trunnion,
    /// Zero of the elevations, radians.
    Index,
    /// How far the tripod settles during a scan, metres.
    Settling,
    /// How far it turns during a scan, anticlockwise, radians.
    Turning,
}

impl Parameter {
    /// Those of the instrument, in the order shown.
    pub const OF_INSTRUMENT: [Self; 6] =
        [Self::RangeOffset, Self::BoardOffset, Self::RangeScale, Self::Collimation, Self::Trunnion, Self::Index];
    /// Those that are new at every set-up.
    pub const OF_SET_UP: [Self; 3] = [Self::Index, Self::Settling, Self::Turning];

    /// σ that a profile gives it at every set-up.
    pub fn sigma_at_set_up(self, s: &Systematic) -> f64 {
        match self {
            Self::Index => s.index_at_set_up,
            Self::Settling => s.settling,
            Self::Turning => s.turning,
            _ => 0.0,
        }
    }

    /// σ that a profile gives it for the instrument as a whole.
    pub fn sigma(self, s: &Systematic) -> f64 {
        match self {
            Self::Settling | Self::Turning => 0.0,
            // spheres are white, boards half black: a third of the way from black to white lies between
            Self::RangeOffset => s.range_offset.hypot(0.15 * s.reflectivity),
            Self::BoardOffset => 0.35 * s.reflectivity,
            Self::RangeScale => s.range_scale,
            Self::Collimation => s.collimation,
            Self::Trunnion => s.trunnion,
            Self::Index => s.index,
        }
    }

    /// What one unit of it does to a target measured at `p` (scanner frame, metres): metres.
    ///
    /// A collimation error c turns the ray sideways by c / cos e, a trunnion error t by t tan e, both over
    /// the horizontal distance r cos e; an index error raises it by r i. What of a collimation error turns all
    /// alike, c itself, is the heading of the cloud and stays with the pose, which is that of the cloud. A scan
    /// is taken to begin at azimuth zero of its frame and to go round once; the pose is that of its beginning.
    pub fn effect(self, p: &Vec3, by: TargetKind) -> Vec3 {
        let range = p.norm().max(1e-9);
        let level = (p.x * p.x + p.y * p.y).sqrt().max(1e-9);
        let (ray, side) = (p / range, Vec3::new(-p.y / level, p.x / level, 0.0));
        match self {
            Self::RangeOffset => ray,
            Self::BoardOffset if by == TargetKind::Checker => ray * 0.5,
            Self::BoardOffset if by == TargetKind::Sphere => ray * -0.5,
            // surfaces that corners are of lie between the white of a sphere and the black of a board
            Self::BoardOffset => Vec3::zeros(),
            Self::RangeScale => *p,
            Self::Collimation => side * (range - level),
            Self::Trunnion => side * p.z,
            Self::Index => ray.cross(&side) * range,
            Self::Settling => Vec3::z() * turned(p),
            Self::Turning => side * (-level * turned(p)),
        }
    }
}

/// What share of the turn is over when a target is met.
pub(super) fn turned(p: &Vec3) -> f64 {
    (p.y.atan2(p.x) / std::f64::consts::TAU).rem_euclid(1.0)
}

/// Errors of an instrument or of a set-up that are solved for: at most six parameters.
#[derive(Clone, Debug, PartialEq)]
pub struct SystematicUnknown {
    /// The scan whose set-up it is of; `None` for the instrument of all scans.
    pub scan: Option<usize>,
    /// What is solved for.
    pub parameters: Vec<Parameter>,
    /// Present values, in the units of the parameters.
    pub values: Vector6<f64>,
    /// First of its columns among those of all systematic unknowns.
    pub(super) at: usize,
}

impl SystematicUnknown {
    /// Number of parameters.
    pub fn wide(&self) -> usize {
        self.parameters.len()
    }

    /// The derivative of a target measured at `p` (scanner frame, metres) by the parameters.
    pub(super) fn design(&self, p: &Vec3, by: TargetKind) -> Matrix3x6<f64> {
        let mut out = Matrix3x6::zeros();
        for (k, parameter) in self.parameters.iter().enumerate() {
            out.set_column(k, &parameter.effect(p, by));
        }
        out
    }
}

/// The systematic unknowns of a network, by scan.
#[derive(Clone, Debug, Default)]
pub struct Shared {
    instrument: Option<usize>,
    set_ups: Vec<Option<usize>>,
}

impl Shared {
    /// Adds what a profile says of an instrument and its set-ups to a network that has its scans: unknowns
    /// with their priors. Parameters whose σ is zero are left out, and that of boards where there are none.
    pub fn add(net: &mut Network, profile: &Systematic, boards: bool) -> Self {
        let scans = net.scans.len();
        let of_instrument: Vec<(Parameter, f64)> = Parameter::OF_INSTRUMENT
            .into_iter()
            .filter(|p| boards || *p != Parameter::BoardOffset)
            .map(|p| (p, p.sigma(profile)))
            .collect();
        let of_set_up: Vec<(Parameter, f64)> =
            Parameter::OF_SET_UP.into_iter().map(|p| (p, p.sigma_at_set_up(profile))).collect();
        let mut add = |scan: Option<usize>, all: &[(Parameter, f64)]| {
            let stated: Vec<&(Parameter, f64)> = all.iter().filter(|p| p.1 > 0.0).collect();
            if stated.is_empty() {
                return None;
            }
            let of = net.add_systematic(scan, stated.iter().map(|p| p.0).collect());
            for (parameter, &&(_, sigma)) in stated.iter().enumerate() {
                net.observe(Observation::new(SystematicPrior { of, parameter, sigma }));
            }
            Some(of)
        };
        let instrument = add(None, &of_instrument);
        let set_ups = (0..scans).map(|s| add(Some(s), &of_set_up)).collect();
        Self { instrument, set_ups }
    }

    /// What sightings in a scan share with others.
    pub fn of(&self, scan: usize) -> [Option<usize>; 2] {
        [self.instrument, self.set_ups.get(scan).copied().flatten()]
    }
}

impl Systematic {
    /// All that the centre of a target at `p` (scanner frame, metres) is uncertain by beyond the noise of its
    /// points, as if it were seen alone: covariance, m².
    pub fn of_centre(&self, p: &Vec3, by: TargetKind) -> Mat3 {
        let of = |parameter: Parameter| {
            let sigma = parameter.sigma(self).hypot(parameter.sigma_at_set_up(self));
            let e = parameter.effect(p, by) * sigma;
            e * e.transpose()
        };
        let rest = [Parameter::Settling, Parameter::Turning];
        self.of_sighting(p, by) + Parameter::OF_INSTRUMENT.into_iter().chain(rest).map(of).sum::<Mat3>()
    }
}
