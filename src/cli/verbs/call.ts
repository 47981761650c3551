import { mkdir, writeFile } from 'node:fs/promises'
import { dirname } from 'node:path'
import { Command } from 'commander'
import { askOnTerminal } from '../../answers/terminal.js'
import { closestTo } from '../../kit/closest.js'
import type { ReadyAnswer } from '../../link/answerers.js'
import type { Link } from '../../link/link.js'
import type { Answerer } from '../../link/server-requests.js'
import type { TaskHandle } from '../../link/tasks.js'
import type { Progress } from '../../protocol/incoming.js'
import type { JsonObject } from '../../protocol/messages.js'
import { secretsIn } from '../../protocol/secrets.js'
import type { ToolResult } from '../../protocol/types.js'
import { upstreamCapability } from '../../protocol/upstream.js'
import type { RecordedCall } from '../../replay/case-file.js'
import { replayErrors } from '../../replay/errors.js'
import { talkErrors } from '../../talk/errors.js'
import { maskForTape } from '../../tape/mask.js'
import { argumentsText } from '../../target/argument-files.js'
import { readArguments } from '../../target/arguments.js'
import { type TargetFlags, withLink, withTarget } from '../options/target-options.js'
import { errorColours, Failed, out, outJson, say } from '../terminal/output.js'
import { saveBlocks, savedText } from '../terminal/save-blocks.js'
import { blockText, resultText } from '../text/result-text.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends TargetFlags {
  args?: string
  answers?: string
  raw?: boolean
  json?: boolean
  save?: string
  output?: string
  task?: boolean
  wait?: boolean
}

export const call = () =>
  withTarget(
    new Command('call')
      .description(verbTexts.call.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .argument('<tool>', 'name of the tool')
      .argument('[name=value...]', "arguments; values are parsed by the tool's schema")
      .option('--args <json>', 'all arguments as a JSON object; @file reads a file, - standard input')
      .option('--answers <file|accept|decline|cancel>', "answers to the server's questions")
      .option('--raw', 'print the result exactly as received, as JSON')
      .option('--save <case>', 'save the call and its result as a test case (*.case.yaml)')
      .option('--output <place>', 'save images, audio and bytes of the result to this file or folder')
      .option('--task', 'run the call as a task, and wait for its result')
      .option('--no-wait', 'with --task: print the id of the task, and do not wait')
      .option('--json', 'print structured content as JSON, or the text as a JSON string')
      .addHelpText(
        'after',
        [
          '\nArguments: name=value; a name given twice makes a list; hive.code=ML-04 sets a property of an object;',
          '           photo=@frame.png reads a file (base64 where the schema asks for it); @@ is a plain @.',
          'Example: jexo call apiary.kit.ts weigh_hive hive=ML-04 --json',
        ].join('\n'),
      ),
  ).action(async (target: string, tool: string, words: string[], flags: Flags) => {
    const startedAt = performance.now()
    let tookMs = 0
    const isQuiet = flags.json || flags.raw
    const answers: ReadyAnswer[] = []
    let args: JsonObject = {}
    const json = flags.args === undefined ? undefined : await argumentsText(flags.args)
    const result = await withLink(
      target,
      flags,
      async (link) => {
        args = readArguments(tool, await schemaOf(link, tool), words, json)
        if (flags.trace && !showsUpstream(link)) say(errorColours.dim(notShown))
        const calledAt = performance.now()
        // The score contains it already.
        const onProgress = (progress: Progress) => void (flags.trace || sayProgress(tool, progress))
        const answer = flags.task
          ? await runAsTask(await link.start(tool, args, { onProgress }), link.label, flags)
          : await link.call(tool, args, { onProgress })
        tookMs = performance.now() - calledAt
        return answer
      },
      {
        onQuestion: remembering(await answererFor(flags.answers), answers),
        onLog: ({ level, logger, data }) =>
          flags.trace || say(errorColours.dim(`${level} ${logger ?? ''} ${textOf(data)}`)),
      },
    )
    if (!result) return
    print(result, flags)
    if (flags.output !== undefined && !result.isError)
      for (const saved of await saveBlocks(result.content, flags.output)) say(savedText(saved))
    if (flags.save !== undefined)
      await saveCase(flags.save, {
        target,
        method: 'tools/call',
        params: { name: tool, arguments: args },
        outcome: { result: result as unknown as JsonObject },
        answers,
      })
    if (!isQuiet) say(timing(tool, tookMs, performance.now() - startedAt))
    if (result.isError) throw new Failed()
  })

/** Waits for a task, which continues if this process ends; undefined if only its id is requested. */
async function runAsTask(task: TaskHandle, target: string, { wait, json }: Flags): Promise<ToolResult | undefined> {
  if (task.id === undefined) say('This server does not support tasks; this is an ordinary call.')
  else if (wait === false) {
    if (json) outJson({ taskId: task.id })
    else out(task.id)
    return undefined
  } else if (/^https?:/.test(target))
    say(errorColours.dim(`task ${task.id}; if the connection breaks: jexo tasks ${target} wait ${task.id}`))
  return task.result()
}

/** Saves the answers to questions for a case. */
const remembering =
  (answerer: Answerer, answers: ReadyAnswer[]): Answerer =>
  async (question) => {
    const answer = await answerer(question)
    answers.push({ about: question.message, ...answer })
    return answer
  }

/** Secrets of the environment are not written to a file. */
async function saveCase(file: string, call: RecordedCall): Promise<void> {
  const masked = maskForTape(secretsIn(process.env))(call as never) as unknown as RecordedCall
  const name = /\.case\.ya?ml$/.test(file) ? file : `${file}.case.yaml`
  try {
    await mkdir(dirname(name), { recursive: true })
    const { caseText } = await import('../../replay/case-file.js')
    await writeFile(name, caseText(masked), { flag: 'wx' })
  } catch (error) {
    throw replayErrors.caseUnwritable(name, (error as NodeJS.ErrnoException).code ?? String(error))
  }
  say(`saved as ${name}; run it with: jexo replay ${name}`)
}

/** On a terminal the user is asked; elsewhere a question is cancelled with a message. */
async function answererFor(answers: string | undefined): Promise<Answerer> {
  const sayCancelled = (message: string) =>
    say(`The server asks: ${message}\nWithout --answers, the question was cancelled.`)
  if (answers !== undefined)
    return (await import('../../answers/answers-file.js')).readAnswerer(answers, sayCancelled)
  if (process.stdin.isTTY) return askOnTerminal()
  return ({ message }) => {
    sayCancelled(message)
    return { action: 'cancel' }
  }
}

/** The tool's schema; an unknown name is refused here, with suggestions. */
async function schemaOf(link: Link, tool: string) {
  const tools = await link.tools()
  const found = tools.find((known) => known.name === tool)
  if (found) return found.inputSchema
  throw talkErrors.toolUnknown(
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
  'This server sends no upstream records. A Jexo server sends them with: jexo serve … --show-upstream'

const timing = (tool: string, tookMs: number, allMs: number) =>
  errorColours.dim(`${tool} returned in ${tookMs.toFixed(1)} ms (${Math.round(allMs)} ms including startup)`)

const textOf = (data: unknown) => (typeof data === 'string' ? data : JSON.stringify(data))
