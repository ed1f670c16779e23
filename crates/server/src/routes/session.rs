//! Signing in and out, and tokens for scripts.

use super::sent::Sent;
use crate::auth::{self, COOKIE, SignedIn};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{AppendHeaders, IntoResponse};
use uuid::Uuid;
use vistazo_store::people::{self, Token, User};

/// An address and a password.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct SignIn {
    email: String,
    password: String,
}

/// A name for a token.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct NewToken {
    name: String,
}

/// A new token: the secret is shown this once.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct TokenSecret {
    token: Token,
    secret: String,
}

/// Sign in; sets the session cookie.
#[utoipa::path(post, path = "/api/session", tag = "session", request_body = SignIn, responses((status = 200, body = User), (status = 401, body = crate::error::ErrorBody)))]
pub async fn sign_in(State(app): State<App>, Sent(form): Sent<SignIn>) -> Result<impl IntoResponse, ApiError> {
    let (user, secret) = auth::sign_in(&app, &form.email, &form.password).await?;
    let secure = if app.settings.secure_cookies { "; Secure" } else { "" };
    Ok((
        AppendHeaders([(
            header::SET_COOKIE,
            format!("{COOKIE}={secret}; Path=/; HttpOnly; SameSite=Strict; Max-Age=43200{secure}"),
        )]),
        Json(user),
    ))
}

/// Who is signed in.
#[utoipa::path(get, path = "/api/me", tag = "session", responses((status = 200, body = User)))]
pub async fn me(SignedIn(user): SignedIn) -> Json<User> {
    Json(user)
}

/// Sign out.
#[utoipa::path(delete, path = "/api/me", tag = "session", responses((status = 204)))]
pub async fn sign_out(
    State(app): State<App>,
    SignedIn(_user): SignedIn,
    request: axum::extract::Request,
) -> Result<impl IntoResponse, ApiError> {
    let (parts, _) = request.into_parts();
    if let Some(secret) = auth::session_secret(&parts) {
        people::end_session(&app.db, &secret).await?;
    }
    Ok((
        StatusCode::NO_CONTENT,
        AppendHeaders([(header::SET_COOKIE, format!("{COOKIE}=; Path=/; HttpOnly; SameSite=Strict; Max-Age=0"))]),
    ))
}

/// Tokens of the user.
#[utoipa::path(get, path = "/api/tokens", tag = "session", responses((status = 200, body = [Token])))]
pub async fn tokens(State(app): State<App>, SignedIn(user): SignedIn) -> Result<Json<Vec<Token>>, ApiError> {
    Ok(Json(people::tokens(&app.db, user.id).await?))
}

/// Make a token.
#[utoipa::path(post, path = "/api/tokens", tag = "session", request_body = NewToken, responses((status = 200, body = TokenSecret)))]
pub async fn add_token(
    State(app): State<App>,
    SignedIn(user): SignedIn,
    Sent(new): Sent<NewToken>,
) -> Result<Json<TokenSecret>, ApiError> {
    if new.name.trim().is_empty() {
        return Err(ApiError::field("name", "expected a name that says what the token is for"));
    }
    let (token, secret) = people::add_token(&app.db, user.id, new.name.trim()).await?;
    Ok(Json(TokenSecret { token, secret }))
}

/// Withdraw a token.
#[utoipa::path(delete, path = "/api/tokens/{id}", tag = "session", params(("id" = Uuid, Path)), responses((status = 204)))]
pub async fn remove_token(
    State(app): State<App>,
    SignedIn(user): SignedIn,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, ApiError> {
    people::remove_token(&app.db, user.id, id).await?;
    Ok(StatusCode::NO_CONTENT)
}
