//! Who is asking, and what they may do. Handlers name the permission they need in their
//! arguments; without it they are not reached.

mod access;
mod identity;

pub use access::{Access, Check, Deliver, Edit, Look, Manage, Permission, Read, SignedIn, Vouch};
pub(crate) use identity::session_secret;
pub use identity::{COOKIE, CSRF_HEADER, hash_password, sign_in};
