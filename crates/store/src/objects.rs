//! Bulk bytes, in a folder by default.

use crate::{Result, StoreError};
use futures::StreamExt;
use object_store::{ObjectStore, ObjectStoreExt, local::LocalFileSystem, path::Path};
use sha2::{Digest, Sha256};
use std::sync::Arc;

/// The object store. Cheap to clone.
#[derive(Clone, Debug)]
pub struct Objects {
    store: Arc<dyn ObjectStore>,
}

impl Objects {
    /// A store in a folder, which is made when missing.
    ///
    /// # Errors
    /// When the folder cannot be made.
    pub fn in_folder(folder: &std::path::Path) -> Result<Self> {
        std::fs::create_dir_all(folder)
            .map_err(|e| StoreError::Object(object_store::Error::Generic { store: "folder", source: Box::new(e) }))?;
        Ok(Self { store: Arc::new(LocalFileSystem::new_with_prefix(folder)?) })
    }

    /// Stores bytes; nothing is seen under the key until all are there.
    ///
    /// # Errors
    /// When the store fails.
    pub async fn put(&self, key: &str, bytes: Vec<u8>) -> Result<()> {
        self.store.put(&Path::from(key), bytes.into()).await?;
        Ok(())
    }

    /// All bytes under a key.
    ///
    /// # Errors
    /// When there are none, or the store fails.
    pub async fn get(&self, key: &str) -> Result<bytes::Bytes> {
        Ok(self.store.get(&Path::from(key)).await?.bytes().await?)
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

    /// Stores a stream in parts with constant memory; returns its length and SHA-256 (hex). When
    /// the stream breaks or grows over `limit`, nothing is kept.
    ///
    /// # Errors
    /// The stream's own error in words, or the store's.
    pub async fn put_stream<S, E>(
        &self,
        key: &str,
        mut body: S,
        limit: u64,
    ) -> std::result::Result<(u64, String), String>
    where
        S: futures::Stream<Item = std::result::Result<bytes::Bytes, E>> + Unpin,
        E: std::fmt::Display,
    {
        const PART: usize = 8 << 20;
        let mut upload = self.store.put_multipart(&Path::from(key)).await.map_err(|e| e.to_string())?;
        let (mut sum, mut size, mut buffer) = (Sha256::new(), 0u64, Vec::with_capacity(PART));
        let mut failed = None;
        while let Some(chunk) = body.next().await {
            let chunk = match chunk {
                Ok(c) => c,
                Err(e) => {
                    failed = Some(format!("the upload broke off after {size} bytes: {e}"));
                    break;
                }
            };
            size += chunk.len() as u64;
            if size > limit {
                failed = Some(format!("the file is larger than the {:.2} GB accepted here", limit as f64 / 1e9));
                // read on for a while without keeping anything: a sender that is still sending
                // would see a broken line instead of the reason
                let mut rest = 0;
                while let Some(Ok(c)) = body.next().await {
                    rest += c.len();
                    if rest > 1 << 30 {
                        break;
                    }
                }
                break;
            }
            sum.update(&chunk);
            buffer.extend_from_slice(&chunk);
            if buffer.len() >= PART
                && let Err(e) = upload.put_part(std::mem::take(&mut buffer).into()).await
            {
                failed = Some(e.to_string());
                break;
            }
        }
        if failed.is_none() && !buffer.is_empty() {
            failed = upload.put_part(buffer.into()).await.err().map(|e| e.to_string());
        }
        if let Some(reason) = failed {
            let _ = upload.abort().await;
            return Err(reason);
        }
        upload.complete().await.map_err(|e| e.to_string())?;
        Ok((size, hex(&sum.finalize())))
    }

    /// Copies a local file in.
    ///
    /// # Errors
    /// When the file cannot be read or the store fails.
    pub async fn put_file(&self, key: &str, path: &std::path::Path) -> std::result::Result<(u64, String), String> {
        let file = tokio::fs::File::open(path).await.map_err(|e| e.to_string())?;
        let stream = futures::stream::try_unfold(file, |mut f| async move {
            use tokio::io::AsyncReadExt;
            let mut b = vec![0; 1 << 20];
            let n = f.read(&mut b).await?;
            b.truncate(n);
            Ok::<_, std::io::Error>((n > 0).then(|| (bytes::Bytes::from(b), f)))
        });
        self.put_stream(key, Box::pin(stream), u64::MAX).await
    }

    /// Copies an object out to a local file.
    ///
    /// # Errors
    /// When there is none, or writing fails.
    pub async fn fetch(&self, key: &str, path: &std::path::Path) -> Result<()> {
        use tokio::io::AsyncWriteExt;
        let wrap = |e: std::io::Error| {
            StoreError::Object(object_store::Error::Generic { store: "folder", source: Box::new(e) })
        };
        let mut file = tokio::fs::File::create(path).await.map_err(wrap)?;
        let mut stream = Box::pin(self.stream(key).await?);
        while let Some(chunk) = stream.next().await {
            file.write_all(&chunk?).await.map_err(wrap)?;
        }
        file.flush().await.map_err(wrap)
    }
}

/// Lower-case hexadecimal.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
