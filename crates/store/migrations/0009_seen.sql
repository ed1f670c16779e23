-- What a client is shown of a checked package: the brief, the cloud with its poses, the verdicts and the title block as
-- they were when it was signed.
create table package_seen (
  package_id uuid primary key references packages on delete cascade,
  seen jsonb not null
);
