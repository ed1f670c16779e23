use super::assemble::Block;
use super::input::{Input, ScanInput};
use super::network::{Placed, network};
use crate::adjust::{AdjustError, Scaling, Solution, solve};
use crate::geometry::Pose;
use crate::instrument::Systematic;

/// One scan as a block of its own, in its own frame, with every target that it shows: what
/// [`georeference`](crate::georef::georeference) puts on the grid is then a free station of the scanner, by the same
/// adjustment and the same tests as a block of many. What was noted of its set-up takes no part, so that it can be
/// compared with the result.
///
/// # Errors
/// As [`solve`].
pub fn single(scan: &ScanInput, systematic: &Systematic) -> Result<(Placed, Solution), AdjustError> {
    let block = Block {
        poses: vec![Some(Pose::identity())],
        members: (0..scan.targets.len()).map(|k| vec![(0, k)]).collect(),
        positions: scan.targets.iter().map(|t| t.centre).collect(),
        unplaced: Vec::new(),
        ambiguous: Vec::new(),
        tilted: Vec::new(),
        same: Vec::new(),
    };
    let scan = ScanInput { set_up: None, excluded: Vec::new(), apart: false, ..scan.clone() };
    let input = Input { scans: vec![scan], systematic: *systematic, ..Input::default() };
    let mut placed = network(&input, &block);
    let solution = solve(placed.network.clone(), Scaling::Stated)?;
    placed.settle(&solution);
    Ok((placed, solution))
}
