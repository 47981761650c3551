import { type Layer, type LayerOptions, layer } from '../kit/layer.js'
import { Refusal } from '../kit/refusal.js'
import { isRead } from './by.js'

export interface DryRunOptions extends Pick<LayerOptions, 'only'> {
  /** False to let calls through, such as by a setting. Default: true. */
  isOn?: boolean
}

/**
 * Describes calls that would change something instead of executing them. Reads pass.
 *
 * @example dryRun({ isOn: process.env.NODE_ENV !== 'production' })
 */
export function dryRun({ isOn = true, only }: DryRunOptions = {}): Layer {
  return layer(
    'dryRun',
    async (call, next, note) => {
      if (!isOn || isRead(call)) return next()
      note('refused', { effect: call.part.kind === 'tool' ? call.part.effect : 'read' })
      throw new Refusal(
        `Dry run: ${call.part.name} was not executed. Its arguments are valid: ${JSON.stringify(call.input)?.slice(0, 4000) ?? 'none'}`,
      )
    },
    { ...(only ? { only } : {}), methods: ['tools/call'] },
  )
}
