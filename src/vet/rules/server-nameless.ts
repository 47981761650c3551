import type { Rule } from '../finding.js'

export const serverNameless: Rule = {
  id: 'server-nameless',
  group: 'words',
  severity: 'note',
  about: 'Servers without a real name, version or instructions.',
  check: ({ name, version, instructions }) => [
    ...(/^(server|mcp|my[-_ ]?server|test|example|unnamed)$/i.test(name)
      ? [
          {
            location: 'server',
            problem: `the server's name is ${JSON.stringify(name)}`,
            fix: 'use a name that describes the server',
          },
        ]
      : []),
    ...(version === '' || version === '0.0.0'
      ? [
          {
            location: 'server',
            problem: `the server's version is ${JSON.stringify(version)}`,
            fix: 'set a real version; clients show it',
          },
        ]
      : []),
    ...(instructions?.trim()
      ? []
      : [
          {
            location: 'server',
            problem: 'the server has no instructions',
            fix: 'describe its purpose in about, in a sentence or two',
          },
        ]),
  ],
}
