/// When an instrument is to be checked.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum CheckPolicy {
    /// In each job.
    EachJob,
    /// After so many weeks.
    Weeks(f64),
    /// When something speaks against it.
    OnSuspicion,
}

/// Why a check is due.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Due {
    /// Not in this job yet.
    InThisJob,
    /// It was so many weeks ago.
    Old(f64),
    /// It was never checked.
    Never,
}

/// Whether a check is due. `ages` are the weeks since each check of the instrument in any job, `here` whether one was in
/// this job.
///
/// ```
/// use vistazo_core::instrument::{CheckPolicy, Due, check_due};
/// assert_eq!(check_due(CheckPolicy::Weeks(4.0), &[9.0, 5.0], false), Some(Due::Old(5.0)));
/// assert_eq!(check_due(CheckPolicy::Weeks(6.0), &[9.0, 5.0], false), None);
/// assert_eq!(check_due(CheckPolicy::EachJob, &[0.1], false), Some(Due::InThisJob));
/// assert_eq!(check_due(CheckPolicy::OnSuspicion, &[], false), None);
/// ```
pub fn check_due(policy: CheckPolicy, ages: &[f64], here: bool) -> Option<Due> {
    let last = ages.iter().copied().fold(f64::INFINITY, f64::min);
    match policy {
        CheckPolicy::EachJob => (!here).then_some(Due::InThisJob),
        CheckPolicy::Weeks(_) if ages.is_empty() => Some(Due::Never),
        CheckPolicy::Weeks(w) => (last > w).then_some(Due::Old(last)),
        CheckPolicy::OnSuspicion => None,
    }
}
