use crate::ApiError;
use axum::body::Bytes;
use axum::extract::{self, FromRequest, FromRequestParts, OptionalFromRequest, Request};
use axum::http::request::Parts;
use axum::http::{StatusCode, header};
use serde::de::DeserializeOwned;
use serde_json::Value;

/// Characters of one text, at most, where a route says nothing else: what is longer is no name and no note, and the
/// typesetter takes no run of 64 kB.
pub const TEXT: usize = 16_000;

/// The JSON body of a request. What cannot be read is refused with the field it is in; so is a text that is longer than
/// `MOST` characters, or holds the one sign that the database keeps in no text.
pub struct Sent<T, const MOST: usize = TEXT>(pub T);

impl<S: Send + Sync, T: DeserializeOwned, const MOST: usize> FromRequest<S> for Sent<T, MOST> {
    type Rejection = ApiError;

    async fn from_request(request: Request, state: &S) -> Result<Self, ApiError> {
        let kind = request.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
        if !kind.starts_with("application/json") {
            return Err(ApiError::status(
                StatusCode::UNSUPPORTED_MEDIA_TYPE,
                format!("found a body of type “{kind}”, expected application/json"),
            ));
        }
        let bytes =
            Bytes::from_request(request, state).await.map_err(|e| ApiError::status(e.status(), e.body_text()))?;
        let value: Value =
            serde_json::from_slice(&bytes).map_err(|e| ApiError::bad(format!("the body is no JSON: {e}")))?;
        texts(&value, &mut Vec::new(), MOST)?;
        serde_path_to_error::deserialize(value).map(Sent).map_err(|e| {
            let (at, why) = (e.path().to_string(), e.inner().to_string());
            ApiError::field(if at == "." { "" } else { &at }, why)
        })
    }
}

impl<S: Send + Sync, T: DeserializeOwned, const MOST: usize> OptionalFromRequest<S> for Sent<T, MOST> {
    type Rejection = ApiError;

    async fn from_request(request: Request, state: &S) -> Result<Option<Self>, ApiError> {
        if request.headers().get(header::CONTENT_TYPE).is_none() {
            return Ok(None);
        }
        <Self as FromRequest<S>>::from_request(request, state).await.map(Some)
    }
}

/// What stands behind the question mark of a request; what cannot be read is refused as a body is.
pub struct Query<T>(pub T);

impl<S: Send + Sync, T: DeserializeOwned> FromRequestParts<S> for Query<T> {
    type Rejection = ApiError;

    async fn from_request_parts(parts: &mut Parts, _: &S) -> Result<Self, ApiError> {
        extract::Query::<T>::try_from_uri(&parts.uri).map(|q| Self(q.0)).map_err(|e| ApiError::bad(e.body_text()))
    }
}

/// Whether every text in a value may be kept; `at` is the way to it.
fn texts<'a>(value: &'a Value, at: &mut Vec<std::borrow::Cow<'a, str>>, most: usize) -> Result<(), ApiError> {
    match value {
        Value::String(s) => {
            // a character has a byte at least
            let long = s.len() > most && s.chars().count() > most;
            let what = if s.contains('\0') {
                "found a sign of no width (U+0000), expected text".to_owned()
            } else if long {
                format!("found {} characters, expected at most {most}", s.chars().count())
            } else {
                return Ok(());
            };
            Err(ApiError::field(&at.join("."), what))
        }
        Value::Object(o) => o.iter().try_for_each(|(k, v)| {
            if k.contains('\0') {
                return Err(ApiError::field(&at.join("."), "found a name with a sign of no width (U+0000)"));
            }
            at.push(k.into());
            texts(v, at, most)?;
            at.pop();
            Ok(())
        }),
        Value::Array(a) => a.iter().enumerate().try_for_each(|(k, v)| {
            at.push(k.to_string().into());
            texts(v, at, most)?;
            at.pop();
            Ok(())
        }),
        _ => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde::Deserialize;
    use serde_json::json;

    #[derive(Debug, Deserialize)]
    #[allow(dead_code)]
    struct Form {
        name: String,
        inner: Inner,
    }
    #[derive(Debug, Deserialize)]
    #[allow(dead_code)]
    struct Inner {
        count: Vec<i32>,
    }

    async fn sent(text: String, kind: &str) -> Result<Form, String> {
        let request = Request::builder().header("content-type", kind).body(text.into()).unwrap();
        match <Sent<Form, 10> as FromRequest<()>>::from_request(request, &()).await {
            Ok(b) => Ok(b.0),
            Err(e) => Err(format!("{}: {e}", e.field_name().unwrap_or("-"))),
        }
    }

    #[tokio::test]
    async fn what_is_wrong_is_named_with_its_field() {
        let json_of = |name: &str, count: Value| json!({ "name": name, "inner": { "count": count } }).to_string();
        let json = "application/json; charset=utf-8";
        assert!(sent(json_of("ten signs·", json!([1, 2])), json).await.is_ok(), "counted in signs, not in bytes");
        for (body, told) in [
            (json_of("hall", json!([1, "two"])), "inner.count[1]: "),
            (json_of("hall", json!([1, 3_000_000_000_u64])), "inner.count[1]: "),
            (json_of("eleven signs", json!([])), "name: found 12 characters, expected at most 10"),
            (json_of("a\0b", json!([])), "name: found a sign of no width"),
            (json!({ "name": "x" }).to_string(), "-: missing field `inner`"),
            ("{".to_owned(), "-: the body is no JSON"),
        ] {
            let e = sent(body.clone(), json).await.unwrap_err();
            assert!(e.starts_with(told), "{body}: {e}");
        }
        let plain = sent("{}".into(), "text/plain").await.unwrap_err();
        assert!(plain.contains("text/plain"), "{plain}");
    }
}
