//! Stations and targets drawn on a square sheet.

use crate::deliver::Package;
use vistazo_report::Sketch;

pub(super) fn sketch(p: &Package) -> Sketch {
    let (g, state) = (&p.grid, &p.state);
    let used: Vec<&str> = g.residuals.iter().chain(&g.checks).map(|r| r.target.as_str()).collect();
    let mut points: Vec<(String, f64, f64, String)> = g
        .stations
        .iter()
        .map(|s| (s.name.clone(), s.pose.translation[0], s.pose.translation[1], "station".into()))
        .collect();
    points.extend(g.targets.iter().map(|t| {
        (
            t.name.clone(),
            t.position[0],
            t.position[1],
            if used.contains(&t.name.as_str()) { "control".into() } else { "target".into() },
        )
    }));
    let o = state.brief.origin;
    let mut lines: Vec<[f64; 4]> =
        state.plan.site.panels().iter().map(|p| [p.a.x + o[0], p.a.y + o[1], p.b.x + o[0], p.b.y + o[1]]).collect();
    let all = || points.iter().map(|p| (p.1, p.2));
    let (x0, x1) = all().fold((f64::MAX, f64::MIN), |a, p| (a.0.min(p.0), a.1.max(p.0)));
    let (y0, y1) = all().fold((f64::MAX, f64::MIN), |a, p| (a.0.min(p.1), a.1.max(p.1)));
    let size = (x1 - x0).max(y1 - y0).max(1.0) * 1.3;
    let (cx, cy) = (f64::midpoint(x0, x1), f64::midpoint(y0, y1));
    let fx = |x: f64| (x - cx) / size + 0.5;
    let fy = |y: f64| (y - cy) / size + 0.5;
    for p in &mut points {
        (p.1, p.2) = (fx(p.1), fy(p.2));
    }
    lines = lines
        .into_iter()
        .map(|l| [fx(l[0]), fy(l[1]), fx(l[2]), fy(l[3])])
        .filter(|l| l.iter().all(|v| (0.0..=1.0).contains(v)))
        .collect();
    let u = state.brief.unit();
    let step = [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0]
        .into_iter()
        .rfind(|s| s * u.metres() < size * 0.3)
        .unwrap_or(1.0);
    Sketch { points, lines, scale: (step * u.metres() / size, format!("{step} {}", u.code())) }
}
