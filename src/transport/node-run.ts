import { RunningKit } from '../engine/running-kit.js'
import type { Report, RunningOptions } from '../engine/running-options.js'
import { escapeControls } from '../escape/terminal.js'
import { compilingValidator } from '../kit/compiling-validator.js'
import type { Kit } from '../kit/kit.js'
import { runNamed } from './stdout-guard.js'

/** Runs a kit on Node: settings from the environment, log on stderr. Throws if settings are missing. */
export function runOnNode(kit: Kit, options: Partial<RunningOptions> = {}): RunningKit {
  return new RunningKit(kit, {
    environment: process.env,
    validator: compilingValidator,
    inCall: runNamed,
    report: reportOnStderr,
    ...options,
  })
}

function reportOnStderr({ level, text }: Report): void {
  process.stderr.write(`jexo: ${level}: ${escapeControls(text)}\n`)
}
