/// What people who work by hand need, by the job's own figures.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ByHand {
    /// Seconds to measure one length by tape, and write it down.
    pub length: f64,
    /// Seconds to bring two scans together by hand.
    pub tie: f64,
}

/// Time that was not spent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Saved {
    /// Lengths that were picked from clouds.
    pub lengths: usize,
    /// Ties that were found without a hand.
    pub ties: usize,
    /// Seconds.
    pub seconds: f64,
}

/// What was saved against tape and against tying by hand. Ties count only where they held, and a length only where it was
/// kept: what nobody used saved nothing.
///
/// ```
/// use vistazo_core::field::{ByHand, saved};
/// assert_eq!(saved(ByHand { length: 120.0, tie: 300.0 }, 4, 3).seconds, 1380.0);
/// ```
pub fn saved(by_hand: ByHand, lengths: usize, ties: usize) -> Saved {
    Saved { lengths, ties, seconds: by_hand.length * lengths as f64 + by_hand.tie * ties as f64 }
}
