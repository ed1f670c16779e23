//! A small stand-in for an S3-compatible store, in memory, on loopback: what our program needs of
//! the interface and no more. It takes any signature.

use axum::Router;
use axum::body::Bytes;
use axum::extract::State;
use axum::http::{HeaderMap, Method, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex};

#[derive(Default)]
struct Bucket {
    objects: BTreeMap<String, Bytes>,
    parts: HashMap<String, BTreeMap<u32, Bytes>>,
}

/// The store; it ends with the test's runtime.
pub struct S3 {
    pub endpoint: String,
    bucket: Arc<Mutex<Bucket>>,
}

impl S3 {
    pub async fn start() -> Self {
        let bucket: Arc<Mutex<Bucket>> = Arc::default();
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let endpoint = format!("http://{}", listener.local_addr().unwrap());
        let app =
            Router::new().fallback(answer).with_state(bucket.clone()).layer(axum::extract::DefaultBodyLimit::disable());
        tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
        Self { endpoint, bucket }
    }

    /// What the program must be told to use it.
    pub fn settings(&self) -> Vec<(&'static str, String)> {
        vec![
            ("VISTAZO_DATA", "s3://bucket/below".into()),
            ("AWS_ENDPOINT", self.endpoint.clone()),
            ("AWS_ALLOW_HTTP", "true".into()),
            ("AWS_REGION", "local".into()),
            ("AWS_ACCESS_KEY_ID", "made-up".into()),
            ("AWS_SECRET_ACCESS_KEY", "made-up".into()),
        ]
    }

    pub fn keys(&self) -> Vec<String> {
        self.bucket.lock().unwrap().objects.keys().cloned().collect()
    }
}

fn missing() -> Response {
    (StatusCode::NOT_FOUND, "<Error><Code>NoSuchKey</Code></Error>").into_response()
}

/// The text between `<tag>` and `</tag>`, each time it stands there.
fn tagged<'a>(text: &'a str, tag: &str) -> Vec<&'a str> {
    text.split(&format!("<{tag}>")).skip(1).filter_map(|t| t.split(&format!("</{tag}>")).next()).collect()
}

async fn answer(
    State(bucket): State<Arc<Mutex<Bucket>>>,
    method: Method,
    uri: Uri,
    headers: HeaderMap,
    body: Bytes,
) -> Response {
    let decode = |s: &str| percent_encoding::percent_decode_str(s).decode_utf8_lossy().into_owned();
    let query: HashMap<String, String> = uri
        .query()
        .unwrap_or("")
        .split('&')
        .map(|p| p.split_once('=').unwrap_or((p, "")))
        .map(|(k, v)| (k.to_owned(), decode(v)))
        .collect();
    let path = decode(uri.path());
    let key = path.trim_start_matches('/').split_once('/').map(|p| p.1.to_owned()).unwrap_or_default();
    let mut b = bucket.lock().unwrap();
    let etag = [(header::ETAG, "\"made-up\"")];
    match (method.as_str(), query.get("uploadId"), query.get("partNumber")) {
        ("PUT", Some(id), Some(part)) => {
            b.parts.entry(id.clone()).or_default().insert(part.parse().unwrap(), body);
            etag.into_response()
        }
        ("PUT", ..) => {
            b.objects.insert(key, body);
            etag.into_response()
        }
        ("POST", Some(id), _) => {
            let parts = b.parts.remove(id).unwrap_or_default();
            let whole: Vec<u8> = parts.values().flat_map(|p| p.to_vec()).collect();
            b.objects.insert(key, whole.into());
            "<CompleteMultipartUploadResult><ETag>made-up</ETag></CompleteMultipartUploadResult>".into_response()
        }
        ("POST", None, _) if query.contains_key("uploads") => {
            let id = uuid::Uuid::now_v7();
            format!("<InitiateMultipartUploadResult><Bucket>bucket</Bucket><Key>{key}</Key><UploadId>{id}</UploadId></InitiateMultipartUploadResult>").into_response()
        }
        ("POST", None, _) => {
            let text = String::from_utf8_lossy(&body).into_owned();
            let gone: Vec<String> = tagged(&text, "Key").iter().map(|k| decode(k)).collect();
            let said: String = gone.iter().map(|k| format!("<Deleted><Key>{k}</Key></Deleted>")).collect();
            gone.iter().for_each(|k| {
                b.objects.remove(k);
            });
            format!("<DeleteResult>{said}</DeleteResult>").into_response()
        }
        ("DELETE", ..) => {
            b.objects.remove(&key);
            StatusCode::NO_CONTENT.into_response()
        }
        ("GET", ..) if query.contains_key("list-type") => {
            let prefix = query.get("prefix").cloned().unwrap_or_default();
            let list: String = b
                .objects
                .iter()
                .filter(|o| o.0.starts_with(&prefix))
                .map(|(k, v)| format!("<Contents><Key>{k}</Key><LastModified>2026-01-01T00:00:00.000Z</LastModified><ETag>made-up</ETag><Size>{}</Size></Contents>", v.len()))
                .collect();
            format!("<ListBucketResult><IsTruncated>false</IsTruncated>{list}</ListBucketResult>").into_response()
        }
        ("GET" | "HEAD", ..) => {
            let Some(bytes) = b.objects.get(&key) else { return missing() };
            let n = bytes.len();
            let range = headers.get(header::RANGE).and_then(|r| r.to_str().ok()).and_then(|r| {
                let (from, to) = r.strip_prefix("bytes=")?.split_once('-')?;
                Some((from.parse::<usize>().ok()?, to.parse::<usize>().map_or(n, |t| (t + 1).min(n))))
            });
            let dated = [(header::LAST_MODIFIED, "Thu, 01 Jan 2026 00:00:00 GMT"), (header::ETAG, "\"made-up\"")];
            match range {
                Some((from, to)) if from < to => {
                    let content = [(header::CONTENT_RANGE, format!("bytes {from}-{}/{n}", to - 1))];
                    (StatusCode::PARTIAL_CONTENT, dated, content, bytes.slice(from..to)).into_response()
                }
                Some(_) => StatusCode::RANGE_NOT_SATISFIABLE.into_response(),
                None => (dated, [(header::CONTENT_LENGTH, n.to_string())], bytes.clone()).into_response(),
            }
        }
        _ => StatusCode::METHOD_NOT_ALLOWED.into_response(),
    }
}
