import type { CaseReport } from './case.js'

/** Reports in the JUnit XML format, which CI systems read: a suite for each file, a test for each step. */
export function toJUnit(reports: readonly CaseReport[]): string {
  const suites = reports.map(({ file, steps, problem, durationMs }) => {
    const tests =
      problem === undefined
        ? steps.map(({ label, differences, outcome }) => testOf(file, label, outcome?.durationMs ?? 0, differences))
        : [testOf(file, 'the case', durationMs, [problem])]
    const failures = tests.filter((test) => test.includes('<failure')).length
    return `  <testsuite name="${escaped(file)}" tests="${tests.length}" failures="${failures}" time="${seconds(durationMs)}">\n${tests.join('\n')}\n  </testsuite>`
  })
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites>\n${suites.join('\n')}\n</testsuites>\n`
}

function testOf(file: string, label: string, durationMs: number, differences: readonly string[]): string {
  const head = `    <testcase classname="${escaped(file)}" name="${escaped(label)}" time="${seconds(durationMs)}"`
  if (differences.length === 0) return `${head}/>`
  return `${head}>\n      <failure message="${escaped(differences[0] ?? '')}">${escaped(differences.join('\n'))}</failure>\n    </testcase>`
}

const seconds = (ms: number) => (ms / 1000).toFixed(3)

/** Characters that XML does not allow are left out. */
const escaped = (text: string) =>
  text
    // biome-ignore lint/suspicious/noControlCharactersInRegex: just those are meant
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;')
