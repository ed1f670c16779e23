-- Simple solids.
alter table drawn_items drop constraint drawn_items_kind_check;
alter table drawn_items add check (kind in (
  'sheet', 'line', 'opening', 'unseen', 'column', 'thickness', 'breakline', 'area', 'spot', 'elevation', 'feature', 'code',
  'solid'
));
