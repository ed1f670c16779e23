-- What is drawn for the client: sheets, and what stands on them.
create table drawn_items (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  kind text not null check (kind in ('sheet', 'line', 'opening', 'unseen', 'column', 'thickness')),
  data jsonb not null,
  version integer not null default 1,
  deleted boolean not null default false
);
create index on drawn_items (job_id);
