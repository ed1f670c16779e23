-- People and how they come in.
create table users (
  id uuid primary key,
  email text not null unique check (email = lower(email)),
  name text not null,
  password_hash text not null,
  created_at timestamptz not null default now()
);
create table sessions (
  token_hash bytea primary key,
  user_id uuid not null references users on delete cascade,
  expires_at timestamptz not null
);
create table tokens (
  id uuid primary key,
  user_id uuid not null references users on delete cascade,
  name text not null,
  token_hash bytea not null unique,
  created_at timestamptz not null default now(),
  last_used_at timestamptz
);
create table sign_in_failures (email text not null, at timestamptz not null default now());
create index on sign_in_failures (email, at);

-- Jobs. What people edit carries a version; an edit names the version it saw.
create table jobs (
  id uuid primary key,
  name text not null check (length(name) between 1 and 200),
  brief jsonb not null,
  version integer not null default 1,
  simulated text,
  created_at timestamptz not null default now()
);
create type role as enum ('owner', 'surveyor', 'reviewer', 'client');
create table members (
  job_id uuid not null references jobs on delete cascade,
  user_id uuid not null references users on delete cascade,
  role role not null,
  primary key (job_id, user_id)
);
create table plan_items (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  kind text not null check (kind in ('wall', 'obstacle', 'station', 'target')),
  data jsonb not null,
  version integer not null default 1,
  deleted boolean not null default false
);
create index on plan_items (job_id);

-- Bulk data lies in the object store under `key`; the rows say what it is.
create table uploads (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  file_name text not null,
  key text not null,
  bytes bigint not null,
  sha256 text not null,
  created_at timestamptz not null default now()
);
create table scans (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  upload_id uuid not null references uploads on delete cascade,
  part integer not null,
  sequence bigint generated always as identity,
  name text not null,
  station_id uuid references plan_items,
  gridded boolean not null,
  levelled boolean not null default true,
  points bigint not null,
  skipped bigint not null default 0,
  key text not null,
  log jsonb not null default '{}',
  version integer not null default 1,
  unique (upload_id, part)
);
create unique index on scans (job_id, lower(name));
create table detections (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  scan_id uuid not null references scans on delete cascade,
  search text not null,
  kind text not null check (kind in ('sphere', 'checker')),
  data jsonb not null,
  usable boolean not null,
  excluded boolean not null default false,
  part integer not null default 0,
  version integer not null default 1
);
create index on detections (scan_id);
create table searched (scan_id uuid not null references scans on delete cascade, search text not null, primary key (scan_id, search));

-- Results keep the fingerprint of what they came from.
create table adjustments (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  revision integer not null,
  inputs text not null,
  network jsonb not null,
  result jsonb not null,
  created_at timestamptz not null default now(),
  locked_by uuid references users,
  locked_at timestamptz,
  unique (job_id, revision)
);
create table control_points (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  e double precision not null,
  n double precision not null,
  h double precision not null,
  sigma_h double precision not null check (sigma_h > 0),
  sigma_v double precision not null check (sigma_v > 0),
  is_check boolean not null default false,
  target text,
  version integer not null default 1
);
create unique index on control_points (job_id, lower(name));
create table georefs (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  inputs text not null,
  result jsonb not null,
  created_at timestamptz not null default now()
);
create index on georefs (job_id, created_at);
create table spacings (
  job_id uuid primary key references jobs on delete cascade,
  inputs text not null,
  result jsonb not null
);
create table packages (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  revision integer not null,
  inputs text not null,
  key text not null,
  bytes bigint not null,
  manifest jsonb not null,
  created_at timestamptz not null default now(),
  prepared_by uuid references users,
  prepared_at timestamptz,
  checked_by uuid references users,
  checked_at timestamptz,
  unique (job_id, revision),
  check (checked_by is null or checked_by <> prepared_by)
);
create table log (
  id bigint generated always as identity primary key,
  job_id uuid not null references jobs on delete cascade,
  user_id uuid references users,
  at timestamptz not null default now(),
  what text not null
);
create index on log (job_id, id);

-- Background work.
create table tasks (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  kind text not null,
  payload jsonb not null,
  state text not null default 'queued' check (state in ('queued', 'running', 'done', 'failed', 'cancelled')),
  progress double precision not null default 0,
  message text not null default '',
  attempts integer not null default 0,
  cancel boolean not null default false,
  worker text,
  beat_at timestamptz,
  created_by uuid references users,
  created_at timestamptz not null default now(),
  finished_at timestamptz
);
create index on tasks (state, created_at);
create index on tasks (job_id, created_at);
