use super::{Instrument, Systematic};

/// One way to set an instrument: a resolution with so many repeats.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Setting {
    /// Angle between neighbouring points, radians.
    pub step: f64,
    /// Measurements averaged for each point.
    pub repeats: u32,
    /// Distance between points square to the ray at the range asked for, metres.
    pub spacing: f64,
    /// Range noise there, 1σ, metres.
    pub noise: f64,
    /// Time of one scan, seconds.
    pub time: f64,
    /// Points of one scan of the whole field of view.
    pub points: f64,
}

/// Invented instruments of several classes, to begin a profile with.
pub fn library() -> Vec<Instrument> {
    let arc_second = std::f64::consts::PI / 648_000.0;
    let mid = Instrument::mid_range();
    vec![
        Instrument {
            name: "Short-range, fast".into(),
            range_sigma: 0.0010,
            range_sigma_per_m: 40e-6,
            angular_sigma: 12.0 * arc_second,
            systematic: Systematic::sober(0.0010, 12.0 * arc_second),
            compensator_sigma: Some(12.0 * arc_second),
            max_range: 60.0,
            elevation_min: (-60.0_f64).to_radians(),
            elevation_max: 90.0_f64.to_radians(),
            warm_up: 60.0,
            scan_time: 75.0,
            photograph_time: 60.0,
            battery_time: 7200.0,
            step: 0.0025,
            ..mid.clone()
        },
        mid.clone(),
        Instrument {
            name: "Long-range, precise".into(),
            range_sigma: 0.0008,
            range_sigma_per_m: 8e-6,
            angular_sigma: 2.5 * arc_second,
            systematic: Systematic::sober(0.0008, 2.5 * arc_second),
            beam_exit: 0.006,
            beam_divergence: 0.00012,
            compensator_sigma: Some(1.5 * arc_second),
            min_range: 1.0,
            max_range: 350.0,
            elevation_min: (-55.0_f64).to_radians(),
            elevation_max: 60.0_f64.to_radians(),
            warm_up: 480.0,
            scan_time: 300.0,
            step: 0.0012,
            ..mid.clone()
        },
        Instrument {
            name: "Time of flight, with backsight".into(),
            range_sigma: 0.0040,
            range_sigma_per_m: 10e-6,
            angular_sigma: 8.0 * arc_second,
            systematic: Systematic::sober(0.0040, 8.0 * arc_second),
            beam_exit: 0.007,
            beam_divergence: 0.00025,
            compensator_sigma: Some(2.0 * arc_second),
            sighting_sigma: Some(8.0 * arc_second),
            min_range: 1.5,
            max_range: 600.0,
            elevation_min: (-40.0_f64).to_radians(),
            elevation_max: 60.0_f64.to_radians(),
            warm_up: 300.0,
            scan_time: 420.0,
            photograph_time: 300.0,
            battery_time: 14_400.0,
            step: 0.0010,
            ..mid.clone()
        },
        Instrument {
            name: "Small imaging".into(),
            range_sigma: 0.0040,
            range_sigma_per_m: 100e-6,
            angular_sigma: 40.0 * arc_second,
            systematic: Systematic::sober(0.0040, 40.0 * arc_second),
            beam_exit: 0.003,
            beam_divergence: 0.0004,
            compensator_sigma: None,
            max_range: 45.0,
            elevation_min: (-60.0_f64).to_radians(),
            elevation_max: 90.0_f64.to_radians(),
            warm_up: 0.0,
            scan_time: 40.0,
            photograph_time: 20.0,
            battery_time: 3600.0,
            step: 0.0045,
            ..mid.clone()
        },
        Instrument {
            name: "Total station with a scanned window".into(),
            range_sigma: 0.0015,
            range_sigma_per_m: 2e-6,
            angular_sigma: 1.0 * arc_second,
            systematic: Systematic::sober(0.0015, 1.0 * arc_second),
            beam_exit: 0.008,
            beam_divergence: 0.0002,
            compensator_sigma: Some(0.5 * arc_second),
            sighting_sigma: Some(1.0 * arc_second),
            min_range: 1.5,
            max_range: 300.0,
            elevation_min: (-30.0_f64).to_radians(),
            elevation_max: 30.0_f64.to_radians(),
            warm_up: 120.0,
            scan_time: 900.0,
            photograph_time: 240.0,
            battery_time: 18_000.0,
            step: 0.0040,
            ..mid
        },
    ]
}

impl Instrument {
    /// Points of one scan of the whole field of view at a step, radians.
    pub fn points(&self, step: f64) -> f64 {
        (std::f64::consts::TAU / step) * ((self.elevation_max - self.elevation_min) / step)
    }

    /// Time of one scan at a step and with so many repeats, seconds: it goes with the number of
    /// measurements, but not below a fifth of the profile's time, which the mirror's turns take.
    pub fn time(&self, step: f64, repeats: u32) -> f64 {
        self.scan_time * ((self.step / step).powi(2) * f64::from(repeats)).max(0.2)
    }

    /// The coarsest setting that puts points `spacing` metres apart at `range` metres on a surface
    /// met at `incidence` radians, with range noise of at most `noise` metres (1σ) after averaging;
    /// `None` when the range is out of reach or the step is finer than half the profile's.
    pub fn setting(&self, range: f64, spacing: f64, incidence: f64, noise: f64) -> Option<Setting> {
        if range < self.min_range || range > self.max_range {
            return None;
        }
        // steps of 1, 1.25, 1.6, 2, … times the finest, as instruments offer them
        let wanted = spacing * incidence.cos() / range;
        let finest = self.step / 2.0;
        let series = (0..20).map(|k| finest * 10.0_f64.powf(f64::from(k) / 10.0));
        let step = series.take_while(|s| *s <= wanted * 1.000_001).last()?;
        let single = self.range_noise(range, incidence.cos());
        let repeats = [1_u32, 2, 4, 8].into_iter().find(|r| single / f64::from(*r).sqrt() <= noise)?;
        Some(Setting {
            step,
            repeats,
            spacing: range * step,
            noise: single / f64::from(repeats).sqrt(),
            time: self.time(step, repeats),
            points: self.points(step),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_setting_keeps_what_was_asked() {
        for i in library() {
            for (range, spacing) in [(5.0, 0.01), (20.0, 0.02), (40.0, 0.05)] {
                let Some(s) = i.setting(range, spacing, 0.5, 0.003) else { continue };
                assert!(s.spacing / 0.5_f64.cos() <= spacing * 1.0001 && s.noise <= 0.003, "{}: {s:?}", i.name);
                // the next coarser one would not do
                assert!(range * s.step * 10.0_f64.powf(0.1) / 0.5_f64.cos() > spacing * 0.999, "{}: {s:?}", i.name);
            }
            assert!(i.setting(i.max_range * 1.01, 1.0, 0.0, 1.0).is_none());
        }
        let mid = Instrument::mid_range();
        assert!((mid.points(mid.step) - 3.86e6).abs() < 1e4, "{}", mid.points(mid.step));
        assert!((mid.time(mid.step, 4) - 4.0 * mid.scan_time).abs() < 1e-9);
    }
}
