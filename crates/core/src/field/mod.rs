//! In the field: which file is which station, what to do next, what of the journal stands, what is missing before the site
//! is left, and what heights, receivers, total stations and cameras say.

mod camera;
mod fine;
mod height;
mod journal;
mod leave;
mod next;
mod occupation;
mod over_mark;
mod polar;
mod propose;
mod saved;
mod set_up_doubts;

pub use camera::{COLOURS_FIT, Camera, CameraDoubt, PhotographCost, Room, camera_doubts, photograph_cost};
pub use fine::{FEWEST_FINE, FineError, FinePoint, WindowPoint, fine_point};
pub use height::{HeightRemark, Tape, look_at_height, upright};
pub use journal::{Link, standing};
pub use leave::{Missing, OFTEN, Visit, leave};
pub use next::{Because, Next, Stop, Way, next};
pub use occupation::{Epoch, FEWEST, OccupationError, Occupied, Repeat, SOON, occupied, repeated};
pub use over_mark::{MarkRemark, over_mark};
pub use polar::{Accuracy, Known, PolarPoint, Reading, SetUp, SetUpError, SightLeft, Stand, polar_point, set_up};
pub use propose::{Proposal, propose};
pub use saved::{ByHand, Saved, saved};
pub use set_up_doubts::SetUpRemark;
