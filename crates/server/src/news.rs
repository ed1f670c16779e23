//! Which jobs have moved, from the database to every page that listens: one connection for all of them.

use sqlx::postgres::PgListener;
use std::time::Duration;
use tokio::sync::broadcast;
use uuid::Uuid;

/// Tells whoever listens which job's tasks moved. Cheap to clone.
#[derive(Clone)]
pub(crate) struct News(broadcast::Sender<Uuid>);

impl News {
    /// Begins to listen to the database, and goes on for ever: when it is away, it is tried again.
    pub(crate) fn listen(url: String) -> Self {
        let (tell, _) = broadcast::channel(256);
        let teller = tell.clone();
        tokio::spawn(async move {
            loop {
                if let Err(e) = pass_on(&url, &teller).await {
                    tracing::warn!(error = %e, "cannot listen for progress");
                }
                tokio::time::sleep(Duration::from_secs(2)).await;
            }
        });
        Self(tell)
    }

    pub(crate) fn subscribe(&self) -> broadcast::Receiver<Uuid> {
        self.0.subscribe()
    }
}

async fn pass_on(url: &str, tell: &broadcast::Sender<Uuid>) -> Result<(), sqlx::Error> {
    let mut listener = PgListener::connect(url).await?;
    listener.listen("tasks").await?;
    loop {
        let n = listener.recv().await?;
        if let Ok(job) = n.payload().parse() {
            // nobody may be listening
            tell.send(job).ok();
        }
    }
}
