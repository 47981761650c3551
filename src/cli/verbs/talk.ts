import { createInterface } from 'node:readline'
import { Command } from 'commander'
import { readAnswerer } from '../../answers/answers-file.js'
import { askOnTerminal, type Terminal } from '../../answers/terminal.js'
import { isJexoError } from '../../errors.js'
import { readCatalogue } from '../../link/catalogue.js'
import type { Link } from '../../link/link.js'
import { RpcError } from '../../protocol/rpc-error.js'
import { talk as carryOut, completeLine, type Said } from '../../talk/talk.js'
import { type TargetFlags, withLink, withTarget } from '../options/target-options.js'
import { errorColours, out, say } from '../terminal/output.js'
import { catalogueText } from '../text/catalogue-text.js'
import { blockText, contentsText, resultText } from '../text/result-text.js'
import { verbTexts } from '../text/verb-texts.js'

export const talk = () =>
  withTarget(
    new Command('talk')
      .description(verbTexts.talk.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .option(
        '--answers <file|accept|decline|cancel>',
        "answers to the server's questions; default: ask on the terminal",
      )
      .addHelpText('after', '\nExample: jexo talk apiary.kit.ts'),
  ).action(async (target: string, flags: TargetFlags & { answers?: string }) => {
    const lines = createInterface({
      input: process.stdin,
      output: process.stderr,
      terminal: process.stdin.isTTY === true,
      completer: (line: string, done: (error?: Error | null, found?: [string[], string]) => void) => {
        if (link === undefined) return done(null, [[], line])
        completeLine(link, line).then((found) => done(null, found), done)
      },
    })
    const terminal = terminalOf(lines)
    const onQuestion = flags.answers
      ? await readAnswerer(flags.answers, (message) => say(`No answer matches: ${message}`))
      : askOnTerminal(terminal)
    let link: Link | undefined
    await withLink(
      target,
      flags,
      async (opened) => {
        link = opened
        say(`${opened.serverInfo.name} ${opened.serverInfo.version}; type help for the commands, quit to end.`)
        await converse(opened, terminal)
      },
      { onQuestion },
    )
    lines.close()
  })

async function converse(link: Link, terminal: Terminal): Promise<void> {
  for (;;) {
    const line = await terminal.ask('› ')
    if (line === undefined) return
    try {
      const signal = AbortSignal.timeout(600_000)
      const said = await carryOut(
        link,
        line,
        ({ progress, total }) => say(errorColours.dim(`${progress}${total ? ` of ${total}` : ''}`)),
        signal,
      )
      if (said.kind === 'end') return
      await print(link, said)
    } catch (error) {
      if (!isJexoError(error) && !(error instanceof RpcError)) throw error
      say(`${errorColours.red('error')} ${error.message}`)
      if (isJexoError(error) && error.code === 'closed') return
    }
  }
}

async function print(link: Link, said: Said): Promise<void> {
  if (said.kind === 'list') out(catalogueText(link, await readCatalogue(link)))
  if (said.kind === 'help') say(said.text)
  if (said.kind === 'contents') out(said.result.contents.map(contentsText).join('\n'))
  if (said.kind === 'messages')
    out(said.result.messages.map(({ role, content }) => `${role}: ${blockText(content)}`).join('\n'))
  if (said.kind !== 'result') return
  if (said.result.isError)
    say(`${errorColours.red('the tool failed:')} ${said.result.content.map(blockText).join('\n')}`)
  else out(resultText(said.result))
  say(errorColours.dim(`${said.tookMs.toFixed(1)} ms`))
}

/** Lines one at a time, whether they are typed or piped in. */
function terminalOf(lines: ReturnType<typeof createInterface>): Terminal {
  const waiting: string[] = []
  let take: ((line: string | undefined) => void) | undefined
  let isOver = false
  lines.on('line', (line) => {
    if (take) take(line)
    else waiting.push(line)
    take = undefined
  })
  lines.on('close', () => {
    isOver = true
    take?.(undefined)
  })
  return {
    say,
    ask: (prompt) => {
      const ready = waiting.shift()
      if (ready !== undefined || isOver) return Promise.resolve(ready)
      lines.setPrompt(prompt)
      lines.prompt()
      return new Promise((resolve) => {
        take = resolve
      })
    },
  }
}
