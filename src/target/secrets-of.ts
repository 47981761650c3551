import { secretsIn, secretsOfHeaders } from '../protocol/secrets.js'
import type { Target } from './target.js'

/** Values that a target is given and that must not get into a file: of variables and headers that are called like secrets. */
export function secretsOf(target: Target): string[] {
  if (target.kind === 'url') return secretsOfHeaders(target.headers ?? {})
  if (target.kind === 'child') return secretsIn(target.command.env ?? {})
  return target.kind === 'kit' ? secretsIn(target.env ?? {}) : []
}
