use crate::geometry::{Pose, Vec3};

/// Grade of a tie.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Grade {
    /// Nothing speaks against it.
    Sound,
    /// Not enough was there to judge.
    NotJudged,
    /// Usable, with a stated weakness.
    Doubtful,
    /// Must not be relied on.
    Failed,
}

/// A tie: what two scans have in common.
#[derive(Clone, Debug)]
pub struct Tie {
    /// The two scans, the lower index first.
    pub scans: (usize, usize),
    /// Targets both scans see.
    pub shared: Vec<usize>,
    /// Root mean square distance between the two scans' positions of the shared targets, metres.
    pub rms: f64,
    /// Largest such distance, metres.
    pub worst: f64,
    /// Length over breadth of the triangle area: 0 when the targets lie in a line, 1 when they
    /// surround an area as wide as long.
    pub breadth: f64,
    /// Longest distance between two shared targets, metres.
    pub spread: f64,
    /// Grade.
    pub grade: Grade,
    /// The reasons for the grade; for a sound tie what makes it sound.
    pub reasons: Vec<Reason>,
}

/// What a grade rests on.
#[derive(Clone, Debug, PartialEq)]
pub enum Reason {
    /// So few shared targets that they do not stand alone.
    TooFew(usize),
    /// The two scans put a shared target this far apart (metres), more than their noise explains.
    Apart(f64),
    /// The tests point at these targets.
    Suspect(Vec<usize>),
    /// The shared targets lie almost in a line: how many, and breadth over length.
    InLine(usize, f64),
    /// Nothing left over to check three targets with.
    OnlyThree,
    /// Alone, the layout would fit in more than one way.
    AmbiguousAlone,
    /// Well spread: how many, over which distance, largest gap (metres).
    WellSpread(usize, f64, f64),
}

/// An active target observation as the grading looks at it.
#[derive(Clone, Copy, Debug)]
pub struct SharedTarget {
    /// Index of the scan.
    pub scan: usize,
    /// Index of the target.
    pub target: usize,
    /// Centre in the scanner frame, metres.
    pub centre: Vec3,
    /// 1σ of its worst axis, metres.
    pub sigma: f64,
    /// The tests of the adjustment point at it.
    pub suspect: bool,
}

/// What the grading looks at.
pub struct TieInput<'a> {
    /// Adjusted pose of each scan; `None` when unplaced.
    pub poses: &'a [Option<Pose>],
    /// Active observations of targets.
    pub observations: &'a [SharedTarget],
    /// Pairs whose layout fits in more than one way.
    pub ambiguous: &'a [(usize, usize)],
}

/// Grades every pair of scans that shares a target, from count, spread, alignment, ambiguity and
/// misfit together; never from the mean figure alone.
pub fn grade_ties(input: &TieInput) -> Vec<Tie> {
    let n = input.poses.len();
    // by scan and in the order of targets, so that two scans are walked through side by side
    let mut by_scan: Vec<Vec<&SharedTarget>> = vec![Vec::new(); n];
    input.observations.iter().for_each(|o| by_scan[o.scan].push(o));
    for list in &mut by_scan {
        list.sort_by_key(|o| o.target);
    }
    let mut ties = Vec::new();
    for i in 0..n {
        for j in i + 1..n {
            let (Some(pi), Some(pj)) = (input.poses[i], input.poses[j]) else { continue };
            let mut facts = Facts::default();
            let (mut a, mut b) = (by_scan[i].iter().peekable(), by_scan[j].iter().peekable());
            while let (Some(x), Some(y)) = (a.peek(), b.peek()) {
                match x.target.cmp(&y.target) {
                    std::cmp::Ordering::Less => {
                        a.next();
                    }
                    std::cmp::Ordering::Greater => {
                        b.next();
                    }
                    std::cmp::Ordering::Equal => {
                        facts.add(x, y, &pi.apply(&x.centre), &pj.apply(&y.centre));
                        a.next();
                        b.next();
                    }
                }
            }
            if facts.shared.is_empty() {
                continue;
            }
            let (spread, breadth) = shape(&facts.places);
            let rms = (facts.gaps.iter().map(|g| g * g).sum::<f64>() / facts.gaps.len() as f64).sqrt();
            let worst = facts.gaps.iter().copied().fold(0.0, f64::max);
            let ambiguous = input.ambiguous.contains(&(i, j));
            let (grade, reasons) = judge(&facts, ambiguous, spread, breadth, worst);
            ties.push(Tie { scans: (i, j), shared: facts.shared, rms, worst, breadth, spread, grade, reasons });
        }
    }
    ties
}

/// What two scans have in common.
#[derive(Default)]
struct Facts {
    shared: Vec<usize>,
    gaps: Vec<f64>,
    places: Vec<Vec3>,
    suspects: Vec<usize>,
    misfit: bool,
}

impl Facts {
    fn add(&mut self, a: &SharedTarget, b: &SharedTarget, x: &Vec3, y: &Vec3) {
        let gap = (x - y).norm();
        self.shared.push(a.target);
        self.places.push(*x);
        self.misfit |= gap > 5.0 * a.sigma.hypot(b.sigma);
        if a.suspect || b.suspect {
            self.suspects.push(a.target);
        }
        self.gaps.push(gap);
    }
}

fn judge(facts: &Facts, ambiguous: bool, spread: f64, breadth: f64, worst: f64) -> (Grade, Vec<Reason>) {
    let count = facts.shared.len();
    if count < 3 {
        return (Grade::NotJudged, vec![Reason::TooFew(count)]);
    }
    let mut reasons = Vec::new();
    let mut grade = Grade::Sound;
    let mut worse = |g: Grade| grade = grade.max(g);
    if facts.misfit {
        worse(if count - facts.suspects.len().min(count) >= 3 { Grade::Doubtful } else { Grade::Failed });
        reasons.push(Reason::Apart(worst));
    }
    if !facts.suspects.is_empty() {
        worse(Grade::Doubtful);
        reasons.push(Reason::Suspect(facts.suspects.clone()));
    }
    if breadth < 0.08 {
        worse(if breadth < 0.02 { Grade::Failed } else { Grade::Doubtful });
        reasons.push(Reason::InLine(count, breadth));
    }
    if count == 3 {
        worse(Grade::Doubtful);
        reasons.push(Reason::OnlyThree);
    }
    if ambiguous {
        worse(Grade::Doubtful);
        reasons.push(Reason::AmbiguousAlone);
    }
    if grade == Grade::Sound {
        reasons.push(Reason::WellSpread(count, spread, worst));
    }
    (grade, reasons)
}

/// Longest extent, metres, and the ratio of the second to the first principal extent.
fn shape(points: &[Vec3]) -> (f64, f64) {
    let n = points.len() as f64;
    let centre = points.iter().sum::<Vec3>() / n;
    let scatter: crate::geometry::Mat3 = points.iter().map(|p| (p - centre) * (p - centre).transpose()).sum();
    let mut e: Vec<f64> = scatter.symmetric_eigenvalues().iter().map(|v| v.max(0.0).sqrt()).collect();
    e.sort_by(|a, b| b.total_cmp(a));
    let longest = points.iter().flat_map(|p| points.iter().map(move |q| (p - q).norm())).fold(0.0, f64::max);
    (longest, if e[0] > 0.0 { e[1] / e[0] } else { 0.0 })
}
