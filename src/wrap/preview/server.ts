import { writeWrapKit } from '../kit-writer/wrap-kit.js'
import { changesSince } from '../kit-writer/written-kit.js'
import { serverKitOf } from '../server/kit.js'
import type { ServerTarget } from '../server/opener.js'
import { planServer, type WrapServerOptions } from '../server/wrap-server.js'
import type { Preview, SourceOptions } from './preview.js'

export async function previewServer(
  source: string,
  target: ServerTarget,
  options: SourceOptions,
  reach: Pick<WrapServerOptions, 'headers' | 'signIn'>,
): Promise<Preview> {
  const plan = await planServer(target, { ...options, ...reach })
  const kit = serverKitOf(plan, source, target, options)
  return {
    form: 'server',
    plan,
    isEmpty: Object.keys(kit.tools).length === 0,
    write: (outFile, isForced) => writeWrapKit(outFile, kit, isForced),
    changesSince: (outFile) => changesSince(outFile, kit.tools),
  }
}
