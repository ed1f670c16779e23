//! Days on site: what happens when, in which order, on which battery, and what no longer fits.
//!
//! A [`Problem`] says what there is to do and with what; an [`Order`] which scanner takes which stop when.
//! [`timetable`] makes every step of it, within all rules; [`best_order`] looks for an order with little carrying;
//! [`ready`] says when what was scanned is tied, copied and worked through; [`breaks_first`] what can take how
//! much longer before something falls out of the day.

mod order;
mod problem;
mod queue;
mod simulate;
mod slack;
mod swaps;
mod timetable;

pub use order::{Fixed, best_order, carried, untied};
pub use problem::{Break, Clock, Errand, Order, Pace, Problem, Shift, Span, Stop, Unit};
pub use queue::{Machines, Ready, ready};
pub use simulate::{standing_at, timetable};
pub use slack::{Give, Part, breaks_first};
pub use swaps::{Stretch, swaps};
pub use timetable::{PersonState, Standing, Start, Step, Timetable, UnitState, Why, Work};
