import { type Call, defineKit, Refusal, tool } from 'jexo'

/** Weights in kilograms and sites of four hives of the Marsh Lane beekeepers. */
const hives = new Map([
  ['ML-01', { site: 'Marsh Lane', kilograms: 41.2 }],
  ['ML-04', { site: 'Quarry Field', kilograms: 38.7 }],
  ['ML-07', { site: 'Quarry Field', kilograms: 29.9 }],
  ['ML-10', { site: 'Orchard End', kilograms: 44.5 }],
])
const closed = new Set<string>()

const hive = { type: 'string', enum: [...hives.keys()], description: 'Name of the hive' } as const
const site = { type: 'string', enum: ['Marsh Lane', 'Quarry Field', 'Orchard End'], description: 'Site' } as const
const inputOf = (properties: Record<string, object>) => ({
  type: 'object' as const,
  properties,
  required: Object.keys(properties),
})
const caller = ({ identity }: Call) => identity?.claims.name ?? identity?.subject ?? 'somebody without a name'

export default defineKit({
  name: 'gated-apiary',
  version: '1.0.0',
  about: 'Four hives of the Marsh Lane beekeepers, for members only.',
  parts: [
    tool('who_am_i', {
      about: 'Returns who is signed in, and with which scopes.',
      effect: 'read',
      run: (_, call) => ({ name: caller(call), scopes: call.identity?.scopes ?? [] }),
    }),
    tool('weigh_hive', {
      about: 'Weighs a hive. Returns its site and its weight in kilograms.',
      effect: 'read',
      scopes: ['hives.read'],
      input: inputOf({ hive }),
      run: (input) => hives.get(String(input.hive)) ?? null,
    }),
    tool('move_hive', {
      about: 'Moves a hive to another site.',
      effect: 'change',
      scopes: ['hives.write'],
      input: inputOf({ hive, site }),
      run: (input, call) => {
        const known = hives.get(String(input.hive))
        const to = String(input.site)
        if (closed.has(to)) throw new Refusal(`${to} is closed.`)
        if (known) known.site = to
        return `${caller(call)} moved ${input.hive} to ${to}.`
      },
    }),
    // Visible to wardens only.
    tool('close_site', {
      about: 'Closes a site: hives can no longer be moved there.',
      effect: 'change',
      scopes: ['hives.write'],
      visibleTo: (who) => who.claims.role === 'warden',
      input: inputOf({ site }),
      run: (input, call) => {
        closed.add(String(input.site))
        return `${caller(call)} closed ${input.site}.`
      },
    }),
  ],
})
