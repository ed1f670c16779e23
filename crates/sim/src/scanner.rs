use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;

/// A scanner as one stands on site: the profile it is sold by, and what this one does wrong, alike in every
/// scan it takes.
#[derive(Clone, Debug)]
pub struct Scanner {
    /// The profile.
    pub instrument: Instrument,
    /// What it does wrong; `None` for noise alone.
    wrong: Option<Wrong>,
    /// Of the targets it is used with.
    seed: u64,
}

/// Errors that all points of a scan share. The models are the simulator's own: they bend rays, where the
/// mathematics shifts targets.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Wrong {
    offset: f64,
    black_to_white: f64,
    scale: f64,
    collimation: f64,
    trunnion: f64,
    index: f64,
    settles: f64,
    turns: f64,
}

/// The rays of one elevation.
pub(crate) struct Bent {
    /// By collimation and by the tilting axis, radians.
    aside: [f64; 2],
    flat: f64,
    rise: f64,
}

impl Scanner {
    /// One whose only error is noise.
    pub fn perfect(instrument: &Instrument) -> Self {
        Self { instrument: instrument.clone(), wrong: None, seed: 0 }
    }

    /// One whose errors are drawn from what its profile states. The same seed is the same body.
    pub fn drawn(instrument: &Instrument, seed: u64) -> Self {
        let s = &instrument.systematic;
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x5CA7_7E2D);
        let mut of = |sigma: f64| sigma * rng.sample::<f64, _>(StandardNormal);
        let wrong = Wrong {
            offset: of(s.range_offset),
            black_to_white: of(s.reflectivity),
            scale: of(s.range_scale),
            collimation: of(s.collimation),
            trunnion: of(s.trunnion),
            index: of(s.index),
            ..Wrong::default()
        };
        Self { instrument: instrument.clone(), wrong: Some(wrong), seed }
    }

    /// Where the centre of a sphere seems to be from one side, by its form and its stem, beside where it is.
    pub(crate) fn out_of_round(&self, scan: u64, sphere: usize) -> Vec3 {
        let mut rng = ChaCha8Rng::seed_from_u64(scan.rotate_left(17) ^ self.seed ^ ((sphere as u64 + 1) * 0x9E37));
        let sigma = if self.wrong.is_some() { self.instrument.systematic.roundness } else { 0.0 };
        Vec3::from_fn(|_, _| sigma * rng.sample::<f64, _>(StandardNormal))
    }

    /// By how much the middle of a board stands out, metres.
    pub(crate) fn bulge(&self, board: usize) -> f64 {
        let mut rng = ChaCha8Rng::seed_from_u64(self.seed ^ ((board as u64 + 1) * 0xB0A2D));
        let sigma = if self.wrong.is_some() { self.instrument.systematic.flatness } else { 0.0 };
        sigma * rng.sample::<f64, _>(StandardNormal)
    }

    /// How the cloud of a scan is turned against the tripod: what its collimation does to every ray alike.
    pub fn frame(&self) -> Pose {
        Pose::levelled(self.wrong.map_or(0.0, |w| w.collimation), Vec3::zeros())
    }

    /// What it does wrong in one scan: what is new at the set-up comes on top. A perfect one stays perfect.
    pub(crate) fn at_set_up(&self, seed: u64) -> Wrong {
        let s = &self.instrument.systematic;
        let Some(own) = self.wrong else { return Wrong::default() };
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x07E1_90D5);
        let mut of = |sigma: f64| sigma * rng.sample::<f64, _>(StandardNormal);
        Wrong { index: own.index + of(s.index_at_set_up), settles: of(s.settling), turns: of(s.turning), ..own }
    }
}

impl Wrong {
    /// Where the beam goes in truth when the scanner says azimuth and elevation (radians), after this share
    /// of the turn.
    pub(crate) fn ray(&self, azimuth: f64, elevation: f64, share: f64) -> Vec3 {
        self.along(&self.bent(elevation), azimuth, share)
    }

    /// What all rays have in common that go out under one elevation (radians).
    pub(crate) fn bent(&self, elevation: f64) -> Bent {
        let aside = [self.collimation / elevation.cos().max(0.02), self.trunnion * elevation.tan().clamp(-50.0, 50.0)];
        let e = elevation + self.index;
        Bent { aside, flat: e.cos(), rise: e.sin() }
    }

    /// One of these rays.
    pub(crate) fn along(&self, bent: &Bent, azimuth: f64, share: f64) -> Vec3 {
        let a = azimuth + bent.aside[0] + bent.aside[1] - self.turns * share;
        Vec3::new(bent.flat * a.cos(), bent.flat * a.sin(), bent.rise)
    }

    /// The same in one face (1) or the other (−1): what bends the ray bends it the other way.
    pub(crate) fn faced(self, sign: f64) -> Self {
        let Self { collimation, trunnion, index, .. } = self;
        Self { collimation: sign * collimation, trunnion: sign * trunnion, index: sign * index, ..self }
    }

    /// Offset, scale, collimation, tilting axis and index as they are in what it reads: what the beam goes beyond what the
    /// scanner says, the scanner says too little.
    #[cfg(test)]
    pub(crate) fn as_read(self) -> [f64; 5] {
        [self.offset, self.scale, -self.collimation, -self.trunnion, -self.index]
    }

    /// How far the scanner has sunk, metres.
    pub(crate) fn sunk(&self, share: f64) -> f64 {
        self.settles * share
    }

    /// What it measures of a true range, metres, when so much light comes back (0 to 1).
    pub(crate) fn range(&self, range: f64, light: f64) -> f64 {
        range * (1.0 + self.scale) + self.offset + self.black_to_white * (light - 0.5)
    }
}
