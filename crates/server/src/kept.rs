//! What was read and will be asked for again: the same row, or the same text, by the key it was made
//! under. A key that has changed is never answered from here, so nothing can be out of date, and another
//! server needs nothing of it.

use crate::record::registration::Registration;
use crate::work::ground::Lying;
use lru::LruCache;
use std::collections::HashMap;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use tokio::sync::OwnedMutexGuard;
use uuid::Uuid;
use vistazo_core::draw::ground::Triangles;
use vistazo_core::tie::Shown;

/// Results held at most, of each kind.
const MOST: NonZeroUsize = NonZeroUsize::new(64).unwrap();

/// Clouds held at most: each takes some tens of megabytes.
const FEW: NonZeroUsize = NonZeroUsize::new(12).unwrap();

/// What the results of one kind are kept by.
struct Shelf<K: std::hash::Hash + Eq, V>(Mutex<LruCache<K, V>>);

impl<K: std::hash::Hash + Eq, V: Clone> Shelf<K, V> {
    fn new(most: NonZeroUsize) -> Self {
        Self(Mutex::new(LruCache::new(most)))
    }

    fn get(&self, key: &K) -> Option<V> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(key).cloned()
    }

    fn put(&self, key: K, value: V) -> V {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).put(key, value.clone());
        value
    }
}

/// Readings of rows and texts.
pub(crate) struct Kept {
    registrations: Shelf<Uuid, Arc<Registration>>,
    texts: Shelf<Text, bytes::Bytes>,
    shown: Shelf<String, Arc<Shown>>,
    grounds: Shelf<String, Arc<Lying>>,
    surfaces: Shelf<String, Arc<Triangles>>,
    turns: Mutex<HashMap<Text, Weak<tokio::sync::Mutex<()>>>>,
}

/// Job, kind and inputs of a text.
type Text = (Uuid, &'static str, String);

impl Kept {
    pub(crate) fn new() -> Self {
        Self {
            registrations: Shelf::new(MOST),
            texts: Shelf::new(MOST),
            shown: Shelf::new(FEW),
            grounds: Shelf::new(FEW),
            surfaces: Shelf::new(FEW),
            turns: Mutex::default(),
        }
    }

    /// The record of a registration, which never changes once it is stored.
    pub(crate) fn registration(&self, id: Uuid) -> Option<Arc<Registration>> {
        self.registrations.get(&id)
    }

    pub(crate) fn put_registration(&self, id: Uuid, record: Registration) -> Arc<Registration> {
        self.registrations.put(id, Arc::new(record))
    }

    /// What is kept of a scan to lay it on others, by the scan's key.
    pub(crate) fn shown(&self, key: &str) -> Option<Arc<Shown>> {
        self.shown.get(&key.to_owned())
    }

    pub(crate) fn put_shown(&self, key: &str, shown: Shown) -> Arc<Shown> {
        self.shown.put(key.to_owned(), Arc::new(shown))
    }

    /// The ground with its triangles, by where its raster is kept and the lines that triangles do not cross.
    pub(crate) fn ground(&self, key: &str) -> Option<Arc<Lying>> {
        self.grounds.get(&key.to_owned())
    }

    pub(crate) fn put_ground(&self, key: String, ground: Lying) -> Arc<Lying> {
        self.grounds.put(key, Arc::new(ground))
    }

    /// A surface that somebody else made, by where it is kept.
    pub(crate) fn surface(&self, key: &str) -> Option<Arc<Triangles>> {
        self.surfaces.get(&key.to_owned())
    }

    pub(crate) fn put_surface(&self, key: &str, surface: Triangles) -> Arc<Triangles> {
        self.surfaces.put(key.to_owned(), Arc::new(surface))
    }

    /// A text of a job that was made from these inputs.
    pub(crate) fn text(&self, job: Uuid, kind: &'static str, inputs: &str) -> Option<bytes::Bytes> {
        self.texts.get(&(job, kind, inputs.to_owned()))
    }

    pub(crate) fn put_text(&self, job: Uuid, kind: &'static str, inputs: &str, text: String) -> bytes::Bytes {
        self.texts.put((job, kind, inputs.to_owned()), text.into())
    }

    /// Waits until nobody else makes the same text. Whoever holds the turn looks first whether it was made meanwhile.
    pub(crate) async fn turn(&self, job: Uuid, kind: &'static str, inputs: &str) -> OwnedMutexGuard<()> {
        let turn = {
            let mut turns = self.turns.lock().unwrap_or_else(PoisonError::into_inner);
            turns.retain(|_, t| t.strong_count() > 0);
            let held = turns.entry((job, kind, inputs.to_owned())).or_default();
            held.upgrade().unwrap_or_else(|| {
                let new = Arc::default();
                *held = Arc::downgrade(&new);
                new
            })
        };
        turn.lock_owned().await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_given_for_its_own_inputs_only_and_the_oldest_goes_first() {
        let (kept, job) = (Kept::new(), Uuid::now_v7());
        kept.put_text(job, "cover", "a", "one".into());
        assert_eq!(kept.text(job, "cover", "a").unwrap(), "one");
        assert!(kept.text(job, "cover", "b").is_none(), "other inputs");
        assert!(kept.text(job, "adjustment", "a").is_none(), "another kind");
        assert!(kept.text(Uuid::now_v7(), "cover", "a").is_none(), "another job");
        for k in 0..MOST.get() {
            kept.put_text(job, "cover", &format!("new {k}"), String::new());
        }
        assert!(kept.text(job, "cover", "a").is_none(), "room is bounded");
    }

    #[tokio::test]
    async fn the_same_text_is_made_once_at_a_time() {
        let (kept, job) = (Arc::new(Kept::new()), Uuid::now_v7());
        let made = Arc::new(std::sync::atomic::AtomicUsize::new(0));
        let visits = (0..8).map(|_| {
            let (kept, made) = (kept.clone(), made.clone());
            tokio::spawn(async move {
                let _turn = kept.turn(job, "cover", "a").await;
                if kept.text(job, "cover", "a").is_none() {
                    made.fetch_add(1, std::sync::atomic::Ordering::SeqCst);
                    tokio::time::sleep(std::time::Duration::from_millis(5)).await;
                    kept.put_text(job, "cover", "a", "one".into());
                }
            })
        });
        futures::future::join_all(visits).await;
        assert_eq!(made.load(std::sync::atomic::Ordering::SeqCst), 1);
        let _other = kept.turn(job, "cover", "b").await;
        assert_eq!(kept.turns.lock().unwrap().len(), 1, "turns that are over are forgotten");
    }
}
