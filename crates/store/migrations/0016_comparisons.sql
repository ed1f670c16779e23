-- Two scans set against one another: what came of it, and the places apart, which are long and read for one pair at a time.
create table comparisons (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  scan_a uuid not null references scans on delete cascade,
  scan_b uuid not null references scans on delete cascade,
  inputs text not null,
  result jsonb not null,
  places jsonb not null,
  unique (scan_a, scan_b)
);
create index on comparisons (job_id);
-- What somebody looked at and put their name to: a thing that changed, at its place.
create table ticks (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  what text not null check (what in ('thing')),
  place jsonb not null,
  note text not null,
  author uuid not null references users,
  made_at timestamptz not null default now()
);
create index on ticks (job_id, what);
