import { divertedBy } from '../transport/stdout-guard.js'

/** Output of a child process other than messages. */
export class Heard {
  /** Lines on stdout that are not messages. */
  readonly strays: string[] = []
  /** Output that the guard diverted from stdout. */
  readonly diverted: string[] = []

  /** Link options that record this output. */
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
