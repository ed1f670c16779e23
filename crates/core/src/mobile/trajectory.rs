use crate::geometry::Vec3;
use nalgebra::UnitQuaternion;

/// One line of a path.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sample {
    /// Seconds.
    pub time: f64,
    /// Metres, in the frame of the pass.
    pub place: Vec3,
    /// How the unit was held, where the file says so.
    pub turn: Option<UnitQuaternion<f64>>,
}

/// Why samples make no path.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum TrajectoryError {
    /// Too little of it.
    #[error("the path has {0} line(s); at least {LEAST} expected")]
    Short(usize),
    /// Time runs backwards.
    #[error("line {line} of the path is {back:.3} s before the one above it; times must grow")]
    Backwards {
        /// Number of the sample, from 1.
        line: usize,
        /// Seconds.
        back: f64,
    },
    /// Faster than anybody walks.
    #[error("between the lines {line} and {} the path leaps {metres:.1} m in {seconds:.2} s: {FASTEST} m/s at most", line + 1)]
    Leap {
        /// Number of the sample before it, from 1.
        line: usize,
        /// Metres.
        metres: f64,
        /// Seconds.
        seconds: f64,
    },
}

/// Fewest samples.
const LEAST: usize = 10;
/// Faster than this nobody carries a unit, nor pushes it, metres a second; over less than this it may be jitter, seconds.
const FASTEST: f64 = 12.0;
const LEAPS: f64 = 2.0;
/// What the hand does within this time is not walking, seconds.
const STRIDE: f64 = 1.0;

/// Where a mobile unit says it was, by time.
#[derive(Clone, Debug)]
pub struct Trajectory {
    samples: Vec<Sample>,
    /// Metres walked up to each sample, without what the hand does.
    walked: Vec<f64>,
    /// What was taken off all places so that single precision is enough about them, metres.
    origin: Vec3,
}

impl Trajectory {
    /// From samples in the order of time; equal times are one (the first).
    ///
    /// # Errors
    /// [`TrajectoryError`] with the line.
    ///
    /// ```
    /// use vistazo_core::geometry::Vec3;
    /// use vistazo_core::mobile::{Sample, Trajectory};
    /// let at = |k: u32| Sample { time: f64::from(k), place: Vec3::new(f64::from(k), 0.0, 1.4), turn: None };
    /// let path = Trajectory::new((0..60).map(at).collect()).unwrap();
    /// assert!((path.place(10.25) + path.origin() - Vec3::new(10.25, 0.0, 1.4)).norm() < 1e-9);
    /// assert!((path.walked(30.0) - path.walked(10.0) - 20.0).abs() < 0.1);
    /// ```
    pub fn new(samples: Vec<Sample>) -> Result<Self, TrajectoryError> {
        for (k, w) in samples.windows(2).enumerate() {
            let (dt, step) = (w[1].time - w[0].time, (w[1].place - w[0].place).norm());
            if dt < 0.0 {
                return Err(TrajectoryError::Backwards { line: k + 2, back: -dt });
            }
            if step > LEAPS && step > FASTEST * dt {
                return Err(TrajectoryError::Leap { line: k + 1, metres: step, seconds: dt });
            }
        }
        let mut samples = samples;
        samples.dedup_by(|b, a| b.time <= a.time);
        if samples.len() < LEAST {
            return Err(TrajectoryError::Short(samples.len()));
        }
        let first = samples[0].place;
        // whole decametres where it lies far away, so that coordinates stay easy to compare
        let origin = if first.norm() > 500.0 { first.map(|v| (v / 10.0).round() * 10.0) } else { Vec3::zeros() };
        for s in &mut samples {
            s.place -= origin;
        }
        let mut out = Self { walked: Vec::new(), samples, origin };
        let smooth: Vec<Vec3> = out.samples.iter().map(|s| out.about(s.time, STRIDE)).collect();
        let mut sum = 0.0;
        out.walked = std::iter::once(0.0)
            .chain(smooth.windows(2).map(|w| {
                sum += (w[1] - w[0]).norm();
                sum
            }))
            .collect();
        Ok(out)
    }

    /// What was taken off the places of the file, metres.
    pub fn origin(&self) -> Vec3 {
        self.origin
    }

    /// The samples, about the origin.
    pub fn samples(&self) -> &[Sample] {
        &self.samples
    }

    /// First and last time, seconds.
    pub fn span(&self) -> [f64; 2] {
        [self.samples[0].time, self.samples[self.samples.len() - 1].time]
    }

    /// The stretch that a time lies in, and how far along it, 0..1.
    fn within(&self, time: f64) -> (usize, f64) {
        let k = self.samples.partition_point(|s| s.time <= time).clamp(1, self.samples.len() - 1) - 1;
        let (a, b) = (self.samples[k].time, self.samples[k + 1].time);
        (k, ((time - a) / (b - a)).clamp(0.0, 1.0))
    }

    /// Where the unit was, metres about the origin; its ends before and after.
    pub fn place(&self, time: f64) -> Vec3 {
        let (k, w) = self.within(time);
        self.samples[k].place.lerp(&self.samples[k + 1].place, w)
    }

    /// Mean place about a time.
    fn about(&self, time: f64, span: f64) -> Vec3 {
        const PARTS: i32 = 4;
        let at = |k: i32| self.place(time + span * f64::from(k) / f64::from(2 * PARTS));
        (-PARTS..=PARTS).map(at).sum::<Vec3>() / f64::from(2 * PARTS + 1)
    }

    /// Metres walked since the beginning, without what the hand does.
    pub fn walked(&self, time: f64) -> f64 {
        let (k, w) = self.within(time);
        self.walked[k] + w * (self.walked[k + 1] - self.walked[k])
    }

    /// Radians turned about the vertical between two times: by how it was held, else by the way it went.
    pub fn turned(&self, from: f64, to: f64) -> f64 {
        const STEP: f64 = 0.25;
        let heading = |t: f64| {
            let ahead = match self.samples[self.within(t).0].turn {
                Some(q) => q * Vec3::x(),
                None => self.about(t + STRIDE, STRIDE) - self.about(t - STRIDE, STRIDE),
            };
            (ahead.xy().norm() > 0.15).then(|| ahead.y.atan2(ahead.x))
        };
        let steps = ((to - from) / STEP).ceil().max(1.0) as usize;
        let mut last = None;
        let mut sum = 0.0;
        for k in 0..=steps {
            let Some(h) = heading(from + (to - from) * k as f64 / steps as f64) else { continue };
            if let Some(l) = last {
                let d: f64 = h - l;
                sum += d.sin().atan2(d.cos()).abs();
            }
            last = Some(h);
        }
        sum
    }
}
