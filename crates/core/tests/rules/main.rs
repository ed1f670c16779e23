//! The rules and the mathematics against published examples, exact answers, other programs' numbers and chance.
#![allow(
    clippy::expect_used,
    clippy::needless_range_loop,
    clippy::panic,
    clippy::unwrap_used,
    dead_code,
    missing_docs,
    unreachable_pub
)]

mod accused;
mod cloud;
mod day;
mod gain_and_loss;
mod georef;
mod golden;
mod groups;
mod half_way;
mod held;
mod invariance;
mod kinds;
mod network;
mod occupations;
mod order;
mod own_station;
mod planning;
mod registration;
mod rooms;
mod set_ups;
mod shapes;
mod shown;
mod sites;
mod survey;
mod systematic;
mod timetable;
mod walks;
