import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { normalised } from '../wording.js'

export const nameDashes: Rule = {
  id: 'name-dashes',
  group: 'words',
  severity: 'warning',
  about: 'Dashes, dots and other punctuation in names, which some hosts reject.',
  check: ({ tools }) =>
    tools
      .filter(({ name }) => /[^A-Za-z0-9_]/.test(name))
      .map((tool) => ({
        location: inTool(tool),
        problem: `some hosts reject ${punctuationIn(tool.name)} in tool names`,
        fix: `use ${normalised(tool.name)}`,
      })),
}

const punctuationIn = (name: string) =>
  [...new Set(name.replace(/[A-Za-z0-9_]/g, ''))].map((sign) => JSON.stringify(sign)).join(', ')
