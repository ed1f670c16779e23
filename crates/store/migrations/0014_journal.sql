-- What people note in the field. Entries are never changed or removed: whoever corrects one writes another that follows it.
create table journal (
  -- made by the device, so that what is sent twice is there once
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  -- the order in which they came in
  sequence bigint generated always as identity,
  -- what it is about: a station, an item of a checklist, a note
  subject text not null,
  fact jsonb not null,
  follows uuid[] not null default '{}',
  author uuid not null references users,
  device text not null,
  -- by the clock of the device, and by how much that was ahead when it sent them, seconds
  taken_at timestamptz not null,
  ahead double precision not null,
  received_at timestamptz not null default now()
);
create index on journal (job_id, sequence);
-- Photographs, voices and papers that entries speak of; they come before the entry.
create table journal_files (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  media text not null,
  bytes bigint not null,
  sha256 text not null,
  key text not null,
  author uuid not null references users,
  received_at timestamptz not null default now()
);
create index on journal_files (job_id);
-- The best tie of a scan that came in while somebody is on site: for the field sheet alone, no registration reads it.
create table quick_ties (
  scan_id uuid primary key references scans on delete cascade,
  job_id uuid not null references jobs on delete cascade,
  other uuid references scans on delete cascade,
  found jsonb,
  grade text not null,
  at timestamptz not null default now()
);
