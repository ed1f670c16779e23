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
    /// The reasons for the grade, in words with figures; for a sound tie what makes it sound.
    pub reasons: Vec<String>,
}

/// What the grading looks at.
pub struct TieInput<'a> {
    /// Adjusted pose of each scan; `None` when unplaced.
    pub poses: &'a [Option<Pose>],
    /// Active observations: scan, target, centre in the scanner frame, 1σ of its worst axis, and
    /// whether the adjustment's outlier test points at it.
    pub observations: &'a [(usize, usize, Vec3, f64, bool)],
    /// Names of the targets, for the reasons.
    pub target_names: &'a [String],
    /// Pairs whose layout fits in more than one way.
    pub ambiguous: &'a [(usize, usize)],
    /// How a length in metres is written in the reasons.
    pub length: &'a dyn Fn(f64) -> String,
}

/// Grades every pair of scans that shares a target, from count, spread, alignment, ambiguity and
/// misfit together; never from the mean figure alone.
pub fn grade_ties(input: &TieInput) -> Vec<Tie> {
    let n = input.poses.len();
    let mut ties = Vec::new();
    for i in 0..n {
        for j in i + 1..n {
            let (Some(pi), Some(pj)) = (input.poses[i], input.poses[j]) else { continue };
            let mut shared = Vec::new();
            let mut gaps = Vec::new();
            let mut places = Vec::new();
            let mut suspects = Vec::new();
            let mut misfit = false;
            for a in input.observations.iter().filter(|o| o.0 == i) {
                for b in input.observations.iter().filter(|o| o.0 == j && o.1 == a.1) {
                    let (x, y) = (pi.apply(&a.2), pj.apply(&b.2));
                    let gap = (x - y).norm();
                    shared.push(a.1);
                    places.push(x);
                    misfit |= gap > 5.0 * a.3.hypot(b.3);
                    if a.4 || b.4 {
                        suspects.push(input.target_names[a.1].clone());
                    }
                    gaps.push(gap);
                }
            }
            if shared.is_empty() {
                continue;
            }
            let (spread, breadth) = shape(&places);
            let rms = (gaps.iter().map(|g| g * g).sum::<f64>() / gaps.len() as f64).sqrt();
            let worst = gaps.iter().copied().fold(0.0, f64::max);
            let (grade, reasons) = judge(input, (i, j), shared.len(), spread, breadth, misfit, worst, &suspects);
            ties.push(Tie { scans: (i, j), shared, rms, worst, breadth, spread, grade, reasons });
        }
    }
    ties
}

#[allow(clippy::too_many_arguments)]
fn judge(
    input: &TieInput,
    pair: (usize, usize),
    count: usize,
    spread: f64,
    breadth: f64,
    misfit: bool,
    worst: f64,
    suspects: &[String],
) -> (Grade, Vec<String>) {
    let mut reasons = Vec::new();
    if count < 3 {
        return (
            Grade::NotJudged,
            vec![format!(
                "{count} shared target{}: too few to stand alone, supports the block only",
                if count == 1 { "" } else { "s" }
            )],
        );
    }
    let mut grade = Grade::Sound;
    let mut worse = |g: Grade| grade = grade.max(g);
    if misfit {
        worse(if count - suspects.len().min(count) >= 3 { Grade::Doubtful } else { Grade::Failed });
        reasons.push(format!(
            "the two scans put a shared target {} apart, more than their noise explains",
            (input.length)(worst)
        ));
    }
    if !suspects.is_empty() {
        worse(Grade::Doubtful);
        reasons.push(format!("the tests point at {}", suspects.join(", ")));
    }
    if breadth < 0.08 {
        worse(if breadth < 0.02 { Grade::Failed } else { Grade::Doubtful });
        reasons.push(format!(
            "the {count} shared targets lie almost in a line (breadth {:.0} % of length): the tie can turn about it",
            breadth * 100.0
        ));
    }
    if count == 3 {
        worse(Grade::Doubtful);
        reasons.push("3 shared targets: nothing left over to check them with".into());
    }
    if input.ambiguous.contains(&pair) {
        worse(Grade::Doubtful);
        reasons.push("alone, the shared targets would fit in more than one way; the rest of the block decides".into());
    }
    if grade == Grade::Sound {
        reasons.push(format!(
            "{count} shared targets over {}, well spread, largest gap {}",
            (input.length)(spread),
            (input.length)(worst)
        ));
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
