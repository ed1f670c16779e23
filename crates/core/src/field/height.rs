/// How the height of an instrument over its mark was measured.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Tape {
    /// Upright, from the mark to the axis.
    Vertical,
    /// Slanting, from the mark to a rim this far from the plumb line and so far below the axis, metres.
    Slope {
        /// From the plumb line to the rim.
        radius: f64,
        /// From the rim up to the axis.
        below: f64,
    },
}

/// What a height of an instrument draws attention to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum HeightRemark {
    /// A point is occupied, and nobody measured how high above it.
    Forgotten,
    /// No tripod stands so low or so high: a slip of the tape, or another unit.
    Unusual,
    /// Another height was noted at this station, by so much, metres: the tripod was touched, or one of the two is a slip.
    Changed(f64),
    /// Exactly that of the station before: tripods are hardly ever set up twice alike.
    Repeated,
}

/// Heights that tripods have, metres.
const USUAL: [f64; 2] = [0.3, 2.6];
/// Readings of a tape differ by so much, metres.
const READS: f64 = 0.003;

/// The height over the mark along the plumb line, metres; `None` when the tape is shorter than the way out to the rim.
///
/// ```
/// use vistazo_core::field::{Tape, upright};
/// let slope = Tape::Slope { radius: 0.16, below: 0.04 };
/// assert!((upright(1.70, slope).unwrap() - 1.7325).abs() < 1e-4);
/// assert_eq!(upright(0.10, slope), None);
/// assert_eq!(upright(1.70, Tape::Vertical), Some(1.70));
/// ```
pub fn upright(read: f64, how: Tape) -> Option<f64> {
    match how {
        Tape::Vertical => Some(read),
        Tape::Slope { radius, below } => (read > radius).then(|| (read * read - radius * radius).sqrt() + below),
    }
}

/// What a height (metres) draws attention to, beside the other ones noted at this station and that of the station before.
pub fn look_at_height(height: f64, here: &[f64], before: Option<f64>) -> Vec<HeightRemark> {
    let mut out = Vec::new();
    if !(USUAL[0]..=USUAL[1]).contains(&height) {
        out.push(HeightRemark::Unusual);
    }
    let off = here.iter().map(|h| height - h).max_by(|a, b| a.abs().total_cmp(&b.abs()));
    if let Some(off) = off.filter(|o| o.abs() > READS) {
        out.push(HeightRemark::Changed(off));
    }
    if before.is_some_and(|b| (b - height).abs() < 1e-4) {
        out.push(HeightRemark::Repeated);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slips_of_the_tape_are_asked_about() {
        assert!(look_at_height(1.652, &[1.651], Some(1.604)).is_empty());
        // feet read as metres
        assert_eq!(look_at_height(5.42, &[], None), [HeightRemark::Unusual]);
        let off = match look_at_height(1.752, &[1.652], Some(1.5))[..] {
            [HeightRemark::Changed(off)] => off,
            _ => f64::NAN,
        };
        assert!((off - 0.1).abs() < 1e-12);
        assert_eq!(look_at_height(1.65, &[], Some(1.65)), [HeightRemark::Repeated]);
    }
}
