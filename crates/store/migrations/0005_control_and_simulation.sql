-- σ by axis, and points that are known in plan or in height only.
alter table control_points rename column sigma_h to sigma_e;
alter table control_points add column sigma_n double precision check (sigma_n > 0);
update control_points set sigma_n = sigma_e;
alter table control_points alter column e drop not null, alter column n drop not null, alter column h drop not null;
alter table control_points alter column sigma_n set not null;
alter table control_points add constraint known check ((e is null) = (n is null) and (e is not null or h is not null));
-- Taken by the simulated scanner: marked on everything that comes of it.
alter table scans add column simulated boolean not null default false;
-- Findings that were kept as they are, with who and why.
create table kept_findings (
  job_id uuid not null references jobs on delete cascade,
  key text not null,
  note text not null,
  user_id uuid references users,
  at timestamptz not null default now(),
  primary key (job_id, key)
);
