-- Surfaces that somebody else made, to reckon volumes to: an earlier survey, a design.
create table surfaces (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  -- 95 % of its heights, metres: what is said of it
  error95 double precision not null,
  -- where its corners and triangles are kept, and how many they are
  key text not null,
  corners integer not null,
  triangles integer not null,
  author uuid not null references users,
  made_at timestamptz not null default now(),
  version integer not null default 1,
  unique (job_id, name)
);
