use crate::deliver::{Package, sketch::square};
use vistazo_report::Sketch;

/// The block on the grid, over the walls of the plan.
pub(super) fn sketch(p: &Package) -> Sketch {
    let (g, state) = (&p.grid, &p.state);
    let used: Vec<&str> = g.residuals.iter().chain(&g.checks).map(|r| r.target.as_str()).collect();
    let at = |p: &[f64; 3]| [p[0], p[1]];
    let stations = g.stations.iter().map(|s| (s.name.clone(), at(&s.pose.translation), "station"));
    let targets = g
        .targets
        .iter()
        .map(|t| (t.name.clone(), at(&t.position), if used.contains(&t.name.as_str()) { "control" } else { "target" }));
    let o = state.brief.origin;
    let panels = state.plan.site.panels();
    let lines = panels.iter().map(|p| [p.a.x + o[0], p.a.y + o[1], p.b.x + o[0], p.b.y + o[1]]).collect();
    square(stations.chain(targets).collect(), lines, state.brief.unit())
}
