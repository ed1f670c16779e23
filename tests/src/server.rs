use crate::Database;
use base64::Engine;
use serde_json::{Value, json};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

pub const PASSWORD: &str = "a-long-test-password";

/// The program itself, on a fresh database and object store.
pub struct Server {
    pub url: String,
    pub database: String,
    pub data: tempfile::TempDir,
    child: Child,
    address: String,
    /// Goes with the server.
    own: Option<Database>,
    settings: Vec<(&'static str, String)>,
}

impl Server {
    /// Starts the program. `VISTAZO_DATABASE_URL` says where the test cluster is (scripts/test
    /// sets it).
    pub async fn start() -> Self {
        Self::start_with(Vec::new()).await
    }

    /// The same with other settings, over those that are usual in tests.
    pub async fn start_with(settings: Vec<(&'static str, String)>) -> Self {
        Self::start_on(Database::make().await, tempfile::tempdir().unwrap(), settings).await
    }

    /// The same on a database and a store that hold something already.
    pub async fn start_on(own: Database, data: tempfile::TempDir, settings: Vec<(&'static str, String)>) -> Self {
        vistazo_store::tls();
        let database = own.url.clone();
        let port = crate::port::free();
        let address = format!("127.0.0.1:{port}");
        let child = spawn("serve", &database, data.path(), &address, &settings);
        let mut server =
            Self { url: format!("http://{address}"), database, data, child, address, own: Some(own), settings };
        server.ready().await;
        server
    }

    async fn ready(&mut self) {
        let begin = Instant::now();
        while reqwest::get(format!("{}/api/health", self.url)).await.is_err() {
            let ended = self.child.try_wait().unwrap();
            assert!(ended.is_none(), "the server ended at its start: {}", ended.unwrap());
            assert!(begin.elapsed() < Duration::from_secs(90), "the server did not start");
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// kill -9.
    pub fn kill(&mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    /// Its process.
    pub fn pid(&self) -> u32 {
        self.child.id()
    }

    /// Asks it to end, and waits until it has.
    pub fn terminate(&mut self) {
        let asked = Command::new("kill").args(["-TERM", &self.child.id().to_string()]).status().unwrap();
        assert!(asked.success());
        self.child.wait().unwrap();
    }

    /// Ends it, and gives what it worked on.
    pub fn end(mut self) -> (Database, tempfile::TempDir) {
        self.terminate();
        (std::mem::take(&mut self.own).unwrap(), std::mem::replace(&mut self.data, tempfile::tempdir().unwrap()))
    }

    /// Changes a setting for the next start.
    pub fn set(&mut self, name: &'static str, value: &str) {
        self.settings.retain(|s| s.0 != name);
        self.settings.push((name, value.to_owned()));
    }

    pub async fn restart(&mut self) {
        self.child = spawn("serve", &self.database, self.data.path(), &self.address, &self.settings);
        self.ready().await;
    }

    pub async fn pool(&self) -> sqlx::PgPool {
        sqlx::PgPool::connect(&self.database).await.unwrap()
    }

    /// A person with an account; returns a client that holds a token.
    pub async fn person(&self, name: &str) -> Client {
        let email = format!("{name}@test.example");
        let hash = vistazo_server::auth::hash_password(PASSWORD).unwrap();
        let db = self.pool().await;
        let user = vistazo_store::people::add_user(&db, &email, name, &hash).await.unwrap();
        let client = self.client(&db, user.id, email).await;
        db.close().await;
        client
    }

    /// A client that holds a token of somebody who has an account.
    pub async fn client(&self, db: &sqlx::PgPool, user: uuid::Uuid, email: String) -> Client {
        let (_, secret) = vistazo_store::people::add_token(db, user, "test").await.unwrap();
        Client { http: reqwest::Client::new(), url: self.url.clone(), token: Some(secret), email }
    }
}

/// Starts the program with a command (`serve`, `worker`).
pub fn spawn(
    what: &str,
    database: &str,
    data: &std::path::Path,
    address: &str,
    settings: &[(&'static str, String)],
) -> Child {
    let program = std::env::var("VISTAZO_TEST_PROGRAM").expect("VISTAZO_TEST_PROGRAM: run the tests with scripts/test");
    Command::new(program)
        .arg(what)
        .env("VISTAZO_DATABASE_URL", database)
        .env("VISTAZO_DATA", data)
        .env("VISTAZO_ADDRESS", address)
        .env("RUST_LOG", "warn")
        .env("VISTAZO_SCAN_SPEED", "3000")
        .env("VISTAZO_MAX_UPLOAD", "60000000")
        .envs(settings.iter().cloned())
        .stdout(Stdio::null())
        .spawn()
        .unwrap()
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A person at the API.
#[derive(Clone)]
pub struct Client {
    pub http: reqwest::Client,
    pub url: String,
    pub token: Option<String>,
    pub email: String,
}

impl Client {
    pub fn request(&self, method: &str, path: &str) -> reqwest::RequestBuilder {
        let r = self.http.request(method.parse().unwrap(), format!("{}{path}", self.url));
        match &self.token {
            Some(t) => r.bearer_auth(t),
            None => r,
        }
    }

    /// Status and body of a call with a JSON body.
    pub async fn call(&self, method: &str, path: &str, body: Value) -> (u16, Value) {
        let r = self.request(method, path);
        let r = if body.is_null() { r } else { r.json(&body) };
        let answer = r.send().await.unwrap();
        (answer.status().as_u16(), answer.json().await.unwrap_or(Value::Null))
    }

    /// Status and answer of a call that sends bytes.
    pub async fn send_bytes(&self, path: &str, bytes: Vec<u8>) -> (u16, Value) {
        let r = self.request("POST", path).header("content-type", "application/octet-stream").body(bytes);
        let answer = r.send().await.unwrap();
        (answer.status().as_u16(), answer.json().await.unwrap_or(Value::Null))
    }

    /// The body of a call that must succeed.
    pub async fn ok(&self, method: &str, path: &str, body: Value) -> Value {
        let (status, answer) = self.call(method, path, body).await;
        assert!((200..300).contains(&status), "{method} {path}: {status} {answer}");
        answer
    }

    /// The message of a call that must be refused with a status.
    pub async fn refused(&self, status: u16, method: &str, path: &str, body: Value) -> String {
        let (found, answer) = self.call(method, path, body).await;
        assert_eq!(found, status, "{method} {path}: {answer}");
        answer["error"].as_str().unwrap_or_default().to_owned()
    }

    /// Announces a file with its metadata and sends `first` along; the answer as it comes.
    pub async fn announce(&self, job: &str, meta: &[(&str, &str)], length: usize, first: Vec<u8>) -> reqwest::Response {
        let meta: Vec<String> =
            meta.iter().map(|(k, v)| format!("{k} {}", base64::engine::general_purpose::STANDARD.encode(v))).collect();
        self.request("POST", &format!("/api/jobs/{job}/uploads"))
            .header("tus-resumable", "1.0.0")
            .header("upload-length", length)
            .header("upload-metadata", meta.join(","))
            .header("content-type", "application/offset+octet-stream")
            .body(first)
            .send()
            .await
            .unwrap()
    }

    /// Sends the next bytes of an upload from an offset on; the answer as it comes.
    pub async fn append(
        &self,
        location: &str,
        offset: u64,
        bytes: Vec<u8>,
        checksum: Option<&str>,
    ) -> reqwest::Response {
        let r = self
            .request("PATCH", location)
            .header("tus-resumable", "1.0.0")
            .header("upload-offset", offset)
            .header("content-type", "application/offset+octet-stream");
        let r = if let Some(sum) = checksum { r.header("upload-checksum", sum) } else { r };
        r.body(bytes).send().await.unwrap()
    }

    /// How many bytes of an upload have arrived.
    pub async fn arrived(&self, location: &str) -> u64 {
        let answer = self.request("HEAD", location).header("tus-resumable", "1.0.0").send().await.unwrap();
        answer.headers()["upload-offset"].to_str().unwrap().parse().unwrap()
    }

    /// Sends bytes as a scan file at once; the task that reads it, or why it was refused.
    pub async fn send(&self, job: &str, name: &str, bytes: Vec<u8>) -> Result<Value, Value> {
        let answer = self.announce(job, &[("filename", name)], bytes.len(), bytes).await;
        if answer.status() != 201 {
            let body: Value = answer.json().await.unwrap();
            return Err(json!({ "state": "refused", "message": body["error"] }));
        }
        let location = answer.headers()["location"].to_str().unwrap().to_owned();
        Ok(self.ingest(job, &location).await)
    }

    /// The task that reads a whole upload.
    pub async fn ingest(&self, job: &str, location: &str) -> Value {
        let id = location.rsplit('/').next().unwrap();
        let all = self.ok("GET", &format!("/api/jobs/{job}/tasks"), Value::Null).await;
        all.as_array().unwrap().iter().find(|t| t["payload"]["upload"] == id).expect("no task reads the upload").clone()
    }

    /// Sends bytes as a scan file and waits for the end of its ingest.
    pub async fn upload(&self, job: &str, name: &str, bytes: Vec<u8>) -> Value {
        match self.send(job, name, bytes).await {
            Ok(task) => self.wait(job, &task).await,
            Err(refused) => refused,
        }
    }

    /// Waits until a task has ended.
    pub async fn wait(&self, job: &str, task: &Value) -> Value {
        self.wait_within(job, task, 240).await
    }

    /// The same with the seconds it may take.
    pub async fn wait_within(&self, job: &str, task: &Value, seconds: u64) -> Value {
        let begin = Instant::now();
        loop {
            let all = self.ok("GET", &format!("/api/jobs/{job}/tasks"), Value::Null).await;
            let now = all.as_array().unwrap().iter().find(|t| t["id"] == task["id"]).unwrap().clone();
            if !["queued", "running"].contains(&now["state"].as_str().unwrap()) {
                return now;
            }
            assert!(begin.elapsed() < Duration::from_secs(seconds), "{now}");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    /// Starts a task with a call and waits until it is done.
    pub async fn run(&self, job: &str, path: &str) -> Value {
        self.run_body(job, path, Value::Null).await
    }

    /// The same with a JSON body.
    pub async fn run_body(&self, job: &str, path: &str, body: Value) -> Value {
        let task = self.ok("POST", &format!("/api/jobs/{job}{path}"), body).await;
        let end = self.wait(job, &task).await;
        assert_eq!(end["state"], "done", "{end}");
        end
    }
}
