//! Why a slice is worth looking at.

use crate::dto::Brief;
use crate::record::comparison::StoredComparison;
use vistazo_core::slice::Doubt;

/// Of a pair of scans; `apart` is how far surfaces lie apart at the place.
pub(crate) fn why(brief: &Brief, doubt: Doubt, pair: &str, c: &StoredComparison, apart: Option<f64>) -> String {
    let hidden = brief.length(c.detectable);
    match doubt {
        Doubt::Twice => {
            let by = brief.length(c.misfit.map_or(0.0, |m| m[0]));
            format!("{pair} show surfaces twice, {by} apart")
        }
        Doubt::Apart => {
            let by = brief.length(apart.unwrap_or_default().abs());
            format!("{pair}: a surface lies {by} beside itself")
        }
        Doubt::Uncertain => {
            format!("{pair}: least is known of how they lie beside one another; {hidden} could hide (95 %)")
        }
        Doubt::Border => format!("{pair}: no tie joins them; {hidden} could hide where they meet (95 %)"),
    }
}
