//! What is drawn for the client: sheets, what the program finds for them, and what people make of it.

use super::passes::Walked;
use super::planning::INSTRUMENT_HEIGHT;
use super::slices::Sliced;
use super::stands::{Standing, Stands};
use crate::dto::{Brief, DrawRequest, DrawingDto, DrawnData, DrawnFrom, DrawnItem, FitRequest};
use crate::{ApiError, App};
use nalgebra::Vector2;
use uuid::Uuid;
use vistazo_core::deliver::Deliverable;
use vistazo_core::draw::{FloorPlan, Layer, Level, Spot, Stand, fit_line};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::slice::Cut;
use vistazo_core::stats::K95_1D;
use vistazo_store::field::ScanRow;
use vistazo_store::jobs::{self, PlanEdit, PlanItem};

/// Things drawn in a job at most, and edits at once.
pub(crate) const MOST: usize = 5000;
/// Heights that differ by less are of one floor, metres.
const ONE_FLOOR: f64 = 0.8;
/// What the program finds so near to what somebody drew or agreed with is the same, metres.
const SAME: f64 = 0.06;

/// A sheet with what stands on it.
pub(crate) struct Drawing {
    pub id: Uuid,
    pub sheet: DrawnData,
    pub items: Vec<(String, DrawnData)>,
    pub brief: Brief,
    pub job: String,
    pub simulated: bool,
    pub stale: bool,
    /// The coordinate reference in words.
    pub reference: String,
}

/// The rows of a job as they are read; those that cannot be are left out.
pub(crate) async fn rows(app: &App, job: Uuid) -> Result<Vec<(PlanItem, DrawnData)>, ApiError> {
    let rows = jobs::drawing(&app.db, job).await?;
    Ok(rows.into_iter().filter_map(|i| DrawnData::parse(&i.kind, &i.data).ok().map(|d| (i, d))).collect())
}

pub(crate) async fn to_dto(app: &App, job: Uuid) -> Result<DrawingDto, ApiError> {
    let walked = Walked::load(app, job).await?;
    let standing = &walked.standing;
    // what is measured one by one is so in the scans
    let (by_scans, inputs) = (standing.stands.sum(&standing.scans), walked.sum());
    let rows = rows(app, job).await?;
    let old = |kind: &str, d: &DrawnData| {
        let now = if kind == "feature" { &by_scans } else { &inputs };
        d.drawn.as_ref().is_some_and(|f| Some(&f.inputs) != now.as_ref())
    };
    let picture_is_old = |d: &DrawnData| {
        let now = super::elevation::inputs(d, &standing.stands, &standing.scans);
        d.picture.as_ref().is_some_and(|p| Some(&p.inputs) != now.as_ref())
    };
    Ok(DrawingDto {
        stale: rows
            .iter()
            .filter(|(i, d)| {
                matches!(i.kind.as_str(), "sheet" | "feature" | "solid") && old(&i.kind, d) || picture_is_old(d)
            })
            .map(|(i, _)| i.id)
            .collect(),
        floors: floors(&walked),
        on_grid: standing.stands.is_on_grid(),
        codes: super::features::codes(&rows),
        without_level: super::features::without_level(&rows),
        twice: super::features::drawn_twice(&rows),
        items: rows.into_iter().map(|(i, data)| item(i, data)).collect(),
    })
}

fn item(row: PlanItem, data: DrawnData) -> DrawnItem {
    let PlanItem { id, kind, version, deleted, .. } = row;
    DrawnItem { id, kind, data, version, deleted }
}

/// The floors that scans stand on, a tripod's height under them; where no scan does, those that passes walked on.
fn floors(walked: &Walked) -> Vec<(f64, usize)> {
    let standing = &walked.standing;
    let placed = standing.scans.iter().filter(|s| s.has_scanner).filter_map(|s| standing.stands.pose(s.id));
    let mut heights: Vec<f64> =
        placed.map(|p| standing.stands.position(&p.1.translation)[2] - INSTRUMENT_HEIGHT).collect();
    if heights.is_empty() {
        heights = walked.floors();
    }
    heights.sort_by(f64::total_cmp);
    heights.chunk_by(|a, b| b - a < ONE_FLOOR).map(|c| (c[c.len() / 2], c.len())).collect()
}

/// The sheet that is asked for, made or changed so that it can be drawn.
pub(crate) async fn sheet(app: &App, job: Uuid, asked: &DrawRequest) -> Result<Uuid, ApiError> {
    if !Standing::load(app, job).await?.stands.is_on_grid() {
        return Err(ApiError::conflict("the block is not on the grid, or out of date: georeference it first"));
    }
    let level = Some([asked.floor, asked.cut, asked.thickness]);
    let old = match asked.sheet {
        Some(id) => {
            let found = rows(app, job).await?.into_iter().find(|(i, _)| i.id == id && i.kind == "sheet");
            Some(found.ok_or_else(ApiError::not_found)?)
        }
        None => None,
    };
    let name = asked.name.trim();
    let data = match &old {
        Some((_, d)) => {
            let name = if name.is_empty() { d.name.clone() } else { name.to_owned() };
            DrawnData { name, level, ..d.clone() }
        }
        None => DrawnData { name: name.to_owned(), level, ..DrawnData::default() },
    };
    let edit = PlanEdit {
        id: old.as_ref().map_or_else(Uuid::now_v7, |o| o.0.id),
        kind: "sheet".into(),
        data: serde_json::json!(data),
        version: old.as_ref().map(|o| o.0.version),
        deleted: false,
    };
    DrawnData::parse("sheet", &edit.data)?;
    let id = edit.id;
    jobs::edit_drawing(&app.db, job, &[edit]).await?;
    Ok(id)
}

/// Whether what is drawn stays within what a job holds.
///
/// # Errors
/// When there would be too many things.
pub(crate) async fn room(app: &App, job: Uuid, edits: &[PlanEdit]) -> Result<(), ApiError> {
    let new = edits.iter().filter(|e| e.version.is_none() && !e.deleted).count();
    if new == 0 {
        return Ok(());
    }
    let there = jobs::drawing(&app.db, job).await?.len() + new;
    if there > MOST {
        return Err(ApiError::conflict(format!(
            "{there} things would be drawn, expected at most {MOST}: clear some first"
        )));
    }
    Ok(())
}

/// A level as the frame has it that the scans stand in.
pub(crate) fn level(sheet: &DrawnData, stands: &Stands, scans: &[Vec3]) -> Option<Level> {
    let [floor, cut, thickness] = sheet.level?;
    let middle = scans.iter().sum::<Vec3>() / scans.len().max(1) as f64;
    let at = stands.position(&middle);
    let floor = stands.inverse(&Vec3::new(at[0], at[1], floor)).z;
    Some(Level { floor, cut, thickness })
}

/// What was found, as it is stored.
pub(crate) fn items(
    sheet: Uuid,
    plan: &FloorPlan,
    stands: &Stands,
    names: &[String],
) -> Vec<(&'static str, DrawnData)> {
    let at = |p: &Vector2<f64>| place(stands, p);
    let new = || DrawnData { sheet: Some(sheet), found: true, ..DrawnData::default() };
    let along = |face: usize, t: f64| {
        let f = &plan.faces[face];
        let d = (f.ends[1] - f.ends[0]).normalize();
        at(&(f.ends[0] + d * t))
    };
    let mut out = Vec::new();
    for (k, f) in plan.faces.iter().enumerate() {
        let length = (f.ends[1] - f.ends[0]).norm();
        let square = plan.squared.iter().position(|s| s.faces.contains(&k)).map(|s| s as u32);
        for part in parts(plan, k, length) {
            out.push((
                "line",
                DrawnData {
                    line: part.map(|t| along(k, t)).to_vec(),
                    layer: Some(if f.high { "wall" } else { "low" }.into()),
                    // between the ends it is known no worse than in proportion
                    error95: part.map(|t| f.error95[0] + (f.error95[1] - f.error95[0]) * t / length).to_vec(),
                    scatter: Some(f.rms),
                    points: Some(f.points),
                    scans: super::sources::named(&f.scans, names),
                    square,
                    ..new()
                },
            ));
        }
    }
    for o in &plan.openings {
        let line = o.along.map(|t| along(o.face, t)).to_vec();
        let (error95, to_the_floor) = (o.along95.to_vec(), Some(o.to_the_floor));
        out.push(("opening", DrawnData { line, error95, to_the_floor, ..new() }));
    }
    for g in &plan.gaps {
        out.push(("unseen", DrawnData { line: g.along.map(|t| along(g.face, t)).to_vec(), ..new() }));
    }
    for c in &plan.columns {
        let (position, radius) = (Some(at(&c.centre)), Some(c.radius));
        out.push(("column", DrawnData { position, radius, error95: c.error95.to_vec(), ..new() }));
    }
    for w in &plan.walls {
        let [a, b] = w.faces.map(|k| &plan.faces[k]);
        let d = (a.ends[1] - a.ends[0]).normalize();
        let here = a.ends[0] + d * f64::midpoint(w.along[0], w.along[1]);
        let across = b.normal.dot(&(b.ends[0] - here));
        let position = Some(at(&(here + b.normal * (across / 2.0))));
        let [thickness, error] = w.thickness;
        out.push(("thickness", DrawnData { position, thickness: Some(thickness), error95: vec![error], ..new() }));
    }
    out
}

/// The parts of a face that are wall: it is neither open there nor unseen. From and to, metres along it.
pub(super) fn parts(plan: &FloorPlan, face: usize, length: f64) -> Vec<[f64; 2]> {
    let open = plan.openings.iter().filter(|o| o.face == face).map(|o| o.along);
    let mut away: Vec<[f64; 2]> = open.chain(plan.gaps.iter().filter(|g| g.face == face).map(|g| g.along)).collect();
    away.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let ends = std::iter::once(0.0).chain(away.iter().map(|a| a[1]));
    let begins = away.iter().map(|a| a[0]).chain([length]);
    ends.zip(begins).map(|(a, b)| [a, b]).filter(|p| p[1] - p[0] > 0.02).collect()
}

/// What was made square, as it is said.
pub(crate) fn squared(plan: &FloorPlan, stands: &Stands) -> Vec<[f64; 3]> {
    let turn = {
        let [a, b] = [Vec3::zeros(), Vec3::new(0.0, 1.0, 0.0)].map(|p| stands.position(&p));
        (b[0] - a[0]).atan2(b[1] - a[1]).to_degrees()
    };
    let said = |s: &vistazo_core::draw::Squared| {
        [(90.0 - s.direction.to_degrees() + turn).rem_euclid(90.0), K95_1D * s.sigma.to_degrees(), s.moved]
    };
    plan.squared.iter().map(said).collect()
}

/// Puts what was found onto its sheet: what was found before and nobody agreed with goes, what somebody drew, changed or
/// agreed with stays, and is not found a second time.
pub(crate) async fn put(
    app: &App,
    job: Uuid,
    sheet: Uuid,
    found: Vec<(&'static str, DrawnData)>,
    from: DrawnFrom,
) -> Result<usize, ApiError> {
    let rows = rows(app, job).await?;
    let Some((row, data)) = rows.iter().find(|(i, _)| i.id == sheet) else {
        return Err(ApiError::conflict("the sheet was taken away while it was drawn: nothing was kept"));
    };
    let of_plan = |i: &PlanItem| !matches!(i.kind.as_str(), "sheet" | "solid");
    let edits = vec![edit(row, &DrawnData { drawn: Some(from), ..data.clone() }, false)];
    replace(app, job, &rows, |i, d| of_plan(i) && d.sheet == Some(sheet), found, edits).await
}

/// An edit of something as it is.
pub(super) fn edit(row: &PlanItem, data: &DrawnData, deleted: bool) -> PlanEdit {
    let (kind, data) = (row.kind.clone(), serde_json::json!(data));
    PlanEdit { id: row.id, kind, data, version: Some(row.version), deleted }
}

/// Puts what was found in the place of what was found before and nobody agreed with; says how many things are new.
pub(super) async fn replace(
    app: &App,
    job: Uuid,
    rows: &[(PlanItem, DrawnData)],
    is_of: impl Fn(&PlanItem, &DrawnData) -> bool,
    found: Vec<(&'static str, DrawnData)>,
    mut edits: Vec<PlanEdit>,
) -> Result<usize, ApiError> {
    let there = || rows.iter().filter(|(i, d)| is_of(i, d));
    edits.extend(there().filter(|(_, d)| d.found).map(|(i, d)| edit(i, d, true)));
    let kept: Vec<&(PlanItem, DrawnData)> = there().filter(|(_, d)| !d.found).collect();
    let new: Vec<_> =
        found.into_iter().filter(|(kind, d)| !kept.iter().any(|(i, k)| i.kind == *kind && same(k, d))).collect();
    let there = rows.len() - edits.iter().filter(|e| e.deleted).count() + new.len();
    if there > MOST {
        let says =
            format!("{there} things would be drawn, expected at most {MOST}: draw less on one sheet, or clear another");
        return Err(ApiError::conflict(says));
    }
    let count = new.len();
    edits.extend(new.into_iter().map(|(kind, d)| PlanEdit {
        id: Uuid::now_v7(),
        kind: kind.into(),
        data: serde_json::json!(d),
        version: None,
        deleted: false,
    }));
    jobs::edit_drawing(&app.db, job, &edits).await?;
    Ok(count)
}

/// Whether what was found is what is there already.
fn same(there: &DrawnData, found: &DrawnData) -> bool {
    let near = |a: &[f64; 2], b: &[f64; 2]| (a[0] - b[0]).hypot(a[1] - b[1]) < SAME;
    match (&there.position, &found.position) {
        (Some(a), Some(b)) => {
            let middle = |d: &DrawnData| d.heights.map_or(0.0, |[low, high]| f64::midpoint(low, high));
            near(a, b) && (middle(there) - middle(found)).abs() < SAME.max(0.2)
        }
        _ => {
            let ([a, b], [p, q]) = (&there.line[..], &found.line[..]) else { return false };
            let d = Vector2::new(b[0] - a[0], b[1] - a[1]);
            let length = d.norm().max(1e-9);
            // the one found lies along the one that is there
            [p, q].iter().all(|e| {
                let v = Vector2::new(e[0] - a[0], e[1] - a[1]);
                let t = v.dot(&d) / length;
                (v.perp(&d) / length).abs() < SAME && t > -0.3 && t < length + 0.3
            })
        }
    }
}

/// A line fitted to what the scans show along it.
pub(crate) async fn fit(app: &App, job: Uuid, asked: &FitRequest) -> Result<DrawnData, ApiError> {
    let rows = rows(app, job).await?;
    let sheet = rows.iter().find(|r| r.0.id == asked.sheet && r.0.kind == "sheet").ok_or_else(ApiError::not_found)?;
    let Some([floor, above, thickness]) = sheet.1.level else { return Err(ApiError::not_found()) };
    let [a, b] = asked.line;
    let long = (b[0] - a[0]).hypot(b[1] - a[1]);
    if !(0.2..=500.0).contains(&long) {
        return Err(ApiError::field("line", format!("found {long:.2} m, expected 0.2 to 500 m")));
    }
    let sliced = Sliced::load(app, job).await?;
    let stands = &sliced.all.stands;
    if !stands.is_on_grid() {
        return Err(ApiError::conflict("the block is not on the grid, or out of date: georeference it first"));
    }
    let ends = [a, b].map(|[e, n]| stands.inverse(&Vec3::new(e, n, floor + above)));
    let along = ends[1] - ends[0];
    let cut = Cut::new((ends[0] + ends[1]) / 2.0, along.x.atan2(along.y), 0.0, [long, 0.24], thickness);
    let found = sliced.points(app, &cut).await?;
    let mut layers = Vec::new();
    let (mut placed, mut ids) = (Vec::new(), Vec::new());
    for (scan, points) in found {
        let Some((_, pose, covariance)) = stands.of_scan(scan) else { continue };
        let spot = |p: &[f64; 2]| Spot { at: cut.point(*p).xy(), count: 1 };
        layers.push(Layer { cut: points.iter().map(spot).collect(), ..Layer::default() });
        placed.push(Stand { pose, covariance });
        ids.push(scan);
    }
    let relations = sliced.all.relations(app).await?;
    let instrument = Instrument::from(&sliced.all.brief.instrument);
    let (of, height, at) = (ids.clone(), cut.at.z, ends.map(|e| e.xy()));
    let face = super::blocking(move || {
        fit_line(&layers, &placed, &|a, b| relations.of(of[a], of[b]), &instrument, height, at)
    })
    .await?
    .ok_or_else(|| {
        ApiError::field("line", "too little of one face lies along it at the height of the cut: draw it within some centimetres of what the cloud shows")
    })?;
    let name = |s: &usize| sliced.all.scans.iter().find(|r| r.id == ids[*s]).map(|r| r.name.clone());
    Ok(DrawnData {
        sheet: Some(asked.sheet),
        layer: Some("wall".into()),
        line: face.ends.iter().map(|p| place(stands, p)).collect(),
        error95: face.error95.to_vec(),
        scatter: Some(face.rms),
        points: Some(face.points),
        scans: face.scans.iter().filter_map(name).collect(),
        ..DrawnData::default()
    })
}

/// Easting and northing to a tenth of a millimetre: what is meant.
fn place(stands: &Stands, p: &Vector2<f64>) -> [f64; 2] {
    let [e, n, _] = stands.position(&p.push(0.0));
    [e, n].map(|v| (v * 1e4).round() / 1e4)
}

/// What is drawn, as the other sheets hear of it.
#[derive(Default)]
pub(crate) struct Summary {
    /// A sum over everything; none where nothing is drawn.
    pub sum: Option<String>,
    /// Plans, pictures of elevations, and the ground.
    pub sheets: usize,
    /// Found by the program, and nobody agreed with it yet.
    pub open: usize,
    /// Plans, elevations, features and solids that were drawn.
    drawn: Vec<(Deliverable, DrawnData)>,
    /// What the ground was found in.
    ground: Option<String>,
}

impl Summary {
    /// What of it a client may ask for, and whether all of that is from the clouds as they stand.
    /// `walked` is the sum over scans and passes: plans, ground and solids are drawn from both.
    pub(crate) fn deliverables(
        &self,
        stands: &Stands,
        scans: &[ScanRow],
        walked: Option<&String>,
    ) -> Vec<(Deliverable, bool)> {
        let by_scans = stands.sum(scans);
        let fresh = |kind: Deliverable, d: &DrawnData| match kind {
            Deliverable::Elevations => {
                d.picture.as_ref().map(|p| &p.inputs) == super::elevation::inputs(d, stands, scans).as_ref()
            }
            Deliverable::Features => d.drawn.as_ref().is_none_or(|f| Some(&f.inputs) == by_scans.as_ref()),
            _ => d.drawn.as_ref().is_none_or(|f| Some(&f.inputs) == walked),
        };
        let mut out = Vec::new();
        for kind in [Deliverable::FloorPlans, Deliverable::Elevations, Deliverable::Features, Deliverable::Solids] {
            let mut of = self.drawn.iter().filter(|d| d.0 == kind).peekable();
            if of.peek().is_some() {
                out.push((kind, of.all(|(_, d)| fresh(kind, d))));
            }
        }
        out.extend(self.ground.as_ref().map(|inputs| (Deliverable::Ground, Some(inputs) == walked)));
        out
    }
}

pub(crate) async fn summary(app: &App, job: Uuid) -> Result<Summary, ApiError> {
    let rows = jobs::drawing(&app.db, job).await?;
    let mut all: Vec<_> = rows.iter().map(|i| (i.id.to_string(), i.version)).collect();
    let ground = super::ground::key(app, job).await?;
    all.extend(ground.iter().map(|(key, _)| (key.clone(), 0)));
    // passes are handed over as they were corrected last
    let walked = vistazo_store::passes::passes(&app.db, job).await?;
    all.extend(walked.into_iter().filter_map(|p| p.made_key).map(|key| (key, 0)));
    let open = |i: &&PlanItem| i.data["found"] == true && !matches!(i.kind.as_str(), "unseen" | "thickness");
    let drawn = |i: &PlanItem| {
        let kind = match i.kind.as_str() {
            "sheet" => Deliverable::FloorPlans,
            "elevation" if i.data.get("picture").is_some() => Deliverable::Elevations,
            "feature" => Deliverable::Features,
            "solid" if i.data["solid"].get("spread").is_some() => Deliverable::Solids,
            _ => return None,
        };
        Some((kind, DrawnData::parse(&i.kind, &i.data).ok()?))
    };
    Ok(Summary {
        sum: (!all.is_empty()).then(|| super::fingerprint(&all)),
        sheets: rows.iter().filter(|i| i.kind == "sheet" || i.data.get("picture").is_some()).count()
            + usize::from(ground.is_some()),
        open: rows.iter().filter(open).count(),
        drawn: rows.iter().filter_map(drawn).collect(),
        ground: ground.map(|g| g.1),
    })
}

/// All sheets that were drawn, with what stands on them.
pub(crate) async fn drawings(app: &App, job: Uuid) -> Result<Vec<Drawing>, ApiError> {
    let walked = Walked::load(app, job).await?;
    let (standing, inputs) = (&walked.standing, walked.sum());
    let row = jobs::get(&app.db, job).await?;
    let reference = super::grid::reference_words(standing.brief.epsg);
    let rows = rows(app, job).await?;
    let of = |(i, d): &(PlanItem, DrawnData)| Drawing {
        id: i.id,
        sheet: d.clone(),
        items: rows
            .iter()
            .filter(|r| r.1.sheet == Some(i.id) && r.0.kind != "solid")
            .map(|r| (r.0.kind.clone(), r.1.clone()))
            .collect(),
        brief: standing.brief.clone(),
        job: row.name.clone(),
        simulated: row.simulated.is_some(),
        stale: d.drawn.as_ref().is_some_and(|f| Some(&f.inputs) != inputs.as_ref()),
        reference: reference.clone(),
    };
    Ok(rows.iter().filter(|r| r.0.kind == "sheet").map(of).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use vistazo_core::draw::{Face, Gap, Opening};

    #[test]
    fn a_wall_stops_where_it_is_open_and_where_nobody_saw() {
        let face = Face {
            ends: [Vector2::zeros(), Vector2::new(10.0, 0.0)],
            normal: Vector2::new(0.0, 1.0),
            error95: [0.002, 0.004],
            shown: vec![[0.0, 2.0], [3.0, 6.0], [7.0, 10.0]],
            high: true,
            rms: 0.001,
            points: 500,
            scans: vec![0],
        };
        let open = Opening { face: 0, behind: None, along: [2.0, 3.0], along95: [0.008; 2], to_the_floor: true };
        let gaps = vec![Gap { face: 0, along: [6.0, 7.0] }];
        let plan = FloorPlan { faces: vec![face], openings: vec![open], gaps, ..FloorPlan::default() };
        let stands = Stands::new(None, None);
        let drawn = items(Uuid::nil(), &plan, &stands, &["S1".into()]);
        let of = |kind: &str| drawn.iter().filter(|d| d.0 == kind).map(|d| d.1.clone()).collect::<Vec<_>>();
        let lines: Vec<_> = of("line").iter().map(|d| [d.line[0][0], d.line[1][0]]).collect();
        assert_eq!(lines, [[0.0, 2.0], [3.0, 6.0], [7.0, 10.0]]);
        assert!((of("line")[1].error95[1] - 0.0032).abs() < 1e-12);
        assert_eq!(of("opening")[0].line, [[2.0, 0.0], [3.0, 0.0]]);
        assert_eq!(of("unseen")[0].line, [[6.0, 0.0], [7.0, 0.0]]);
        // found a second time it is what is there
        assert!(same(&of("line")[1], &of("line")[1]) && !same(&of("line")[0], &of("line")[1]));
    }
}
