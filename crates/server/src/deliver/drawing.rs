//! A sheet that was drawn, as files.

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
    let said = ScaleOf::new(unit, scale);
    let middle = said.middle(paper);
    let centre = [f64::midpoint(low[0], high[0]), f64::midpoint(low[1], high[1])];
    let at = |p: [f64; 2]| [middle[0] + (p[0] - centre[0]) * 1e3 / scale, middle[1] - (p[1] - centre[1]) * 1e3 / scale];
    let mut out = ScaleDrawing { paper, ..ScaleDrawing::default() };
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
    out.bar = said.bar();
    let apart = said.round(90.0) * unit.metres();
    let steps = |k: usize| {
        let (a, b) = ((low[k] / apart).ceil() as i64, (high[k] / apart).floor() as i64);
        (a..=b).take(60).map(move |n| n as f64 * apart)
    };
    for (i, e) in steps(0).enumerate() {
        for (j, n) in steps(1).enumerate() {
            let [x, y] = at([e, n]);
            let edge = |first: bool, letter: &str, v: f64| {
                if first { format!("{letter} {:.0}", v / unit.metres()) } else { String::new() }
            };
            out.crosses.push((x, y, edge(j == 0, "E", e), edge(i == 0, "N", n)));
        }
    }
    out.scale = said.words();
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
    fn lengths_read_from_below_or_from_the_right() {
        for (a, b) in [([0.0, 0.0], [4.0, 0.0]), ([4.0, 0.0], [0.0, 0.0]), ([0.0, 0.0], [-3.0, -3.0])] {
            let (place, turn) = beside(a, b, 0.1);
            assert!((-90.0..=90.0).contains(&turn), "{turn}");
            assert!(place[1] > f64::midpoint(a[1], b[1]));
        }
    }
}
