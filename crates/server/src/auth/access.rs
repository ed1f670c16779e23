use super::identity;
use crate::{ApiError, App};
use axum::extract::{FromRequestParts, RawPathParams};
use axum::http::request::Parts;
use std::marker::PhantomData;
use uuid::Uuid;
use vistazo_store::jobs::{self, Role};
use vistazo_store::people::User;

/// Anybody who is signed in.
pub struct SignedIn(pub User);

impl FromRequestParts<App> for SignedIn {
    type Rejection = ApiError;
    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        identity::user(parts, app).await.map(Self)
    }
}

/// A right in a job.
pub trait Permission: Send + Sync {
    /// What it is called in a refusal.
    const WORDS: &'static str;
    /// Which roles have it.
    fn allows(role: Role) -> bool;
}

macro_rules! permission {
    ($(#[$doc:meta])* $name:ident, $words:literal, $($role:ident)|+) => {
        $(#[$doc])*
        pub struct $name;
        impl Permission for $name {
            const WORDS: &'static str = $words;
            fn allows(role: Role) -> bool {
                matches!(role, $(Role::$role)|+)
            }
        }
    };
}
permission!(
    /// See what is handed over.
    Deliver, "see the deliverables", Owner | Surveyor | Reviewer | Client
);
permission!(
    /// Look at the cloud; a client once a package was checked.
    Look, "look at the cloud", Owner | Surveyor | Reviewer | Client
);
permission!(
    /// See the work.
    Read, "see the work", Owner | Surveyor | Reviewer
);
permission!(
    /// Put one's name to what one looked at.
    Vouch, "put their name to what they looked at", Owner | Surveyor | Reviewer
);
permission!(
    /// Change the work.
    Edit, "change the work", Owner | Surveyor
);
permission!(
    /// Check and sign as checker.
    Check, "sign as checker", Owner | Reviewer
);
permission!(
    /// Manage members.
    Manage, "manage members", Owner
);

/// A member of the job in the path with a permission. Whoever is not a member learns nothing, not
/// even that the job is there.
pub struct Access<P: Permission> {
    /// The job.
    pub job: Uuid,
    /// Who is asking.
    pub user: User,
    /// Their role.
    pub role: Role,
    permission: PhantomData<P>,
}

impl<P: Permission> FromRequestParts<App> for Access<P> {
    type Rejection = ApiError;
    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, ApiError> {
        let user = identity::user(parts, app).await?;
        let params = RawPathParams::from_request_parts(parts, app).await.map_err(|_| ApiError::not_found())?;
        let job =
            params.iter().find(|p| p.0 == "job").and_then(|p| p.1.parse().ok()).ok_or_else(ApiError::not_found)?;
        let role = jobs::role(&app.db, job, user.id).await?.ok_or_else(ApiError::not_found)?;
        if !P::allows(role) {
            return Err(ApiError::forbidden(format!("your role in this job ({role:?}) may not {}", P::WORDS)));
        }
        Ok(Self { job, user, role, permission: PhantomData })
    }
}

impl<P: Permission> Access<P> {
    /// The same access with a weaker permission, for one handler to call another.
    pub(crate) fn of<Q: Permission>(other: &Access<Q>) -> Self {
        Self { job: other.job, user: other.user.clone(), role: other.role, permission: PhantomData }
    }
}
