import { parse as parseWords } from 'shell-quote'
import { closestTo } from '../kit/closest.js'
import { kitErrors } from '../kit/errors.js'
import type { Link } from '../link/link.js'
import type { Progress } from '../protocol/incoming.js'
import type { PromptResult, ReadResult, ToolResult } from '../protocol/types.js'
import { readArguments } from '../target/arguments.js'
import { talkErrors } from './errors.js'

/** Outcome of a line at the prompt. */
export type Said =
  | { kind: 'list' }
  | { kind: 'help'; text: string }
  | { kind: 'result'; result: ToolResult; tookMs: number }
  | { kind: 'contents'; result: ReadResult }
  | { kind: 'messages'; result: PromptResult }
  | { kind: 'end' }
  | { kind: 'nothing' }

export const talkHelp = `list                         what the server offers
call <tool> [name=value …]   call a tool
read <uri>                   read a resource
fill <prompt> [name=value …] fill a prompt
help                         show this list
quit                         end the session`

export const verbs = ['list', 'call', 'read', 'fill', 'help', 'quit']

/** Executes one line over a link. Rejects as the link does, or with a `JexoError` for a line that cannot be parsed. */
export async function talk(
  link: Link,
  line: string,
  onProgress: (progress: Progress) => void,
  signal: AbortSignal,
): Promise<Said> {
  const [verb, subject, ...words] = wordsOf(line)
  if (verb === undefined) return { kind: 'nothing' }
  if (verb === 'quit' || verb === 'exit') return { kind: 'end' }
  if (verb === 'list') return { kind: 'list' }
  if (verb === 'help') return { kind: 'help', text: talkHelp }
  if (!verbs.includes(verb)) throw talkErrors.verbUnknown(verb, closestTo(verb, verbs))
  if (subject === undefined) throw kitErrors.argumentUnreadable(line, `a name after ${verb}`)
  if (verb === 'read') return { kind: 'contents', result: await link.read(subject, { signal }) }
  if (verb === 'fill') return { kind: 'messages', result: await link.fill(subject, textsOf(words), { signal }) }
  const tools = await link.tools()
  const tool = tools.find(({ name }) => name === subject)
  if (!tool)
    throw talkErrors.toolUnknown(
      subject,
      closestTo(
        subject,
        tools.map(({ name }) => name),
      ),
      link.label,
    )
  const startedAt = performance.now()
  const result = await link.call(subject, readArguments(subject, tool.inputSchema, words), { onProgress, signal })
  return { kind: 'result', result, tookMs: performance.now() - startedAt }
}

function wordsOf(line: string): string[] {
  return parseWords(line, (name) => `$${name}`).map((word) => {
    if (typeof word === 'string') return word
    return 'pattern' in word ? word.pattern : 'op' in word ? word.op : ''
  })
}

function textsOf(words: readonly string[]): Record<string, string> {
  const pairs = words.map((word) => {
    const at = word.indexOf('=')
    if (at < 1) throw kitErrors.argumentUnreadable(JSON.stringify(word), 'arguments as name=value')
    return [word.slice(0, at), word.slice(at + 1)] as const
  })
  return Object.fromEntries(pairs)
}
