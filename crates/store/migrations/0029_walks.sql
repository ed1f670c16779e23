-- Walks with a mobile unit are items of the plan.
alter table plan_items drop constraint plan_items_kind_check;
alter table plan_items add constraint plan_items_kind_check
  check (kind in ('wall', 'obstacle', 'column', 'floor', 'area', 'edge', 'height', 'underlay', 'station', 'target', 'walk'));
