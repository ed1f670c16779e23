-- A cloud that was merged, cut or taken on a walk: nothing is looked for in it, and it is registered as one body.
alter table scans add column has_scanner boolean not null default true;
-- What its file says of its coordinates: reference and unit.
alter table scans add column reference text;
