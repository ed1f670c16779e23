//! Bulk bytes: in a folder, or with any S3-compatible service.

use crate::{Result, StoreError};
use bytes::Bytes;
use futures::StreamExt;
use object_store::{ObjectStore, ObjectStoreExt, local::LocalFileSystem, path::Path};
use sha2::{Digest, Sha256};
use std::sync::Arc;
use std::time::SystemTime;
use tokio::io::{AsyncReadExt, AsyncSeekExt, AsyncWriteExt};

/// Stands in the names of files that a store in a folder has not finished writing.
const STAGED: char = '#';

/// The object store. Cheap to clone.
#[derive(Clone, Debug)]
pub struct Objects {
    store: Arc<dyn ObjectStore>,
    /// The folder, when it is one.
    folder: Option<std::path::PathBuf>,
}

impl Objects {
    /// A store by its address: a folder, or `s3://bucket/path` of any S3-compatible service (its
    /// endpoint, region and keys from `AWS_ENDPOINT`, `AWS_REGION`, `AWS_ACCESS_KEY_ID`,
    /// `AWS_SECRET_ACCESS_KEY`; `AWS_ALLOW_HTTP=true` for one without TLS).
    ///
    /// # Errors
    /// When the address is not understood or the folder cannot be made.
    pub fn open(address: &str) -> Result<Self> {
        crate::tls();
        if !address.contains("://") {
            return Self::in_folder(std::path::Path::new(address));
        }
        let url = url::Url::parse(address).map_err(|e| StoreError::File(format!("the store “{address}”: {e}")))?;
        let settings = std::env::vars().filter(|(k, _)| k.starts_with("AWS_"));
        let (store, prefix) = object_store::parse_url_opts(&url, settings.map(|(k, v)| (k.to_lowercase(), v)))?;
        let store = object_store::prefix::PrefixStore::new(Arc::<dyn ObjectStore>::from(store), prefix);
        Ok(Self { store: Arc::new(store), folder: None })
    }

    /// A store in a folder, which is made when missing.
    ///
    /// # Errors
    /// When the folder cannot be made.
    pub fn in_folder(folder: &std::path::Path) -> Result<Self> {
        std::fs::create_dir_all(folder).map_err(|e| StoreError::File(format!("{}: {e}", folder.display())))?;
        // the database keeps what it says; bytes must not be less sure: they reach the disk before a row speaks of them
        let store = LocalFileSystem::new_with_prefix(folder)?.with_fsync(true);
        Ok(Self { store: Arc::new(store), folder: Some(folder.to_owned()) })
    }

    /// Bytes free where the store is a folder; `None` where nobody says.
    pub fn free(&self) -> Option<u64> {
        fs4::available_space(self.folder.as_ref()?).ok()
    }

    /// Removes what is under a key.
    ///
    /// # Errors
    /// When the store fails; nothing under the key is no error.
    pub async fn remove(&self, key: &str) -> Result<()> {
        if let Some(folder) = &self.folder
            && key.contains(STAGED)
        {
            let path = folder.join(key);
            let _ = tokio::fs::remove_file(&path).await;
            return Ok(());
        }
        match self.store.delete(&Path::from(key)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(e) => Err(e.into()),
        }
    }

    /// Every key that begins with `prefix` and a slash, with the time it was last written. In a
    /// folder this includes what was begun and never finished, which no other call sees: a program
    /// that is killed while it writes leaves it.
    pub(crate) async fn list(&self, prefix: &str) -> Result<Vec<(String, SystemTime)>> {
        let Some(folder) = self.folder.clone() else {
            let mut list = self.store.list(Some(&Path::from(prefix)));
            let mut all = Vec::new();
            while let Some(o) = list.next().await {
                let o = o?;
                all.push((o.location.to_string(), o.last_modified.into()));
            }
            return Ok(all);
        };
        let start = folder.join(prefix);
        let walk = move || {
            let (mut all, mut folders) = (Vec::new(), vec![start]);
            // what goes away meanwhile is not there
            while let Some(next) = folders.pop() {
                for entry in std::fs::read_dir(&next).into_iter().flatten().flatten() {
                    let path = entry.path();
                    match entry.metadata() {
                        Ok(m) if m.is_dir() => folders.push(path),
                        Ok(m) => {
                            let key = path.strip_prefix(&folder).unwrap_or(&path).to_string_lossy().into_owned();
                            all.push((key, m.modified().unwrap_or(SystemTime::UNIX_EPOCH)));
                        }
                        Err(_) => {}
                    }
                }
            }
            all
        };
        tokio::task::spawn_blocking(walk).await.map_err(|e| StoreError::File(e.to_string()))
    }

    /// Removes everything whose key begins with `prefix` and a slash, but for one: what an earlier
    /// attempt or build left.
    ///
    /// # Errors
    /// When the store fails.
    pub async fn remove_under(&self, prefix: &str, keep: &str) -> Result<()> {
        for (key, _) in self.list(prefix).await? {
            if !key.starts_with(keep) {
                self.remove(&key).await?;
            }
        }
        Ok(())
    }

    /// Some of the bytes under a key.
    ///
    /// # Errors
    /// When there are fewer, or the store fails.
    pub async fn range(&self, key: &str, start: u64, len: u64) -> Result<Bytes> {
        let end = start.checked_add(len).ok_or(StoreError::NotFound)?;
        let location = Path::from(key);
        let bytes = match self.store.get_range(&location, start..end).await {
            Ok(b) => b,
            // stores say in different ways that a range lies beyond the end
            Err(e) => {
                let size = self.store.head(&location).await?.size;
                return Err(if end > size { StoreError::NotFound } else { e.into() });
            }
        };
        // a range beyond the end is cut, not refused
        if bytes.len() as u64 == len { Ok(bytes) } else { Err(StoreError::NotFound) }
    }

    /// A local file with the bytes under a key, and its length: the file itself where the store is
    /// a folder, else a copy that goes when it is closed.
    ///
    /// # Errors
    /// When there is none, or it cannot be copied.
    pub async fn file(&self, key: &str) -> Result<(std::fs::File, u64)> {
        let got = self.store.get(&Path::from(key)).await?;
        let size = got.meta.size;
        if let object_store::GetResultPayload::File(file, _) = got.payload {
            return Ok((file, size));
        }
        let io = |e: std::io::Error| StoreError::File(e.to_string());
        let copy = tempfile::tempfile().map_err(io)?;
        let mut to = tokio::fs::File::from_std(copy.try_clone().map_err(io)?);
        let mut stream = got.into_stream();
        while let Some(chunk) = stream.next().await {
            to.write_all(&chunk?).await.map_err(io)?;
        }
        to.flush().await.map_err(io)?;
        to.rewind().await.map_err(io)?;
        Ok((copy, size))
    }

    /// Stores bytes; nothing is seen under the key until all are there.
    ///
    /// # Errors
    /// When the store fails.
    pub async fn put(&self, key: &str, bytes: Vec<u8>) -> Result<()> {
        self.store.put(&Path::from(key), bytes.into()).await?;
        Ok(())
    }

    /// All bytes under a key, for small things.
    ///
    /// # Errors
    /// When there are none, or the store fails.
    pub async fn bytes(&self, key: &str) -> Result<Bytes> {
        match self.store.get(&Path::from(key)).await {
            Ok(found) => Ok(found.bytes().await?),
            Err(object_store::Error::NotFound { .. }) => Err(StoreError::NotFound),
            Err(e) => Err(e.into()),
        }
    }

    /// The bytes under a key as a stream.
    ///
    /// # Errors
    /// When there are none, or the store fails.
    pub async fn stream(
        &self,
        key: &str,
    ) -> Result<impl futures::Stream<Item = std::result::Result<bytes::Bytes, object_store::Error>> + Send + use<>>
    {
        Ok(self.store.get(&Path::from(key)).await?.into_stream())
    }

    /// The same, compared with the length and SHA-256 (hex, or empty) that were noted of it: a stream that ends with
    /// [`StoreError::Damaged`] where it is not what was stored.
    ///
    /// # Errors
    /// When there is nothing under the key, or the store fails.
    pub async fn checked_stream(
        &self,
        key: &str,
        what: String,
        (bytes, sha256): (i64, String),
    ) -> Result<impl futures::Stream<Item = Result<Bytes>> + Send + use<>> {
        let mut stream = match self.stream(key).await {
            Err(StoreError::Object(object_store::Error::NotFound { .. })) => return Err(crate::verify::missing(&what)),
            other => Box::pin(other?),
        };
        Ok(async_stream::try_stream! {
            let (mut sum, mut n) = (Sha256::new(), 0);
            while let Some(chunk) = stream.next().await {
                let chunk = chunk?;
                sum.update(&chunk);
                n += chunk.len() as i64;
                // the last bytes are held back until it is known that all are right
                if n >= bytes {
                    crate::verify::matches(&what, (n, &hex(&sum.clone().finalize())), (bytes, &sha256))?;
                }
                yield chunk;
            }
            crate::verify::matches(&what, (n, &hex(&sum.finalize())), (bytes, &sha256))?;
        })
    }

    /// Copies a local file in, in parts with constant memory; returns its length and SHA-256 (hex).
    /// Nothing is seen under the key until all is there.
    ///
    /// # Errors
    /// When the file cannot be read or the store fails.
    pub async fn put_file(&self, key: &str, path: &std::path::Path) -> Result<(u64, String)> {
        const PART: usize = 8 << 20;
        let io = |e: std::io::Error| StoreError::File(format!("{}: {e}", path.display()));
        let mut file = tokio::fs::File::open(path).await.map_err(io)?;
        let mut upload = self.store.put_multipart(&Path::from(key)).await?;
        let (mut sum, mut size) = (Sha256::new(), 0u64);
        let copied = async {
            loop {
                let mut part = Vec::with_capacity(PART);
                (&mut file).take(PART as u64).read_to_end(&mut part).await.map_err(io)?;
                if part.is_empty() {
                    break;
                }
                sum.update(&part);
                size += part.len() as u64;
                upload.put_part(part.into()).await?;
            }
            upload.complete().await?;
            Ok::<_, StoreError>(())
        }
        .await;
        if let Err(e) = copied {
            let _ = upload.abort().await;
            return Err(e);
        }
        Ok((size, hex(&sum.finalize())))
    }
}

/// Lower-case hexadecimal.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
