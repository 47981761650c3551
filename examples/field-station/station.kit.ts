/**
 * Existing parts of a field station as one server: an old server, a command, a Python program, and a file that the
 * scales write.
 */
import { defineKit } from 'jexo'
import { wrapCommand } from 'jexo/command'
import { wrapFeed } from 'jexo/feed'
import { wrapProcess } from 'jexo/process'
import { wrapServer } from 'jexo/server'

const weather = await wrapServer(
  { command: 'node', args: [new URL('./old-station.mjs', import.meta.url)] },
  {
    only: ['get'],
    rename: { get: 'weather_at' },
    override: {
      weather_at: {
        about: 'Weather at a site now: temperature and wind. s is Marsh Lane, Quarry Field or Orchard End.',
        effect: 'read',
      },
    },
  },
)

const logbook = await wrapCommand(new URL('./logbook.commands.yaml', import.meta.url), {
  folder: new URL('./data/', import.meta.url),
})

const frames = await wrapProcess({
  command: 'python3',
  args: [new URL('../other-languages/frames.py', import.meta.url)],
})

const scales = await wrapFeed(new URL('./data/readings.ndjson', import.meta.url), {
  name: 'scales',
  topic: '{hive}',
  channels: {
    weight: { topic: '{hive}', field: 'kg', timeField: 'at', unit: 'kg', about: 'Weight of a hive' },
  },
})

export default defineKit({
  name: 'field-station',
  version: '1.0.0',
  about: 'The field station of the Marsh Lane beekeepers.',
  parts: [...weather, ...logbook, ...frames, ...scales],
})
