import { divertedBy } from '../transport/stdout-guard.js'

/** Output of a child process other than messages. */
export class Heard {
  /** Lines on stdout that are no messages. */
  readonly strays: string[] = []
  /** Output that the guard diverted from stdout. */
  readonly diverted: string[] = []

  /** Options of a link that listen. */
  readonly listeners = {
    onStray: (line: string) => {
      if (!this.strays.includes(line)) this.strays.push(line)
    },
    onStderr: (line: string) => {
      const print = divertedBy(line)
      if (print !== undefined && !this.diverted.includes(print)) this.diverted.push(print)
    },
  }
}
