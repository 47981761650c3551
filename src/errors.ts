const brand = Symbol.for('jexo.error')

/** Code of an error. Codes are stable, so that programs can switch on them. Each is documented in `docs/reference/errors.md`. */
export type ErrorCode =
  | 'issuer-unsafe'
  | 'algorithm-unsafe'
  | 'access-without-url'
  | 'tokens-unreadable'
  | 'caller-taken'
  | 'identity-for-others'
  | 'caller-name'
  | 'tokens-unwritable'
  | 'caller-unknown'
  | 'exchange-failed'
  | 'sign-in-failed'
  | 'sign-in-needed'
  | 'sign-ins-unreadable'
  | 'response-malformed'
  | 'response-unfit'
  | 'answers-unreadable'
  | 'argument-unknown'
  | 'argument-file-missing'
  | 'argument-file-large'
  | 'argument-unreadable'
  | 'artefact-foreign'
  | 'artefact-missing'
  | 'case-unreadable'
  | 'case-unwritable'
  | 'child-ended'
  | 'closed'
  | 'collector-unreadable'
  | 'column-missing'
  | 'command-missing'
  | 'process-description'
  | 'process-ended'
  | 'commands-unreadable'
  | 'config-entry-missing'
  | 'config-entry-taken'
  | 'config-unreadable'
  | 'config-folder-missing'
  | 'config-unwritable'
  | 'header-secret'
  | 'connect-failed'
  | 'contract-unreadable'
  | 'deploy-address-fixed'
  | 'deploy-busy'
  | 'deploy-folder-unusable'
  | 'deployment-not-running'
  | 'embeddings-failed'
  | 'environment-file-unreadable'
  | 'remote-node-missing'
  | 'feed-address'
  | 'feed-setting'
  | 'webhook-open'
  | 'feed-silent'
  | 'feed-unreachable'
  | 'folder-not-empty'
  | 'folder-unwritable'
  | 'install-failed'
  | 'introspection-refused'
  | 'kit-field'
  | 'layer-invalid'
  | 'kit-file-broken'
  | 'kit-file-edited'
  | 'kit-not-found'
  | 'kit-file-exists'
  | 'kit-file-missing'
  | 'kit-file-unmarked'
  | 'kit-file-slow'
  | 'kit-file-ends'
  | 'kit-file-without-kit'
  | 'model-request'
  | 'model-unusable'
  | 'not-a-part'
  | 'not-packed'
  | 'pack-failed'
  | 'pack-silent'
  | 'pack-foreign'
  | 'new-source-missing'
  | 'package-broken'
  | 'package-missing'
  | 'page-not-built'
  | 'option-unknown'
  | 'part-field'
  | 'part-missing'
  | 'part-name'
  | 'part-taken'
  | 'peer-cannot'
  | 'port-taken'
  | 'prompt-field'
  | 'public-url-silent'
  | 'public-without-access'
  | 'public-without-name'
  | 'question-field'
  | 'question-many'
  | 'questions-unreadable'
  | 'registry-name-missing'
  | 'release-failed'
  | 'release-unknown'
  | 'request-timed-out'
  | 'revision-refused'
  | 'schema-not-object'
  | 'schema-unreadable'
  | 'schema-without-json'
  | 'sdk-missing'
  | 'layers-elsewhere'
  | 'server-failed'
  | 'server-sessions'
  | 'server-unreachable'
  | 'session-ended'
  | 'settings-missing'
  | 'source-missing'
  | 'source-not-loadable'
  | 'source-relative'
  | 'source-unknown-kind'
  | 'source-unreadable'
  | 'source-without-exports'
  | 'sql-address'
  | 'sql-unreachable'
  | 'ssh-failed'
  | 'store-unavailable'
  | 'supervisor-failed'
  | 'tape-as-target'
  | 'tape-unreadable'
  | 'tape-without-server'
  | 'tape-unwritable'
  | 'target-unknown'
  | 'target-unreadable'
  | 'template-invalid'
  | 'tool-unknown'
  | 'prompt-unknown'
  | 'resource-unknown'
  | 'topic-unreadable'
  | 'unexpected'
  | 'upstream-body'
  | 'upstream-private'
  | 'upstream-redirect'
  | 'upstream-timed-out'
  | 'upstream-token'
  | 'upstream-url'
  | 'uri-invalid'
  | 'verb-unknown'
  | 'view-missing'
  | 'view-page'
  | 'view-uri'
  | 'page-unbuildable'
  | 'page-needs-vite'
  | 'vet-settings'
  | 'wrap-instance-missing'
  | 'wrap-nothing-left'
  | 'wrap-takes-nothing'

/** Fields of an error besides its text. */
export interface ErrorDetails {
  cause?: unknown
  /**
   * What the caller of a tool, such as a model, sees: `true` for the whole message, which then must not name files, addresses or
   * commands; or another text. Without it, the caller learns only that the call failed.
   */
  forCallers?: true | string
  /** Values that a program needs, so that it does not have to read them from the message. */
  data?: Readonly<Record<string, unknown>>
}

/**
 * An error of Jexo. `message` combines the other fields: `location: problem; fix.`
 *
 * @example if (isJexoError(error) && error.code === 'settings-missing') console.error(error.fix)
 */
export class JexoError extends Error {
  readonly [brand] = true
  readonly code: ErrorCode
  /** What is wrong. */
  readonly problem: string
  /** How to fix it. */
  readonly fix: string
  /** A file, part or URL, if known. */
  readonly location: string | undefined
  readonly data: Readonly<Record<string, unknown>>
  readonly #details: ErrorDetails

  constructor(code: ErrorCode, problem: string, fix: string, location?: string, details: ErrorDetails = {}) {
    const { cause } = details
    const prefix = location === undefined ? '' : `${location}: `
    super(`${prefix}${problem}; ${fix}${fix.endsWith('?') ? '' : '.'}`, cause === undefined ? undefined : { cause })
    this.name = 'JexoError'
    this.code = code
    this.problem = problem
    this.fix = fix
    this.location = location
    this.data = details.data ?? {}
    this.#details = details
  }

  /** Who the message is for. A message for the operator may name addresses, files and commands, and never reaches a model. */
  get audience(): 'operator' | 'caller' {
    return this.#details.forCallers === true ? 'caller' : 'operator'
  }

  /** The text for the caller; undefined if the caller sees only that the call failed. */
  get callerText(): string | undefined {
    const { forCallers } = this.#details
    return forCallers === true ? this.message : forCallers
  }

  /** The same error with a location put in front, such as the kit file in which it happened. */
  at(location: string): JexoError {
    const whole = this.location === undefined ? location : `${location}: ${this.location}`
    return new JexoError(this.code, this.problem, this.fix, whole, this.#details)
  }
}

/** True for a `JexoError` of this or of another copy of the package. */
export function isJexoError(value: unknown): value is JexoError {
  return typeof value === 'object' && value !== null && (value as { [brand]?: true })[brand] === true
}

/** The message of whatever was thrown. */
export const messageOf = (thrown: unknown): string => (thrown instanceof Error ? thrown.message : String(thrown))

/** `"hives", "sites"`. */
export const listOf = (names: readonly string[]): string => names.map((name) => `"${name}"`).join(', ')
