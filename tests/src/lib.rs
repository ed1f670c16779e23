//! End-to-end tests: a real server, a real database, a real browser.
