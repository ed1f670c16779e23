-- Passes: walks of a mobile unit, each with a cloud and a path that came as files.
create table passes (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  -- profile of the unit, by name
  unit text not null,
  cloud_id uuid references uploads,
  path_id uuid references uploads,
  -- where what was read lies, and what is said of it; none until both files were
  key text,
  facts jsonb,
  -- moments at which it stood on a control point
  marks jsonb not null default '[]',
  simulated boolean not null default false,
  version int not null default 1,
  author uuid references users,
  made_at timestamptz not null default now()
);
create index on passes (job_id);
create unique index on passes (job_id, lower(name));
-- The cloud where its path was corrected to, as it is looked at.
create table pass_clouds (
  pass_id uuid primary key references passes on delete cascade,
  job_id uuid not null references jobs on delete cascade,
  inputs text not null,
  key text not null,
  tiles jsonb not null
);
create index on pass_clouds (job_id);
