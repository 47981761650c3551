import type { Rule } from '../finding.js'

export const serverNameless: Rule = {
  id: 'server-nameless',
  group: 'words',
  severity: 'note',
  about: 'Servers that do not say what they are: hosts show it, and models read it.',
  check: ({ name, version, instructions }) => [
    ...(/^(server|mcp|my[-_ ]?server|test|example|unnamed)$/i.test(name)
      ? [{ where: 'server', what: `its name is ${JSON.stringify(name)}`, mend: 'name it for what it serves' }]
      : []),
    ...(version === '' || version === '0.0.0'
      ? [
          {
            where: 'server',
            what: `its version is ${JSON.stringify(version)}`,
            mend: 'count its versions, so that people can say which one they have',
          },
        ]
      : []),
    ...(instructions?.trim()
      ? []
      : [
          {
            where: 'server',
            what: 'it has no instructions',
            mend: 'say in about: what it is for, in a sentence or two',
          },
        ]),
  ],
}
