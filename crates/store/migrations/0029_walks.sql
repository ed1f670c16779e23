-- Walks with a mobile unit are items of the plan.
alter table plan_items drop constraint plan_items_kind_check;
alter table plan_items add constraint plan_items_kind_check
  check (kind in ('wall', 'obstacle', 'column', 'floor', 'area', 'edge', 'height', 'underlay', 'station', 'target', 'walk'));
-- A pass that is laid down as one piece, its path uncorrected.
alter table passes add column whole boolean not null default false;
