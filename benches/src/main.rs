//! Benchmarks that print what they measured: `scripts/bench NAME …`. One program, so that the server is linked to once.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic, dead_code, unreachable_pub)]

mod api;
mod checks;
mod clouds;
mod field;
mod formats;
mod ground;
mod optimum;
mod order;
mod passes;
mod plan;
mod register;
mod solver;
mod ties;

fn main() {
    match std::env::args().nth(1).as_deref() {
        Some("api") => api::main(),
        Some("checks") => checks::main(),
        Some("clouds") => clouds::main(),
        Some("field") => field::main(),
        Some("formats") => formats::main(),
        Some("ground") => ground::main(),
        Some("optimum") => optimum::main(),
        Some("order") => order::main(),
        Some("passes") => passes::main(),
        Some("plan") => plan::main(),
        Some("register") => register::main(),
        Some("solver") => solver::main(),
        Some("ties") => ties::main(),
        other => {
            eprintln!(
                "which? {other:?} is none of: api checks clouds field formats ground optimum order passes plan register solver ties"
            );
            std::process::exit(2);
        }
    }
}
