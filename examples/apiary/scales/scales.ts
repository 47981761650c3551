import { mqttSource, type PushingSource, sharedFeed } from 'jexo/feed'
import { serveScales } from './serve.ts'
import { stateLabels } from './weights.ts'

/** Without a setting for the broker's address, the broker runs in this process. */
const ownBroker: PushingSource = {
  async open(sink, opening) {
    const served = await serveScales()
    const close = await mqttSource(served.url).open(sink, opening)
    return async () => {
      await close()
      await served.close()
    }
  },
}

/** The scales under the hives. All sessions share one connection. */
export const scales = sharedFeed(process.env.SCALES_URL ?? ownBroker, {
  name: 'scales',
  channels: {
    weight: {
      topic: 'scales/{hive}/weight',
      about: 'Weight of a hive, as its scale reports it every five seconds',
      unit: 'kg',
      field: 'kg',
      timeField: 'at',
    },
    state: {
      topic: 'scales/{hive}/state',
      about: 'State of the scale under a hive',
      labels: stateLabels,
    },
  },
  staleAfterMs: 20_000,
})
