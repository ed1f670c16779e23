use crate::{ApiError, App};
use argon2::Argon2;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString, rand_core::OsRng};
use axum::http::request::Parts;
use axum::http::{Method, header};
use vistazo_store::people::{self, User};

/// Name of the session cookie.
pub const COOKIE: &str = "vistazo_session";
/// Header that the page sends with every change. Another site's page cannot set it, and the
/// cookie is not sent along with another site's requests anyway.
pub const CSRF_HEADER: &str = "x-vistazo";
const MOST_FAILURES: i64 = 8;

/// Hash of a password for storing (argon2id, default cost).
///
/// # Errors
/// When hashing fails.
pub fn hash_password(password: &str) -> Result<String, ApiError> {
    let salt = SaltString::generate(&mut OsRng);
    Argon2::default()
        .hash_password(password.as_bytes(), &salt)
        .map(|h| h.to_string())
        .map_err(|e| ApiError::bad(format!("the password cannot be used: {e}")))
}

/// Checks a password and starts a session; returns the user and the cookie's secret.
///
/// # Errors
/// 401 for a wrong address or password (not told apart), 429 after eight failures in a quarter of
/// an hour.
pub async fn sign_in(app: &App, email: &str, password: &str) -> Result<(User, String), ApiError> {
    if people::recent_failures(&app.db, email).await? >= MOST_FAILURES {
        return Err(ApiError::too_many("too many failed sign-ins for this address; please wait a quarter of an hour"));
    }
    let user = people::user_by_email(&app.db, email).await?;
    // hash even when there is no such user, so that the time does not tell
    let stored = user.as_ref().map_or_else(|| DUMMY.to_owned(), |u| u.password_hash.clone());
    let given = password.to_owned();
    let good = tokio::task::spawn_blocking(move || {
        PasswordHash::new(&stored).is_ok_and(|h| Argon2::default().verify_password(given.as_bytes(), &h).is_ok())
    })
    .await
    .unwrap_or(false);
    match user {
        Some(user) if good => {
            people::clear_failures(&app.db, email).await?;
            let secret = people::start_session(&app.db, user.id).await?;
            Ok((user, secret))
        }
        _ => {
            people::note_failure(&app.db, email).await?;
            Err(ApiError::sign_in("the address or the password is not right"))
        }
    }
}

/// A real hash of nothing in particular.
const DUMMY: &str = "$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$Hs3TjJg1sFmnyTrBiZYx2RBjUNzxNMOhtGeSw1V2Ts0";

/// The user behind a request: by token, or by session cookie. A change made with the cookie must
/// carry [`CSRF_HEADER`].
pub(super) async fn user(parts: &Parts, app: &App) -> Result<User, ApiError> {
    let headers = &parts.headers;
    if let Some(bearer) = headers.get(header::AUTHORIZATION).and_then(|v| v.to_str().ok()) {
        let secret = bearer
            .strip_prefix("Bearer ")
            .ok_or_else(|| ApiError::sign_in("expected “Authorization: Bearer <token>”"))?;
        return people::token_user(&app.db, secret)
            .await?
            .ok_or_else(|| ApiError::sign_in("this token is not known; make one under your name in the page"));
    }
    let secret = session_secret(parts).ok_or_else(|| ApiError::sign_in("please sign in"))?;
    if !matches!(parts.method, Method::GET | Method::HEAD) && !headers.contains_key(CSRF_HEADER) {
        return Err(ApiError::forbidden(format!("a change made with a session must carry the header {CSRF_HEADER}")));
    }
    people::session_user(&app.db, &secret)
        .await?
        .ok_or_else(|| ApiError::sign_in("the session has ended, please sign in"))
}

/// The secret in the session cookie.
pub(crate) fn session_secret(parts: &Parts) -> Option<String> {
    let cookies = parts.headers.get(header::COOKIE)?.to_str().ok()?;
    cookies.split(';').find_map(|c| c.trim().strip_prefix(COOKIE)?.strip_prefix('=').map(str::to_owned))
}
