//! Walks with a mobile unit as they are planned: what they will show and how far they will be off, what would help, walks that are
//! proposed.

use super::outlook;
use super::pass_marks::SET_DOWN;
use super::planning::{GRID, Plan};
use crate::dto::{
    Brief, CarriedUnitDto, CoverDto, HeldWord, PlannedWalkDto, PlannedWalksDto, ProposeWalksRequest, ScanWayDto,
    ScanWayWord, WalkHelpDto, WalkLinesDto, WalkPlaceDto,
};
use crate::words::planned_walks as words;
use crate::{ApiError, App};
use bytes::Bytes;
use nalgebra::Vector2;
use uuid::Uuid;
use vistazo_core::geometry::{Error95, Mat3, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::mobile::{Unit, units};
use vistazo_core::plan::{Bvh, PlannedKind, Sample, look_round, sample};
use vistazo_core::walks::{
    Course, Held, Node, Predicted, Seen, WalkWish, apart, course, helps, predict, propose, seen, split, strips,
};

/// Range at which a point of a walk is thought of, metres.
const RANGE: f64 = 4.0;
/// Starting a pass, and putting it away, seconds.
const START: f64 = 90.0;
/// Seconds of a person that looks at one scan, or one pass.
const LOOK: f64 = 60.0;
/// Samples looked at, at most: of a larger site coarser ones.
const MOST: usize = 60_000;
/// Width of a strip where nobody says it, of what the unit reaches.
const SWATH: f64 = 1.2;

/// A walk as the plan holds it.
#[derive(Clone, Debug)]
pub(crate) struct WalkItem {
    pub id: Uuid,
    pub name: String,
    pub unit: String,
    pub line: Vec<Vector2<f64>>,
    pub floor: f64,
    /// Metres a second at most.
    pub pace: Option<f64>,
}

/// A corner of a walk so near to a mark stands on it, metres, as [`course`] takes it.
const ON: f64 = 0.3;

/// A walk stands on a mark: no scanner has to.
pub(super) fn stood_on(walks: &[WalkItem], mark: &Vec3) -> bool {
    walks.iter().flat_map(|w| &w.line).any(|corner| (corner - mark.xy()).norm() < ON)
}

/// The unit of a name; the first where there is none.
pub(crate) fn unit(name: &str) -> Unit {
    let mut all = units();
    let at = all.iter().position(|u| u.name == name).unwrap_or(0);
    all.swap_remove(at)
}

/// Marks on the ground that will be known: name, where, 1σ.
fn marks(plan: &Plan) -> Vec<(String, Vec3, Mat3)> {
    let known = plan.targets.iter().filter(|t| t.1.kind == PlannedKind::Mark);
    known
        .filter_map(|(_, t)| {
            let s = t.control_sigma?;
            let own = Mat3::from_diagonal(&s.map(|v| v * v));
            Some((t.name.clone(), t.position, own + Mat3::identity() * SET_DOWN.powi(2)))
        })
        .collect()
}

/// 95 % of a single point by the unit's own noise, metres.
fn noise95(unit: &Unit) -> f64 {
    Error95::from_covariance(&(Mat3::identity() * unit.point_variance(RANGE))).spatial
}

/// Everything that walks are judged by.
struct Walked<'a> {
    plan: &'a Plan,
    brief: &'a Brief,
    bvh: Bvh,
    samples: Vec<Sample>,
    units: Vec<Unit>,
    courses: Vec<Course>,
    marks: Vec<(String, Vec3, Mat3)>,
}

impl<'a> Walked<'a> {
    fn new(plan: &'a Plan, brief: &'a Brief) -> Self {
        let bvh = Bvh::new(&plan.site);
        let marks = marks(plan);
        let places: Vec<Vec3> = marks.iter().map(|m| m.1).collect();
        let of: Vec<Unit> = plan.walks.iter().map(|w| unit(&w.unit)).collect();
        let courses =
            plan.walks.iter().zip(&of).map(|(w, u)| course(&bvh, &w.line, w.floor, u, w.pace, &places)).collect();
        let mut samples = sample(&plan.site, GRID);
        if samples.len() > MOST {
            samples = sample(&plan.site, GRID * (samples.len() as f64 / MOST as f64).sqrt());
        }
        Self { plan, brief, bvh, samples, units: of, courses, marks }
    }

    fn walks(&self) -> Vec<(&Course, &Unit)> {
        self.courses.iter().zip(&self.units).collect()
    }

    /// What will come out, with scans that stand beside or without.
    fn predicted(&self, stations: Vec<(Vec3, Mat3)>) -> Result<Predicted, String> {
        let high = |m: &(String, Vec3, Mat3)| (m.1 + Vec3::z() * self.units[0].handling.height, m.2);
        let held = Held { stations, marks: self.marks.iter().map(high).collect() };
        predict(&self.bvh, &self.samples, &self.walks(), &held).map_err(|e| e.to_string())
    }

    /// 95 % of a point that is measured from a place, metres.
    fn point95(&self, walk: usize, c: &Mat3) -> f64 {
        let noise = Mat3::identity() * self.units[walk].point_variance(RANGE);
        Error95::from_covariance(&(c + noise)).spatial
    }

    fn limit(&self, at: &Vec3) -> Option<f64> {
        self.plan.limit_at(self.brief, at)
    }

    /// What a place may be off so that its points are within what is asked, metres; where the noise alone is too much no known
    /// point helps, and nothing is asked of the place.
    fn left(&self, n: &Node) -> f64 {
        let noise = noise95(&self.units[n.walk]);
        let left = self.limit(&n.at).map(|l| l * l - noise * noise).filter(|l| *l > 0.0);
        left.map_or(f64::INFINITY, f64::sqrt)
    }

    fn walk(&self, k: usize, of: Option<&Predicted>) -> PlannedWalkDto {
        let (item, unit, course) = (&self.plan.walks[k], &self.units[k], &self.courses[k]);
        let mut spaces = [0.0; 3];
        for s in course.spots.windows(2) {
            spaces[s[1].space as usize] += s[1].time - s[0].time;
        }
        let place = |n: &Node| WalkPlaceDto {
            at: [n.at.x, n.at.y],
            metres: course.spots[n.spot].walked,
            seconds: course.spots[n.spot].time,
            error95: self.point95(k, &n.covariance),
            rigid95: self.point95(k, &n.rigid),
            limit: self.limit(&n.at),
            held: match () {
                () if n.mark => HeldWord::Mark,
                () if n.scans > 0 => HeldWord::Scan,
                () if n.visits > 0 => HeldWord::Visit,
                () => HeldWord::Nothing,
            },
        };
        let places = of.map(|p| p.nodes.iter().filter(|n| n.walk == k).map(place).collect()).unwrap_or_default();
        let seconds = course.seconds();
        let bytes = seconds * unit.handling.bytes[0];
        PlannedWalkDto {
            item: item.id,
            name: item.name.clone(),
            unit: unit.name.clone(),
            metres: course.metres(),
            seconds,
            spaces,
            passes: split(course, unit.handling.longest).len().max(1),
            bytes,
            transfer: bytes / unit.handling.bytes[1],
            office: seconds * unit.handling.office,
            marks: course.stands.iter().map(|s| self.marks[s.1].0.clone()).collect(),
            places,
        }
    }

    /// Share of what is wanted that satisfies something.
    fn share(&self, of: impl Fn(usize) -> bool) -> Option<f64> {
        let wanted = (0..self.samples.len()).filter(|i| self.samples[*i].demand.is_some());
        let (mut all, mut has) = (0.0, 0.0);
        for i in wanted {
            let area = self.samples[i].area();
            all += area;
            if of(i) {
                has += area;
            }
        }
        (all > 0.0).then_some(has / all)
    }

    fn ways(&self, cover: &CoverDto, seen: &[Seen], both: Option<f64>, alone: Option<f64>) -> Vec<ScanWayDto> {
        let instrument = Instrument::from(&self.brief.instrument);
        let stations = self.plan.stations();
        let looks: Vec<_> = stations.iter().map(|s| look_round(&self.bvh, &self.samples, s, &instrument)).collect();
        let scanned = |i: usize| looks.iter().any(|l| l.samples[i].is_ok());
        let walked = |i: usize| seen[i].why.is_none();
        let worst = cover.prediction.targets.iter().map(|t| t.error.spatial).reduce(f64::max);
        let n = stations.len();
        let tripod = ScanWayDto {
            way: ScanWayWord::Tripod,
            site: cover.day.time,
            carried: cover.day.walking * vistazo_core::plan::WALK,
            office: n as f64 * LOOK,
            scans: n,
            once: self.share(scanned),
            error: worst,
        };
        let walks = self.courses.len();
        let seconds: f64 = self.courses.iter().map(Course::seconds).fold(0.0, |a, b| a + b);
        let office = self.courses.iter().zip(&self.units).map(|(c, u)| c.seconds() * u.handling.office + LOOK);
        let mobile = ScanWayDto {
            way: ScanWayWord::Mobile,
            site: seconds + walks as f64 * START,
            carried: self.courses.iter().map(Course::metres).fold(0.0, |a, b| a + b),
            office: office.fold(0.0, |a, b| a + b),
            scans: walks,
            once: self.share(walked),
            error: alone,
        };
        let both = ScanWayDto {
            way: ScanWayWord::Both,
            site: tripod.site + mobile.site,
            carried: tripod.carried + mobile.carried,
            office: tripod.office + mobile.office,
            scans: n + walks,
            once: self.share(|i| scanned(i) || walked(i)),
            error: both.into_iter().chain(worst).reduce(f64::max),
        };
        let has = |w: &ScanWayDto| w.scans > 0;
        match (n, walks) {
            (0, _) | (_, 0) => [tripod, mobile].into_iter().filter(has).collect(),
            _ => vec![tripod, mobile, both],
        }
    }
}

/// The walks of a plan, and what will come out of them.
pub(crate) fn to_dto(plan: &Plan, brief: &Brief, cover: &CoverDto) -> PlannedWalksDto {
    let w = Walked::new(plan, brief);
    let known = Mat3::identity() * (0.005_f64.powi(2) + SET_DOWN.powi(2));
    // where walks are planned counts what is allowed there
    let own = w.courses.iter().flat_map(|c| &c.spots).filter_map(|s| w.limit(&s.at)).reduce(f64::max);
    let limit = own.or(brief.requirement.spatial95);
    let carried = units().into_iter().map(|u| {
        let left = limit.map(|l| (l * l - noise95(&u).powi(2)).max(0.0).sqrt());
        CarriedUnitDto {
            apart: left.and_then(|l| apart(&u, &known, l)),
            pace: u.handling.pace,
            height: u.handling.height,
            max_range: u.max_range,
            longest: u.handling.longest,
            battery: u.handling.battery,
            swappable: u.handling.swappable,
            device: u.handling.device,
            office: u.handling.office,
            name: u.name,
        }
    });
    let mut out = PlannedWalksDto {
        units: carried.collect(),
        walks: Vec::new(),
        once: None,
        twice: None,
        framed: false,
        limit,
        findings: Vec::new(),
        helps: Vec::new(),
        ways: Vec::new(),
        refused: None,
    };
    if plan.walks.is_empty() {
        return out;
    }
    // scans as well as the plan says they will stand
    let sigma = |s: &crate::dto::PointDto| s.error.spatial / vistazo_core::stats::K95_3D;
    let stations: Vec<(Vec3, Mat3)> = cover
        .prediction
        .stations
        .iter()
        .map(|s| (Vec3::from(s.position), Mat3::identity() * sigma(s).powi(2)))
        .collect();
    let worst = |p: &Predicted| p.nodes.iter().map(|n| w.point95(n.walk, &n.covariance)).reduce(f64::max);
    let alone = w.predicted(Vec::new());
    let both = if stations.is_empty() { alone.clone() } else { w.predicted(stations) };
    let (looks, slow) = seen(&w.bvh, &w.samples, &w.walks());
    out.once = w.share(|i| looks[i].why.is_none());
    out.twice = w.share(|i| looks[i].why.is_none() && looks[i].visits > 1);
    out.walks = (0..plan.walks.len()).map(|k| w.walk(k, both.as_ref().ok())).collect();
    let alone = alone.ok().filter(|p| p.framed);
    out.ways = w.ways(cover, &looks, both.as_ref().ok().and_then(worst), alone.as_ref().and_then(worst));
    let carried: Vec<(&Unit, &Course, f64)> = w.units.iter().zip(&w.courses).map(|(u, c)| (u, c, noise95(u))).collect();
    out.findings = words::findings(brief, &out.walks, &carried, &slow);
    match both {
        Ok(p) => {
            out.framed = p.framed;
            if !p.framed {
                out.findings.push(words::unframed());
            }
            let limits: Vec<f64> = p.nodes.iter().map(|n| w.left(n)).collect();
            let found = helps(&p, &known, &limits).unwrap_or_default();
            out.helps = found
                .iter()
                .map(|h| {
                    let n = &p.nodes[h.node];
                    let floor = n.at.z - w.units[n.walk].handling.height;
                    WalkHelpDto {
                        walk: plan.walks[n.walk].name.clone(),
                        at: [n.at.x, n.at.y, floor],
                        then: w.point95(n.walk, &(Mat3::identity() * (h.then / vistazo_core::stats::K95_3D).powi(2))),
                    }
                })
                .collect();
        }
        Err(why) => out.refused = Some(why),
    }
    out
}

/// The same as text, made once for a state of the plan.
pub(crate) async fn text(app: &App, job: Uuid, plan: Plan, brief: Brief) -> Result<Bytes, ApiError> {
    let inputs = super::fingerprint(&(1, &plan.inputs, &brief));
    if let Some(text) = app.kept.text(job, "walks", &inputs) {
        return Ok(text);
    }
    let _turn = app.kept.turn(job, "walks", &inputs).await;
    if let Some(text) = app.kept.text(job, "walks", &inputs) {
        return Ok(text);
    }
    let cover = outlook::cover_text(app, job, &plan, &brief).await?;
    let cover: CoverDto = serde_json::from_slice(&cover)
        .map_err(|e| ApiError::conflict(format!("the stored cover cannot be read: {e}")))?;
    let made = super::blocking(move || serde_json::json!(to_dto(&plan, &brief, &cover)).to_string()).await?;
    Ok(app.kept.put_text(job, "walks", &inputs, made))
}

fn lines_dto(plan: &Plan, unit: &Unit, floor: f64, lines: Vec<Vec<Vector2<f64>>>, said: String) -> WalkLinesDto {
    let bvh = Bvh::new(&plan.site);
    let seconds = lines.iter().map(|l| course(&bvh, l, floor, unit, None, &[]).seconds()).collect();
    let plain = |l: Vec<Vector2<f64>>| l.into_iter().map(|p| [round(p.x), round(p.y)]).collect();
    WalkLinesDto { lines: lines.into_iter().map(plain).collect(), seconds, said }
}

fn round(v: f64) -> f64 {
    (v * 1e3).round() / 1e3
}

/// Walks that would do: through the rooms, or over an area in strips.
///
/// # Errors
/// Names what cannot be.
pub(crate) fn proposed(plan: &Plan, brief: &Brief, wish: &ProposeWalksRequest) -> Result<WalkLinesDto, ApiError> {
    let Some(unit) = units().into_iter().find(|u| u.name == wish.unit) else {
        let names: Vec<String> = units().into_iter().map(|u| u.name).collect();
        return Err(ApiError::field("unit", format!("found “{}”, expected one of {}", wish.unit, names.join(", "))));
    };
    let start = Vector2::from(wish.start);
    if let Some(id) = wish.sweep {
        let outline =
            plan.outline(id).ok_or_else(|| ApiError::field("sweep", "expected an area or a floor of this plan"))?;
        // wide enough that the middle between two strips is still well within its reach
        let swath = wish.swath.unwrap_or_else(|| (SWATH * unit.max_range).min(12.0));
        let overlap = wish.overlap.unwrap_or(0.3);
        let mut line = strips(&outline, swath, overlap);
        if line.is_empty() {
            return Err(ApiError::field("sweep", "the outline has no room for a strip"));
        }
        line.insert(0, start);
        line.push(start);
        let whole = course(&Bvh::new(&plan.site), &line, wish.floor, &unit, None, &[]);
        let lines = split(&whole, unit.handling.longest);
        let said = words::swept(brief, lines.len(), swath * (1.0 - overlap));
        return Ok(lines_dto(plan, &unit, wish.floor, lines, said));
    }
    let wanted = WalkWish { start, floor: wish.floor, share: 0.98 };
    let p = propose(&plan.site, &unit, &wanted, &|_| true).map_err(|e| ApiError::field("start", e.to_string()))?;
    let said = words::walked(p.lines.len(), p.places, p.covered);
    Ok(lines_dto(plan, &unit, wish.floor, p.lines, said))
}

/// A walk cut into passes that the unit lasts for.
///
/// # Errors
/// No such walk, or one that cannot be cut.
pub(crate) fn cut(plan: &Plan, brief: &Brief, item: Uuid) -> Result<WalkLinesDto, ApiError> {
    let w = plan.walks.iter().find(|w| w.id == item).ok_or_else(ApiError::not_found)?;
    let unit = unit(&w.unit);
    let whole = course(&Bvh::new(&plan.site), &w.line, w.floor, &unit, w.pace, &[]);
    let lines = split(&whole, unit.handling.longest);
    if lines.is_empty() {
        return Err(ApiError::conflict("it is walked so slowly that a pass does not get past what two have in common"));
    }
    let said = words::cut(brief, lines.len());
    Ok(lines_dto(plan, &unit, w.floor, lines, said))
}

/// What a walk takes, for whoever plans a day or goes out with a sheet.
pub(crate) struct WalkTakes {
    pub name: String,
    pub unit: String,
    pub metres: f64,
    /// With starting the pass, and putting it away.
    pub seconds: f64,
    pub begins: Vector2<f64>,
    /// Known marks it stands on.
    pub marks: Vec<String>,
}

/// What each walk takes.
pub(crate) fn sheet(plan: &Plan) -> Vec<WalkTakes> {
    let (bvh, marks) = (Bvh::new(&plan.site), marks(plan));
    let places: Vec<Vec3> = marks.iter().map(|m| m.1).collect();
    let of = |w: &WalkItem| {
        let course = course(&bvh, &w.line, w.floor, &unit(&w.unit), w.pace, &places);
        Some(WalkTakes {
            name: w.name.clone(),
            unit: w.unit.clone(),
            metres: course.metres(),
            seconds: course.seconds() + START,
            begins: *w.line.first()?,
            marks: course.stands.iter().map(|s| marks[s.1].0.clone()).collect(),
        })
    };
    plan.walks.iter().filter_map(of).collect()
}
