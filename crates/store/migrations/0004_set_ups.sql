-- Instrument profiles that a person keeps beside those that come along.
create table instruments (
  id uuid primary key,
  user_id uuid not null references users on delete cascade,
  name text not null check (length(name) between 1 and 80),
  profile jsonb not null,
  version integer not null default 1
);
create unique index on instruments (user_id, lower(name));

-- Where the ground falls, and known heights of it.
alter table plan_items drop constraint plan_items_kind_check;
alter table plan_items add constraint plan_items_kind_check
  check (kind in ('wall', 'obstacle', 'column', 'floor', 'area', 'edge', 'height', 'underlay', 'station', 'target'));
