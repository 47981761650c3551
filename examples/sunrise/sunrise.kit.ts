/** Sun and moon over the hives: an unmodified JavaScript library from the registry, wrapped by its published types. */
import { defineKit, override } from 'jexo'
import { wrapModule } from 'jexo/module'

const sky = await wrapModule(import.meta.resolve('suncalc'), {
  only: ['get_times', 'get_position', 'get_moon_illumination'],
})

export default defineKit({
  name: 'sunrise',
  version: '1.0.0',
  about:
    'When bees fly and when they sleep: sun and moon over a place, given by latitude and longitude in degrees.',
  // Adds what the library does not describe; the rest comes from its types.
  parts: override(sky, {
    get_position: { about: 'Where the sun stands at a moment: azimuth and altitude, in degrees.' },
    get_moon_illumination: { about: 'How much of the moon is lit at a moment, and whether it is waxing.' },
  }),
})
