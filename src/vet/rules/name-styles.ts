import type { Rule } from '../finding.js'

const styleOf = (name: string) =>
  name.includes('_') ? 'snake' : name.includes('-') ? 'kebab' : /[a-z][A-Z]/.test(name) ? 'camel' : undefined

export const nameStyles: Rule = {
  id: 'name-styles',
  group: 'words',
  severity: 'note',
  about: 'Tool names in several styles.',
  check: ({ tools }) => {
    const styles = new Map(tools.flatMap(({ name }) => (styleOf(name) ? [[styleOf(name), name] as const] : [])))
    if (styles.size < 2) return []
    const examples = [...styles.values()].join(', ')
    return [
      {
        location: 'tools',
        problem: `the tool names use ${styles.size} styles (${examples})`,
        fix: 'use one style, such as weigh_hive',
      },
    ]
  },
}
