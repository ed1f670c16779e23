//! Stations and targets drawn on a square sheet.

use vistazo_core::units::LengthUnit;
use vistazo_report::Sketch;

/// Fits named points (name, x, y, what it is) and the lines about them onto the sheet, with a scale bar of a
/// round length in the unit given.
pub(super) fn square(points: Vec<(String, [f64; 2], &str)>, lines: Vec<[f64; 4]>, unit: LengthUnit) -> Sketch {
    if points.is_empty() {
        return Sketch::default();
    }
    let span = |k: usize| points.iter().map(|p| p.1[k]).fold((f64::MAX, f64::MIN), |a, v| (a.0.min(v), a.1.max(v)));
    let (x, y) = (span(0), span(1));
    let side = 1.3 * (x.1 - x.0).max(y.1 - y.0).max(1.0);
    let to = |v: f64, (low, high): (f64, f64)| (v - f64::midpoint(low, high)) / side + 0.5;
    let inside = |l: &[f64; 4]| l.iter().all(|v| (0.0..=1.0).contains(v));
    let lines =
        lines.into_iter().map(|l| [to(l[0], x), to(l[1], y), to(l[2], x), to(l[3], y)]).filter(inside).collect();
    let bar = [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0];
    let bar = bar.into_iter().rfind(|b| b * unit.metres() < side * 0.3).unwrap_or(1.0);
    Sketch {
        points: points.into_iter().map(|(name, p, what)| (name, to(p[0], x), to(p[1], y), what.to_owned())).collect(),
        lines,
        scale: (bar * unit.metres() / side, format!("{bar} {}", unit.code())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sheet_is_one_scale_both_ways_and_the_bar_is_true_to_it() {
        let at = |name: &str, x: f64, y: f64| (name.to_owned(), [x, y], "station");
        let lines = vec![[0.0, 0.0, 60.0, 0.0], [0.0, 0.0, 900.0, 0.0]];
        let s = square(vec![at("a", 0.0, 0.0), at("b", 60.0, 20.0)], lines, LengthUnit::Metre);
        let (a, b) = (&s.points[0], &s.points[1]);
        // three times as wide as high, as on site
        assert!(((b.1 - a.1) / (b.2 - a.2) - 3.0).abs() < 1e-12);
        assert_eq!(s.scale.1, "20 m");
        assert!(((b.1 - a.1) / s.scale.0 - 3.0).abs() < 1e-12, "60 m are three bars of 20 m");
        assert_eq!(s.lines.len(), 1, "what would leave the sheet is not drawn");
        assert_eq!(square(Vec::new(), Vec::new(), LengthUnit::Metre).points.len(), 0);
    }

    #[test]
    fn a_single_point_stands_in_the_middle() {
        let s = square(vec![("S1".into(), [5.0, 7.0], "station")], Vec::new(), LengthUnit::InternationalFoot);
        assert_eq!((s.points[0].1, s.points[0].2), (0.5, 0.5));
        assert_eq!(s.scale.1, "1 ft");
    }
}
