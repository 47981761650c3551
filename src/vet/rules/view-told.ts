import { forModel, uiOf } from '../../protocol/ui.js'
import type { Rule } from '../finding.js'

export const viewTold: Rule = {
  id: 'view-told',
  group: 'words',
  severity: 'warning',
  about: 'Texts that mention page-only tools to models.',
  check: ({ tools, instructions = '' }) => {
    const hidden = tools.filter((tool) => !uiOf(tool).isForModel).map(({ name }) => name)
    const texts = [
      { location: 'server', text: instructions },
      ...forModel(tools).map(({ name, description = '' }) => ({ location: `tool ${name}`, text: description })),
    ]
    return texts.flatMap(({ location, text }) =>
      hidden
        .filter((name) => wordsOf(text).has(name))
        .map((name) => ({
          location,
          problem: `it mentions ${name}, which only pages may call; a model may try to call it`,
          fix: `remove the name, or add "model" to the visibility of ${name}`,
        })),
    )
  },
}

const wordsOf = (text: string) => new Set(text.match(/[\w-]+(?:\.[\w-]+)*/g) ?? [])
