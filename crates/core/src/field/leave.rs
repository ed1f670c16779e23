/// What is known of a site before it is left.
#[derive(Clone, Debug, Default)]
pub struct Visit {
    /// Planned stations that were not taken, by name.
    pub not_taken: Vec<String>,
    /// Planned targets: name, how many stations taken show it, how many were to show it.
    pub targets: Vec<(String, usize, usize)>,
    /// Required surfaces: name, share of the area that the stations taken show well enough.
    pub surfaces: Vec<(String, f64)>,
    /// Groups of scans that nothing ties to one another, each by name; one when all hang together.
    pub parts: Vec<Vec<String>>,
    /// Ties that are doubtful, with the two scans.
    pub doubtful: Vec<(String, String)>,
    /// Targets that were noted as moved or knocked.
    pub touched: Vec<String>,
    /// Control points that were to be measured here and were not, by name.
    pub control: Vec<String>,
    /// Items of the checklist that are open, by key.
    pub open: Vec<String>,
    /// Subjects of which two versions stand.
    pub contradictions: usize,
}

/// Something that is missing before the site is left.
#[derive(Clone, Debug, PartialEq)]
pub enum Missing {
    /// The scans hang together in so many parts only; the smallest part, by name.
    Apart(usize, Vec<String>),
    /// Stations that were not taken.
    Stations(Vec<String>),
    /// A required surface: the share that is shown.
    Surface(String, f64),
    /// Targets that fewer than [`OFTEN`] stations show: name and count. Two that agree do not say which one is wrong.
    SeenSeldom(Vec<(String, usize)>),
    /// Ties that are doubtful.
    Doubtful(Vec<(String, String)>),
    /// Targets that were moved or knocked.
    Touched(Vec<String>),
    /// Control that was not measured.
    Control(Vec<String>),
    /// Entries of which two versions stand.
    Contradictions(usize),
    /// Items of the checklist.
    Open(Vec<String>),
}

/// A target is checked by a third station that shows it.
pub const OFTEN: usize = 3;
/// A required surface may miss this share: what stands before it.
const SHOWN: f64 = 0.95;

/// What is missing before a site is left, what costs most to come back for first.
///
/// ```
/// use vistazo_core::field::{Missing, Visit, leave};
/// let visit = Visit { not_taken: vec!["S4".into()], ..Visit::default() };
/// assert_eq!(leave(&visit), [Missing::Stations(vec!["S4".into()])]);
/// assert!(leave(&Visit::default()).is_empty());
/// ```
pub fn leave(visit: &Visit) -> Vec<Missing> {
    let mut out = Vec::new();
    if visit.parts.len() > 1 {
        let smallest = visit.parts.iter().min_by_key(|p| p.len()).cloned().unwrap_or_default();
        out.push(Missing::Apart(visit.parts.len(), smallest));
    }
    fn some(list: &[String], make: fn(Vec<String>) -> Missing) -> Option<Missing> {
        (!list.is_empty()).then(|| make(list.to_vec()))
    }
    out.extend(some(&visit.not_taken, Missing::Stations));
    let bare = visit.surfaces.iter().filter(|s| s.1 < SHOWN);
    out.extend(bare.map(|(name, share)| Missing::Surface(name.clone(), *share)));
    // one that nobody planned to see three times is not asked for
    let seldom: Vec<(String, usize)> = visit
        .targets
        .iter()
        .filter(|(_, seen, planned)| *seen < OFTEN.min(*planned))
        .map(|(name, seen, _)| (name.clone(), *seen))
        .collect();
    if !seldom.is_empty() {
        out.push(Missing::SeenSeldom(seldom));
    }
    if !visit.doubtful.is_empty() {
        out.push(Missing::Doubtful(visit.doubtful.clone()));
    }
    out.extend(some(&visit.touched, Missing::Touched));
    out.extend(some(&visit.control, Missing::Control));
    if visit.contradictions > 0 {
        out.push(Missing::Contradictions(visit.contradictions));
    }
    out.extend(some(&visit.open, Missing::Open));
    out
}
