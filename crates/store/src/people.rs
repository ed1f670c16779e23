//! Users, sessions, tokens, and the brake on guessing passwords.

use crate::{PgPool, Result, StoreError, new_id};
use chrono::{DateTime, Utc};
use sha2::{Digest, Sha256};
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct User {
    pub id: Uuid,
    pub email: String,
    pub name: String,
    #[serde(skip)]
    pub password_hash: String,
}

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct Token {
    pub id: Uuid,
    pub name: String,
    pub created_at: DateTime<Utc>,
    pub last_used_at: Option<DateTime<Utc>>,
}

/// Secrets are looked up by their hash, so that a copy of the database opens nothing.
fn hash(secret: &str) -> Vec<u8> {
    Sha256::digest(secret.as_bytes()).to_vec()
}

fn secret() -> String {
    crate::objects::hex(&rand::random::<[u8; 32]>())
}

pub async fn add_user(db: &PgPool, email: &str, name: &str, password_hash: &str) -> Result<User> {
    let email = email.trim().to_lowercase();
    sqlx::query_as("insert into users (id, email, name, password_hash) values ($1, $2, $3, $4) returning *")
        .bind(new_id())
        .bind(&email)
        .bind(name)
        .bind(password_hash)
        .fetch_one(db)
        .await
        .map_err(crate::unique(&email))
}

pub async fn user_by_email(db: &PgPool, email: &str) -> Result<Option<User>> {
    Ok(sqlx::query_as("select * from users where email = $1")
        .bind(email.trim().to_lowercase())
        .fetch_optional(db)
        .await?)
}

pub async fn user_count(db: &PgPool) -> Result<i64> {
    Ok(sqlx::query_scalar("select count(*) from users").fetch_one(db).await?)
}

/// Failures of one address in the last quarter of an hour. Kept in the database, so that several
/// servers brake together.
pub async fn recent_failures(db: &PgPool, email: &str) -> Result<i64> {
    Ok(sqlx::query_scalar(
        "select count(*) from sign_in_failures where email = $1 and at > now() - interval '15 minutes'",
    )
    .bind(email.trim().to_lowercase())
    .fetch_one(db)
    .await?)
}

pub async fn note_failure(db: &PgPool, email: &str) -> Result<()> {
    sqlx::query("insert into sign_in_failures (email) values ($1)")
        .bind(email.trim().to_lowercase())
        .execute(db)
        .await?;
    sqlx::query("delete from sign_in_failures where at < now() - interval '1 day'").execute(db).await?;
    Ok(())
}

pub async fn clear_failures(db: &PgPool, email: &str) -> Result<()> {
    sqlx::query("delete from sign_in_failures where email = $1").bind(email.trim().to_lowercase()).execute(db).await?;
    Ok(())
}

/// Starts a session of twelve hours; returns the secret for the cookie.
pub async fn start_session(db: &PgPool, user: Uuid) -> Result<String> {
    let secret = secret();
    sqlx::query("insert into sessions (token_hash, user_id, expires_at) values ($1, $2, now() + interval '12 hours')")
        .bind(hash(&secret))
        .bind(user)
        .execute(db)
        .await?;
    sqlx::query("delete from sessions where expires_at < now()").execute(db).await?;
    Ok(secret)
}

pub async fn session_user(db: &PgPool, secret: &str) -> Result<Option<User>> {
    Ok(sqlx::query_as(
        "select u.* from sessions s join users u on u.id = s.user_id where s.token_hash = $1 and s.expires_at > now()",
    )
    .bind(hash(secret))
    .fetch_optional(db)
    .await?)
}

pub async fn end_session(db: &PgPool, secret: &str) -> Result<()> {
    sqlx::query("delete from sessions where token_hash = $1").bind(hash(secret)).execute(db).await?;
    Ok(())
}

/// Makes a token; the secret is returned once and never stored.
pub async fn add_token(db: &PgPool, user: Uuid, name: &str) -> Result<(Token, String)> {
    let secret = format!("vz_{}", secret());
    let token =
        sqlx::query_as("insert into tokens (id, user_id, name, token_hash) values ($1, $2, $3, $4) returning *")
            .bind(new_id())
            .bind(user)
            .bind(name)
            .bind(hash(&secret))
            .fetch_one(db)
            .await?;
    Ok((token, secret))
}

pub async fn tokens(db: &PgPool, user: Uuid) -> Result<Vec<Token>> {
    Ok(sqlx::query_as("select * from tokens where user_id = $1 order by created_at").bind(user).fetch_all(db).await?)
}

pub async fn remove_token(db: &PgPool, user: Uuid, id: Uuid) -> Result<()> {
    let n = sqlx::query("delete from tokens where id = $1 and user_id = $2")
        .bind(id)
        .bind(user)
        .execute(db)
        .await?
        .rows_affected();
    if n == 0 { Err(StoreError::NotFound) } else { Ok(()) }
}

pub async fn token_user(db: &PgPool, secret: &str) -> Result<Option<User>> {
    Ok(sqlx::query_as(
        "with t as (update tokens set last_used_at = now() where token_hash = $1 returning user_id) select u.* from t join users u on u.id = t.user_id",
    )
    .bind(hash(secret))
    .fetch_optional(db)
    .await?)
}
