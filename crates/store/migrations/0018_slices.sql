-- Slices are looked at by name as well.
alter table ticks drop constraint ticks_what_check;
alter table ticks add constraint ticks_what_check check (what in ('thing', 'slice'));
