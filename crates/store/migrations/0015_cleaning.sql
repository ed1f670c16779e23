-- What is looked for in the clouds that does not belong there, in the order in which it was asked for; turned off, it is as
-- if it had never been asked for.
create table cleanings (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  sequence bigint generated always as identity,
  what text not null check (what in ('stray', 'moved', 'box')),
  options jsonb not null,
  active boolean not null default true,
  version int not null default 1,
  author uuid not null references users,
  made_at timestamptz not null default now()
);
create index on cleanings (job_id);
-- What came of it, by scan: a class for each point, and tiles that know them.
create table scan_classes (
  scan_id uuid primary key references scans on delete cascade,
  job_id uuid not null references jobs on delete cascade,
  inputs text not null,
  key text not null,
  tiles jsonb not null,
  counts jsonb not null
);
create index on scan_classes (job_id);
