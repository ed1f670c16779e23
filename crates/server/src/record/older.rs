//! Records of earlier versions.

use super::registration::{Detail, Registration};
use crate::ApiError;
use serde_json::Value;

/// Reads the light part of a registration, of whatever version. Version 1, which says no number,
/// kept sentences in place of figures; what it said is not carried over, it is to be run again.
pub(crate) fn registration(value: Value) -> Result<Option<Registration>, ApiError> {
    match value.get("version").and_then(Value::as_u64) {
        Some(2) => super::read("registration", value).map(Some),
        None => Ok(None),
        Some(n) => Err(ApiError::bad(format!(
            "the stored registration has version {n}, expected at most 2: it was written by a newer program"
        ))),
    }
}

/// Reads the long part.
pub(crate) fn detail(value: Value) -> Result<Detail, ApiError> {
    super::read("observations of the registration", value)
}
