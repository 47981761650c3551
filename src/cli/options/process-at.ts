import { existsSync, statSync } from 'node:fs'
import { resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { readCommandLine } from '../../target/target.js'
import type { ProcessCommand } from '../../wrap/process/wrap-process.js'

/** The program behind `process:<command line>`: words that name files are files. */
export function processAt(text: string): ProcessCommand {
  const { command, args } = readCommandLine(text.replace(/^process:/, ''))
  const isFile = (word: string) => existsSync(word) && statSync(word).isFile()
  return {
    // A program of the folder, such as ./moon.sh, runs from wherever the kit is.
    command: /[\\/]/.test(command) && isFile(command) ? pathToFileURL(resolve(command)) : command,
    args: args.map((word) => (isFile(word) ? pathToFileURL(resolve(word)) : word)),
    cwd: process.cwd(),
  }
}
