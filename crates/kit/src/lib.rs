//! Simulated instruments behind an open protocol (docs/device-protocol.md): a scanner, a receiver, a total station and a
//! mobile unit for each site, on simulated time. What stands behind the protocol here is a stand-in; a bridge to real instruments would answer the same.
//!
//! The protocol is HTTP and JSON: the state of every device, commands that can be repeated without doing twice, and events
//! over a WebSocket with numbers that tell what was missed. Nothing here knows of jobs, plans or results.
//!
//! ```
//! use vistazo_kit::{Command, Fleet, Word};
//! let mut fleet = Fleet::new(7, 60.0);
//! fleet.command("scanner", 1, &Command::PowerOn).unwrap();
//! fleet.command("scanner", 2, &Command::Level).unwrap();
//! fleet.advance(600.0);
//! assert_eq!(fleet.device("scanner").unwrap().state, Word::Ready);
//! ```

mod fleet;
mod mobile;
mod receiver;
mod scanner;
mod serve;
mod state;
mod total_station;

pub use fleet::Fleet;
pub use serve::{serve, serve_on};
pub use state::{Command, DeviceState, Event, Fault, Kind, Refused, Shot, Word};
