-- What two scans show of the same surfaces: found by a search, kept or turned down by people.
create table cloud_ties (
  id uuid primary key,
  job_id uuid not null references jobs on delete cascade,
  scan_a uuid not null references scans on delete cascade,
  scan_b uuid not null references scans on delete cascade,
  -- what the search depended on: a tie of another search is looked for again
  search text not null,
  -- pose, covariance and evidence; null where the two share nothing that could be laid on one another
  found jsonb,
  grade text not null,
  decision text not null default '' check (decision in ('', 'accepted', 'rejected')),
  reason text not null default '',
  decided_by uuid references users,
  decided_at timestamptz,
  version integer not null default 1,
  unique (scan_a, scan_b)
);
create index on cloud_ties (job_id);
create index on cloud_ties (scan_b);
