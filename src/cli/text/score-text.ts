import type { Line } from '../../score/line.js'
import { Score } from '../../score/score.js'
import type { TapeEntry } from '../../tape/entry.js'
import type { colours as Colours } from '../terminal/output.js'

interface Looks {
  /** Width of the terminal, in columns. */
  width: number
  colours: typeof Colours
}

const timeWidth = 9
const personWidth = 5
const upstreamWidth = 6

/** Draws a score as text, line by line, with the same lanes as the page. Omits lines without new information. */
export class ScoreText {
  readonly #score = new Score()
  readonly #looks: Looks
  readonly #middle: number
  #firstAt: number | undefined
  #target: string | undefined

  constructor(looks: Looks) {
    this.#looks = looks
    this.#middle = looks.width - timeWidth - personWidth - upstreamWidth - 5
  }

  /** The names of the lanes. */
  get head(): string {
    const { colours } = this.#looks
    const host = 'Host'.padEnd(this.#middle - 2)
    return colours.bold(`${' '.repeat(timeWidth)}Person ${host}Server Upstream`)
  }

  /** The text of an entry; undefined for an entry that is part of another line. */
  add(entry: TapeEntry): string | undefined {
    const line = this.#score.add(entry)
    if (!line) return undefined
    this.#firstAt ??= line.at
    const other = this.#target !== undefined && this.#target !== line.target
    this.#target = line.target
    const drawn = this.#draw(line)
    return other ? `${this.#looks.colours.dim(`${' '.repeat(timeWidth)}· ${line.target}`)}\n${drawn}` : drawn
  }

  #draw(line: Line): string {
    const { colours } = this.#looks
    const time = colours.dim(timeOf(line.at - (this.#firstAt ?? line.at)).padEnd(timeWidth))
    if (line.shape === 'state') {
      const said = cut(`${line.title}: ${line.detail}`, this.#looks.width - timeWidth - 4)
      return `${time}${(line.isFault ? colours.red : colours.dim)(`╌╌ ${said}`)}`
    }
    const server = line.open.length > 0 ? colours.yellow('┃') : '│'
    const [person, middle, beyond] = this.#segments(line)
    const paint = line.isFault ? colours.red : line.isQuiet ? colours.dim : (text: string) => text
    return `${time}│${paint(person)}│${paint(middle)}${line.layer ? '◆' : line.shape === 'mark' ? '●' : server}${beyond}`
  }

  #segments(line: Line): [string, string, string] {
    const room = this.#middle
    const empty = ' '.repeat(personWidth)
    const last = `${' '.repeat(upstreamWidth)}│`
    const text = this.#words(line, room - 6)
    const isFromHost = line.from === 'host'
    switch (line.shape) {
      case 'call':
      case 'result':
        return [empty, isFromHost ? rightwards(text, room, '─') : leftwards(text, room, '─'), last]
      case 'note':
        return [empty, isFromHost ? rightwards(text, room, '╌') : leftwards(text, room, '╌'), last]
      case 'question':
        return [leftwards('', personWidth, '─'), leftwards(text, room, '─'), last]
      case 'reply':
        return [`${'─'.repeat(personWidth)}`, rightwards(text, room, '─'), last]
      case 'page':
        return [
          line.from === 'page' ? rightwards('', personWidth, '═') : leftwards('', personWidth, '═'),
          `   ${text}`.padEnd(room),
          last,
        ]
      case 'upstream':
        return [empty, `${text} `.padStart(room), `${'─'.repeat(upstreamWidth - 1)}▶■`]
      default:
        return [empty, `   ${text}`.padEnd(room), last]
    }
  }

  #words({ shape, title, detail, tookMs }: Line, room: number): string {
    const took = tookMs === undefined ? '' : ` ${durationText(tookMs)}`
    // The outcome of an upstream request is more important than its full text.
    if (shape === 'upstream')
      return `${cut(title.replace(/\s+/g, ' '), room - took.length - detail.length - 2)}  ${detail}${took}`
    const words = `${title}${took}${detail ? `  ${detail.replace(/\s+/g, ' ')}` : ''}`
    return cut(words, room)
  }
}

/** A duration in as few characters as possible: `3.2 ms`, `412 ms`, `1.25 s`. */
export function durationText(ms: number): string {
  if (ms < 10) return `${ms.toFixed(1)} ms`
  return ms < 1000 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(2)} s`
}

const rightwards = (text: string, room: number, dash: string) =>
  text === '' ? `${dash.repeat(room - 1)}▶` : `${`${dash} ${text} `.padEnd(room - 1, dash)}▶`
const leftwards = (text: string, room: number, dash: string) =>
  text === '' ? `◀${dash.repeat(room - 1)}` : `◀${`${dash} ${text} `.padEnd(room - 1, dash)}`
const cut = (text: string, room: number) => (text.length > room ? `${text.slice(0, room - 1)}…` : text)

function timeOf(ms: number): string {
  const seconds = ms / 1000
  if (seconds < 60) return `${seconds.toFixed(2)} s`
  return `${Math.floor(seconds / 60)}:${(seconds % 60).toFixed(1).padStart(4, '0')}`
}
