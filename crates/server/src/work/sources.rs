//! What plans, ground and solids are drawn from: the scans, and stretches of the passes that have their place.

use super::cleaning::Cleaning;
use super::compare::{Compared, Relations};
use super::passes::{self, Corrected, Walked};
use super::staying::{Staying, counted};
use crate::dto::{Brief, PassFacts};
use crate::words::plural;
use crate::{ApiError, App, record};
use nalgebra::Matrix6;
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::clean::Class;
use vistazo_core::draw::{Stand, stretch_beside, stretches};
use vistazo_core::geometry::Vec3;
use vistazo_core::mobile::Correction;
use vistazo_store::field::ScanRow;
use vistazo_store::passes::PassRow;

/// A stretch whose place is known no better than this (95 % in plan or height, metres) would show everything twice.
const KNOWN: f64 = 0.05;

/// Walls that plans are drawn of are about so far from who walks, metres.
const INDOORS: f64 = 4.0;

/// A scan, or a stretch of a pass: as much of it as one place and one error speak for.
pub(crate) struct Source {
    pub name: String,
    pub stand: Stand,
    of: Of,
}

enum Of {
    Scan(Box<ScanRow>),
    /// Which pass, and from when to when.
    Pass(usize, [f64; 2]),
}

/// Everything that can be drawn from.
pub(crate) struct Sources {
    pub all: Compared,
    pub of: Vec<Source>,
    /// A sum over all of it and where it lies.
    pub inputs: String,
    /// Stretches that are left out, their place is known too badly.
    pub left_out: usize,
    cleaned: Cleaning,
    walked: Walked,
    passes: Vec<(usize, Correction)>,
    /// The pass that was read last.
    read: Option<(usize, Arc<Read>)>,
}

/// The points of a source.
pub(crate) enum Points {
    Scan(Box<Staying>),
    /// From and to, and where the source stands.
    Pass(Arc<Read>, [usize; 2], Vec3),
}

/// A pass along its path, and what of it stays.
pub(crate) struct Read {
    points: Corrected,
    classes: Vec<Class>,
}

impl Walked {
    /// A sum over what can be drawn from, and where it lies; none where that is not the grid.
    pub(crate) fn sum(&self) -> Option<String> {
        let scans = self.standing.stands.sum(&self.standing.scans)?;
        Some(self.with_passes(scans, |row| row.drawn))
    }

    /// A sum over scans, and with it over the passes that have their place.
    pub(crate) fn with_passes(&self, scans: String, of: impl Fn(&PassRow) -> bool) -> String {
        let passes = self.placed().filter(|(row, _)| of(row));
        let passes: Vec<_> = passes.map(|(row, place)| (row.id, &row.key, place.whole)).collect();
        let at = self.current().map(|r| r.at);
        if passes.is_empty() { scans } else { super::fingerprint(&(scans, passes, at)) }
    }
}

impl Sources {
    /// Scans with a scanner, and passes in stretches of so many pieces; none where they do not stand on the grid.
    pub(crate) async fn load(app: &App, job: Uuid, pieces: usize) -> Result<Option<Self>, ApiError> {
        let walked = Walked::load(app, job).await?;
        let Some(inputs) = walked.sum() else { return Ok(None) };
        let all = Compared::load(app, job).await?;
        let scan = |row: &ScanRow| {
            let (_, pose, covariance) = all.stands.of_scan(row.id)?;
            Some(Source {
                name: row.name.clone(),
                stand: Stand { pose, covariance },
                of: Of::Scan(Box::new(row.clone())),
            })
        };
        let mut of: Vec<Source> = all.scans.iter().filter(|s| s.has_scanner).filter_map(scan).collect();
        let (mut passes, mut left_out) = (Vec::new(), 0);
        for (row, place) in walked.placed().filter(|w| w.0.drawn) {
            let at = walked.rows.iter().position(|r| r.id == row.id).unwrap_or_default();
            let c = place.correction();
            for s in stretches(&c, pieces) {
                if s.known95 > KNOWN {
                    left_out += 1;
                } else {
                    of.push(Source { name: row.name.clone(), stand: s.stand, of: Of::Pass(passes.len(), s.span) });
                }
            }
            passes.push((at, c));
        }
        let cleaned = Cleaning::load(app, job).await?;
        Ok(Some(Self { all, of, inputs, left_out, cleaned, walked, passes, read: None }))
    }

    pub(crate) fn brief(&self) -> &Brief {
        &self.all.brief
    }

    /// Where each of them stands.
    pub(crate) fn stands(&self) -> Vec<Stand> {
        self.of.iter().map(|s| s.stand.clone()).collect()
    }

    pub(crate) fn names(&self) -> Vec<String> {
        self.of.iter().map(|s| s.name.clone()).collect()
    }

    /// What it is called while it is read.
    pub(crate) fn said(&self, k: usize) -> String {
        match &self.of[k].of {
            Of::Scan(row) => row.name.clone(),
            Of::Pass(_, [from, to]) => format!("{} at {from:.0} to {to:.0} s", self.of[k].name),
        }
    }

    /// What a single point of a pass is uncertain by, 1σ, metres; none of a scan, whose neighbours tell.
    pub(crate) fn noise(&self, k: usize) -> Option<f64> {
        match &self.of[k].of {
            Of::Scan(_) => None,
            Of::Pass(pass, _) => {
                let unit = passes::unit(&self.walked.rows[self.passes[*pass].0]);
                Some(unit.point_variance(INDOORS).sqrt())
            }
        }
    }

    /// How many scans and passes there are, in words, and what is left out of the passes.
    pub(crate) fn in_words(&self) -> String {
        let scans = self.of.iter().filter(|s| matches!(s.of, Of::Scan(_))).count();
        let mut out = format!("{scans} scan{}", plural(scans));
        match self.passes.len() {
            0 => {}
            1 => out += " and 1 pass",
            n => out += &format!(" and {n} passes"),
        }
        if self.left_out > 0 {
            let known = self.brief().length(KNOWN);
            out += &format!(
                " ({} stretch{} known no better than {known} left out)",
                self.left_out,
                if self.left_out == 1 { "" } else { "es" }
            );
        }
        out
    }

    /// Reads the points of one.
    pub(crate) async fn points(&mut self, app: &App, k: usize) -> Result<Points, ApiError> {
        let (pass, [from, to]) = match &self.of[k].of {
            Of::Scan(row) => {
                return Ok(Points::Scan(Box::new(Staying::load(app, &self.cleaned, row).await?)));
            }
            Of::Pass(pass, span) => (*pass, *span),
        };
        let read = match self.read.take().filter(|r| r.0 == pass) {
            Some(read) => read.1,
            None => Arc::new(self.read(app, pass).await?),
        };
        let at = |t: f64| read.points.times.partition_point(|x| *x < t);
        let part = Points::Pass(read.clone(), [at(from), at(to)], self.of[k].stand.pose.translation);
        self.read = Some((pass, read));
        Ok(part)
    }

    async fn read(&self, app: &App, pass: usize) -> Result<Read, ApiError> {
        let (at, correction) = &self.passes[pass];
        let row = &self.walked.rows[*at];
        let key = row.key.as_deref().unwrap_or_default();
        let facts: PassFacts = record::read(&format!("pass “{}”", row.name), row.facts.clone().unwrap_or_default())?;
        let (path, cloud) = (passes::path(app, key).await?, passes::cloud(app, key).await?);
        let classes = passes::classes(app, row).await?;
        let correction = correction.clone();
        let points = super::blocking(move || passes::corrected(&cloud, &path, &correction, facts.clock)).await?;
        Ok(Read { points, classes })
    }

    /// How well each is known beside each other.
    pub(crate) async fn relations(&self, app: &App) -> Result<Beside, ApiError> {
        let id = |s: &Source| match &s.of {
            Of::Scan(row) => Some(row.id),
            Of::Pass(..) => None,
        };
        let ids: Vec<Option<Uuid>> = self.of.iter().map(id).collect();
        let scans = match ids.iter().flatten().count() {
            0 => None,
            _ => Some(self.all.relations(app).await?),
        };
        Ok(Beside { ids, stands: self.stands(), scans })
    }
}

/// What sources are called, each once.
pub(crate) fn named(of: &[usize], names: &[String]) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for name in of.iter().filter_map(|k| names.get(*k)) {
        if !out.contains(name) {
            out.push(name.clone());
        }
    }
    out
}

/// How well sources are known beside one another.
pub(crate) struct Beside {
    ids: Vec<Option<Uuid>>,
    stands: Vec<Stand>,
    scans: Option<Relations>,
}

impl Beside {
    /// Covariance of the pose of the second in the frame of the first.
    pub(crate) fn of(&self, a: usize, b: usize) -> Option<Matrix6<f64>> {
        match (self.ids[a], self.ids[b]) {
            (Some(a), Some(b)) => self.scans.as_ref()?.of(a, b),
            (first, second) => {
                let walked = [first, second].map(|id| id.is_none());
                Some(stretch_beside([&self.stands[a], &self.stands[b]], walked))
            }
        }
    }
}

impl Points {
    /// Takes the points, in the frame of their source, in parts side by side, and joins what came of each.
    pub(crate) fn counted<T: Send>(
        &self,
        part: impl Fn(&mut dyn Iterator<Item = Vec3>) -> T + Sync,
        join: impl Fn(T, T) -> T + Sync + Send,
    ) -> Option<T> {
        match self {
            Self::Scan(scan) => scan.counted(part, join),
            Self::Pass(read, [from, to], stands) => {
                let shift = read.points.origin - stands;
                let stays = |k: usize| read.classes.get(k).is_none_or(|c| *c == Class::Kept);
                counted([*from, *to], |k| stays(k).then(|| read.points.scan.at(k) + shift), part, join)
            }
        }
    }
}
