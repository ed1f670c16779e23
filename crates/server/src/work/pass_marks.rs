//! Points that are known on a pass: those it stood on, those that show in its cloud, and which of a control list they are.

use super::passes::{self, Walked};
use super::stands::Standing;
use crate::dto::{MarkOrderDto, NotedMarkDto, PassMarkDto};
use crate::record::passes::{MarkRole, StoredMark};
use crate::record::rows9;
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::geometry::{Mat3, Vec3};
use vistazo_core::mobile::{Correction, KnownPoint, Mark, Marked, Noted, Piece, Trajectory, in_order, picked, stood};
use vistazo_store::passes::PassRow;
use vistazo_store::results::{self, ControlRow};

/// Setting the unit down on a mark, and picking a point in its cloud, 1σ each way, metres.
pub(super) const SET_DOWN: f64 = 0.005;
const PICKED: f64 = 0.015;
/// Points of a list that marks are looked for among, at most.
const MOST: usize = 400;

pub(crate) fn marks(row: &PassRow) -> Result<Vec<PassMarkDto>, ApiError> {
    crate::record::read(&format!("marks of “{}”", row.name), row.marks.clone())
}

/// The control point of a name.
pub(crate) fn named<'a>(control: &'a [ControlRow], name: &str) -> Option<&'a ControlRow> {
    let wanted = name.trim().to_lowercase();
    control.iter().find(|c| c.name.to_lowercase() == wanted)
}

/// A mark in the frame that scans stand in.
pub(crate) struct InFrame {
    pub mark: Mark,
    /// Its control point, and how high over it the unit stood, metres.
    pub point: String,
    pub height: f64,
    /// Of noting it, 1σ each way, metres.
    pub noted: f64,
    /// It is held back as a check.
    pub check: bool,
}

impl InFrame {
    /// Where the pass came to lie there; none where it is held by nothing.
    pub(crate) fn stored(
        &self,
        path: &Trajectory,
        pieces: &[Piece],
        placed: &Correction,
        role: MarkRole,
    ) -> Option<StoredMark> {
        let (at, covariance) = stood(&self.mark.noted, path, pieces, placed)?;
        let (point, height, noted) = (self.point.clone(), self.height, self.noted);
        Some(StoredMark { point, height, at: at.into(), covariance: rows9(&covariance), noted, role })
    }
}

/// Marks say nothing yet: scans stand, and not on the grid.
pub(super) fn wait(standing: &Standing) -> bool {
    !standing.stands.is_on_grid() && !standing.scans.is_empty()
}

/// Marks of a pass in the frame that scans stand in; none while they [`wait`].
///
/// # Errors
/// Names the mark whose point is not there.
pub(crate) async fn marks_in_frame(
    app: &App,
    job: Uuid,
    standing: &Standing,
    row: &PassRow,
    path: &Trajectory,
) -> Result<Vec<InFrame>, ApiError> {
    let marks = marks(row)?;
    // without scans the grid is the frame
    if marks.is_empty() || wait(standing) {
        return Ok(Vec::new());
    }
    let control = results::control(&app.db, job).await?;
    let of = |m: &PassMarkDto| {
        let Some((p, [e, n, h])) = named(&control, &m.point).and_then(|p| Some((p, [p.e?, p.n?, p.h?]))) else {
            return Err(ApiError::conflict(format!(
                "{}: {} is on “{}”, which is no control point with three coordinates",
                row.name,
                words::passes::mark(m.time, m.place.is_some()),
                m.point
            )));
        };
        let (as_noted, noted) = noted(path, m.time, m.place);
        let at = standing.stands.inverse(&Vec3::new(e, n, h)) + Vec3::z() * m.height;
        let own = Vec3::new(p.sigma_e, p.sigma_n, p.sigma_v).map(|s| s * s + noted * noted);
        let mark = Mark { noted: as_noted, at, covariance: Mat3::from_diagonal(&own) };
        Ok(InFrame { mark, point: p.name.clone(), height: m.height, noted, check: p.is_check })
    };
    marks.iter().map(of).collect()
}

/// How a mark was noted, and how well, 1σ each way, metres.
fn noted(path: &Trajectory, time: f64, place: Option<[f64; 3]>) -> (Noted, f64) {
    match place {
        Some(p) => (Noted::Shown(Vec3::from(p) - path.origin(), Some(time).filter(|t| *t != 0.0)), PICKED),
        None => (Noted::Stood(time), SET_DOWN),
    }
}

/// Which points of the control list the marks of a pass are, by how far they lie apart along the walk: those that have no
/// name are taken in the order of the list. Nothing is kept.
///
/// # Errors
/// Names what lacks, or the mark that is not of this walk.
pub(crate) async fn order(
    app: &App,
    job: Uuid,
    pass: Uuid,
    given: Vec<NotedMarkDto>,
) -> Result<MarkOrderDto, ApiError> {
    let all = Walked::load(app, job).await?;
    let row = all.rows.iter().find(|r| r.id == pass).ok_or_else(ApiError::not_found)?;
    let Some(key) = row.key.as_deref() else {
        return Err(ApiError::conflict(format!("{} was not read yet: bring its cloud and its path first", row.name)));
    };
    let control = results::control(&app.db, job).await?;
    let listed: Vec<(&str, KnownPoint)> = control
        .iter()
        .filter_map(|c| {
            let sigma = Vec3::new(c.sigma_e, c.sigma_n, c.sigma_v).map(|s| s * s);
            let at = all.standing.stands.inverse(&Vec3::new(c.e?, c.n?, c.h?));
            Some((c.name.as_str(), KnownPoint { at, covariance: Mat3::from_diagonal(&sigma) }))
        })
        .collect();
    if listed.len() < 2 || listed.len() > MOST {
        let says = format!(
            "found {} control points with three coordinates, expected 2 to {MOST}: bring the list in Georeference",
            listed.len()
        );
        return Err(ApiError::conflict(says));
    }
    let path = passes::path(app, key).await?;
    let unit = passes::unit(row);
    let given = from_view(&all, row.id, &path, given)?;
    let bytes = app.objects.bytes(&format!("{key}/pieces")).await?;
    let marks = given.clone();
    let (path, marked) = super::blocking(move || {
        let pieces =
            vistazo_formats::passes::KeptPieces::from_bytes(&bytes).map_err(|e| ApiError::bad(e.to_string()))?;
        let marked =
            marks.iter().enumerate().map(|(k, m)| marked(&path, &pieces.0, k, m)).collect::<Result<Vec<_>, _>>()?;
        Ok::<_, ApiError>((path, marked))
    })
    .await??;
    let known: Vec<KnownPoint> = listed.iter().map(|l| l.1).collect();
    let of = |(k, m): (usize, &NotedMarkDto)| match m.point.as_deref().map(str::trim).filter(|p| !p.is_empty()) {
        Some(p) => listed.iter().position(|l| l.0.to_lowercase() == p.to_lowercase()).map(Some).ok_or_else(|| {
            ApiError::field(
                &format!("marks.{k}.point"),
                format!("found “{p}”, expected a control point with three coordinates"),
            )
        }),
        None => Ok((k < listed.len()).then_some(k)),
    };
    let said: Vec<Option<usize>> = given.iter().enumerate().map(of).collect::<Result<_, _>>()?;
    let (out, said) = super::blocking(move || (in_order(&path, &unit, &marked, &known, &said), said)).await?;
    let names: Vec<&str> = listed.iter().map(|l| l.0).collect();
    // what does not fit has no name to be taken
    let none = vec![None; given.len()];
    let taken = out.found.as_ref().unwrap_or(if out.wrong.is_empty() { &said } else { &none });
    let marks = given.iter().zip(taken).map(|(m, k)| PassMarkDto {
        time: m.time,
        place: m.place,
        point: k.map_or_else(String::new, |k| names[k].to_owned()),
        height: m.height,
    });
    Ok(MarkOrderDto {
        agrees: out.wrong.is_empty() && out.found.is_none(),
        marks: marks.collect(),
        says: words::passes::order(&all.standing.brief, &out, &said, &names),
    })
}

/// What was picked in the cloud as it is looked at, as a place that shows in its file.
fn from_view(
    all: &Walked,
    pass: Uuid,
    path: &Trajectory,
    given: Vec<NotedMarkDto>,
) -> Result<Vec<NotedMarkDto>, ApiError> {
    let looked = all.looked_at().into_iter().find(|l| l.0.id == pass);
    let of = |m: NotedMarkDto| {
        let Some(at) = m.picked else { return Ok(m) };
        let Some((looked, c)) = &looked else {
            return Err(ApiError::conflict("the pass is not shown as it is now: tie and correct the passes first"));
        };
        let at = Vec3::from(looked.made.origin) + Vec3::from(at);
        let Some(Noted::Shown(place, time)) = picked(&at, c) else { return Err(ApiError::not_found()) };
        let place = Some((place + path.origin()).into());
        Ok(NotedMarkDto { picked: None, place, time: time.unwrap_or_default(), ..m })
    };
    given.into_iter().map(of).collect()
}

fn marked(
    path: &Trajectory,
    pieces: &[vistazo_core::mobile::Piece],
    k: usize,
    m: &NotedMarkDto,
) -> Result<Marked, ApiError> {
    let (as_noted, off) = noted(path, m.time, m.place);
    let [from, to] = path.span();
    if m.place.is_none() && !(from..=to).contains(&m.time) {
        let says = format!("found {:.2} s, expected a time of its path, {from:.2} to {to:.2} s", m.time);
        return Err(ApiError::field(&format!("marks.{k}.time"), says));
    }
    let (piece, _) = as_noted
        .within(path, pieces)
        .ok_or_else(|| ApiError::conflict("nothing of the pass was measured near its path"))?;
    let time = if m.place.is_some() { pieces[piece].time } else { m.time };
    // where the mark itself lies, under the unit or shown
    let at = as_noted.place(path) - Vec3::z() * m.height;
    Ok(Marked { time, at, variance: off * off })
}
