//! The ground as a sheet to scale: contours, heights, breaklines, and areas with what lies over and under them.

use super::paper::OnPaper;
use crate::ApiError;
use crate::work::ground::{OnIt, Site};
use nalgebra::Vector2;
use std::collections::BTreeMap;
use vistazo_core::stats::{K95_1D, median};
use vistazo_report::typeset_drawing;

/// Every fifth contour is drawn strongly, with its height.
const INDEX: i64 = 5;
/// Shorter contours have no height written to them, millimetres of paper.
const WRITTEN: f64 = 40.0;
/// Labels of areas stand so far under one another, millimetres.
const LINE: f64 = 3.2;

pub(super) fn pdf(site: &Site) -> Result<Vec<u8>, ApiError> {
    let lying = &*site.lying;
    let (unit, brief) = (site.brief.unit(), &site.brief);
    let places = lying.contours.iter().flat_map(|c| &c.1).chain(site.drawn.iter().flat_map(|d| corners(&d.2)));
    let (edge, _) = lying.surface.triangles();
    let paper = OnPaper::of(unit, places.map(|p| [p.x, p.y]).chain(edge.iter().map(|c| [c.x, c.y])));
    let mut out = paper.sheet();
    let at = |p: &Vector2<f64>| paper.at([p.x, p.y]);
    out.lines = rim(&lying.surface.triangles().1)
        .map(|ends| {
            let [[x1, y1], [x2, y2]] = ends.map(|k| at(&edge[k].xy()));
            ([x1, y1, x2, y2], "low".to_owned())
        })
        .collect();
    for (height, line) in &lying.contours {
        let strong = (height / lying.apart).round() as i64 % INDEX == 0;
        let path: Vec<[f64; 2]> = line.iter().map(at).collect();
        if let (true, Some([x, y])) = (strong && long(&path) > WRITTEN, path.get(path.len() / 2)) {
            out.labels.push((*x, *y, format!("{:.2}", height / unit.metres()), 0.0));
        }
        out.paths.push((path, if strong { "index" } else { "contour" }.into()));
    }
    for (_, _, drawn) in &site.drawn {
        match drawn {
            OnIt::Breakline(line) => out.paths.push((line.iter().map(at).collect(), "breakline".into())),
            OnIt::Area { outline, .. } => {
                let round = outline.iter().chain(outline.first()).map(at).collect();
                out.paths.push((round, "area".into()));
            }
            OnIt::Spot(_) => {}
        }
    }
    for (_, name, p, h) in site.spots() {
        let [x, y] = at(&p);
        out.circles.push([x, y, 0.5]);
        let height = format!("{:.3} ±{}", h.height / unit.metres(), brief.length(h.error95));
        out.labels.push((x, y - 2.4, format!("{name} {height}").trim().to_owned(), 0.0));
    }
    for (id, name, said) in said_of_areas(site) {
        let outline = site.drawn.iter().find(|d| d.0 == id).map(|d| corners(&d.2)).unwrap_or_default();
        let [x, y] = at(&(outline.iter().sum::<Vector2<f64>>() / outline.len().max(1) as f64));
        let lines = std::iter::once(name).chain(said);
        out.labels.extend(lines.enumerate().map(|(k, text)| (x, y + LINE * k as f64, text, 0.0)));
    }
    out.title = site.job.clone();
    out.subtitle = "The ground".into();
    let warnings = [
        (site.simulated, "TRAINING JOB, its scans are simulated"),
        (site.stale, "scans or registration changed since it was found"),
    ];
    out.warning = warnings.into_iter().filter(|w| w.0).map(|w| w.1).collect::<Vec<_>>().join("; ");
    out.facts = facts(site);
    let key = [
        ("rim of what was seen", "low"),
        ("contour", "contour"),
        ("every fifth", "index"),
        ("breakline", "breakline"),
        ("area", "area"),
    ];
    out.key = key.map(|(name, style)| (name.to_owned(), style.to_owned())).into();
    typeset_drawing(&out).map_err(|e| ApiError::conflict(e.to_string()))
}

fn corners(of: &OnIt) -> &[Vector2<f64>] {
    match of {
        OnIt::Breakline(line) => line,
        OnIt::Area { outline, .. } => outline,
        OnIt::Spot(p) => std::slice::from_ref(p),
    }
}

/// Edges that belong to one triangle alone: beyond them nobody saw the ground.
fn rim(faces: &[[usize; 3]]) -> impl Iterator<Item = [usize; 2]> {
    let edges = faces.iter().flat_map(|[a, b, c]| [[*a, *b], [*b, *c], [*c, *a]]);
    let mut count = BTreeMap::<[usize; 2], usize>::new();
    edges.for_each(|[a, b]| *count.entry([a.min(b), a.max(b)]).or_default() += 1);
    count.into_iter().filter(|e| e.1 == 1).map(|e| e.0)
}

fn long(path: &[[f64; 2]]) -> f64 {
    path.windows(2).map(|w| (w[1][0] - w[0][0]).hypot(w[1][1] - w[0][1])).sum()
}

/// Areas with their names, and what is said of each: to its level, then to every other surface.
fn said_of_areas(site: &Site) -> Vec<(uuid::Uuid, String, Vec<String>)> {
    let unit = site.brief.unit();
    let cubic = |v: f64| v / unit.metres().powi(3);
    let volume = |to: String, v: &vistazo_core::draw::ground::Volume| {
        let [above, below, error] = [v.above, v.below, v.error95].map(cubic);
        format!("{to}: +{above:.2} −{below:.2} ±{error:.2} {}³", unit.code())
    };
    let mut out: Vec<(uuid::Uuid, String, Vec<String>)> = (site.drawn.iter())
        .filter(|d| matches!(d.2, OnIt::Area { .. }))
        .map(|(id, name, _)| (*id, name.clone(), Vec::new()))
        .collect();
    let levels =
        site.volumes().map(|(id, _, level, v, _)| (id, volume(format!("to {:.3}", level / unit.metres()), &v)));
    let others = site.between().map(|(id, _, other, v, _)| (id, volume(format!("to {}", other.row.name), &v)));
    for (id, said) in levels.chain(others) {
        out.iter_mut().filter(|o| o.0 == id).for_each(|o| o.2.push(said.clone()));
    }
    out
}

fn facts(site: &Site) -> Vec<(String, String)> {
    let (brief, ground) = (&site.brief, site.lying.surface.ground());
    let unit = brief.unit();
    let mut errors: Vec<f64> = ground.cells.iter().flatten().map(|c| K95_1D * (c.own + c.common).sqrt()).collect();
    let worst = errors.iter().copied().fold(0.0, f64::max);
    let middle = median(&mut errors).unwrap_or(0.0);
    let heights = || ground.cells.iter().flatten().map(|c| c.height / unit.metres());
    let (low, high) = (heights().fold(f64::MAX, f64::min), heights().fold(f64::MIN, f64::max));
    let (corners, triangles) = site.lying.surface.triangles();
    vec![
        ("Heights".into(), format!("{low:.3} to {high:.3} {}", unit.code())),
        (
            "Known within, 95 %".into(),
            format!("{} in the middle of all, {} at worst", brief.length(middle), brief.length(worst)),
        ),
        ("Contours every".into(), brief.way(site.lying.apart, 2)),
        ("Surface".into(), format!("{} corners, {} triangles", corners.len(), triangles.len())),
        ("Cells of".into(), format!("{}; beyond the rim nobody saw the ground", brief.length(ground.cell))),
        (
            "Reference, found".into(),
            format!("{}, {} UTC", crate::work::grid::reference_words(brief.epsg), site.at.format("%Y-%m-%d %H:%M")),
        ),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rim_is_what_one_triangle_has_alone() {
        let rim: Vec<_> = rim(&[[0, 1, 2], [2, 1, 3]]).collect();
        assert_eq!(rim, [[0, 1], [0, 2], [1, 3], [2, 3]]);
    }
}
