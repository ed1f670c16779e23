-- What reports of a job are headed with.
create table letterheads (
  job_id uuid primary key references jobs on delete cascade,
  lines text not null,
  colour text not null check (colour ~ '^#[0-9a-f]{6}$'),
  logo bytea,
  version int not null default 1
);
