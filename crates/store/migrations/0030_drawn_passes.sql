alter table passes add column drawn boolean not null default true;
