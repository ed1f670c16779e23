//! Designs: what they say, what the clouds are set against, and what is there of each element.

use super::stands::{Standing, Stands};
use crate::dto::{BuiltWord, ClashDto, DesignDto, ElementDto, ElementStateDto, ProgressDto};
use crate::{ApiError, App};
use nalgebra::Vector2;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_core::check::Designed;
use vistazo_core::compare::{Element, State};
use vistazo_core::geometry::Vec3;
use vistazo_formats::design::{DesignLine, DesignShape};
use vistazo_store::designs::{self, DesignRow, LookRow};
use vistazo_store::field::ScanRow;

/// An element as it is stored: on the grid, metres.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredElement {
    name: String,
    shape: Shape,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
enum Shape {
    Wall { line: Vec<[f64; 2]>, base: f64, top: f64, thickness: f64 },
    Opening { ends: [[f64; 2]; 2], sill: f64, head: f64 },
    Pipe { line: Vec<[f64; 3]>, radius: f64 },
}

impl StoredElement {
    /// As a line of a file says it, `unit` metres each.
    pub(crate) fn of(l: &DesignLine, unit: f64) -> Self {
        let flat = |p: &[f64; 2]| p.map(|v| v * unit);
        let shape = match &l.shape {
            DesignShape::Wall { line, base, top, thickness } => Shape::Wall {
                line: line.iter().map(flat).collect(),
                base: base * unit,
                top: top * unit,
                thickness: thickness * unit,
            },
            DesignShape::Opening { ends, sill, head } => {
                Shape::Opening { ends: ends.each_ref().map(flat), sill: sill * unit, head: head * unit }
            }
            DesignShape::Pipe { line, diameter } => {
                Shape::Pipe { line: line.iter().map(|p| p.map(|v| v * unit)).collect(), radius: diameter * unit / 2.0 }
            }
        };
        Self { name: l.name.clone(), shape }
    }

    fn kind(&self) -> &'static str {
        match self.shape {
            Shape::Wall { .. } => "wall",
            Shape::Opening { .. } => "opening",
            Shape::Pipe { .. } => "pipe",
        }
    }

    fn middle(&self) -> [f64; 3] {
        let of = |line: &[[f64; 2]], low: f64, high: f64| {
            let n = line.len().max(1) as f64;
            [0, 1].map(|k| line.iter().map(|p| p[k]).sum::<f64>() / n).into_iter().chain([f64::midpoint(low, high)])
        };
        let all: Vec<f64> = match &self.shape {
            Shape::Wall { line, base, top, .. } => of(line, *base, *top).collect(),
            Shape::Opening { ends, sill, head } => of(ends, *sill, *head).collect(),
            Shape::Pipe { line, .. } => {
                let n = line.len().max(1) as f64;
                (0..3).map(|k| line.iter().map(|p| p[k]).sum::<f64>() / n).collect()
            }
        };
        [all[0], all[1], all[2]]
    }

    /// Where the clouds stand.
    fn to_core(&self, stands: &Stands) -> Element {
        let at = |p: &[f64; 2], z: f64| stands.inverse(&Vec3::new(p[0], p[1], z));
        let flat = |p: &[f64; 2], z: f64| Vector2::from(at(p, z).xy());
        let height = |p: &[f64; 2], z: f64| at(p, z).z;
        match &self.shape {
            Shape::Wall { line, base, top, thickness } => Element::Wall {
                base: line.first().map_or(*base, |p| height(p, *base)),
                top: line.first().map_or(*top, |p| height(p, *top)),
                line: line.iter().map(|p| flat(p, *base)).collect(),
                thickness: *thickness,
            },
            Shape::Opening { ends, sill, head } => Element::Opening {
                ends: ends.each_ref().map(|p| flat(p, *sill)),
                sill: height(&ends[0], *sill),
                head: height(&ends[0], *head),
            },
            Shape::Pipe { line, radius } => {
                Element::Pipe { line: line.iter().map(|p| stands.inverse(&Vec3::from(*p))).collect(), radius: *radius }
            }
        }
    }
}

/// As it is kept: places on the grid.
pub(crate) fn state(s: &State, stands: &Stands) -> ElementStateDto {
    let State { built, distance, detectable, seen, shown, clash } = *s;
    let clash = clash.map(|c| ClashDto { at: stands.position(&c.at), extent: c.extent });
    ElementStateDto { built: built.into(), distance, detectable, seen, shown, clash }
}

/// Everything that designs are looked for in.
pub(crate) struct Designs {
    pub scans: Vec<ScanRow>,
    pub stands: Stands,
    pub rows: Vec<DesignRow>,
    looks: Vec<LookRow>,
}

impl Designs {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let Standing { scans, stands, .. } = Standing::load(app, job).await?;
        Self::at(app, job, scans, stands).await
    }

    /// Those of scans that stand somewhere.
    pub(crate) async fn at(app: &App, job: Uuid, scans: Vec<ScanRow>, stands: Stands) -> Result<Self, ApiError> {
        Ok(Self {
            stands,
            rows: designs::designs(&app.db, job).await?,
            looks: designs::looks(&app.db, job).await?,
            scans,
        })
    }

    /// What a look at a design is made from; none where the block is not on the grid.
    pub(crate) fn inputs(&self, row: &DesignRow) -> Option<String> {
        Some(super::fingerprint(&(2, &row.elements, row.tolerance.to_bits(), self.stands.sum(&self.scans)?)))
    }

    /// Designs that were not looked for as things stand.
    pub(crate) fn to_do(&self) -> Vec<&DesignRow> {
        self.rows.iter().filter(|r| self.is_stale(r)).collect()
    }

    fn is_stale(&self, row: &DesignRow) -> bool {
        let now = self.inputs(row);
        let last = self.looks.iter().rfind(|l| l.design_id == row.id);
        now.is_none() || last.map(|l| &l.inputs) != now.as_ref()
    }

    /// The elements of a design where the clouds stand.
    ///
    /// # Errors
    /// Names the design that cannot be read.
    pub(crate) fn elements(&self, row: &DesignRow) -> Result<Vec<Element>, ApiError> {
        Ok(stored(row)?.iter().map(|e| e.to_core(&self.stands)).collect())
    }

    pub(crate) fn to_dto(&self) -> Result<Vec<DesignDto>, ApiError> {
        self.rows.iter().map(|r| self.one(r)).collect()
    }

    fn one(&self, row: &DesignRow) -> Result<DesignDto, ApiError> {
        let mut looks: Vec<(&LookRow, Vec<ElementStateDto>)> = Vec::new();
        for l in self.looks.iter().filter(|l| l.design_id == row.id) {
            looks.push((l, crate::record::read(&format!("a look at “{}”", row.name), l.states.clone())?));
        }
        let element = |(k, e): (usize, StoredElement)| ElementDto {
            kind: e.kind().into(),
            position: e.middle(),
            state: looks.last().and_then(|l| l.1.get(k)).copied(),
            since: looks
                .iter()
                .find(|l| l.1.get(k).is_some_and(|s| matches!(s.built, BuiltWord::There)))
                .map(|l| l.0.made_at),
            name: e.name,
        };
        let count = |states: &[ElementStateDto]| {
            let mut counts = [0; 5];
            for s in states {
                counts[s.built as usize] += 1;
            }
            counts
        };
        Ok(DesignDto {
            id: row.id,
            name: row.name.clone(),
            by: row.by.clone(),
            at: row.made_at,
            version: row.version,
            tolerance: row.tolerance,
            stale: self.is_stale(row),
            elements: stored(row)?.into_iter().enumerate().map(element).collect(),
            progress: looks.iter().map(|l| ProgressDto { at: l.0.made_at, counts: count(&l.1) }).collect(),
        })
    }
}

/// What the verdict takes of the designs.
pub(crate) fn evidence(designs: &Designs) -> Result<Vec<Designed>, ApiError> {
    let one = |d: DesignDto| {
        let stands = d.elements.iter().filter_map(|e| {
            let s = e.state?;
            let off = matches!(s.built, BuiltWord::There | BuiltWord::Elsewhere).then_some(s.distance?.abs())?;
            Some((e.name.clone(), off, s))
        });
        let mut stands: Vec<_> = stands.collect();
        let blocked = d.elements.iter().filter(|e| e.state.is_some_and(|s| s.clash.is_some()));
        let in_the_way = blocked.map(|e| e.name.clone());
        // beyond noise: an opening is told to a hand's breadth only
        stands.sort_by(|a, b| (b.1 - b.2.detectable).total_cmp(&(a.1 - a.2.detectable)));
        let elsewhere = stands.iter().filter(|s| s.2.built == BuiltWord::Elsewhere).map(|s| s.0.clone());
        Designed {
            name: d.name,
            tolerance: d.tolerance,
            counts: d.progress.last().map_or([0; 5], |p| p.counts),
            worst: stands.first().map(|s| (s.1, s.2.detectable)),
            elsewhere: elsewhere.collect(),
            in_the_way: in_the_way.collect(),
            stale: d.stale,
        }
    };
    Ok(designs.to_dto()?.into_iter().map(one).collect())
}

fn stored(row: &DesignRow) -> Result<Vec<StoredElement>, ApiError> {
    crate::record::read(&format!("design “{}”", row.name), row.elements.clone())
}
