//! A sheet that was drawn, as files.

use super::paper::OnPaper;
use crate::ApiError;
use crate::dto::{Brief, DrawnData};
use crate::work::drawing::Drawing;
use vistazo_core::stats::median;
use vistazo_core::units::LengthUnit;
use vistazo_formats::drawing_dxf::{DrawingLayer, Drawn, Mark, write_drawing};
use vistazo_report::{ScaleDrawing, typeset_drawing};

/// A kind of file that a sheet is written as.
pub(crate) struct Kind {
    pub name: &'static str,
    pub media_type: &'static str,
    pub write: fn(&Drawing) -> Result<Vec<u8>, ApiError>,
}

/// All of them.
pub(crate) const KINDS: [Kind; 3] = [
    Kind { name: "plan.dxf", media_type: "image/vnd.dxf", write: dxf },
    Kind { name: "plan.pdf", media_type: "application/pdf", write: pdf },
    Kind { name: "plan.geojson", media_type: "application/geo+json", write: geojson },
];

/// Layers: what nobody agreed with yet lies on layers of its own.
const LAYERS: [DrawingLayer; 11] = [
    DrawingLayer { name: "WALL", colour: 7, dashed: false },
    DrawingLayer { name: "LOW", colour: 8, dashed: false },
    DrawingLayer { name: "OPENING", colour: 4, dashed: true },
    DrawingLayer { name: "NOT_SEEN", colour: 1, dashed: true },
    DrawingLayer { name: "COLUMN", colour: 7, dashed: false },
    DrawingLayer { name: "WALL_NOT_AGREED", colour: 30, dashed: false },
    DrawingLayer { name: "LOW_NOT_AGREED", colour: 33, dashed: false },
    DrawingLayer { name: "OPENING_NOT_AGREED", colour: 34, dashed: true },
    DrawingLayer { name: "COLUMN_NOT_AGREED", colour: 30, dashed: false },
    DrawingLayer { name: "LENGTH", colour: 5, dashed: false },
    DrawingLayer { name: "THICKNESS", colour: 6, dashed: false },
];

/// Shorter walls have no length written to them, metres.
const WRITTEN: f64 = 1.2;

fn layer(kind: &str, d: &DrawnData) -> &'static str {
    match (kind, d.layer.as_deref(), d.found) {
        ("unseen", ..) => "NOT_SEEN",
        ("thickness", ..) => "THICKNESS",
        ("opening", _, false) => "OPENING",
        ("opening", _, true) => "OPENING_NOT_AGREED",
        ("column", _, false) => "COLUMN",
        ("column", _, true) => "COLUMN_NOT_AGREED",
        (_, Some("low"), false) => "LOW",
        (_, Some("low"), true) => "LOW_NOT_AGREED",
        (_, _, false) => "WALL",
        (_, _, true) => "WALL_NOT_AGREED",
    }
}

fn length(d: &DrawnData) -> f64 {
    if let [a, b] = d.line[..] { (b[0] - a[0]).hypot(b[1] - a[1]) } else { 0.0 }
}

/// What is known about something, in words.
fn says(brief: &Brief, kind: &str, d: &DrawnData) -> String {
    let mut out = Vec::new();
    let each = |v: &[f64]| v.iter().map(|e| brief.length(*e)).collect::<Vec<_>>().join(", ");
    match kind {
        "line" if d.error95.is_empty() => out.push("by hand".to_owned()),
        "line" => out.push(format!("across, at both ends: 95 % {}", each(&d.error95))),
        "opening" => out.push(format!("{} wide; both jambs: 95 % {}", brief.length(length(d)), each(&d.error95))),
        "column" => out.push(format!("axis, radius: 95 % {}", each(&d.error95))),
        "thickness" => out.push(format!("95 % {}", each(&d.error95))),
        _ => {}
    }
    if let Some(s) = d.scatter {
        out.push(format!("points scatter by {}", brief.length(s)));
    }
    if !d.scans.is_empty() {
        out.push(format!("seen by {}", d.scans.join(" ")));
    }
    if let Some(k) = d.square {
        out.push(format!("made square with others (group {})", k + 1));
    }
    if d.found {
        out.push("found by the program, not agreed with".into());
    }
    // readers hold 255 bytes
    let mut text = out.join("; ");
    while text.len() > 240 {
        text.pop();
    }
    text
}

/// The length of a wall as it is written: to the millimetre, or the thousandth of a foot.
fn written(unit: LengthUnit, metres: f64) -> String {
    format!("{:.3}", metres / unit.metres())
}

fn dxf(of: &Drawing) -> Result<Vec<u8>, ApiError> {
    let unit = of.brief.unit();
    let mut drawn = Vec::new();
    for (kind, d) in &of.items {
        let mark = match (kind.as_str(), d.position) {
            ("column", Some(p)) => Mark::Circle(p, d.radius.unwrap_or(0.1)),
            ("thickness", Some(p)) => Mark::Text(p, written(unit, d.thickness.unwrap_or(0.0)), 0.08, 0.0),
            _ => match d.line[..] {
                [a, b] => Mark::Line([a, b]),
                _ => continue,
            },
        };
        drawn.push(Drawn { layer: layer(kind, d), mark, says: says(&of.brief, kind, d) });
        if let (true, [a, b]) = (is_wall(kind, d) && length(d) > WRITTEN, &d.line[..]) {
            let (place, turn) = beside(*a, *b, 0.12);
            let text = Mark::Text(place, written(unit, length(d)), 0.1, turn);
            drawn.push(Drawn { layer: "LENGTH", mark: text, says: String::new() });
        }
    }
    let height = of.sheet.level.map_or(0.0, |l| l[0]);
    let text = write_drawing(&LAYERS, &drawn, (unit.code(), unit.metres()), height);
    Ok(text.map_err(|e| ApiError::conflict(e.to_string()))?.into_bytes())
}

fn is_wall(kind: &str, d: &DrawnData) -> bool {
    kind == "line" && d.layer.as_deref() != Some("low")
}

/// A place beside the middle of a line, and its turn so that it reads from below or from the right, degrees anticlockwise.
fn beside(a: [f64; 2], b: [f64; 2], off: f64) -> ([f64; 2], f64) {
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    let mut turn = dy.atan2(dx).to_degrees();
    if turn > 90.0 || turn <= -90.0 {
        turn -= 180.0 * turn.signum();
    }
    let up = turn.to_radians();
    let middle = [f64::midpoint(a[0], b[0]), f64::midpoint(a[1], b[1])];
    ([middle[0] - up.sin() * off, middle[1] + up.cos() * off], turn)
}

fn geojson(of: &Drawing) -> Result<Vec<u8>, ApiError> {
    let features: Vec<serde_json::Value> = of
        .items
        .iter()
        .map(|(kind, d)| {
            let geometry = match d.position {
                Some(p) => serde_json::json!({ "type": "Point", "coordinates": p }),
                None => serde_json::json!({ "type": "LineString", "coordinates": d.line }),
            };
            let properties = serde_json::json!({
                "kind": kind, "layer": layer(kind, d), "error95": d.error95, "radius": d.radius, "thickness": d.thickness,
                "scatter": d.scatter, "points": d.points, "scans": d.scans, "to_the_floor": d.to_the_floor,
                "agreed": !d.found, "square": d.square,
            });
            serde_json::json!({ "type": "Feature", "geometry": geometry, "properties": properties })
        })
        .collect();
    let about = serde_json::json!({
        "name": of.sheet.name, "reference": of.reference, "unit": "m", "level": of.sheet.level, "simulated": of.simulated,
    });
    let all = serde_json::json!({ "type": "FeatureCollection", "about": about, "features": features });
    serde_json::to_vec_pretty(&all).map_err(|e| ApiError::conflict(e.to_string()))
}

fn pdf(of: &Drawing) -> Result<Vec<u8>, ApiError> {
    typeset_drawing(&sheet(of)).map_err(|e| ApiError::conflict(e.to_string()))
}

fn sheet(of: &Drawing) -> ScaleDrawing {
    let unit = of.brief.unit();
    let places = of.items.iter().flat_map(|(_, d)| {
        let round = d.position.into_iter().flat_map(|p| {
            let r = d.radius.unwrap_or(0.0);
            [[p[0] - r, p[1] - r], [p[0] + r, p[1] + r]]
        });
        d.line.iter().copied().chain(round)
    });
    let paper = OnPaper::of(unit, places);
    let (scale, at) = (paper.of.scale(), |p| paper.at(p));
    let mut out = paper.sheet();
    for (kind, d) in &of.items {
        match (kind.as_str(), d.position, &d.line[..]) {
            ("column", Some(p), _) => {
                let [x, y] = at(p);
                out.circles.push([x, y, d.radius.unwrap_or(0.1) * 1e3 / scale]);
            }
            ("thickness", Some(p), _) => {
                let [x, y] = at(p);
                out.labels.push((x, y, written(unit, d.thickness.unwrap_or(0.0)), 0.0));
            }
            (_, _, [a, b]) => {
                let style =
                    if kind == "line" { d.layer.clone().unwrap_or_else(|| "wall".into()) } else { kind.clone() };
                let ([x1, y1], [x2, y2]) = (at(*a), at(*b));
                out.lines.push(([x1, y1, x2, y2], style));
                if is_wall(kind, d) && length(d) * 1e3 / scale > 14.0 {
                    // on the paper, beside the line
                    let (p, turn) = beside(*a, *b, 1.9 * scale / 1e3);
                    let [x, y] = at(p);
                    out.labels.push((x, y, written(unit, length(d)), -turn));
                }
            }
            _ => {}
        }
    }
    // paint what lies under first
    out.lines.sort_by_key(|l| ["unseen", "opening", "low", "wall"].iter().position(|s| *s == l.1));
    out.title = of.job.clone();
    out.subtitle = format!("Floor plan: {}", of.sheet.name);
    let mut warnings = Vec::new();
    if of.simulated {
        warnings.push("TRAINING JOB, its scans are simulated".to_owned());
    }
    if of.stale {
        warnings.push("scans or registration changed since it was drawn".into());
    }
    out.warning = warnings.join("; ");
    out.facts = facts(of, unit);
    out.key = [("wall", "wall"), ("what stands about", "low"), ("open", "opening"), ("not seen", "unseen")]
        .map(|(name, style)| (name.to_owned(), style.to_owned()))
        .into();
    out
}

fn facts(of: &Drawing, unit: LengthUnit) -> Vec<(String, String)> {
    let brief = &of.brief;
    let lines: Vec<&DrawnData> = of.items.iter().filter(|i| i.0 == "line").map(|i| &i.1).collect();
    let mut errors: Vec<f64> = lines.iter().filter_map(|d| d.error95.iter().copied().reduce(f64::max)).collect();
    let worst = errors.iter().copied().fold(0.0, f64::max);
    let median = median(&mut errors).unwrap_or(0.0);
    let by_hand = lines.len() - errors.len();
    let within = format!("{} in the middle of all, {} at worst", brief.length(median), brief.length(worst));
    let level = of.sheet.level.unwrap_or_default();
    let square = lines.iter().filter(|d| d.square.is_some()).count();
    let open = of.items.iter().filter(|i| i.1.found && i.0 != "unseen" && i.0 != "thickness").count();
    let moved = of.sheet.drawn.iter().flat_map(|f| &f.squared).map(|s| s[2]).fold(0.0, f64::max);
    vec![
        (
            "Cut".into(),
            format!("{} above the floor at {:.3} {}", brief.length(level[1]), level[0] / unit.metres(), unit.code()),
        ),
        (
            "Lines lie within, 95 %".into(),
            match by_hand {
                0 => within,
                n if errors.is_empty() => format!("not known: {n} drawn by hand"),
                n => format!("{within}; {n} of {} drawn by hand, of which nothing is known", lines.len()),
            },
        ),
        (
            "Right angles".into(),
            if square > 0 {
                format!("{square} of {} lines, ends moved by {} at most", lines.len(), brief.length(moved))
            } else {
                "none taken: lines are as they were measured".into()
            },
        ),
        (
            "Agreed with".into(),
            if open == 0 { "everything".into() } else { format!("{open} of {} things not yet", of.items.len()) },
        ),
        ("Reference, lengths in".into(), format!("{}, {}", of.reference, unit.code())),
        (
            "Drawn".into(),
            of.sheet
                .drawn
                .as_ref()
                .map_or_else(|| "by hand".into(), |f| format!("{} UTC", f.at.format("%Y-%m-%d %H:%M"))),
        ),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_read_from_below_or_from_the_right() {
        for (a, b) in [([0.0, 0.0], [4.0, 0.0]), ([4.0, 0.0], [0.0, 0.0]), ([0.0, 0.0], [-3.0, -3.0])] {
            let (place, turn) = beside(a, b, 0.1);
            assert!((-90.0..=90.0).contains(&turn), "{turn}");
            assert!(place[1] > f64::midpoint(a[1], b[1]));
        }
    }
}
