use crate::tie::Prepared;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError};

/// What is kept ready at most: a walk of some hours would not go into memory, and comes by few places at a time.
const MOST: NonZeroUsize = NonZeroUsize::new(320).unwrap();

/// Bodies made ready to be tied, those that were asked for last.
pub(super) struct Ready(Mutex<lru::LruCache<usize, Arc<Prepared>>>);

impl Default for Ready {
    fn default() -> Self {
        Self(Mutex::new(lru::LruCache::new(MOST)))
    }
}

impl Ready {
    /// The body of a number; `make` makes it ready where it is not.
    pub(super) fn body(&self, number: usize, make: impl FnOnce() -> Prepared) -> Arc<Prepared> {
        let kept = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(ready) = kept().get(&number) {
            return ready.clone();
        }
        // two may make the same at once: better than that all wait for one
        let made = Arc::new(make());
        kept().put(number, made.clone());
        made
    }
}
