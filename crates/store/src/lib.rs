//! PostgreSQL and object storage.
