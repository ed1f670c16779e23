//! The plan as one page to carry along: opens on a tablet without a connection, with boxes to tick.

use super::{PlanDocument, PlanPackage};
use crate::ApiError;
use crate::dto::LeapfrogRequest;
use crate::words::plan::{
    SPHERES_CARRIED, cautions, clock, day_words, kind_words, known_words, setting_words, verdict_words,
};
use crate::work::designing;
use serde_json::json;
use uuid::Uuid;
use vistazo_core::geometry::Vec3;

const PAGE: &str = include_str!("carried.html");

/// Distance on the plan and bearing, clockwise from the plan's y.
fn away(from: &Vec3, to: &Vec3) -> [f64; 2] {
    let d = to - from;
    [d.xy().norm(), d.x.atan2(d.y).rem_euclid(std::f64::consts::TAU)]
}

/// The page. All it needs is in it.
pub(super) struct Carried;

impl PlanDocument for Carried {
    fn name(&self) -> &'static str {
        "field.html"
    }

    fn media_type(&self) -> &'static str {
        "text/html; charset=utf-8"
    }

    fn write(&self, p: &PlanPackage) -> Result<Vec<u8>, ApiError> {
        // nothing that a name holds may end the script
        Ok(PAGE.replacen("DATA", &data(p).to_string().replace('<', "\\u003c"), 1).into_bytes())
    }
}

fn data(p: &PlanPackage) -> serde_json::Value {
    let PlanPackage { plan, brief, cover, .. } = p;
    let stations = plan.stations.iter().enumerate().map(|(k, (id, s))| {
        let measured =
            cover.stations.iter().find(|c| c.station == *id).map(|c| c.targets.as_slice()).unwrap_or_default();
        let scanned = |t: &&(Uuid, vistazo_core::plan::PlannedTarget)| {
            measured.contains(&t.0) && t.1.kind != vistazo_core::plan::PlannedKind::Mark
        };
        let sights = s.sights.iter().map(|&t| {
            let [distance, bearing] = away(&s.position, &plan.targets[t].1.position);
            json!({ "name": plan.targets[t].1.name, "distance": distance, "bearing": bearing })
        });
        json!({
            "id": id,
            "name": s.name,
            "position": <[f64; 3]>::from(s.position),
            "walk": k.checked_sub(1).map(|p| away(&plan.stations[p].1.position, &s.position)),
            "over": s.over.map(|t| &plan.targets[t].1.name),
            "height": s.over.map(|t| s.position.z - plan.targets[t].1.position.z),
            "sights": sights.collect::<Vec<_>>(),
            "targets": plan.targets.iter().filter(scanned).map(|t| &t.1.name).collect::<Vec<_>>(),
            "setting": setting_words(s, brief),
            "done": cover.day.done.get(k).map(|t| clock(*t)),
            "swap": cover.day.swaps.contains(&k),
            "predicted": cover.prediction.stations.iter().find(|p| p.name == s.name)
                .map(|p| format!("{}, 3-D 95 %", brief.length(p.error.spatial))),
        })
    });
    let targets = plan.targets.iter().map(|(_, t)| {
        json!({ "name": t.name, "kind": kind_words(t), "known": known_words(t, brief), "position": <[f64; 3]>::from(t.position) })
    });
    let edges = plan.site.edges.iter().flat_map(|e| e.line.windows(2));
    let edges = edges.map(|p| json!([p[0].x, p[0].y, p[1].x, p[1].y, true]));
    let still = vistazo_core::plan::Site { edges: Vec::new(), ..plan.site.clone() };
    let lines = still.panels().into_iter().map(|p| json!([p.a.x, p.a.y, p.b.x, p.b.y]));
    let outline = |l: &[nalgebra::Vector2<f64>]| l.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>();
    let hazards = plan.hazards.iter().map(|h| json!({ "hazard": true, "outline": outline(&h.1) }));
    let no_go = plan.site.no_go.iter().map(|a| json!({ "hazard": false, "outline": outline(&a.outline) }));
    let request = LeapfrogRequest { stations: Vec::new(), spheres: SPHERES_CARRIED };
    json!({
        "job": p.job,
        "inputs": plan.inputs,
        "name": p.name,
        "simulated": p.simulated,
        "site": brief.site,
        "instrument": brief.instrument.name,
        "verdict": verdict_words(brief, cover),
        "unit": brief.unit().code(),
        "metres": brief.unit().metres(),
        "made": chrono::Utc::now().format("%Y-%m-%d").to_string(),
        "day": day_words(cover),
        "cautions": cautions(plan, brief),
        "stations": stations.collect::<Vec<_>>(),
        "targets": targets.collect::<Vec<_>>(),
        "carry": designing::leapfrog(plan, brief, &request).unwrap_or_default(),
        "lines": lines.chain(edges).collect::<Vec<_>>(),
        "areas": hazards.chain(no_go).collect::<Vec<_>>(),
    })
}
