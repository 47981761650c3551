create table members ( -- Keepers of the co-op.
  name text not null primary key, -- As they sign
  joined integer not null -- Year
);
create table hives ( -- Where each hive stands and who keeps it.
  hive text not null primary key, -- Code, such as ML-04
  site text not null, -- Marsh Lane, Quarry Field or Orchard End
  queen integer not null, -- Year of the queen
  frames integer not null, -- Frames in the brood box
  keeper text not null references members(name)
);
create table inspections ( -- What was found when a hive was opened.
  id integer primary key,
  hive text not null references hives(hive),
  inspected_on text not null, -- Day, ISO 8601
  frames_of_brood integer not null,
  frames_of_bees integer not null,
  stores_kg real not null, -- Honey in the hive, in kilograms
  queen_seen integer not null, -- 1 where the queen was seen
  note text not null default ''
);
create table batches ( -- Honey that was taken.
  id integer primary key,
  hive text not null references hives(hive),
  taken_on text not null, -- Day, ISO 8601
  kind text not null, -- What flowered
  kg real not null, -- Weight without the combs
  moisture real not null -- Water in it, in percent; above 18 it does not keep
);
create index inspections_by_hive on inspections (hive, inspected_on);
create view season as -- Honey of each site and kind so far.
  select h.site, b.kind, count(*) as batches, round(sum(b.kg), 1) as kg
  from batches b join hives h on h.hive = b.hive group by h.site, b.kind;
