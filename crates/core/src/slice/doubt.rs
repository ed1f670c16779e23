use crate::geometry::Vec3;

/// Why a slice is worth looking at.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Doubt {
    /// Surfaces of two scans lie twice as a whole.
    Twice,
    /// Surfaces lie apart at a place.
    Apart,
    /// The registration knows least how these two scans lie beside one another.
    Uncertain,
    /// Nothing ties these two to one another: what they share shows what the ties round about them add up to.
    Border,
}

/// What a comparison of two scans says.
#[derive(Clone, Debug, Default)]
pub struct Compared {
    /// How far surfaces lie apart as a whole, where they do, metres.
    pub misfit: Option<f64>,
    /// Median level of detection, metres.
    pub detectable: f64,
    /// Whether a tie or shared targets join them.
    pub tied: bool,
    /// Where surfaces lie apart: place, and how many times what could be told from noise.
    pub apart: Vec<(Vec3, f64)>,
}

/// A slice to be looked at.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Choice {
    /// Why.
    pub why: Doubt,
    /// Which pair.
    pub pair: usize,
    /// Where; none where any place that both show will do.
    pub at: Option<Vec3>,
}

/// Slices of one kind at most.
const EACH: usize = 3;
/// Places nearer to one another than this are seen in one slice, metres.
const SAME: f64 = 1.0;

/// The slices where doubt is greatest, the worst of each kind first; a pair is chosen once for what it is as a whole.
pub fn doubtful(pairs: &[Compared]) -> Vec<Choice> {
    let mut out: Vec<Choice> = Vec::new();
    let ranked = |score: &dyn Fn(&Compared) -> Option<f64>| {
        let mut all: Vec<(f64, usize)> = pairs.iter().enumerate().filter_map(|(k, p)| Some((score(p)?, k))).collect();
        all.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        all.into_iter().map(|a| a.1).collect::<Vec<_>>()
    };
    let whole = |why: Doubt, ranked: Vec<usize>, out: &mut Vec<Choice>| {
        let new: Vec<usize> = ranked.into_iter().filter(|k| !out.iter().any(|c| c.pair == *k)).take(EACH).collect();
        out.extend(new.into_iter().map(|pair| Choice { why, pair, at: None }));
    };
    whole(Doubt::Twice, ranked(&|p| p.misfit), &mut out);
    let mut places: Vec<(f64, usize, Vec3)> = Vec::new();
    for (k, p) in pairs.iter().enumerate() {
        places.extend(p.apart.iter().map(|(at, times)| (*times, k, *at)));
    }
    places.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut chosen: Vec<Choice> = Vec::new();
    for (_, pair, at) in places {
        if chosen.len() < EACH && chosen.iter().all(|c| c.at.is_none_or(|o| (o - at).norm() > SAME)) {
            chosen.push(Choice { why: Doubt::Apart, pair, at: Some(at) });
        }
    }
    whole(Doubt::Border, ranked(&|p| (!p.tied).then_some(p.detectable)), &mut out);
    whole(Doubt::Uncertain, ranked(&|p| Some(p.detectable)), &mut out);
    out.extend(chosen);
    out.sort_by_key(|c| c.why);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_has_its_worst() {
        let pair = |detectable: f64, tied: bool| Compared { detectable, tied, ..Compared::default() };
        let mut pairs = vec![pair(0.002, true), pair(0.004, true), pair(0.003, false), pair(0.009, false)];
        pairs[0].misfit = Some(0.02);
        pairs[1].apart = vec![(Vec3::zeros(), 3.0), (Vec3::new(0.2, 0.0, 0.0), 5.0), (Vec3::new(4.0, 0.0, 0.0), 2.5)];
        let of = |c: &Choice| (c.why, c.pair);
        let chosen = doubtful(&pairs);
        let expected = [
            (Doubt::Twice, 0),
            (Doubt::Apart, 1),
            (Doubt::Apart, 1),
            (Doubt::Uncertain, 1),
            (Doubt::Border, 3),
            (Doubt::Border, 2),
        ];
        assert_eq!(chosen.iter().map(of).collect::<Vec<_>>(), expected);
        assert_eq!(chosen[1].at, Some(Vec3::new(0.2, 0.0, 0.0)), "the worse of two places beside one another");
        assert!(doubtful(&[]).is_empty());
    }
}
