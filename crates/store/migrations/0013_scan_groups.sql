-- Scans that a registrar takes together: free, held in the shape they were registered in, or set apart.
create table scan_groups (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  name text not null,
  scans uuid[] not null,
  hold text not null check (hold in ('free', 'held', 'apart')),
  -- where the scans stand in the frame of the first, and how well that is known; null where they are not held
  shape jsonb,
  changed_at timestamptz not null default now(),
  version integer not null default 1,
  unique (job_id, name)
);
-- Where a search began: from there it is not looked again.
alter table cloud_ties add column start jsonb;
