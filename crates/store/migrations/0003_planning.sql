-- More kinds of things on the plan.
alter table plan_items drop constraint plan_items_kind_check;
alter table plan_items add constraint plan_items_kind_check
  check (kind in ('wall', 'obstacle', 'column', 'floor', 'area', 'underlay', 'station', 'target'));
