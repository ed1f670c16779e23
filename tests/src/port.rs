use std::sync::atomic::{AtomicU32, Ordering};

/// A port of this machine that nobody listens at, each time another one.
///
/// Not one of those the system gives out by itself (32768 and up): between asking for such a one and listening at
/// it, any connection of a test that runs beside could be given the same.
#[must_use]
pub fn free() -> u16 {
    static TAKEN: AtomicU32 = AtomicU32::new(0);
    loop {
        // other programs of tests begin elsewhere
        let n = std::process::id().wrapping_mul(97).wrapping_add(TAKEN.fetch_add(1, Ordering::Relaxed));
        let port = 10_000 + u16::try_from(n % 20_000).unwrap();
        if std::net::TcpListener::bind(("127.0.0.1", port)).is_ok() {
            return port;
        }
    }
}
