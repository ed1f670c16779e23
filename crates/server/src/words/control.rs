//! What control says.

use super::{chance, plural};
use crate::dto::Brief;
use crate::record::georeference::{Mistake, Weakness};
use vistazo_core::stats::K95_1D;

/// A weakness of a fit to control.
pub(crate) fn weakness(brief: &Brief, w: &Weakness) -> String {
    match w {
        Weakness::OutsideControl { outside, of } => format!(
            "{outside} of {of} targets lie outside the area held by control: the error grows there without being checked"
        ),
        Weakness::ControlInLine => "control lies almost in a line: the turn about it is weak".into(),
        Weakness::NoChecks => {
            "no check points: all control is used to fit and nothing shows the accuracy independently".into()
        }
        Weakness::Scale { scale, sigma } => format!(
            "scale {scale:.6} differs from 1 by {:.0} ppm, more than its uncertainty of {:.0} ppm (95 %) explains: a unit, a grid factor or a wrong point",
            (scale - 1.0) * 1e6,
            sigma * K95_1D * 1e6
        ),
        Weakness::ControlOff { point, off, p } => format!(
            "control point {point} does not fit the others: {} off, {} over all points; the block keeps its shape until that is settled",
            brief.length(*off),
            chance(*p)
        ),
        Weakness::FitPoor { p } => format!(
            "block and control do not fit one another within what is stated of them ({}), and no single point explains it; the block keeps its shape",
            chance(*p)
        ),
        Weakness::CheckOff { point, off, p } => format!(
            "check point {point} is {} off, more than everything stated explains ({} over all check points)",
            brief.length(*off),
            chance(*p)
        ),
        Weakness::CheckMissing { point } => format!(
            "check point {point} fits no target of the block: it shows nothing until the target is found or paired by hand"
        ),
        Weakness::Correlated { a, b, r } => format!(
            "{} and {} of the fit can hardly be told apart (correlation {r:.2}): control is too narrow for this model",
            PARAMETERS[(*a).min(6)],
            PARAMETERS[(*b).min(6)]
        ),
        Weakness::NoFactor => {
            "the combined factor of the grid is not known: distances on the grid were taken for distances on site"
                .into()
        }
        Weakness::Mistake { mistake } => self::mistake(brief, mistake),
        Weakness::MarkOff { point, off, p } => format!(
            "the mark on {point} contradicts the rest of its pass: {} off, {}; it does not count until that is settled",
            brief.length(*off),
            chance(*p)
        ),
        Weakness::NotStoodOn { point } => {
            format!("no pass has a mark on check point {point}: it shows nothing until one stands there")
        }
    }
}

const PARAMETERS: [&str; 7] = ["shift E", "shift N", "shift H", "tilt about E", "tilt about N", "turn", "scale"];

/// A mistake that would explain why control does not fit.
pub(crate) fn mistake(brief: &Brief, m: &Mistake) -> String {
    match m {
        Mistake::Swapped { then, now } => format!(
            "with easting and northing swapped, {then} control point{} fit{} the targets; as given, {now}. The columns are probably N, E, H",
            plural(*then),
            if *then == 1 { "s" } else { "" }
        ),
        Mistake::Unit { factor, then, now } => format!(
            "scaled by {factor:.4}, {then} control point{} fit{} the targets; as given, {now}. The file is probably in {}",
            plural(*then),
            if *then == 1 { "s" } else { "" },
            if *factor < 1.0 { "feet and was read as metres" } else { "metres and was read as feet" }
        ),
        Mistake::NoHeights { fit } => format!(
            "the heights of control are all the same, those of the targets are not: the column of heights is probably missing{}",
            if *fit > 0 { format!(" (the plan coordinates of {fit} fit)") } else { String::new() }
        ),
        Mistake::WrongName { point, target, off, better } => format!(
            "control point {point} has the name of {target}, which lies {} away{}",
            brief.length(*off),
            better.as_ref().map_or(String::new(), |b| format!("; {b} lies there"))
        ),
    }
}
