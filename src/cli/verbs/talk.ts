import { createInterface, type Interface } from 'node:readline'
import { Command } from 'commander'
import { readAnswerer } from '../../answers/answers-file.js'
import { askOnTerminal, type Terminal } from '../../answers/terminal.js'
import { isJexoError } from '../../errors.js'
import { escapeControls } from '../../escape/terminal.js'
import { readCatalogue } from '../../link/catalogue.js'
import type { Link } from '../../link/link.js'
import { RpcError } from '../../protocol/rpc-error.js'
import { completeLine } from '../../talk/complete.js'
import { talk as carryOut, type Said } from '../../talk/talk.js'
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
    const conversation = new Conversation(lines)
    const onQuestion = flags.answers
      ? await readAnswerer(flags.answers, (message) => say(`No answer matches: ${message}`))
      : askOnTerminal(conversation)
    let link: Link | undefined
    await withLink(
      target,
      flags,
      async (opened) => {
        link = opened
        say(
          `${opened.serverInfo.name} ${opened.serverInfo.version}; type help for the commands, quit to end. Ctrl-C cancels a running call.`,
        )
        await conversation.hold(opened)
      },
      { onQuestion, onInterrupt: () => conversation.interrupt() },
    )
    lines.close()
  })

/** Time limit of one command, in milliseconds. */
const limitMs = 600_000

/** Lines one at a time, typed or piped; each is executed before the next is read. */
class Conversation implements Terminal {
  readonly #lines: Interface
  readonly #waiting: string[] = []
  #take: ((line: string | undefined) => void) | undefined
  #isOver = false
  #running: AbortController | undefined
  readonly say = say

  constructor(lines: Interface) {
    this.#lines = lines
    lines.on('line', (line) => {
      if (this.#take) this.#give(line)
      else this.#waiting.push(line)
    })
    lines.on('close', () => {
      this.#isOver = true
      this.#give(undefined)
    })
    lines.on('SIGINT', () => this.interrupt())
  }

  ask(prompt: string): Promise<string | undefined> {
    const ready = this.#waiting.shift()
    if (ready !== undefined || this.#isOver) return Promise.resolve(ready)
    this.#lines.setPrompt(escapeControls(prompt))
    this.#lines.prompt()
    return new Promise((resolve) => {
      this.#take = resolve
    })
  }

  /**
   * Cancels the running call, including its question; without one, clears the current line. Never ends a session on a
   * terminal.
   */
  interrupt(): boolean {
    if (this.#running) {
      this.#running.abort(new Interrupted())
      this.#give(undefined)
      return true
    }
    if (!this.#lines.terminal) return false
    this.#lines.write(null, { ctrl: true, name: 'e' })
    this.#lines.write(null, { ctrl: true, name: 'u' })
    say('\n(quit ends the session)')
    this.#lines.prompt()
    return true
  }

  async hold(link: Link): Promise<void> {
    for (;;) {
      const line = await this.ask('› ')
      if (line === undefined) return
      this.#running = new AbortController()
      const signal = AbortSignal.any([this.#running.signal, AbortSignal.timeout(limitMs)])
      try {
        const said = await carryOut(
          link,
          line,
          ({ progress, total }) => say(errorColours.dim(`${progress}${total ? ` of ${total}` : ''}`)),
          signal,
        )
        if (said.kind === 'end') return
        await print(link, said)
      } catch (error) {
        if (error instanceof Interrupted) say('cancelled')
        else if (!isJexoError(error) && !(error instanceof RpcError)) throw error
        else say(`${errorColours.red('error')} ${error.message}`)
        if (isJexoError(error) && error.code === 'closed') return
      } finally {
        this.#running = undefined
      }
    }
  }

  #give(line: string | undefined): void {
    const take = this.#take
    this.#take = undefined
    take?.(line)
  }
}

class Interrupted extends Error {}

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
