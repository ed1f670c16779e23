use crate::geometry::{Pose, Vec3};
use crate::slice::Cut;
use nalgebra::Vector2;

/// What somebody chose to take out, as one scan has it in its own frame.
#[derive(Clone, Debug, PartialEq)]
pub enum Chosen {
    /// A box: from the frame of the scan to its own, and half its extents, metres.
    Box(Pose, Vec3),
    /// What lies inside (or outside) an outline drawn in a slice, within its thickness; its size counts for nothing.
    Outline {
        /// The slab.
        cut: Cut,
        /// Corners, right and up from its middle, metres.
        line: Vec<[f64; 2]>,
        /// What lies outside the outline instead.
        outside: bool,
    },
    /// What lies behind a slice, from who looks at it: what it shows stays.
    Behind(Cut),
    /// Ranges and intensities outside these, metres and shares of the brightest.
    Gate {
        /// Nearest and farthest range.
        range: [f64; 2],
        /// Faintest and brightest.
        intensity: [f64; 2],
    },
}

impl Chosen {
    /// Whether a point of the scan is chosen: in its frame, metres, with its intensity, 0..1.
    ///
    /// ```
    /// use vistazo_core::clean::Chosen;
    /// use vistazo_core::geometry::Vec3;
    /// let gate = Chosen::Gate { range: [0.6, 50.0], intensity: [0.02, 1.0] };
    /// assert!(gate.has(&Vec3::new(0.3, 0.0, 0.0), 0.5) && !gate.has(&Vec3::new(3.0, 0.0, 0.0), 0.5));
    /// ```
    pub fn has(&self, p: &Vec3, intensity: f64) -> bool {
        match self {
            Self::Box(to, half) => to.apply(p).abs().iter().zip(half.iter()).all(|(v, h)| v <= h),
            Self::Outline { cut, line, outside } => {
                let off = p - cut.at;
                let within = cut.normal().dot(&off).abs() <= cut.thickness / 2.0;
                within && inside(line, [cut.across.dot(&off), cut.up.dot(&off)]) != *outside
            }
            Self::Behind(cut) => cut.normal().dot(&(p - cut.at)) < -cut.thickness / 2.0,
            Self::Gate { range, intensity: shown } => {
                let r = p.norm();
                r < range[0] || r > range[1] || intensity < shown[0] || intensity > shown[1]
            }
        }
    }
}

/// Whether a place lies inside a closed line, by how often a ray from it crosses that.
fn inside(line: &[[f64; 2]], at: [f64; 2]) -> bool {
    let at = Vector2::from(at);
    let mut odd = false;
    for (k, a) in line.iter().enumerate() {
        let (a, b) = (Vector2::from(*a), Vector2::from(line[(k + 1) % line.len()]));
        if (a.y > at.y) != (b.y > at.y) && at.x < a.x + (at.y - a.y) / (b.y - a.y) * (b.x - a.x) {
            odd = !odd;
        }
    }
    odd
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn level() -> Cut {
        Cut::new(Vec3::new(1.0, 2.0, 3.0), 90.0_f64.to_radians(), 0.0, [1.0, 1.0], 0.2)
    }

    #[test]
    fn an_outline_takes_what_lies_in_it_and_in_the_slab() {
        // an L: its inner corner is not inside
        let line = vec![[0.0, 0.0], [2.0, 0.0], [2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [0.0, 2.0]];
        let of = |outside: bool| Chosen::Outline { cut: level(), line: line.clone(), outside };
        let at = |u: f64, v: f64, w: f64| Vec3::new(1.0 + u, 2.0 + v, 3.0 + w);
        for (p, is_inside) in [(at(0.5, 1.5, 0.0), true), (at(1.5, 0.5, 0.09), true), (at(1.5, 1.5, 0.0), false)] {
            assert_eq!(of(false).has(&p, 0.5), is_inside, "{p}");
            assert_eq!(of(true).has(&p, 0.5), !is_inside, "{p}");
        }
        assert!(!of(false).has(&at(0.5, 0.5, 0.11), 0.5) && !of(true).has(&at(1.5, 1.5, 0.11), 0.5), "above the slab");
        assert!(
            Chosen::Behind(level()).has(&at(9.0, 9.0, -0.11), 0.5)
                && !Chosen::Behind(level()).has(&at(0.0, 0.0, -0.09), 0.5)
        );
    }

    proptest! {
        /// Another pose of the scan chooses the same points.
        #[test]
        fn a_scan_chooses_the_same_from_wherever_it_stands(
            p in prop::array::uniform3(-3.0..3.0),
            t in prop::array::uniform3(-5.0..5.0),
            yaw in -3.0..3.0,
        ) {
            let (p, pose) = (Vec3::from(p), Pose::levelled(yaw, Vec3::from(t)));
            let line = vec![[-1.0, -1.0], [1.5, -0.5], [0.5, 2.0]];
            let cut = Cut { thickness: 3.0, ..level() };
            let here = Chosen::Outline { cut, line: line.clone(), outside: false };
            let there = Chosen::Outline { cut: cut.seen_by(&pose), line, outside: false };
            prop_assert_eq!(here.has(&p, 0.5), there.has(&pose.inverse().apply(&p), 0.5));
        }
    }
}
