import type { Rule } from '../finding.js'

const styleOf = (name: string) =>
  name.includes('_') ? 'snake' : name.includes('-') ? 'kebab' : /[a-z][A-Z]/.test(name) ? 'camel' : undefined

export const nameStyles: Rule = {
  id: 'name-styles',
  group: 'words',
  severity: 'note',
  about: 'Names of tools in several styles.',
  check: ({ tools }) => {
    const styles = new Map(tools.flatMap(({ name }) => (styleOf(name) ? [[styleOf(name), name] as const] : [])))
    if (styles.size < 2) return []
    const examples = [...styles.values()].join(', ')
    return [
      {
        where: 'tools',
        what: `their names are in ${styles.size} styles (${examples})`,
        mend: 'keep to one, such as weigh_hive',
      },
    ]
  },
}
