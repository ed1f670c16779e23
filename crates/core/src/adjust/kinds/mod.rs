//! The kinds of observations, one file each. A new one is a file, a row in the list below, its words
//! and its column in the view.

mod backsight;
mod cloud_tie;
mod distance;
mod held;
mod known_point;
mod level;
mod occupied_mark;
mod systematic_prior;
mod target_centre;
mod tracked_pose;

pub use backsight::Backsight;
pub use cloud_tie::CloudTie;
pub(crate) use cloud_tie::by_poses;
pub use distance::Distance;
pub use held::Held;
pub use known_point::KnownPoint;
pub use level::Level;
pub use occupied_mark::OccupiedMark;
pub use systematic_prior::SystematicPrior;
pub use target_centre::TargetCentre;
pub use tracked_pose::TrackedPose;

macro_rules! kinds {
    ($($name:ident),* $(,)?) => {
        /// What was measured.
        #[derive(Clone, Debug)]
        #[allow(missing_docs)] // each is documented where it is defined
        pub enum Kind { $($name($name)),* }

        impl Kind {
            /// As what every kind can do.
            pub fn measurement(&self) -> &(dyn super::Measurement + 'static) {
                match self { $(Self::$name(o) => o),* }
            }
            /// The same, to be changed.
            pub fn measurement_mut(&mut self) -> &mut (dyn super::Measurement + 'static) {
                match self { $(Self::$name(o) => o),* }
            }
            /// Name of the kind, for records.
            pub fn name(&self) -> &'static str {
                match self { $(Self::$name(_) => stringify!($name)),* }
            }
        }

        $(impl From<$name> for Kind {
            fn from(o: $name) -> Self { Self::$name(o) }
        })*
    };
}

kinds!(
    TargetCentre,
    CloudTie,
    Level,
    OccupiedMark,
    Backsight,
    TrackedPose,
    Held,
    KnownPoint,
    Distance,
    SystematicPrior
);
