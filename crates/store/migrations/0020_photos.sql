-- Photographs that colour the clouds: the picture in the store, what was picked in it, and parts that colour nothing.
create table photos (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  width int not null,
  height int not null,
  picks jsonb not null default '[]',
  masks jsonb not null default '[]',
  used boolean not null default true,
  version int not null default 1,
  author uuid not null references users,
  made_at timestamptz not null default now()
);
create index on photos (job_id);
-- What came of it, by scan: a colour for each point that some photograph saw, and tiles that have them.
create table scan_colours (
  scan_id uuid primary key references scans on delete cascade,
  job_id uuid not null references jobs on delete cascade,
  inputs text not null,
  -- the classes that its tiles were made with; empty without
  classes text not null,
  key text not null,
  tiles jsonb not null,
  coloured bigint not null,
  unseen bigint not null
);
create index on scan_colours (job_id);
