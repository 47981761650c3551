import { fileURLToPath } from 'node:url'
import type { Root } from '../kit/call.js'
import { isObject } from '../protocol/messages.js'
import { revisions } from '../protocol/revisions.js'

/** The client that Loupe presents to a target. */
export interface ClientSide {
  /** Revision to request; the newest if it is omitted. */
  revision?: string
  /** Declared capabilities; the server must not use others. */
  declares: { roots: boolean; sampling: boolean; elicitation: boolean; upstream: boolean; views: boolean }
  roots: readonly Root[]
  /** Who answers questions: the user in the page, or a fixed answer. */
  questions: 'person' | 'accept' | 'decline' | 'cancel'
  /** Who answers for the model. */
  model: 'person' | 'stand-in' | 'canned'
  /** The fixed reply of the model. */
  cannedReply: string
}

export const usualClientSide: ClientSide = {
  declares: { roots: true, sampling: true, elicitation: true, upstream: true, views: true },
  roots: [],
  questions: 'person',
  model: 'person',
  cannedReply: '',
}

/** True if the server only sees the change after a reconnect. */
export function needsReopening(before: ClientSide, after: ClientSide): boolean {
  return before.revision !== after.revision || JSON.stringify(before.declares) !== JSON.stringify(after.declares)
}

/** Parses the settings that the page sent; returns an error text if they are not valid. */
export function readClientSide(value: unknown): ClientSide | string {
  if (!isObject(value) || !isObject(value.declares)) return 'the client settings must be an object with "declares"'
  const { revision, roots, declares } = value
  if (revision !== undefined && !revisions.some(({ date }) => date === revision))
    return `the revision ${JSON.stringify(revision)} is unknown`
  if (!Array.isArray(roots)) return '"roots" is not a list'
  const wrong = roots.find((root) => !isObject(root) || !isFolder(root.uri))
  if (wrong)
    return `the root ${JSON.stringify(isObject(wrong) ? wrong.uri : wrong)} is not a file:// URI of a folder`
  return {
    ...(revision === undefined ? {} : { revision: String(revision) }),
    declares: {
      roots: declares.roots === true,
      sampling: declares.sampling === true,
      elicitation: declares.elicitation === true,
      upstream: declares.upstream === true,
      views: declares.views === true,
    },
    roots: roots
      .filter(isObject)
      .map(({ uri, name }) => ({ uri: String(uri), ...(name ? { name: String(name) } : {}) })),
    questions: oneOf(value.questions, ['person', 'accept', 'decline', 'cancel']),
    model: oneOf(value.model, ['person', 'stand-in', 'canned']),
    cannedReply: typeof value.cannedReply === 'string' ? value.cannedReply : '',
  }
}

const oneOf = <T extends string>(value: unknown, known: readonly [T, ...T[]]): T =>
  known.find((item) => item === value) ?? known[0]

function isFolder(uri: unknown): boolean {
  try {
    return typeof uri === 'string' && fileURLToPath(uri) !== ''
  } catch {
    return false
  }
}
