import { messageOf } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import { content } from '../../kit/content.js'
import { type Outcome, outcome } from '../../kit/outcome.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import type { Shared } from '../../kit/shared.js'
import { template } from '../../kit/template.js'
import { tool } from '../../kit/tool.js'
import type { JsonObject } from '../../protocol/messages.js'
import type { Library } from './library.js'
import { decoded, mimeTypeOf, textFormOf } from './media.js'
import type { FolderPlan } from './plan.js'
import { uriOfPath } from './uris.js'

const mostOffered = 100

/** The parts of a plan: a template for all files, and the tool that searches their passages. */
export function folderPartsOf(plan: FolderPlan, library: Shared<Library>): Part[] {
  const files = fileTemplate(plan, library)
  return plan.tool === undefined ? [files] : [searchTool(plan.tool, plan, library), files]
}

const titleOf = (path: string) => path.replace(/\.\w+$/, '').replace(/[-_]/g, ' ')

function fileTemplate({ name, about, tags }: FolderPlan, library: Shared<Library>): Part {
  return template(`${name}://{+path}`, {
    name: `${name}_file`,
    about: `${about}: one file by its path.`,
    ...(tags.length > 0 ? { tags } : {}),
    source: library,
    list: async (call) =>
      (await call.use(library)).definitions(({ path, bytes, mimeType, modifiedMs }) => ({
        uri: uriOfPath(name, path),
        name: path,
        description: `${about.replace(/\.$/, '')}: ${titleOf(path)}.`,
        mimeType,
        size: bytes,
        annotations: { lastModified: new Date(modifiedMs).toISOString() },
      })),
    complete: {
      path: async (typed, call) => {
        const paths = [...(await call.use(library)).files.keys()]
        const wanted = typed.toLowerCase()
        const starting = paths.filter((path) => path.toLowerCase().startsWith(wanted))
        const others = paths.filter((path) => !starting.includes(path) && path.toLowerCase().includes(wanted))
        return [...starting, ...others].slice(0, mostOffered)
      },
    },
    async read({ path = '' }, call) {
      const open = await call.use(library)
      const bytes = await call.upstream('file', path, async (notes) => {
        const read = await open.read(path)
        Object.assign(notes, { status: 'ok', bytes: read.length })
        return read
      })
      return contentsOf(uriOfPath(name, path), path, bytes)
    },
  })
}

/** Content of a file: text, with a note if parts could not be decoded; for a PDF, the bytes and the text. */
async function contentsOf(uri: string, path: string, bytes: Uint8Array) {
  const mimeType = mimeTypeOf(path)
  const form = textFormOf(mimeType)
  const note = (text: string) => content.embed({ uri: `${uri}#note`, mimeType: 'text/plain', text })
  if (form === 'pdf') {
    const { pagesOf } = await import('./text-of.js')
    const pages = await pagesOf(bytes).catch((error: unknown) => [`Its text cannot be read: ${messageOf(error)}`])
    return [
      content.embed({ uri, mimeType, bytes }),
      content.embed({ uri: `${uri}#text`, mimeType: 'text/plain', text: pages.join('\n\n') }),
    ]
  }
  if (form === 'none') return content.embed({ uri, mimeType, bytes })
  const { text, isWhole, isBinary, encoding } = decoded(bytes)
  if (isBinary) return content.embed({ uri, mimeType: 'application/octet-stream', bytes })
  const whole = content.embed({ uri, mimeType, text })
  if (!isWhole)
    return [whole, note('The encoding of this file is not known; what could not be read is shown as �.')]
  const isGuessed = encoding !== undefined && !encoding.startsWith('utf-16')
  return isGuessed
    ? [whole, note(`This file is not UTF-8. It was read as ${encoding}, which its bytes suggest.`)]
    : whole
}

function searchTool(name: string, plan: FolderPlan, library: Shared<Library>): Part {
  return tool(name, {
    about: `Searches passages by words: ${plan.about}. Returns the text with file, heading and lines, best matches first.`,
    effect: 'read',
    ...(plan.tags.length > 0 ? { tags: plan.tags } : {}),
    source: library,
    input: {
      type: 'object',
      properties: {
        query: { type: 'string', minLength: 1, maxLength: 500, description: 'Words to look for, or a question' },
        most: { type: 'integer', minimum: 1, maximum: 20, default: 5, description: 'How many passages at most' },
        within: {
          type: 'string',
          maxLength: 500,
          description: 'Only in files whose path begins so, such as a folder',
        },
      },
      required: ['query'],
      additionalProperties: false,
    },
    output: {
      type: 'object',
      properties: {
        passages: {
          type: 'array',
          items: {
            type: 'object',
            properties: {
              file: { type: 'string' },
              heading: { type: 'string' },
              fromLine: { type: 'integer' },
              toLine: { type: 'integer' },
              text: { type: 'string' },
              uri: { type: 'string', description: 'The resource that has the whole file' },
              score: { type: 'number' },
            },
            required: ['file', 'heading', 'fromLine', 'toLine', 'text', 'uri', 'score'],
          },
        },
        note: { type: 'string' },
      },
      required: ['passages'],
    },
    run: ((given: { query: string; most?: number; within?: string }, call: Call) =>
      found(plan, given, call, library)) as () => never,
  })
}

async function found(
  plan: FolderPlan,
  { query, most = 5, within }: { query: string; most?: number; within?: string },
  call: Call,
  shared: Shared<Library>,
): Promise<Outcome> {
  const library = await call.use(shared)
  const { passages, note } = await call.upstream('search', query, async (notes) => {
    const result = await library.find(query, most, call.signal, {
      ...(within === undefined ? {} : { within }),
      onProgress: ({ done, total }) => call.progress(done, total, 'indexing'),
    })
    notes.status = 'ok'
    notes.detail = { result: `${result.passages.length} passages` }
    return result
  })
  if (
    passages.length === 0 &&
    within !== undefined &&
    ![...library.files.keys()].some((path) => path.startsWith(within))
  )
    throw new Refusal(`There is no file whose path begins with ${JSON.stringify(within)}.`)
  const shown = passages.map(({ path, heading, fromLine, toLine, text, score }) => {
    return { file: path, heading, fromLine, toLine, text, uri: uriOfPath(plan.name, path), score }
  })
  const files = [...new Map(shown.map((passage) => [passage.uri, passage.file]))]
  return outcome({
    structured: { passages: shown, ...(note === undefined ? {} : { note }) } as unknown as JsonObject,
    blocks: files.map(([uri, file]) => content.link({ uri, name: file, mimeType: mimeTypeOf(file) })),
  })
}
