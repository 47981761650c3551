import { serverKitOf } from '../server/kit.js'
import type { ServerTarget } from '../server/opener.js'
import { planServer, type WrapServerOptions } from '../server/wrap-server.js'
import type { Preview, SourceOptions } from './preview.js'
import { writing } from './writing.js'

export async function previewServer(
  source: string,
  target: ServerTarget,
  options: SourceOptions,
  reach: Pick<WrapServerOptions, 'headers' | 'signIn'>,
): Promise<Preview> {
  const plan = await planServer(target, { ...options, ...reach })
  return { form: 'server', plan, ...writing(serverKitOf(plan, source, target, options)) }
}
