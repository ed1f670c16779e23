-- Clouds at full size: uploads that resume, what is derived from scans, saved views.

-- An upload arrives in parts; it is whole when all its bytes are there. Its bytes are its parts,
-- one after the other.
alter table uploads
  add column state text not null default 'whole' check (state in ('receiving', 'whole')),
  add column received bigint not null default 0 check (received between 0 and bytes),
  -- station, unit, up axis, columns: what the file does not say by itself
  add column options jsonb not null default '{}',
  add column created_by uuid references users,
  add column sequence bigint generated always as identity,
  alter column sha256 set default '';
create table upload_parts (
  upload_id uuid not null references uploads on delete cascade,
  start bigint not null check (start >= 0),
  bytes bigint not null check (bytes > 0),
  key text not null,
  primary key (upload_id, start)
);
insert into upload_parts select id, 0, bytes, key from uploads where bytes > 0;
update uploads set received = bytes;
alter table uploads drop column key;

-- What stands in the object store for a scan: canonical scan, working cloud, tiles, panorama.
alter table scans
  drop column sequence,
  add column pose jsonb,
  add column images integer not null default 0,
  add column coloured boolean not null default false,
  add column derived jsonb not null default '{}',
  add column bytes bigint not null default 0;

create table views (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null check (length(name) between 1 and 100),
  data jsonb not null,
  created_by uuid references users,
  created_at timestamptz not null default now()
);
create unique index on views (job_id, lower(name));

-- Results that are long to compute and quick to read, with what they came from.
create table computed (
  job_id uuid not null references jobs on delete cascade,
  kind text not null,
  inputs text not null,
  result jsonb not null,
  primary key (job_id, kind)
);

alter table packages add column options jsonb not null default '{}';
