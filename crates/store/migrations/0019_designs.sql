-- What is to be built, and what was there of it each time somebody looked.
create table designs (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  elements jsonb not null,
  tolerance double precision not null,
  version int not null default 1,
  author uuid not null references users,
  made_at timestamptz not null default now()
);
create index on designs (job_id);
create table design_looks (
  id uuid primary key,
  design_id uuid not null references designs on delete cascade,
  inputs text not null,
  states jsonb not null,
  author uuid references users,
  made_at timestamptz not null default now(),
  unique (design_id, inputs)
);
