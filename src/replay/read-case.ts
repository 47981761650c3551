import { readFile } from 'node:fs/promises'
import { Ajv2020, type ErrorObject } from 'ajv/dist/2020.js'
import type { Document } from 'yaml'
import { packageFile } from '../own-files.js'
import { readYamlOr } from '../yaml/read-yaml.js'
import type { Case } from './case.js'
import { replayErrors } from './errors.js'

type Faults = (value: unknown) => ErrorObject[]
let known: Faults | undefined

/** Reads a case file. Rejects with a `JexoError` that names the line and column of the problem. */
export async function readCase(file: string): Promise<Case> {
  const text = await readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw replayErrors.caseUnreadable(file, error.code ?? error.message)
  })
  return parseCase(file, text, await schema())
}

export function parseCase(file: string, text: string, faultsOf: Faults): Case {
  const { document, value, at } = readYamlOr(text, (located) => replayErrors.caseUnreadable(file, located))
  const faults = faultsOf(value)
  const wrong = faults.find(({ keyword }) => keyword === 'oneOf') ?? faults[0]
  if (wrong) {
    const path = wrong.instancePath.split('/').slice(1)
    throw replayErrors.caseUnreadable(
      file,
      `${at(offsetOf(document, path))}: ${path.join('.') || 'the case'} ${wordsFor(wrong)}`,
    )
  }
  const { target, mask = [], steps } = value as Pick<Case, 'target' | 'steps'> & { mask?: string[] }
  return { file, target, mask, steps }
}

/** The position of a value, or of its closest existing ancestor. */
function offsetOf(document: Document, path: readonly string[]): number {
  for (let length = path.length; length >= 0; length--) {
    const keys = path.slice(0, length).map((key) => (/^\d+$/.test(key) ? Number(key) : key))
    const node = length === 0 ? document.contents : document.getIn(keys, true)
    const range = (node as { range?: [number, number, number] } | undefined)?.range
    if (range) return range[0]
  }
  return 0
}

function wordsFor({ message = 'is not valid', params, keyword }: ErrorObject): string {
  if (keyword === 'additionalProperties') return `has an unknown property "${params.additionalProperty}"`
  if (keyword === 'oneOf') return 'must have exactly one of call, read and fill'
  return message
}

async function schema(): Promise<Faults> {
  if (known) return known
  const text = await readFile(packageFile('schemas/case.schema.json'), 'utf8')
  const check = new Ajv2020({ strict: false }).compile(JSON.parse(text))
  known = (value) => (check(value) ? [] : (check.errors ?? []))
  return known
}
