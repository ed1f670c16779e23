use axum::Json;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use vistazo_store::StoreError;

/// Said when the database or the object store is away.
const UNREACHABLE: &str = "the server could not reach its data; nothing was changed, please try again";

/// An error as the client sees it.
#[derive(Debug)]
pub struct ApiError {
    status: StatusCode,
    message: String,
    field: Option<String>,
    /// The data was away: asked again, it may go through.
    pub(crate) passes: bool,
}

/// The body of an error.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct ErrorBody {
    /// What is wrong, what was found and what was expected.
    pub error: String,
    /// The field it is about, when it is about one.
    pub field: Option<String>,
}

impl ApiError {
    fn new(status: StatusCode, message: impl Into<String>) -> Self {
        Self { status, message: message.into(), field: None, passes: false }
    }
    /// 400: the request cannot be understood.
    pub fn bad(message: impl Into<String>) -> Self {
        Self::new(StatusCode::BAD_REQUEST, message)
    }
    /// 422: a field has a value that cannot be.
    pub fn field(field: &str, message: impl Into<String>) -> Self {
        let field = (!field.is_empty()).then(|| field.into());
        Self { field, ..Self::new(StatusCode::UNPROCESSABLE_ENTITY, message) }
    }
    /// The field it is about.
    pub(crate) fn field_name(&self) -> Option<&str> {
        self.field.as_deref()
    }
    /// Any other status.
    pub fn status(status: StatusCode, message: impl Into<String>) -> Self {
        Self::new(status, message)
    }
    /// 401: sign in first.
    pub fn sign_in(message: impl Into<String>) -> Self {
        Self::new(StatusCode::UNAUTHORIZED, message)
    }
    /// 403: the role does not allow it.
    pub fn forbidden(message: impl Into<String>) -> Self {
        Self::new(StatusCode::FORBIDDEN, message)
    }
    /// 404.
    pub fn not_found() -> Self {
        Self::new(StatusCode::NOT_FOUND, "not found")
    }
    /// 409: the state of the job does not allow it.
    pub fn conflict(message: impl Into<String>) -> Self {
        Self::new(StatusCode::CONFLICT, message)
    }
    /// 429.
    pub fn too_many(message: impl Into<String>) -> Self {
        Self::new(StatusCode::TOO_MANY_REQUESTS, message)
    }
}

impl std::fmt::Display for ApiError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.message)
    }
}

impl std::error::Error for ApiError {}

impl From<StoreError> for ApiError {
    fn from(e: StoreError) -> Self {
        match e {
            StoreError::Conflict | StoreError::Duplicate(_) | StoreError::Taken(_) => Self::conflict(e.to_string()),
            StoreError::NotFound => Self::not_found(),
            StoreError::Full(_) => Self::too_many(e.to_string()),
            // named: whoever asked has to bring it back
            StoreError::Damaged { .. } => {
                tracing::error!(error = %e, "store");
                Self::new(StatusCode::INTERNAL_SERVER_ERROR, e.to_string())
            }
            // what was sent cannot be kept: a sign it has no place for, a name too long for an index
            StoreError::Database(sqlx::Error::Database(ref d))
                if d.code().is_some_and(|c| c.starts_with("22") || c.starts_with("54")) =>
            {
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, format!("it cannot be kept: {}", d.message()))
            }
            StoreError::File(_) | StoreError::Database(_) | StoreError::Object(_) | StoreError::Migration(_) => {
                tracing::error!(error = %e, "store");
                Self { passes: e.passes(), ..Self::new(StatusCode::INTERNAL_SERVER_ERROR, UNREACHABLE) }
            }
        }
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        (self.status, Json(ErrorBody { error: self.message, field: self.field })).into_response()
    }
}
