-- Foragers that came home in one minute at noon, month by month, at one site.
-- @name counts_of_site
-- @title Counts at a site
-- @param {string} site Where it was counted
-- @enum Marsh Lane, Quarry Field, Orchard End
-- @example {"site": "Orchard End"}
select "on", foragers from counts where site = :site order by "on";
