use super::control::ControlPoint;
use super::free_fit::FreeFit;
use crate::adjust::{AdjustError, Network, Observation, Plumb, Scaling, Solution, solve};
use crate::geometry::{Pose, Vec3};

/// The block adjusted once more with control in it as weighted observations: the block gives way to
/// control where control is better, and the other way round.
///
/// `network` is the adjusted free network; `free` the fit that put it on control and tested it. What both
/// found of the noise is applied: to the observations of the block, and to control. Positions of
/// control are in the local frame of true metres.
///
/// # Errors
/// As [`solve`].
pub fn constrained(
    network: &Network,
    block: &Solution,
    free: &FreeFit,
    control: &[ControlPoint],
) -> Result<Solution, AdjustError> {
    let mut net = network.clone();
    let frame = Pose { rotation: free.fit.pose.rotation, translation: free.fit.pose.translation };
    for s in &mut net.scans {
        s.pose = frame.compose(&s.pose);
    }
    for t in &mut net.targets {
        t.position = frame.apply(&t.position);
    }
    net.plumb = Plumb { origin: Vec3::zeros(), ..net.plumb };
    for o in &mut net.observations {
        o.inflation *= block.variance.applied;
    }
    for c in control.iter().filter(|c| !c.check) {
        if let Some(target) = c.target {
            let mut known = Observation::known(target, c.position, c.covariance());
            known.inflation = free.variance.applied;
            net.observe(known);
        }
    }
    solve(net, Scaling::Stated)
}
