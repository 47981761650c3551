import { secretsIn, secretsOfHeaders } from '../protocol/secrets.js'
import type { Target } from './target.js'

/**
 * Values given to a target that must not be written to files: those of variables and headers whose names say that they
 * are secrets.
 */
export function secretsOf(target: Target): string[] {
  if (target.kind === 'url') return secretsOfHeaders(target.headers ?? {})
  if (target.kind === 'child') return secretsIn(target.command.env ?? {})
  return target.kind === 'kit' ? secretsIn(target.env ?? {}) : []
}
