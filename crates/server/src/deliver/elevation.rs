//! The picture of an elevation, as files.

use super::paper::{ScaleOf, fitting};
use crate::ApiError;
use crate::dto::CutLine;
use crate::work::elevation::Elevation;
use vistazo_formats::drawing_dxf::{DrawingLayer, Drawn, Mark, write_drawing};
use vistazo_formats::geotiff::{Lying, picture, world_file};
use vistazo_report::{Picture, ScaleDrawing, typeset_drawing};

/// A kind of file that the picture of an elevation is written as.
pub(crate) struct Kind {
    pub name: &'static str,
    pub media_type: &'static str,
    pub write: fn(&Elevation) -> Result<Vec<u8>, ApiError>,
}

/// All of them.
pub(crate) const KINDS: [Kind; 5] = [
    Kind { name: "elevation.png", media_type: "image/png", write: |e| Ok(e.png.clone()) },
    Kind { name: "elevation.pgw", media_type: "text/plain", write: world },
    Kind { name: "elevation.tif", media_type: "image/tiff", write: tif },
    Kind { name: "elevation.pdf", media_type: "application/pdf", write: pdf },
    Kind { name: "section.dxf", media_type: "image/vnd.dxf", write: dxf },
];

/// Those that there is something to write into.
pub(crate) fn kinds(of: &Elevation) -> impl Iterator<Item = &'static Kind> {
    let cuts = of.data.section.is_some();
    KINDS.iter().filter(move |k| cuts || k.name != "section.dxf")
}

/// Layers of a section: nobody has looked at its lines yet.
const LAYERS: [DrawingLayer; 2] = [
    DrawingLayer { name: "CUT", colour: 7, dashed: false },
    DrawingLayer { name: "THICKNESS", colour: 6, dashed: false },
];

/// What the plane cuts: across from its left end, up in heights of the grid. Empty where it cuts nothing straight.
fn dxf(e: &Elevation) -> Result<Vec<u8>, ApiError> {
    let unit = e.brief.unit();
    let cut = e.data.section.clone().unwrap_or_default();
    let line = |l: &CutLine| Drawn {
        layer: "CUT",
        mark: Mark::Line(l.ends),
        says: format!(
            "across, at both ends: 95 % {}, {}; points scatter by {}; found by the program, not agreed with",
            e.brief.length(l.error95[0]),
            e.brief.length(l.error95[1]),
            e.brief.length(l.scatter)
        ),
    };
    let thick = |[x, y, thickness, error]: &[f64; 4]| Drawn {
        layer: "THICKNESS",
        mark: Mark::Text([*x, *y], format!("{:.3}", thickness / unit.metres()), 0.08, 0.0),
        says: format!("95 % {}", e.brief.length(*error)),
    };
    let drawn: Vec<Drawn> = cut.lines.iter().map(line).chain(cut.thicknesses.iter().map(thick)).collect();
    let text = write_drawing(&LAYERS, &drawn, (unit.code(), unit.metres()), 0.0);
    Ok(text.map_err(|e| ApiError::conflict(e.to_string()))?.into_bytes())
}

/// Where the picture lies on its own plane: metres from its left end, and heights of the grid.
fn lying<'a>(e: &Elevation, says: &'a str) -> Lying<'a> {
    let low = e.data.heights.map_or(0.0, |h| h[0]);
    let size = e.picture.size.map(|v| v as usize);
    Lying { corner: [0.0, low], cell: e.data.pixel.unwrap_or(0.01), size, epsg: None, says }
}

fn world(e: &Elevation) -> Result<Vec<u8>, ApiError> {
    Ok(world_file(&lying(e, ""), e.brief.unit().metres()).into_bytes())
}

fn tif(e: &Elevation) -> Result<Vec<u8>, ApiError> {
    let broken = |e: &dyn std::fmt::Display| ApiError::conflict(format!("the picture cannot be read: {e}"));
    let seen = image::load_from_memory(&e.png).map_err(|e| broken(&e))?.into_rgba8();
    let pixels: Vec<u8> = seen.pixels().flat_map(|p| p.0).collect();
    let simulated = if e.simulated { " TRAINING JOB, its scans are simulated." } else { "" };
    let says = format!("{}: metres from the left end, and heights of {}.{simulated}", e.data.name, e.reference);
    let mut out = std::io::Cursor::new(Vec::new());
    picture(&mut out, &lying(e, &says), &pixels).map_err(|e| broken(&e))?;
    Ok(out.into_inner())
}

fn pdf(e: &Elevation) -> Result<Vec<u8>, ApiError> {
    let unit = e.brief.unit();
    let (pixel, size) = (e.data.pixel.unwrap_or(0.01), e.picture.size.map(f64::from));
    let size = size.map(|v| v * pixel);
    let (scale, paper) = fitting(unit, size);
    let of = ScaleOf::new(unit, scale);
    let [w, h] = size.map(|v| v * 1e3 / scale);
    let [x, y] = of.middle(paper);
    let mut warnings = Vec::new();
    if e.simulated {
        warnings.push("TRAINING JOB, its scans are simulated");
    }
    if e.stale {
        warnings.push("scans, registration or the elevation changed since it was made");
    }
    let [low, high] = e.data.heights.unwrap_or_default();
    let [before, behind] = e.data.depth.unwrap_or_default();
    let on_paper = |[a, v]: [f64; 2]| [x - w / 2.0 + a * 1e3 / scale, y + h / 2.0 - (v - low) * 1e3 / scale];
    let cut = e.data.section.iter().flat_map(|s| &s.lines).map(|l| {
        let [[x1, y1], [x2, y2]] = l.ends.map(on_paper);
        ([x1, y1, x2, y2], "wall".to_owned())
    });
    let worst = e.data.section.iter().flat_map(|s| &s.lines).flat_map(|l| l.error95).fold(0.0, f64::max);
    let lines: Vec<_> = cut.collect();
    let height = |v: f64| format!("{:.3} {}", v / unit.metres(), unit.code());
    let drawing = ScaleDrawing {
        paper,
        title: e.job.clone(),
        subtitle: format!("Elevation: {}", e.data.name),
        picture: Some(Picture { place: [x - w / 2.0, y - h / 2.0, w, h], bytes: e.png.clone() }),
        labels: levels(low, high, unit.metres())
            .map(|v| {
                (x - w / 2.0 - 9.0, y + h / 2.0 - (v - low) * 1e3 / scale, format!("{:.1}", v / unit.metres()), 0.0)
            })
            .collect(),
        facts: vec![
            (
                "Cut by the plane".into(),
                match lines.len() {
                    0 => "nothing straight".into(),
                    n => format!("{n} lines, across within {} (95 %)", e.brief.length(worst)),
                },
            ),
            ("Places lie within, 95 %".into(), e.brief.length(e.picture.error95)),
            ("A pixel".into(), e.brief.length(pixel)),
            ("Heights".into(), format!("{} to {}", height(low), height(high))),
            ("Taken before and behind".into(), format!("{}, {}", e.brief.length(before), e.brief.length(behind))),
            (
                "Shown by".into(),
                format!("{} scans; {:.0} % of it seen", e.picture.scans.len(), 100.0 * e.picture.share),
            ),
            ("Reference, made".into(), format!("{}, {} UTC", e.reference, e.picture.at.format("%Y-%m-%d %H:%M"))),
        ],
        lines,
        scale: of.words(),
        bar: of.bar(),
        warning: warnings.join("; "),
        upright: true,
        ..ScaleDrawing::default()
    };
    typeset_drawing(&drawing).map_err(|e| ApiError::conflict(e.to_string()))
}

/// Round heights, at most some ten.
fn levels(low: f64, high: f64, metres: f64) -> impl Iterator<Item = f64> {
    let step = [0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0].map(|s| s * metres);
    let step = step.into_iter().find(|s| (high - low) / s < 10.0).unwrap_or(100.0);
    let (a, b) = ((low / step).ceil() as i64, (high / step).floor() as i64);
    (a..=b).map(move |n| n as f64 * step)
}
