-- SHA-256 (hex) of what was stored, compared on every read; empty where it was stored before sums were kept.
alter table upload_parts add column sha256 text not null default '';
alter table packages add column sha256 text not null default '';
