/** Maps positions in a text to lines, with a table that is computed once. */
export class LineIndex {
  readonly lines: readonly string[]
  readonly #starts: readonly number[]

  constructor(text: string) {
    this.lines = text.split('\n')
    let at = 0
    this.#starts = this.lines.map((line) => {
      const start = at
      at += line.length + 1
      return start
    })
  }

  /** Start of a line; lines count from 1. */
  startOf(line: number): number {
    return this.#starts[line - 1] ?? 0
  }

  /** The line of an offset, counted from 1. */
  lineAt(offset: number): number {
    let low = 0
    let high = this.#starts.length
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.#starts[middle] ?? 0) <= offset) low = middle + 1
      else high = middle
    }
    return low
  }
}
