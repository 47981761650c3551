import { diffLines } from 'diff'
import { compilingValidator } from '../kit/compiling-validator.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { textOf } from '../replay/case-file.js'
import { subsetDifferences } from '../replay/compare.js'

/** The matchers that `kitMatchers` adds to `expect`; `R` is the return type of the runner's own matchers. */
export interface KitMatchers<R = unknown> {
  /** The result of a tool: its structured content has these fields (others are allowed), or its text equals or matches this. */
  toHaveResult(expected: JsonObject | string | RegExp): R
  /** The tool returned an error: with this text, with a matching text, or any error. */
  toBeToolError(expected?: string | RegExp): R
  /** Structured content, or any other value, matches a JSON Schema. */
  toMatchSchema(schema: JsonObject): Promise<R>
}

interface Verdict {
  pass: boolean
  message: () => string
}

/**
 * Matchers for results of calls, for test runners with `expect.extend`. Failures list each differing field and a line diff.
 *
 * @example
 * expect.extend(kitMatchers)
 * expect(await link.call('weigh_hive', { hive: 'ML-04' })).toHaveResult({ kg: 36.99 })
 * expect(await link.call('weigh_hive', { hive: 'ML-99' })).toBeToolError(/There is no hive/)
 */
export const kitMatchers = {
  toHaveResult(received: unknown, expected: JsonObject | string | RegExp): Verdict {
    const { text, structured, failure } = partsOf(received)
    if (failure !== undefined) return verdict(false, `the tool failed: ${failure}`)
    if (typeof expected === 'string' || expected instanceof RegExp) return textVerdict(text, expected)
    const found = subsetDifferences(expected, structured, 'structured')
    return verdict(found.length === 0, [...found, differing(expected, structured)].join('\n'))
  },

  toBeToolError(received: unknown, expected?: string | RegExp): Verdict {
    const { text, failure } = partsOf(received)
    if (failure === undefined) return verdict(false, `the tool did not fail; it returned: ${text}`)
    return expected === undefined ? verdict(true, `the tool failed: ${failure}`) : textVerdict(failure, expected)
  },

  async toMatchSchema(received: unknown, schema: JsonObject): Promise<Verdict> {
    const isResult = isObject(received) && Array.isArray(received.content)
    const value = isResult ? received.structuredContent : received
    const validate = await compilingValidator.prepare(schema)
    const issues = validate(value).map(({ path, reason }) => `${path.join('.') || 'the value'} ${reason}`)
    const shown = JSON.stringify(value, null, 2) ?? 'nothing'
    return verdict(issues.length === 0, ['it does not match the schema:', ...issues, shown].join('\n'))
  },
}

function partsOf(received: unknown) {
  if (!isObject(received) || !Array.isArray(received.content))
    throw new TypeError('expected a result of link.call, an object with "content"')
  const text = textOf(received.content)
  return { text, structured: received.structuredContent, failure: received.isError === true ? text : undefined }
}

function textVerdict(text: string, expected: string | RegExp): Verdict {
  const pass = typeof expected === 'string' ? text === expected : expected.test(text)
  return verdict(
    pass,
    typeof expected === 'string' ? differing(expected, text) : `it does not match ${expected}:\n${text}`,
  )
}

const verdict = (pass: boolean, said: string): Verdict => ({
  pass,
  message: () => (pass ? 'it matches, and was expected not to match' : said),
})

/** Lines that are expected begin with -, those that came with +. */
function differing(expected: unknown, received: unknown): string {
  const [before, after] = [expected, received].map((value) =>
    typeof value === 'string' ? value : (JSON.stringify(value, null, 2) ?? 'nothing'),
  )
  const lines = diffLines(`${before}\n`, `${after}\n`).flatMap(({ value, added, removed }) =>
    value
      .replace(/\n$/, '')
      .split('\n')
      .map((line) => `${removed ? '- ' : added ? '+ ' : '  '}${line}`),
  )
  return ['- expected', '+ received', '', ...lines].join('\n')
}
