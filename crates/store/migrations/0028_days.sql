-- What days on site are planned from: dates, people, scanners, batteries, windows.
create table days (
  job_id uuid primary key references jobs on delete cascade,
  settings jsonb not null,
  version int not null default 1,
  author uuid references users,
  changed_at timestamptz not null default now()
);
