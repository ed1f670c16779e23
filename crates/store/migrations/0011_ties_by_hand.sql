-- A tie that somebody laid by hand, and what the row was before, so that it can be taken back.
alter table cloud_ties
  add column laid_by uuid references users,
  add column laid_at timestamptz,
  add column before jsonb;
-- A target that somebody pointed at; a search leaves it.
alter table detections add column laid_by uuid references users;
