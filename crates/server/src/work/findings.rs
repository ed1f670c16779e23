//! What asks for a decision, in words: what was found, the evidence, what it means.

use super::block::Inputs;
use super::chance;
use super::network::StoredNetwork;
use crate::dto::{Brief, DetectionData, FindingDto};
use uuid::Uuid;
use vistazo_core::adjust::Solution;
use vistazo_core::stats::K95_1D;
use vistazo_store::field::DetectionRow;

pub(super) fn moved(
    brief: &Brief,
    net: &StoredNetwork,
    solution: &Solution,
    m: &vistazo_core::adjust::Moved,
    others: usize,
) -> FindingDto {
    let target = &net.targets[m.target].name;
    let (before, after) = (&net.scans[m.before].name, &net.scans[m.after].name);
    let of = |later: bool| -> Vec<Uuid> {
        net.observations
            .iter()
            .filter(|o| o.active && o.target == m.target && (o.scan >= m.after) == later)
            .map(|o| o.detection)
            .collect()
    };
    let sigma = (m.shift.normalize().transpose() * m.covariance * m.shift.normalize())[0].sqrt();
    let mut evidence = vec![
        format!(
            "shift {} ± {} (95 %), {} horizontally, {} up",
            brief.length(m.shift.norm()),
            brief.length(sigma * K95_1D),
            brief.length(m.shift.xy().norm()),
            brief.length(m.shift.z)
        ),
        format!(
            "test value {:.0}, where 16 is already rarer than 1 in 1000; global test of the block {}",
            m.statistic,
            chance(solution.global_p)
        ),
    ];
    if m.single_sided {
        evidence.push("one side rests on a single scan: a wrong measurement there would explain the same".into());
    }
    if others > 0 {
        evidence.push(format!(
            "{others} weaker suspicion{} may be its shadow: run again after deciding",
            if others == 1 { "" } else { "s" }
        ));
    }
    FindingDto {
        kind: "moved".into(),
        title: format!("{target} was moved between {before} and {after}"),
        evidence,
        meaning: format!(
            "Left in, it bends the block: all stated errors are {:.1} times larger than they need be. Leaving out one side, or treating it as two targets, mends it.",
            solution.variance_factor.sqrt()
        ),
        before: of(false),
        after: of(true),
        target: Some(target.clone()),
    }
}

pub(super) fn outlier(brief: &Brief, net: &StoredNetwork, solution: &Solution, i: usize) -> FindingDto {
    let o = &net.observations[i];
    let r = &solution.residuals[i];
    let target = &net.targets[o.target].name;
    FindingDto {
        kind: "outlier".into(),
        title: format!("{target} as measured in {} does not agree with the other scans", net.scans[o.scan].name),
        evidence: vec![
            format!(
                "residual {}, test value {:.0} with {} degrees of freedom, {}",
                brief.length(r.vector.norm()),
                r.statistic,
                r.dof,
                chance(r.p_value)
            ),
            format!(
                "smallest error that would be found here: {}",
                if r.detectable.is_finite() { brief.length(r.detectable) } else { "none, it is not checked".into() }
            ),
        ],
        meaning: "Leave it out and run again, or keep it with a note why.".into(),
        before: vec![],
        after: vec![o.detection],
        target: Some(target.clone()),
    }
}

/// Spheres of the wrong size, said once for the job: a diameter entered for a radius is one cause
/// for many.
pub(super) fn sizes(inputs: &Inputs) -> Vec<FindingDto> {
    let off: Vec<(&DetectionRow, DetectionData)> =
        inputs.detections.iter().filter(|d| !d.usable).map(|d| (d, super::block::data(d))).collect();
    let mixed: Vec<_> = off.iter().filter(|d| d.1.size == "diameter_radius_mix_up").collect();
    let brief = &inputs.brief;
    let nominal = brief.sphere_diameter.unwrap_or(0.0);
    let mut out = Vec::new();
    let agreeing = inputs.detections.iter().filter(|d| d.usable && d.kind == "sphere").count();
    if mixed.len() >= 2 && mixed.len() > agreeing {
        let mut radii: Vec<f64> = mixed.iter().filter_map(|d| d.1.free_radius.map(|r| r[0])).collect();
        let typical = vistazo_core::stats::median(&mut radii).unwrap_or(0.0) * 2.0;
        out.push(FindingDto {
            kind: "size".into(),
            title: "Sphere diameter and radius are mixed up in the brief".into(),
            evidence: vec![format!(
                "{} spheres measure {} across; the brief says {}",
                mixed.len(),
                brief.length(typical),
                brief.length(nominal)
            )],
            meaning: "Correct the sphere diameter in the brief and run again; the centres then follow.".into(),
            before: vec![],
            after: vec![],
            target: None,
        });
    } else if off.len() >= 3 && off.len() > agreeing {
        out.push(FindingDto {
            kind: "size".into(),
            title: "Most spheres are of another size than the brief says".into(),
            evidence: vec![format!("{} of another size, {agreeing} of {}", off.len(), brief.length(nominal))],
            meaning: "Check the sphere diameter in the brief.".into(),
            before: vec![],
            after: vec![],
            target: None,
        });
    }
    out
}
