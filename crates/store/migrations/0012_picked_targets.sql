-- corners and picked points are targets too
alter table detections drop constraint detections_kind_check;
alter table detections add constraint detections_kind_check check (kind in ('sphere', 'checker', 'corner', 'point'));
