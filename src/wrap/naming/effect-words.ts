import type { Effect } from '../../kit/effects.js'

const words: Readonly<Record<Effect, readonly string[]>> = {
  read: [
    ...[
      'analyse',
      'analyze',
      'are',
      'average',
      'calc',
      'calculate',
      'can',
      'check',
      'compare',
      'compute',
      'contains',
    ],
    ...[
      'convert',
      'count',
      'decode',
      'describe',
      'detect',
      'diff',
      'distance',
      'encode',
      'estimate',
      'evaluate',
      'exists',
    ],
    ...[
      'explain',
      'extract',
      'fetch',
      'filter',
      'find',
      'forecast',
      'format',
      'get',
      'group',
      'has',
      'inspect',
      'is',
    ],
    ...[
      'list',
      'look',
      'lookup',
      'match',
      'max',
      'mean',
      'measure',
      'median',
      'min',
      'next',
      'normalise',
      'normalize',
    ],
    ...[
      'parse',
      'peek',
      'plan',
      'predict',
      'preview',
      'query',
      'rank',
      'read',
      'resolve',
      'round',
      'score',
      'search',
    ],
    ...['select', 'show', 'simulate', 'sort', 'split', 'stringify', 'sum', 'summarise', 'summarize', 'to', 'total'],
    ...['translate', 'validate', 'verify', 'view', 'weigh'],
  ],
  add: [
    'add',
    'append',
    'book',
    'create',
    'insert',
    'log',
    'new',
    'post',
    'publish',
    'record',
    'register',
    'send',
    'submit',
  ],
  change: [
    ...[
      'apply',
      'assign',
      'change',
      'close',
      'disable',
      'edit',
      'enable',
      'merge',
      'modify',
      'move',
      'open',
      'patch',
    ],
    ...[
      'put',
      'rename',
      'replace',
      'run',
      'save',
      'set',
      'start',
      'stop',
      'store',
      'sync',
      'toggle',
      'update',
      'upsert',
      'write',
    ],
  ],
  remove: [
    'archive',
    'cancel',
    'clear',
    'delete',
    'destroy',
    'drop',
    'erase',
    'purge',
    'remove',
    'reset',
    'revoke',
    'unregister',
  ],
}
const effectOfWord = new Map(
  Object.entries(words).flatMap(([effect, list]) => list.map((word) => [word, effect as Effect] as const)),
)

/** The words of a name in any style: `weighHive`, `weigh_hive`, `HTTPPort2` → lower case, in order. */
export function wordsOf(name: string): string[] {
  return name
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .replace(/([A-Z]+)([A-Z][a-z])/g, '$1 $2')
    .split(/[^A-Za-z\d]+/)
    .filter((word) => word !== '')
    .map((word) => word.toLowerCase())
}

export const snakeCase = (name: string): string => wordsOf(name).join('_')

/**
 * The effect that a name suggests. Unclear names count as a change, so that nothing is taken for harmless by mistake.
 */
export function guessEffect(name: string): Effect {
  const [first = ''] = wordsOf(name)
  return effectOfWord.get(first) ?? 'change'
}
