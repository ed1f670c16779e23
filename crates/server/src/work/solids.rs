//! Simple solids: where they are looked for, what of them was measured, how they are written.

use super::drawing;
use super::stands::{Standing, Stands};
use crate::dto::{Brief, DrawnData, DrawnFrom, SolidDto, SolidShape};
use crate::{ApiError, App};
use nalgebra::Vector2;
use std::collections::BTreeMap;
use uuid::Uuid;
use vistazo_core::draw::solid::{Block, Cylinder, Piece, Rests, Start, beside, closed, pieces};
use vistazo_core::geometry::Vec3;
use vistazo_formats::solid_files::{Mesh, block, cylinder};
use vistazo_store::jobs::{self, PlanItem};

type Row = (PlanItem, DrawnData);

/// A solid that is to be measured: where, what it is, and the one that somebody drew, where somebody did.
pub(crate) struct Wanted {
    pub start: Start,
    pub shape: SolidShape,
    pub over_opening: bool,
    pub one_face: bool,
    pub of: Option<usize>,
}

/// A wall of which one face was seen is drawn so thick, metres, and lines so near a wall are of it.
const THIN: f64 = 0.02;
const OF_IT: f64 = 0.03;
/// Lines of a plan lie so near something round that they were drawn of, metres.
const ROUND: f64 = 0.1;
/// A plan is cut so high above the floor that what lies over and under an opening parts there at least, metres.
const PARTS: f64 = 0.3;

/// The walls and outlines of a sheet as blocks from its floor up: from the lines of the plan, and what somebody drew. Indices
/// are those of `rows`. Heights in metres of the frame that scans stand in.
pub(crate) fn blocks(
    rows: &[Row],
    sheet: Uuid,
    stands: &Stands,
    places: &[(String, Vec3)],
    [floor, cut, top]: [f64; 3],
) -> Vec<Wanted> {
    let at = |p: &[f64; 2]| stands.inverse(&Vec3::new(p[0], p[1], 0.0)).xy();
    let on = |kind: &'static str| rows.iter().filter(move |(i, d)| i.kind == kind && d.sheet == Some(sheet));
    let ends = |d: &DrawnData| [at(&d.line[0]), at(&d.line[1])];
    let lines: Vec<[Vector2<f64>; 2]> = on("line").map(|(_, d)| ends(d)).collect();
    let openings: Vec<(bool, [Vector2<f64>; 2])> =
        on("opening").map(|(_, d)| (d.to_the_floor == Some(true), ends(d))).collect();
    let thick: Vec<(Vector2<f64>, f64)> =
        on("thickness").filter_map(|(_, d)| Some((at(&d.position?), d.thickness?))).collect();
    let open: Vec<[Vector2<f64>; 2]> = openings.iter().map(|o| o.1).collect();
    let mut out = Vec::new();
    let new = |outline: &[Vector2<f64>], heights: [f64; 2], shape: SolidShape, over_opening: bool| Wanted {
        start: Start::Block(outline.to_vec(), heights),
        shape,
        over_opening,
        one_face: false,
        of: None,
    };
    let two = pieces(&lines, &thick, &open);
    let one = single(&two, on("line").map(|(_, d)| d), places, &ends, &open);
    for (p, one_face) in two.into_iter().map(|p| (p, false)).chain(one.into_iter().map(|p| (p, true))) {
        let new = |outline: &[Vector2<f64>], heights: [f64; 2], shape: SolidShape, over_opening: bool| Wanted {
            one_face,
            ..new(outline, heights, shape, over_opening)
        };
        if !p.over_opening {
            out.push(new(&p.outline, [floor, top], SolidShape::Wall, false));
            continue;
        }
        out.push(new(&p.outline, [floor + cut + PARTS, top], SolidShape::Wall, true));
        let middle = p.outline.iter().sum::<Vector2<f64>>() / p.outline.len() as f64;
        let down = openings.iter().any(|(down, [a, b])| *down && ((a + b) / 2.0 - middle).norm() < 0.6);
        if !down {
            out.push(new(&p.outline, [floor, floor + cut], SolidShape::Wall, false));
        }
    }
    out.extend(closed(&lines).iter().map(|o| new(o, [floor, top], SolidShape::Pillar, false)));
    for (k, (i, d)) in rows.iter().enumerate() {
        let shape = d.solid.as_ref().map(|s| s.shape);
        if i.kind == "solid" && !d.found && d.sheet == Some(sheet) && shape == Some(SolidShape::Pillar) {
            let outline: Vec<_> = d.line.iter().map(at).collect();
            out.push(Wanted { of: Some(k), ..new(&outline, [floor, top], SolidShape::Pillar, false) });
        }
    }
    out
}

/// Walls of which one face was seen, thin and behind it: it is seen from where the scans that show it stand.
fn single<'a>(
    two: &[Piece],
    lines: impl Iterator<Item = &'a DrawnData>,
    places: &[(String, Vec3)],
    ends: &dyn Fn(&DrawnData) -> [Vector2<f64>; 2],
    open: &[[Vector2<f64>; 2]],
) -> Vec<Piece> {
    let of_it = |p: &Vector2<f64>| two.iter().any(|w| beside(&w.outline, p) < OF_IT);
    let mut out: Vec<Piece> = Vec::new();
    for d in lines.filter(|d| d.layer.as_deref() == Some("wall")) {
        let [a, b] = ends(d);
        let Some(along) = (b - a).try_normalize(0.1) else { continue };
        if of_it(&((a + b) / 2.0)) {
            continue;
        }
        let left = Vector2::new(-along.y, along.x);
        let middle = (a + b) / 2.0;
        // of a pass by what of it was nearest
        let side = |name: &String| {
            let off = |p: &&(String, Vec3)| (p.1.xy() - middle).norm();
            let nearest = places.iter().filter(|p| p.0 == *name).min_by(|p, q| off(p).total_cmp(&off(q)))?;
            Some(left.dot(&(nearest.1.xy() - a)).signum())
        };
        let behind = -left * THIN * d.scans.iter().filter_map(side).sum::<f64>().signum();
        let piece = |[p, q]: [Vector2<f64>; 2], over_opening: bool| Piece {
            outline: vec![p, q, q + behind, p + behind],
            over_opening,
        };
        out.push(piece([a, b], false));
        // openings on its line that begin where it ends
        for o in open {
            let on = o.iter().all(|p| along.perp(&(p - a)).abs() < OF_IT);
            let meets = o.iter().any(|p| (p - b).norm() < OF_IT);
            if on && meets && !of_it(&((o[0] + o[1]) / 2.0)) {
                out.push(piece(*o, true));
            }
        }
    }
    out
}

/// Whether a wall of which one face was seen is a part of something round that was found: a plan has large ones in lines.
pub(crate) fn is_of_round(wanted: &Wanted, c: &Cylinder) -> bool {
    let Start::Block(outline, _) = &wanted.start else { return false };
    let along = (c.ends[1] - c.ends[0]).normalize();
    let off = |p: &Vector2<f64>| ((p - c.ends[0].xy()).norm() - c.radius).abs();
    wanted.one_face && along.z.abs() > 0.95 && outline.iter().take(2).all(|p| off(p) < ROUND)
}

/// What was measured, as it is stored.
pub(crate) struct Measured<'a> {
    pub stands: &'a Stands,
    pub names: &'a [String],
    pub sheet: Uuid,
    pub drawn: DrawnFrom,
}

// to a tenth of a millimetre: what is meant
fn round(v: f64) -> f64 {
    (v * 1e4).round() / 1e4
}

impl Measured<'_> {
    fn with(&self, rests: &Rests, solid: SolidDto) -> DrawnData {
        DrawnData {
            sheet: Some(self.sheet),
            drawn: Some(self.drawn.clone()),
            found: true,
            scatter: Some(rests.rms),
            points: Some(rests.points),
            scans: super::sources::named(&rests.scans, self.names),
            solid: Some(SolidDto { spread: rests.spread.steps.clone(), ..solid }),
            ..DrawnData::default()
        }
    }

    pub(crate) fn cylinder(&self, c: &Cylinder) -> DrawnData {
        let axis = c.ends.map(|e| self.stands.position(&e).map(round));
        let solid = SolidDto {
            shape: SolidShape::Cylinder,
            axis: axis.to_vec(),
            arc: Some(c.arc.to_degrees()),
            ..SolidDto::default()
        };
        DrawnData {
            radius: Some(c.radius),
            position: Some([0, 1].map(|k| f64::midpoint(axis[0][k], axis[1][k]))),
            heights: Some({
                let [a, b] = axis.map(|e| e[2]);
                [a.min(b), a.max(b)]
            }),
            error95: vec![c.axis95[0], c.axis95[1], c.radius95],
            ..self.with(&c.rests, solid)
        }
    }

    /// `old` is the one that somebody drew: its outline and name stay.
    pub(crate) fn block(&self, wanted: &Wanted, b: &Block, old: Option<&DrawnData>) -> DrawnData {
        let Start::Block(outline, _) = &wanted.start else { return DrawnData::default() };
        let middle = outline.iter().sum::<Vector2<f64>>() / outline.len() as f64;
        let height = |h: f64| round(self.stands.position(&middle.push(h))[2]);
        let [e, n, _] = self.stands.position(&middle.push(b.heights[0]));
        let place = |p: &Vector2<f64>| {
            let [e, n, _] = self.stands.position(&p.push(b.heights[0]));
            [e, n].map(round)
        };
        let limits = b.limits.map(Into::into).to_vec();
        let solid = SolidDto {
            shape: wanted.shape,
            limits,
            over_opening: wanted.over_opening,
            one_face: wanted.one_face,
            ..SolidDto::default()
        };
        DrawnData {
            line: old.map_or_else(|| outline.iter().map(place).collect(), |o| o.line.clone()),
            name: old.map(|o| o.name.clone()).unwrap_or_default(),
            found: old.is_none(),
            position: Some([e, n].map(round)),
            heights: Some(b.heights.map(height)),
            error95: b.error95.to_vec(),
            ..self.with(&b.rests, solid)
        }
    }
}

/// Puts what was found in the place of what was found before on a sheet; what somebody drew is measured where it is.
pub(crate) async fn put(
    app: &App,
    job: Uuid,
    sheet: Uuid,
    found: Vec<DrawnData>,
    again: Vec<(Uuid, DrawnData)>,
) -> Result<usize, ApiError> {
    let rows = drawing::rows(app, job).await?;
    if !rows.iter().any(|(i, _)| i.id == sheet) {
        return Err(ApiError::conflict("the sheet was taken away while solids were looked for: nothing was kept"));
    }
    let edits = again
        .into_iter()
        .filter_map(|(id, d)| rows.iter().find(|r| r.0.id == id).map(|(i, _)| drawing::edit(i, &d, false)))
        .collect();
    let found = found.into_iter().map(|d| ("solid", d)).collect();
    drawing::replace(app, job, &rows, |i, d| i.kind == "solid" && d.sheet == Some(sheet), found, edits).await
}

/// Measured solids of a job, for files and reports.
pub(crate) struct Solids {
    pub job: String,
    pub brief: Brief,
    pub simulated: bool,
    pub at: chrono::DateTime<chrono::Utc>,
    pub solids: Vec<(String, DrawnData)>,
}

/// What was measured, with a name for each; none where nothing was.
pub(crate) async fn solids(app: &App, job: Uuid) -> Result<Option<Solids>, ApiError> {
    let rows = drawing::rows(app, job).await?;
    let solids = named(&rows);
    if solids.is_empty() {
        return Ok(None);
    }
    let standing = Standing::load(app, job).await?;
    let row = jobs::get(&app.db, job).await?;
    let drawn = solids.iter().filter_map(|(_, d)| d.drawn.as_ref().map(|f| f.at));
    Ok(Some(Solids {
        job: row.name,
        simulated: row.simulated.is_some(),
        at: drawn.max().unwrap_or_else(chrono::Utc::now),
        brief: standing.brief,
        solids,
    }))
}

/// What was measured, walls, pillars and cylinders each by their place, numbered where nobody named them.
fn named(rows: &[Row]) -> Vec<(String, DrawnData)> {
    let mut all: Vec<&DrawnData> = rows
        .iter()
        .filter(|(i, d)| i.kind == "solid" && d.solid.as_ref().is_some_and(|s| !s.spread.is_empty()))
        .map(|r| &r.1)
        .collect();
    let key = |d: &DrawnData| {
        let [e, n] = d.position.unwrap_or_default();
        (word(d), (n * -10.0) as i64, (e * 10.0) as i64)
    };
    all.sort_by_key(|d| key(d));
    let mut count: BTreeMap<&str, usize> = BTreeMap::new();
    all.into_iter()
        .map(|d| {
            let n = count.entry(word(d)).or_default();
            *n += 1;
            let name = if d.name.is_empty() { format!("{} {n}", word(d)) } else { d.name.clone() };
            (name, d.clone())
        })
        .collect()
}

/// What a solid is called.
pub(crate) fn word(d: &DrawnData) -> &'static str {
    match d.solid.as_ref().map(|s| s.shape) {
        Some(SolidShape::Wall) => "Wall",
        Some(SolidShape::Cylinder) => "Cylinder",
        _ => "Pillar",
    }
}

impl Solids {
    /// As flat faces.
    pub(crate) fn meshes(&self) -> Vec<Mesh> {
        self.solids.iter().filter_map(|(name, d)| mesh(name, d, self.brief.unit())).collect()
    }
}

fn mesh(name: &str, d: &DrawnData, unit: vistazo_core::units::LengthUnit) -> Option<Mesh> {
    let s = d.solid.as_ref()?;
    let (u, m) = (unit.code(), unit.metres());
    let (corners, faces) = if s.shape == SolidShape::Cylinder {
        cylinder([*s.axis.first()?, *s.axis.get(1)?], d.radius?)
    } else {
        block(&d.line, d.heights?)
    };
    let worst = |of: &[f64]| of.iter().copied().fold(0.0, f64::max) / m;
    let known = match (s.shape, &d.error95[..]) {
        (SolidShape::Cylinder, [a, b, r]) => {
            format!("radius {:.4} {u} ± {:.4}, axis ± {:.4} {u} (95 %)", d.radius? / m, r / m, worst(&[*a, *b]))
        }
        (_, e) => format!("heights ± {:.4} {u} (95 %)", worst(e)),
    };
    let standing = if d.found { "found by the program, nobody agreed with it yet" } else { "agreed" };
    let face = if s.one_face { "; one face was seen, its thickness is not known" } else { "" };
    let says = format!("{known}{face}; {standing}; seen by {}", d.scans.join(" "));
    let layer = format!("{}{}", word(d).to_uppercase(), if d.found { "_FOUND" } else { "" });
    Some(Mesh { name: name.into(), layer, corners, faces, says })
}
