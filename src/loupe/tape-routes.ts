import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { Hono } from 'hono'
import { shownPath } from '../kit-file/kit-file.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { caseStem, caseText, type RecordedCall } from '../replay/case-file.js'
import { writeNew } from '../replay/save-tape.js'
import { maskForTape } from '../tape/mask.js'
import type { Bench } from './bench.js'

const caseMethods = ['tools/call', 'resources/read', 'prompts/get'] as const

/** Routes for recordings: saves and opens tapes, saves calls as cases. */
export function tapeRoutes(bench: Bench): Hono {
  const app = new Hono()

  app.get('/tape', (context) => {
    context.header('Content-Disposition', `attachment; filename="${fileNameOf(bench)}"`)
    return context.body(bench.tapeText(), 200, { 'content-type': 'application/jsonl' })
  })

  /** The text of a tape that the user uploads. */
  app.post('/tapes', async (context) => {
    bench.takeTape(context.req.query('name') ?? 'a tape', await context.req.text())
    return context.json({})
  })

  /** Writes a case to the folder `cases` in Loupe's working folder; with `isDraft`, only returns its text. */
  app.post('/cases', async (context) => {
    const body: unknown = await context.req.json()
    const call = isObject(body) ? callIn(bench, body) : undefined
    if (!call || !isObject(body)) return context.json({ error: 'A call and its result are required.' }, 400)
    const text = caseText(masked(call, bench.secrets))
    if (body.isDraft === true) return context.json({ text })
    const folder = join(process.cwd(), 'cases')
    await mkdir(folder, { recursive: true })
    return context.json({ text, file: shownPath(await writeNew(folder, caseStem(call), text)) })
  })
  return app
}

/** A file name for a download, with the name of the recording and its date. */
function fileNameOf(bench: Bench): string {
  const first = bench.view.targets[0]
  const name = (first?.name ?? first?.label ?? 'loupe').replace(/[^A-Za-z0-9_.-]+/g, '-').slice(-40)
  const time = new Date().toISOString().slice(0, 19).replace(/[:T]/g, '-')
  return `${name}-${time}.tape.jsonl`
}

function callIn(bench: Bench, body: JsonObject): RecordedCall | undefined {
  const method = caseMethods.find((known) => known === body.method)
  const connection = bench.connections.find(({ id }) => id === body.target)
  const { params, outcome } = body
  if (!method || !connection || !isObject(params) || !isObject(outcome)) return undefined
  const { answers, result, error } = outcome
  if (!isObject(result) && !isObject(error)) return undefined
  return {
    target: connection.label,
    method,
    params,
    outcome: (isObject(error) ? { error } : { result }) as RecordedCall['outcome'],
    answers: Array.isArray(answers) ? answers : [],
  }
}

function masked(call: RecordedCall, secrets: readonly string[]): RecordedCall {
  const mask = maskForTape(secrets)
  return mask(call as never) as unknown as RecordedCall
}
