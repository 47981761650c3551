/** Pages of a handbook by file, and questions in other words than the pages use: each is answered by one page. */
export const pages: Record<string, string> = {
  'spring/first-inspection.md':
    '# First inspection\n\nOpen the colony on the first warm day above 14 °C. Look for eggs, capped brood and remaining stores, and clean the floor.',
  'spring/swarming.md':
    '# Preventing swarms\n\nFrom May on, colonies want to divide. Cut queen cells every seven days, give room early, or make a split.',
  'spring/splits.md':
    '# Making a split\n\nMove three frames of brood with bees into a nucleus box, and let them raise a queen of their own.',
  'spring/supers.md':
    '# Adding a super\n\nPut on the honey super when the bees cover all frames of the brood box, with an excluder between.',
  'summer/harvest.md':
    '# Harvest\n\nTake combs that are capped to two thirds. The water content has to be below 18 percent; measure it with a refractometer.',
  'summer/extracting.md':
    '# Extracting\n\nUncap with a fork, spin both sides of the frame, strain through a double sieve and let it settle for three days.',
  'summer/heat.md':
    '# Heat\n\nAbove 35 °C combs may collapse. Shade the boxes, widen the entrance and place water nearby.',
  'summer/robbing.md':
    '# Robbing\n\nStrangers fight at the entrance and steal from weak colonies. Narrow the entrance at once and never spill syrup.',
  'autumn/feeding.md':
    '# Autumn feeding\n\nGive fifteen kilograms of syrup, three parts sugar to two of water, until the middle of September.',
  'autumn/uniting.md':
    '# Uniting colonies\n\nTwo weak colonies make a strong one: put a newspaper between the boxes and remove one queen.',
  'autumn/mouse-guard.md':
    '# Mouse guards\n\nFix a grid with holes of seven millimetres before the first frost, so that no rodent moves in.',
  'winter/oxalic.md':
    '# Oxalic acid\n\nTrickle 3.5 percent oxalic acid between the frames when no brood is left, in December.',
  'winter/rest.md':
    '# Winter rest\n\nDo not open the lid. Listen at the wall, weigh the box from below, and clear snow from the landing board.',
  'health/varroa-count.md':
    '# Counting mites\n\nSlide a board with oil under the mesh floor for three days. More than ten varroa a day in July means treatment.',
  'health/formic.md':
    '# Formic acid\n\nEvaporate sixty percent formic acid from a sponge cloth above the brood after the last harvest. Wear gloves and goggles.',
  'health/foulbrood.md':
    '# American foulbrood\n\nThe cappings are sunken, the larva pulls a thread. It is notifiable: call the veterinary office and move nothing.',
  'health/nosema.md':
    '# Nosema\n\nBrown streaks on the front and crawling bees in spring point to a disease of the gut.',
  'health/chalkbrood.md':
    '# Chalkbrood\n\nHard white mummies lie on the landing board; a strong colony in a dry place recovers.',
  'health/wax-moth.md':
    '# Wax moths\n\nStore empty combs cold and airy, or freeze them for two days, so that larvae do not eat tunnels into them.',
  'queens/marking.md':
    '# Marking queens\n\nHold her in a tube with foam and put a dot of paint on her back: blue in years ending in 5 and 0.',
  'queens/requeening.md':
    '# Requeening\n\nHang the cage with candy between two brood frames; after three days look whether she was freed and accepted.',
  'queens/rearing.md':
    '# Rearing queens\n\nGraft larvae of one day into cups, and give them to a starter without a queen.',
  'queens/laying-workers.md':
    '# Laying workers\n\nSeveral eggs in a cell and only drones: shake the bees off far away, the false mothers do not find home.',
  'equipment/smoker.md':
    '# Smoker\n\nLight dry cardboard, then add jute or pine needles. The smoke should feel cool on your hand.',
  'equipment/hive-types.md':
    '# Hive types\n\nA comparison of the boxes that are common here: frame sizes, weight when full, and cost.',
  'equipment/scale.md':
    '# The hive scale\n\nCalibrate it empty and with ten kilograms. It reports every quarter of an hour over the radio of the gateway.',
  'equipment/gateway.md':
    '# The gateway\n\nIf its lamp blinks red it has lost the network. Hold the button for five seconds to restart it.',
  'equipment/veil.md':
    '# Protective clothing\n\nWash the suit at sixty degrees without softener, and mend each hole: bees find it.',
  'products/wax.md':
    '# Rendering wax\n\nMelt old combs in a solar melter or by steam, filter through cloth, and cast blocks.',
  'products/candles.md': '# Candles\n\nDip the wick thirty times, or pour into moulds of silicone at 70 °C.',
  'products/propolis.md':
    '# Propolis\n\nFreeze the grid, then break the resin off. Dissolve one part in four parts of alcohol for two weeks.',
  'products/labels.md':
    '# Labels of jars\n\nName and address of the producer, weight, best-before date, lot number and country of origin are required.',
  'products/creaming.md': '# Creamed honey\n\nStir twice a day from the first crystals on, so that it stays soft.',
  'law/registration.md':
    '# Registration\n\nEvery site has to be reported to the district within four weeks, with the number of colonies.',
  'law/distance.md':
    '# Neighbours\n\nKeep three metres from the boundary, or plant a hedge of two metres, so that flight paths rise.',
  'law/transport.md':
    '# Moving to other districts\n\nA certificate of health, not older than nine months, has to travel with the colonies.',
  'people/stings.md':
    '# Stings\n\nScrape the sting out sideways at once. With dizziness, a swollen throat or hives all over, call an ambulance.',
  'people/school.md':
    '# School visits\n\nGroups of at most twelve children, with veils of our own, in the forenoon. Ask about allergies.',
  'people/rota.md':
    '# Duty rota\n\nWho waters, mows and looks after the boxes in which week is written on the board in the shed.',
  'plants/forage.md':
    '# Forage calendar\n\nWillow and hazel begin in March, rape and cherry follow, lime ends the year in July, ivy is the last pollen.',
}

export const questions: [string, string][] = [
  ['When can I open the hives for the first time in the year?', 'spring/first-inspection.md'],
  ['how do I stop my bees from swarming', 'spring/swarming.md'],
  ['raise a new queen in a nucleus box', 'spring/splits.md'],
  ['when to add honey supers', 'spring/supers.md'],
  ['how much water may honey contain at harvest', 'summer/harvest.md'],
  ['spinning frames and straining', 'summer/extracting.md'],
  ['hot weather, combs collapsed', 'summer/heat.md'],
  ['other bees are stealing from a weak colony', 'summer/robbing.md'],
  ['how many kilograms of sugar syrup before winter', 'autumn/feeding.md'],
  ['join two weak colonies with newspaper', 'autumn/uniting.md'],
  ['keep mice out', 'autumn/mouse-guard.md'],
  ['trickling oxalic acid in December', 'winter/oxalic.md'],
  ['what do I do with the bees when there is snow', 'winter/rest.md'],
  ['counting varroa mites', 'health/varroa-count.md'],
  ['evaporating formic acid, which gloves', 'health/formic.md'],
  ['larvae pull threads and the cappings are sunken', 'health/foulbrood.md'],
  ['brown streaks at the front of the hive', 'health/nosema.md'],
  ['white mummies on the board', 'health/chalkbrood.md'],
  ['protecting stored combs from moths', 'health/wax-moth.md'],
  ['which colour for marking the queen in 2025', 'queens/marking.md'],
  ['introducing a caged queen', 'queens/requeening.md'],
  ['grafting larvae', 'queens/rearing.md'],
  ['several eggs in one cell', 'queens/laying-workers.md'],
  ['lighting the smoker', 'equipment/smoker.md'],
  ['compare frame sizes of hive types', 'equipment/hive-types.md'],
  ['calibrating the scale', 'equipment/scale.md'],
  ['red lamp is blinking, restart', 'equipment/gateway.md'],
  ['washing the suit', 'equipment/veil.md'],
  ['melting old combs', 'products/wax.md'],
  ['pouring candle moulds', 'products/candles.md'],
  ['dissolve propolis in alcohol', 'products/propolis.md'],
  ['what has to be on the label of a jar', 'products/labels.md'],
  ['keeping honey soft and creamy', 'products/creaming.md'],
  ['where do I have to report a new site', 'law/registration.md'],
  ['how far from the neighbours boundary', 'law/distance.md'],
  ['health certificate for transporting colonies', 'law/transport.md'],
  ['someone was stung and feels dizzy', 'people/stings.md'],
  ['visit of a school class, how many children', 'people/school.md'],
  ['who is on duty this week', 'people/rota.md'],
  ['which plants flower in March', 'plants/forage.md'],
]

/** Notes of visits that contain words of the handbook too, up to this many files. */
export function notes(count: number): Record<string, string> {
  const did = [
    'looked for eggs',
    'cut queen cells',
    'added a super',
    'took two combs',
    'fed syrup',
    'counted mites',
    'weighed the box',
    'cleaned the floor',
    'moved a frame of brood',
    'marked the queen',
  ]
  const saw = [
    'calm bees',
    'much pollen',
    'few stores',
    'drones',
    'a strong colony',
    'a weak colony',
    'capped brood',
    'water on the lid',
    'wasps at the entrance',
    'smoke was not needed',
  ]
  const pick = (list: string[], at: number) => list[at % list.length] ?? ''
  return Object.fromEntries(
    Array.from({ length: count }, (_, at) => [
      `visits/${2020 + (at % 6)}/hive-${at}.md`,
      `# Visit ${at}\n\nWe ${pick(did, at)} and ${pick(did, at * 7 + 3)}. There were ${pick(saw, at * 3)} and ${pick(saw, at * 5 + 1)}; ${pick(saw, at * 11 + 4)} in the second box. Weight ${20 + (at % 30)} kilograms.`,
    ]),
  )
}
