-- More ways to choose what is taken out: an outline in a slice, what lies behind a slice, gates of range and intensity; what is seen in mirrors.
alter table cleanings drop constraint cleanings_what_check;
alter table cleanings add constraint cleanings_what_check check (what in ('stray', 'moved', 'box', 'outline', 'behind', 'gate', 'mirror'));
