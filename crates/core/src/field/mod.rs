//! In the field: which file is which station, what to do next, what of the journal stands, what is missing before the site
//! is left, and what heights and receivers say.

mod height;
mod journal;
mod leave;
mod next;
mod occupation;
mod propose;

pub use height::{HeightRemark, Tape, look_at_height, upright};
pub use journal::{Link, standing};
pub use leave::{Missing, OFTEN, Visit, leave};
pub use next::{Because, Next, Stop, Way, next};
pub use occupation::{Epoch, FEWEST, OccupationError, Occupied, Repeat, occupied, repeated};
pub use propose::{Proposal, propose};
