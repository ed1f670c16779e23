//! The instruments to choose from: those that come along, and those that a person keeps.

use super::sent::Sent;
use crate::auth::SignedIn;
use crate::dto::{InstrumentDto, InstrumentEntry, KeepInstrument};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use uuid::Uuid;
use vistazo_core::instrument::library;
use vistazo_store::instruments;

/// All profiles.
#[utoipa::path(get, path = "/api/instruments", tag = "instruments", responses((status = 200, body = [InstrumentEntry])))]
pub async fn list(State(app): State<App>, SignedIn(user): SignedIn) -> Result<Json<Vec<InstrumentEntry>>, ApiError> {
    let own = instruments::list(&app.db, user.id).await?.into_iter().filter_map(|i| {
        // one that an older program stored and this one cannot read is left where it is
        let instrument = serde_json::from_value(i.profile).ok()?;
        Some(InstrumentEntry { id: Some(i.id), version: i.version, instrument })
    });
    let along = library().into_iter().map(|i| InstrumentEntry { id: None, version: 0, instrument: (&i).into() });
    Ok(Json(own.chain(along).collect()))
}

/// Keep a profile, new or changed.
#[utoipa::path(put, path = "/api/instruments", tag = "instruments", request_body = KeepInstrument, responses((status = 204), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    SignedIn(user): SignedIn,
    Sent(k): Sent<KeepInstrument>,
) -> Result<StatusCode, ApiError> {
    let instrument = InstrumentDto { name: k.instrument.name.trim().to_owned(), ..k.instrument };
    instrument.validate("")?;
    let profile = serde_json::json!(instrument);
    match k.id {
        None => instruments::add(&app.db, user.id, &instrument.name, &profile).await?,
        Some(id) => {
            let version = k.version.ok_or_else(|| ApiError::field("version", "expected the version that was read"))?;
            instruments::update(&app.db, user.id, id, version, &instrument.name, &profile).await?;
        }
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Take a profile out.
#[utoipa::path(delete, path = "/api/instruments/{id}", tag = "instruments", params(("id" = Uuid, Path)), responses((status = 204), (status = 404, body = crate::error::ErrorBody)))]
pub async fn remove(
    State(app): State<App>,
    SignedIn(user): SignedIn,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, ApiError> {
    instruments::remove(&app.db, user.id, id).await?;
    Ok(StatusCode::NO_CONTENT)
}
