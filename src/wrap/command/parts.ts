import type { Call } from '../../kit/call.js'
import { content } from '../../kit/content.js'
import { outcome } from '../../kit/outcome.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import { tool } from '../../kit/tool.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { commandLine } from './command-line.js'
import type { DescribedCommand } from './description.js'
import type { CommandPlan } from './plan.js'
import { type ProgramResult, runProgram } from './run-program.js'

/** Folder, environment and limits of a program. */
export interface ProgramPlace {
  /** Real path of its folder. */
  readonly folder: string
  readonly env: Readonly<Record<string, string>>
  readonly uid?: number | undefined
  readonly gid?: number | undefined
  readonly timeoutMs: number
  readonly maxBytes: number
}

/** The tools of a plan: each call starts the program once. */
export function commandPartsOf(plan: CommandPlan, place: ProgramPlace): Part[] {
  return plan.tools.map(({ name, input, command }) =>
    tool(name, {
      about: command.about,
      effect: command.effect ?? 'change',
      tags: plan.tags,
      input: input as never,
      run: (async (given: JsonObject, call: Call) => {
        const { args, stdin } = commandLine(command, given, place.folder)
        const onErrorLine = progressOf(command, call)
        const result = await call.upstream(
          'command',
          `${plan.program} ${(command.run ?? []).join(' ')}`.trim(),
          async (record) => {
            const { timeoutMs = place.timeoutMs } = command
            const ran = await runProgram({
              ...place,
              program: plan.program,
              args,
              stdin,
              cwd: place.folder,
              timeoutMs,
              signal: call.signal,
              onErrorLine,
            })
            record.status = ran.code ?? ran.signal ?? ''
            record.bytes = ran.stdout.length
            return ran
          },
        )
        return resultOf(plan.program, command, result)
      }) as never,
    }),
  )
}

/** Percentages on stderr that match the description's pattern. */
function progressOf({ progress }: DescribedCommand, call: Call): ((line: string) => void) | undefined {
  if (progress === undefined || call.meta.progressToken === undefined) return undefined
  const pattern = new RegExp(progress, 'u')
  return (line) => {
    const percent = Number(pattern.exec(line.slice(0, 1000))?.[1])
    if (percent >= 0 && percent <= 100) call.progress(percent, 100)
  }
}

function resultOf(
  program: string,
  command: DescribedCommand,
  { code, signal, stdout, stderr }: ProgramResult,
): unknown {
  const { okExits = [0], exits = {}, output = 'text', mimeType = 'application/octet-stream' } = command
  if (code === undefined || !okExits.includes(code)) {
    const how = code === undefined ? `was ended by ${signal ?? 'a signal'}` : `ended with code ${code}`
    const meaning = code === undefined ? undefined : exits[code]
    const said = stderr.trim().slice(-2000) || textIn(stdout)?.trim().slice(-2000) || ''
    throw new Refusal(
      [`${program} ${how}${meaning === undefined ? '' : `: ${meaning}`}.`, said].filter(Boolean).join('\n'),
    )
  }
  const meaning = code === 0 ? undefined : exits[code]
  if (output === 'bytes') return bytesOf(stdout, mimeType)
  const text = textIn(stdout)
  if (text === undefined)
    throw new Refusal(`${program} wrote ${stdout.length} bytes that are not text.`, {
      operatorNote: 'describe the output as bytes with a mimeType',
    })
  if (output === 'lines')
    return outcome({ structured: { lines: text.split('\n').filter((line) => line !== '') }, blocks: [] })
  if (output === 'json') return jsonOf(program, text)
  if (text === '') return content.text(meaning ?? (stderr.trim().slice(-2000) || 'Done; there was no output.'))
  return content.text(text)
}

function bytesOf(stdout: Buffer, mimeType: string) {
  if (mimeType.startsWith('image/')) return content.image(stdout, mimeType)
  if (mimeType.startsWith('audio/')) return content.audio(stdout, mimeType)
  return content.embed({ uri: 'command://output', mimeType, bytes: stdout })
}

function jsonOf(program: string, text: string) {
  try {
    const value: unknown = JSON.parse(text)
    return outcome({ structured: isObject(value) ? value : { value }, blocks: [] })
  } catch {
    throw new Refusal(`${program} wrote what is not JSON: ${text.trim().slice(0, 500)}`)
  }
}

/** Undefined if the bytes are not UTF-8. */
function textIn(bytes: Buffer): string | undefined {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    return undefined
  }
}
