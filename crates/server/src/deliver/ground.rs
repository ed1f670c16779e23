//! The ground as files.

use crate::ApiError;
use crate::work::ground::{OnIt, Site};
use vistazo_formats::geotiff::{Lying, heights};
use vistazo_formats::ground_files::{About, Surveyed, landxml, write_dxf};

/// A kind of file that the ground is written as.
pub(crate) struct Kind {
    pub name: &'static str,
    pub media_type: &'static str,
    pub write: fn(&Site) -> Result<Vec<u8>, ApiError>,
}

/// All of them.
pub(crate) const KINDS: [Kind; 5] = [
    Kind { name: "ground.xml", media_type: "application/xml", write: xml },
    Kind { name: "ground.dxf", media_type: "image/vnd.dxf", write: dxf },
    Kind { name: "ground.pdf", media_type: "application/pdf", write: super::ground_sheet::pdf },
    Kind { name: "ground.tif", media_type: "image/tiff", write: tif },
    Kind { name: "ground.csv", media_type: "text/csv", write: csv },
];

fn about(site: &Site) -> About<'_> {
    let unit = site.brief.unit();
    let note = if site.simulated { "TRAINING JOB, its scans are simulated" } else { "" };
    let at = ["%Y-%m-%d", "%H:%M:%S"].map(|f| site.at.format(f).to_string());
    About { name: &site.job, epsg: site.brief.epsg, unit: (unit.code(), unit.metres()), note, at }
}

fn xml(site: &Site) -> Result<Vec<u8>, ApiError> {
    let (corners, faces) = site.lying.surface.triangles();
    let lines: Vec<Vec<[f64; 3]>> = breaklines(site);
    Ok(landxml(&about(site), &corners.iter().map(|c| (*c).into()).collect::<Vec<_>>(), &faces, &lines).into_bytes())
}

/// Lines that triangles do not cross, with the heights of the ground.
fn breaklines(site: &Site) -> Vec<Vec<[f64; 3]>> {
    let at = |p: &nalgebra::Vector2<f64>| site.lying.surface.height(p).map(|h| [p.x, p.y, h.height]);
    site.drawn
        .iter()
        .filter_map(|d| if let OnIt::Breakline(l) = &d.2 { Some(l.iter().filter_map(at).collect()) } else { None })
        .collect()
}

fn dxf(site: &Site) -> Result<Vec<u8>, ApiError> {
    let (corners, faces) = site.lying.surface.triangles();
    let corners: Vec<[f64; 3]> = corners.iter().map(|c| (*c).into()).collect();
    let contours: Vec<_> = (site.lying.contours.iter())
        .map(|(h, line)| (*h, line.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>()))
        .collect();
    let unit = site.brief.unit();
    let spots: Vec<_> = site
        .spots()
        .map(|(_, name, p, h)| {
            let says = format!("{:.3} ±{}", h.height / unit.metres(), site.brief.length(h.error95));
            ([p.x, p.y, h.height], if name.is_empty() { says } else { format!("{name} {says}") })
        })
        .collect();
    let outlines: Vec<Vec<[f64; 2]>> = (site.drawn.iter())
        .filter_map(|d| match &d.2 {
            OnIt::Area { outline, .. } => Some(outline.iter().map(|p| [p.x, p.y]).collect()),
            _ => None,
        })
        .collect();
    let all = Surveyed {
        contours: &contours,
        apart: site.lying.apart,
        corners: &corners,
        faces: &faces,
        breaklines: &breaklines(site),
        spots: &spots,
        outlines: &outlines,
    };
    write_dxf(&about(site), &all).map_err(|e| ApiError::conflict(e.to_string()))
}

fn tif(site: &Site) -> Result<Vec<u8>, ApiError> {
    let g = site.lying.surface.ground();
    let cells: Vec<Option<[f64; 2]>> = (g.cells.iter())
        .map(|c| c.map(|c| [c.height, vistazo_core::stats::K95_1D * (c.own + c.common).sqrt()]))
        .collect();
    let mut out = std::io::Cursor::new(Vec::new());
    let says = format!("{}: heights of the ground, and their 95 %. {}", site.job, about(site).note);
    let lying = Lying { corner: g.corner.into(), cell: g.cell, size: g.size, epsg: site.brief.epsg, says: &says };
    heights(&mut out, &lying, &cells).map_err(|e| ApiError::conflict(e.to_string()))?;
    Ok(out.into_inner())
}

fn csv(site: &Site) -> Result<Vec<u8>, ApiError> {
    let unit = site.brief.unit();
    let (u, m) = (unit.code(), unit.metres());
    let mut out = csv::Writer::from_writer(Vec::new());
    let broken = |e: csv::Error| ApiError::conflict(e.to_string());
    let head = ["kind", "name", "easting", "northing", "height", "error95", "above", "below", "volume_error95", "area"]
        .map(|h| match h {
            "kind" | "name" => h.to_owned(),
            "above" | "below" | "volume_error95" => format!("{h}_{u}3"),
            "area" => format!("{h}_{u}2"),
            _ => format!("{h}_{u}"),
        });
    out.write_record(&head).map_err(broken)?;
    let none = String::new;
    let length = |v: f64| format!("{:.4}", v / m);
    for (_, name, p, h) in site.spots() {
        let row = ["spot".to_owned(), name.to_owned(), length(p.x), length(p.y), length(h.height), length(h.error95)];
        out.write_record(row.into_iter().chain([none(), none(), none(), none()])).map_err(broken)?;
    }
    for (_, name, level, v, _) in site.volumes() {
        let volume = |v: f64| format!("{:.3}", v / m.powi(3));
        let row = ["area to a level".to_owned(), name.to_owned(), none(), none(), length(level), none()];
        let said = [volume(v.above), volume(v.below), volume(v.error95), format!("{:.2}", v.area / (m * m))];
        out.write_record(row.into_iter().chain(said)).map_err(broken)?;
    }
    for (_, name, other, v, _) in site.between() {
        let volume = |v: f64| format!("{:.3}", v / m.powi(3));
        let names = format!("{name} to {}", other.row.name);
        let row = ["area to a surface".to_owned(), names, none(), none(), none(), length(other.row.error95)];
        let said = [volume(v.above), volume(v.below), volume(v.error95), format!("{:.2}", v.area / (m * m))];
        out.write_record(row.into_iter().chain(said)).map_err(broken)?;
    }
    out.into_inner().map_err(|e| ApiError::conflict(e.to_string()))
}
