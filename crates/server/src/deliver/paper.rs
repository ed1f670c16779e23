//! Drawings to scale on paper: which paper and scale they fit on, where a place lies on it, and the lines of the grid.

use vistazo_core::units::LengthUnit;
use vistazo_report::ScaleDrawing;

/// Papers, width and height in millimetres, and what the frame and the title block take of them.
const PAPERS: [[f64; 2]; 4] = [[420.0, 297.0], [594.0, 420.0], [841.0, 594.0], [1189.0, 841.0]];
const BORDER: f64 = 22.0;
const BLOCK: f64 = 42.0;

/// The scale, and the paper that the drawing fits on.
pub(crate) fn fitting(unit: LengthUnit, size: [f64; 2]) -> (f64, [f64; 2]) {
    let scales: [f64; 7] = match unit {
        LengthUnit::Metre => [50.0, 100.0, 200.0, 250.0, 500.0, 1000.0, 2000.0],
        _ => [48.0, 96.0, 192.0, 240.0, 480.0, 960.0, 1920.0],
    };
    let all = scales.into_iter().flat_map(|s| PAPERS.into_iter().take(3).map(move |p| (s, p)));
    let fits = |(s, p): &(f64, [f64; 2])| {
        size[0] * 1e3 / s < p[0] - 2.0 * BORDER && size[1] * 1e3 / s < p[1] - 2.0 * BORDER - BLOCK
    };
    all.into_iter().find(fits).unwrap_or((5000.0, PAPERS[3]))
}

/// A scale, with what is said of it.
pub(crate) struct ScaleOf {
    unit: LengthUnit,
    scale: f64,
}

impl ScaleOf {
    pub(crate) fn new(unit: LengthUnit, scale: f64) -> Self {
        Self { unit, scale }
    }

    /// What a length of the paper is on site, times.
    pub(crate) fn scale(&self) -> f64 {
        self.scale
    }

    /// Where the middle of the drawing lies on the paper, millimetres.
    pub(crate) fn middle(&self, paper: [f64; 2]) -> [f64; 2] {
        [paper[0] / 2.0, (paper[1] - BLOCK) / 2.0]
    }

    /// About so many millimetres of paper as a round length of the unit.
    fn round(&self, millimetres: f64) -> f64 {
        let v = millimetres * self.scale / 1e3 / self.unit.metres();
        let p = 10f64.powf(v.log10().floor());
        [1.0, 2.0, 5.0, 10.0].into_iter().map(|m| m * p).rfind(|n| *n <= v).unwrap_or(p)
    }

    /// Length of the bar on the paper, millimetres, and what is written to it.
    pub(crate) fn bar(&self) -> (f64, String) {
        let long = self.round(60.0);
        (long * self.unit.metres() * 1e3 / self.scale, format!("{long} {}", self.unit.code()))
    }

    pub(crate) fn words(&self) -> String {
        let scale = self.scale;
        match self.unit {
            LengthUnit::Metre => format!("1 : {scale:.0}"),
            _ if scale < 100.0 => format!("1 : {scale:.0} ({} in = 1 ft)", if scale < 50.0 { "1/4" } else { "1/8" }),
            _ => format!("1 : {scale:.0}"),
        }
    }
}

/// A map on paper: east to the right, north up.
pub(crate) struct OnPaper {
    pub of: ScaleOf,
    paper: [f64; 2],
    low: [f64; 2],
    high: [f64; 2],
}

impl OnPaper {
    /// Of everything that has a place on it.
    pub(crate) fn of(unit: LengthUnit, places: impl Iterator<Item = [f64; 2]>) -> Self {
        let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
        for p in places {
            for k in 0..2 {
                (low[k], high[k]) = (low[k].min(p[k]), high[k].max(p[k]));
            }
        }
        if low[0] > high[0] {
            (low, high) = ([0.0; 2], [1.0; 2]);
        }
        let (scale, paper) = fitting(unit, [high[0] - low[0], high[1] - low[1]]);
        Self { of: ScaleOf::new(unit, scale), paper, low, high }
    }

    /// A place on the paper, millimetres from its upper left corner.
    pub(crate) fn at(&self, p: [f64; 2]) -> [f64; 2] {
        let middle = self.of.middle(self.paper);
        let off = |k: usize| (p[k] - f64::midpoint(self.low[k], self.high[k])) * 1e3 / self.of.scale;
        [middle[0] + off(0), middle[1] - off(1)]
    }

    /// The paper with its scale, and where lines of the grid cross.
    pub(crate) fn sheet(&self) -> ScaleDrawing {
        let metres = self.of.unit.metres();
        let apart = self.of.round(90.0) * metres;
        let steps = |k: usize| {
            let (a, b) = ((self.low[k] / apart).ceil() as i64, (self.high[k] / apart).floor() as i64);
            (a..=b).take(60).map(move |n| n as f64 * apart)
        };
        let mut crosses = Vec::new();
        for (i, e) in steps(0).enumerate() {
            for (j, n) in steps(1).enumerate() {
                let [x, y] = self.at([e, n]);
                let edge = |first: bool, letter: &str, v: f64| {
                    if first { format!("{letter} {:.0}", v / metres) } else { String::new() }
                };
                crosses.push((x, y, edge(j == 0, "E", e), edge(i == 0, "N", n)));
            }
        }
        ScaleDrawing {
            paper: self.paper,
            bar: self.of.bar(),
            scale: self.of.words(),
            crosses,
            ..ScaleDrawing::default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drawing_fits_on_its_paper_at_a_scale_of_the_trade() {
        for (unit, size, scale) in [
            (LengthUnit::Metre, [12.0, 8.0], 50.0),
            (LengthUnit::Metre, [70.0, 50.0], 100.0),
            (LengthUnit::UsSurveyFoot, [12.0, 8.0], 48.0),
            (LengthUnit::Metre, [3000.0, 10.0], 5000.0),
        ] {
            let (s, p) = fitting(unit, size);
            assert_eq!(s, scale);
            assert!(size[0] * 1e3 / s < p[0] - 2.0 * BORDER);
        }
    }

    #[test]
    fn a_place_lies_on_its_paper_to_scale_with_north_up() {
        let places = [[412_300.0, 5_604_800.0], [412_330.0, 5_604_820.0]];
        let paper = OnPaper::of(LengthUnit::Metre, places.into_iter());
        let [a, b] = places.map(|p| paper.at(p));
        let scale = paper.of.scale();
        assert!((b[0] - a[0] - 30e3 / scale).abs() < 1e-6 && (a[1] - b[1] - 20e3 / scale).abs() < 1e-6);
        let sheet = paper.sheet();
        for p in [a, b] {
            assert!((0..2).all(|k| p[k] > BORDER / 2.0 && p[k] < sheet.paper[k] - BORDER / 2.0), "{p:?}");
        }
        assert!(sheet.crosses.iter().any(|c| c.2.starts_with("E 4123")), "{:?}", sheet.crosses);
        // nothing drawn is no reason to fall over
        assert!(OnPaper::of(LengthUnit::Metre, std::iter::empty()).sheet().paper[0] > 0.0);
    }
}
