use super::predict::{Design, PlannedKind, PlannedTarget, Prediction, Sighting, adjust, sightings};
use crate::geometry::Vec3;
use nalgebra::Vector2;
use rayon::prelude::*;

/// A change of the plan and what it would bring.
#[derive(Clone, Debug, PartialEq)]
pub struct Advice {
    /// The change.
    pub change: Change,
    /// Largest predicted 3-D error of a target with it, metres at 95 %.
    pub then: f64,
}

/// What could be changed.
#[derive(Clone, Debug, PartialEq)]
pub enum Change {
    /// One more sphere, there.
    AddSphere(Vec3),
    /// Survey an existing target (index) as control.
    MakeControl(usize),
    /// Use a held-back check (index) as control.
    UseCheck(usize),
}

/// Tries single changes and returns those that make the weakest target better, the best first:
/// spheres about the weakest target and between stations, existing targets as control. `sigma` is
/// that of new control, metres.
pub fn advise(design: &Design<'_>, now: &Prediction, sigma: Vec3, most: usize) -> Vec<Advice> {
    let Some((weakest, error)) = now.weakest() else { return Vec::new() };
    let at = design.targets[weakest].position;
    let mut changes: Vec<Change> = (0..design.targets.len())
        .filter(|t| now.used.contains(t))
        .filter_map(|t| match (design.targets[t].control_sigma, design.targets[t].check) {
            (None, _) => Some(Change::MakeControl(t)),
            (Some(_), true) => Some(Change::UseCheck(t)),
            _ => None,
        })
        .collect();
    for ring in [4.0, 8.0, 12.0] {
        for k in 0..8 {
            // turned a little with each ring: regular patterns are ambiguous
            let a = f64::from(k) * std::f64::consts::FRAC_PI_4 + ring * 0.37;
            let p = Vector2::new(at.x + ring * a.cos(), at.y + ring * a.sin());
            let ground = design.stations.first().map_or(0.0, |s| s.position.z - 1.6);
            let apart = design.targets.iter().all(|t| (t.position.xy() - p).norm() > 1.5)
                && design.stations.iter().all(|s| (s.position.xy() - p).norm() > 1.5);
            if apart && design.site.is_free(&p, ground, ground + 1.9, 0.4) {
                changes.push(Change::AddSphere(p.push(ground + 1.2 + 0.2 * f64::from(k % 4))));
            }
        }
    }
    let mut out: Vec<Advice> = changes
        .into_par_iter()
        .filter_map(|change| {
            let mut targets = design.targets.to_vec();
            let mut rows: Vec<Vec<Sighting>> = now.sightings.clone();
            match &change {
                Change::AddSphere(p) => {
                    targets.push(PlannedTarget {
                        name: "new".into(),
                        position: *p,
                        kind: PlannedKind::Sphere,
                        control_sigma: None,
                        check: false,
                    });
                    // only what sees the new one is asked again
                    let alone = Design { targets: &targets[targets.len() - 1..], ..design.clone() };
                    for (row, new) in rows.iter_mut().zip(sightings(&alone)) {
                        row.extend(new.into_iter().map(|s| Sighting { target: targets.len() - 1, ..s }));
                    }
                }
                Change::MakeControl(t) => targets[*t].control_sigma = Some(sigma),
                Change::UseCheck(t) => targets[*t].check = false,
            }
            let then = adjust(&Design { targets: &targets, ..design.clone() }, rows);
            let (_, worst) = then.weakest()?;
            (worst < 0.98 * error && then.on_grid.is_some() == now.on_grid.is_some())
                .then_some(Advice { change, then: worst })
        })
        .collect();
    out.sort_by(|a, b| a.then.total_cmp(&b.then));
    out.truncate(most);
    out
}
