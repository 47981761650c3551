import type { Call } from '../../kit/call.js'
import { content } from '../../kit/content.js'
import { outcome } from '../../kit/outcome.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import type { Shared } from '../../kit/shared.js'
import { tool } from '../../kit/tool.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { ProcessPlan } from './plan.js'
import type { Reply } from './worker.js'
import type { Workers } from './workers.js'

/** The tools of a plan. */
export function processPartsOf(plan: ProcessPlan, workers: Shared<Workers>): Part[] {
  return plan.tools.map(({ as, definition }) => {
    const { name, title, about, effect = 'change', input, output } = definition
    return tool(as, {
      about,
      effect,
      tags: plan.tags,
      source: workers,
      input: (input ?? { type: 'object', properties: {}, additionalProperties: false }) as never,
      ...(title === undefined ? {} : { title }),
      ...(output === undefined ? {} : { output: output as never }),
      run: (async (given: JsonObject, call: Call) => {
        const opened = await call.use(workers)
        return call.upstream('process', `${plan.program} ${name}`, async () =>
          resultOf(await opened.call(name, given, call)),
        )
      }) as never,
    })
  })
}

function resultOf(reply: Reply): unknown {
  if ('output' in reply) {
    const { output } = reply
    if (isObject(output)) return outcome({ structured: output, blocks: [] })
    return output ?? outcome({ blocks: [content.text('Done.')] })
  }
  return outcome({ blocks: reply.content.slice(0, 100).map(blockOf) })
}

/** Text, images and audio in the form of the standard (Tools, "Tool Result"). Throws a `Refusal` for anything else. */
function blockOf(block: unknown) {
  if (isObject(block)) {
    const { type, text, data, mimeType } = block
    if (type === 'text' && typeof text === 'string') return content.text(text)
    if (typeof data === 'string' && typeof mimeType === 'string' && /^[A-Za-z0-9+/]*={0,2}$/.test(data)) {
      if (type === 'image') return content.image(Buffer.from(data, 'base64'), mimeType)
      if (type === 'audio') return content.audio(Buffer.from(data, 'base64'), mimeType)
    }
  }
  throw new Refusal('The program replied with content that is not text, an image or audio.')
}
