-- When a task that was put back may be taken again; how often its data was away, and how often it ended its worker;
-- when this attempt began.
alter table tasks add column not_before timestamptz not null default now();
alter table tasks add column outages integer not null default 0;
alter table tasks add column lost integer not null default 0;
alter table tasks add column started_at timestamptz;
