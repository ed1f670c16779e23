-- Points that somebody measured by other means, to set the clouds against them; what came of it, and from what.
create table surveys (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  points jsonb not null,
  limits jsonb not null,
  version int not null default 1,
  author uuid not null references users,
  made_at timestamptz not null default now(),
  inputs text,
  result jsonb
);
create index on surveys (job_id);
