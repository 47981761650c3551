import { existsSync, statSync } from 'node:fs'
import { resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { readCommandLine } from '../../target/target.js'
import type { ProcessCommand } from '../../wrap/process/wrap-process.js'

/** The program of `process:<command line>`; words that name files become file URLs. */
export function processAt(text: string): ProcessCommand {
  const { command, args } = readCommandLine(text.replace(/^process:/, ''))
  const isFile = (word: string) => existsSync(word) && statSync(word).isFile()
  return {
    // A program in the current folder, such as ./moon.sh, must also run from the kit's folder.
    command: /[\\/]/.test(command) && isFile(command) ? pathToFileURL(resolve(command)) : command,
    args: args.map((word) => (isFile(word) ? pathToFileURL(resolve(word)) : word)),
    cwd: process.cwd(),
  }
}
