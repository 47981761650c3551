import { Command } from 'commander'
import { problems } from '../errors.js'
import { closestTo } from '../kit/closest.js'
import type { Answerer } from '../link/answering.js'
import type { Link } from '../link/link.js'
import type { ToolResult } from '../protocol/types.js'
import { upstreamCapability } from '../protocol/upstream.js'
import { readAnswerer } from '../talk/answers-file.js'
import { askOnTerminal } from '../talk/terminal.js'
import { readArguments } from '../target/arguments.js'
import { errorColours, Failed, out, outJson, say } from './output.js'
import { blockText, resultText } from './result-text.js'
import { type TargetFlags, withLink, withTarget } from './target-options.js'

interface Flags extends TargetFlags {
  args?: string
  answers?: string
  raw?: boolean
  json?: boolean
}

export const call = () =>
  withTarget(
    new Command('call')
      .description('Calls one tool.')
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .argument('<tool>', 'name of the tool')
      .argument('[name=value...]', "its arguments; values are read by the tool's schema")
      .option('--args <json>', 'all arguments as a JSON object')
      .option('--answers <file|accept|decline|cancel>', "how the server's questions are answered")
      .option('--raw', 'the result exactly as it came, as JSON')
      .option('--json', 'structured content as JSON, else the text as a JSON string')
      .addHelpText('after', '\nExample: jexo call apiary.kit.ts weigh_hive hive=ML-04 --json'),
  ).action(async (target: string, tool: string, words: string[], flags: Flags) => {
    const startedAt = performance.now()
    let tookMs = 0
    const isQuiet = flags.json || flags.raw
    const result = await withLink(
      target,
      flags,
      async (link) => {
        const args = readArguments(tool, await schemaOf(link, tool), words, flags.args)
        if (flags.trace && !showsUpstream(link)) say(errorColours.dim(notShown))
        const calledAt = performance.now()
        const answer = await link.call(tool, args, {
          // The score has it already.
          onProgress: (progress) => flags.trace || sayProgress(tool, progress),
        })
        tookMs = performance.now() - calledAt
        return answer
      },
      {
        onQuestion: await answererFor(flags.answers),
        onLog: ({ level, logger, data }) =>
          flags.trace || say(errorColours.dim(`${level} ${logger ?? ''} ${textOf(data)}`)),
      },
    )
    print(result, flags)
    if (!isQuiet) say(timing(tool, tookMs, performance.now() - startedAt))
    if (result.isError) throw new Failed()
  })

/** On a terminal the person is asked; elsewhere a question is cancelled, and that is said. */
async function answererFor(answers: string | undefined): Promise<Answerer> {
  const sayCancelled = (message: string) =>
    say(`The server asks: ${message}\nNo answer was given (--answers), so it was cancelled.`)
  if (answers !== undefined) return readAnswerer(answers, sayCancelled)
  if (process.stdin.isTTY) return askOnTerminal()
  return ({ message }) => {
    sayCancelled(message)
    return { action: 'cancel' }
  }
}

/** The tool's schema; a name that does not exist is refused here, with what may have been meant. */
async function schemaOf(link: Link, tool: string) {
  const tools = await link.tools()
  const found = tools.find((known) => known.name === tool)
  if (found) return found.inputSchema
  throw problems.toolUnknown(
    tool,
    closestTo(
      tool,
      tools.map((known) => known.name),
    ),
    link.label,
  )
}

function print(result: ToolResult, flags: Flags): void {
  if (flags.raw) return outJson(result)
  if (flags.json) return outJson(jsonOf(result))
  if (result.isError)
    return say(`${errorColours.red('the tool failed:')} ${result.content.map(blockText).join('\n')}`)
  out(resultText(result))
}

function jsonOf(result: ToolResult): unknown {
  const text = result.content.map((block) => (block.type === 'text' ? block.text : blockText(block))).join('\n')
  if (result.isError) return { error: { code: 'tool-error', message: text } }
  return result.structuredContent ?? text
}

function sayProgress(
  tool: string,
  { progress, total, message }: { progress: number; total?: number; message?: string },
): void {
  const share = total === undefined ? `${progress}` : `${progress} of ${total}`
  say(errorColours.dim(`${tool}: ${share}${message ? `, ${message}` : ''}`))
}

const showsUpstream = ({ capabilities }: Link) => capabilities.experimental?.[upstreamCapability] !== undefined
const notShown =
  'This server does not show what it does outside; one of Jexo does with: jexo serve … --show-upstream'

const timing = (tool: string, tookMs: number, allMs: number) =>
  errorColours.dim(`${tool} answered in ${tookMs.toFixed(1)} ms (${Math.round(allMs)} ms with connecting)`)

const textOf = (data: unknown) => (typeof data === 'string' ? data : JSON.stringify(data))
