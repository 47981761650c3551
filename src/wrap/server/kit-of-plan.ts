import { defineKit, type Kit } from '../../kit/kit.js'
import type { Part } from '../../kit/part.js'
import type { ServerPlan } from './plan.js'

/** A kit with the name, version and instructions of a planned server. */
export function kitOfPlan({ server, instructions }: ServerPlan, parts: readonly Part[]): Kit {
  const { name, version, title } = server
  return defineKit({
    name,
    version,
    ...(title === undefined ? {} : { title }),
    ...(instructions === undefined ? {} : { about: instructions }),
    parts,
  })
}
