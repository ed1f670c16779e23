//! What the end-to-end tests share: a real server on a database of its own, a person signed in
//! over HTTP, a real browser.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, missing_docs)]

pub mod browser;
pub mod cluster;
mod database;
pub mod described;
pub mod job;
pub mod port;
pub mod s3;
pub mod server;

pub use database::Database;
pub use server::{Client, Server};
