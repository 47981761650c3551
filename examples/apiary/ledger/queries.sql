-- What was found at the inspections of one hive this season, newest first.
-- @name list_inspections
-- @title Inspections of a hive
-- @tags ledger
-- @param hive Hive code, such as ML-04
-- @pattern ^ML-\d\d$
-- @param {integer} most How many at most
-- @minimum 1
-- @maximum 50
-- @default 5
-- @example {"hive": "ML-04"}
select id, inspected_on, frames_of_brood, frames_of_bees, stores_kg, queen_seen, note
from inspections where hive = :hive order by inspected_on desc, id desc limit :most;

-- Honey that was taken at a site, or at all of them: batches with weight and moisture, the heaviest first.
-- @name honey_batches
-- @title Honey batches
-- @tags ledger
-- @param {string} site Only of this site
-- @enum Marsh Lane, Quarry Field, Orchard End
-- @optional
-- @param {number} driest Only what has at most so much water, in percent
-- @default 100
-- @example {"site": "Orchard End"}
select b.id, b.hive, h.site, b.taken_on, b.kind, b.kg, b.moisture
from batches b join hives h on h.hive = b.hive
where (:site is null or h.site = :site) and b.moisture <= :driest
order by b.kg desc limit 50;

-- Corrects the moisture of a batch after it was measured again.
-- @name correct_moisture
-- @title Correct a batch
-- @tags ledger
-- @effect change
-- @param id Number of the batch
-- @param moisture Water in it, in percent
-- @minimum 10
-- @maximum 30
-- @confirm Set the moisture of batch {id} to {moisture} %?
-- @example {"id": 3, "moisture": 17.2}
update batches set moisture = :moisture where id = :id returning id, hive, kg, moisture;
