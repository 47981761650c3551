/**
 * The catalogue of everything that Jexo itself refuses: a stable code, what happened, and what to do about it.
 * Errors that travel to a peer are in `protocol/rpc-error.ts`.
 */
const brand = Symbol.for('jexo.error')

/** Codes of errors whose whole message is for whoever called, a model among them: they say nothing of this machine. */
const forCallers = new Set([
  'peer-cannot',
  'question-field',
  'question-many',
  'model-request',
  'answer-unfit',
  'column-missing',
])

/** What callers are told of errors whose message is for the operator: it may name addresses, files and commands. */
const saidToCallers: Readonly<Record<string, string>> = {
  'upstream-timed-out': 'The API did not respond in time; try again later.',
  'upstream-private': 'The API is at an address that this server does not call; trying again will not help.',
  'upstream-redirect': 'The API leads to an address that this server does not call; trying again will not help.',
  'sql-unreachable': 'The database cannot be reached now; try again later.',
  'feed-unreachable': 'The source of the readings cannot be reached now; try again later.',
  'embeddings-failed': 'The search cannot be used now; try again later.',
  'request-timed-out': 'The host did not respond in time.',
  closed: 'The connection was closed.',
}

/** A refusal by Jexo. `message` says what happened and what to do; `where` names a file, part or URL if known. */
export class JexoError extends Error {
  readonly [brand] = true
  readonly code: string
  readonly what: string
  readonly fix: string
  readonly where: string | undefined

  constructor(code: string, what: string, fix: string, where?: string, cause?: unknown) {
    super(`${where === undefined ? '' : `${where}: `}${what}; ${fix}.`, cause === undefined ? undefined : { cause })
    this.name = 'JexoError'
    this.code = code
    this.what = what
    this.fix = fix
    this.where = where
  }

  /** Whom the message is for. What is for the operator may name addresses, files and commands, and never reaches a model. */
  get audience(): 'operator' | 'caller' {
    return forCallers.has(this.code) ? 'caller' : 'operator'
  }

  /** What a caller may be told; undefined where that is only that it failed. */
  get callerText(): string | undefined {
    return this.audience === 'caller' ? this.message : saidToCallers[this.code]
  }

  /** The same refusal with the place put in front, such as the kit file that it happened in. */
  at(where: string): JexoError {
    const place = this.where === undefined ? where : `${where}: ${this.where}`
    return new JexoError(this.code, this.what, this.fix, place, this.cause)
  }
}

/** True for a `JexoError` of this or of another copy of the package. */
export function isJexoError(value: unknown): value is JexoError {
  return typeof value === 'object' && value !== null && (value as { [brand]?: true })[brand] === true
}

const listOf = (names: readonly string[]) => names.map((name) => `"${name}"`).join(', ')

/** Every problem Jexo reports, by what went wrong. */
export const problems = {
  caseUnreadable: (file: string, reason: string) =>
    new JexoError(
      'case-unreadable',
      reason,
      'write it as schemas/case.schema.json says, or record one with jexo call --save',
      file,
    ),
  vetSettings: (file: string, reason: string) =>
    new JexoError(
      'vet-settings',
      reason,
      'write them as {"jexo": {"vet": {"<rule>": {"as": "off", "because": "…"}}}}; jexo vet --rules names them',
      file,
    ),
  contractUnreadable: (file: string, reason: string) =>
    new JexoError(
      'contract-unreadable',
      `it is not a valid contract (${reason})`,
      'save a new one with jexo vet --save',
      file,
    ),
  questionsUnreadable: (file: string, reason: string) =>
    new JexoError('questions-unreadable', reason, 'write it as schemas/questions.schema.json says', file),
  modelUnusable: (url: string, reason: string) =>
    new JexoError(
      'model-unusable',
      `the model gives no answer that can be used (${reason})`,
      'give the URL of a chat endpoint with function calling, and its key in JEXO_MODEL_KEY',
      url,
    ),
  caseUnwritable: (file: string, reason: string) =>
    new JexoError('case-unwritable', `it cannot be written (${reason})`, 'give the name of a new file', file),
  folderNotEmpty: (folder: string) =>
    new JexoError('folder-not-empty', 'the folder is not empty', 'give the name of a new folder', folder),
  installFailed: (folder: string, reason: string) =>
    new JexoError(
      'install-failed',
      `npm install failed (${reason})`,
      'run npm install in that folder to see the whole output',
      folder,
    ),
  tapeUnreadable: (file: string, line: number, reason: string) =>
    new JexoError(
      'tape-unreadable',
      `line ${line} is not a valid tape entry: ${reason}`,
      'create tapes with jexo relay, jexo serve --tape or Loupe',
      file,
    ),
  tapeUnwritable: (file: string, reason: string) =>
    new JexoError(
      'tape-unwritable',
      `the tape cannot be written (${reason})`,
      'give a file in an existing folder that you may write to',
      file,
    ),
  tapeAsTarget: (file: string) =>
    new JexoError(
      'tape-as-target',
      'a tape is a recording, not a server',
      'open it with jexo show or jexo loupe, or give the server that it was recorded from',
      file,
    ),
  partTaken: (kind: string, key: string) =>
    new JexoError('part-taken', `two parts have the name ${kind} "${key}"`, 'rename or remove one of them'),
  partName: (kind: string, name: string) =>
    new JexoError(
      'part-name',
      `the ${kind} name ${JSON.stringify(name)} is not allowed`,
      'use 1 to 128 of the characters A-Z a-z 0-9 _ - .',
    ),
  partField: (part: string, field: string, wanted: string) =>
    new JexoError('part-field', `${part} has no usable "${field}"`, `give ${wanted}`),
  schemaNotObject: (part: string, field: string, given: string) =>
    new JexoError(
      'schema-not-object',
      `the ${field} schema of ${part} is ${given}, not an object`,
      field === 'output' ? 'wrap it, as in z.object({ value: … })' : 'give an object schema, as in z.object({ … })',
    ),
  schemaUnreadable: (part: string, field: string, reason: string) =>
    new JexoError(
      'schema-unreadable',
      `the ${field} schema of ${part} cannot become JSON Schema (${reason})`,
      'use types that JSON can carry, or give a plain JSON Schema object',
    ),
  schemaWithoutJson: (part: string, field: string, vendor: string) =>
    new JexoError(
      'schema-without-json',
      `the ${field} schema of ${part} is of ${vendor}, which does not say what it is in JSON Schema`,
      'use zod 4.2 or later, the library\'s "Standard JSON Schema" converter, or a plain JSON Schema object',
    ),
  promptField: (part: string, field: string) =>
    new JexoError(
      'prompt-field',
      `the argument "${field}" of ${part} is not a string`,
      'prompt arguments are strings or enums of strings, required or optional',
    ),
  uriInvalid: (part: string, uri: string) =>
    new JexoError(
      'uri-invalid',
      `${part} has the URI ${JSON.stringify(uri)}, which is none`,
      'write one with a scheme, such as apiary://hives',
    ),
  templateInvalid: (uriTemplate: string, reason: string) =>
    new JexoError(
      'template-invalid',
      `the URI template ${JSON.stringify(uriTemplate)} cannot be read (${reason})`,
      'write it by RFC 6570, such as apiary://hives/{hive}',
    ),
  notAPart: (given: string) =>
    new JexoError(
      'not-a-part',
      `the list of parts holds ${given}`,
      'give what tool, resource, template or prompt return, and spread arrays with ...',
    ),
  partMissing: (name: string, closest: readonly string[]) =>
    new JexoError(
      'part-missing',
      `there is no part "${name}" to choose`,
      closest.length > 0 ? `did you mean ${listOf(closest)}?`.replace(/\?$/, '') : 'check the name',
    ),
  kitField: (field: string, wanted: string) =>
    new JexoError('kit-field', `the kit has no usable "${field}"`, `give ${wanted}`),
  relayWithoutToken: (host: string) =>
    new JexoError(
      'public-without-access',
      `a relay on ${host} could be used by anybody who reaches it`,
      'set JEXO_TOKEN, which hosts then send as a bearer token, or listen on 127.0.0.1',
    ),
  settingName: (name: string) =>
    new JexoError(
      'kit-field',
      `${JSON.stringify(name)} cannot be the name of a setting`,
      'use letters, digits and underscores, as in SCALES_URL',
    ),
  settingsMissing: (lines: readonly string[]) =>
    new JexoError(
      'settings-missing',
      `${lines.length === 1 ? 'a setting is' : `${lines.length} settings are`} missing: ${lines.join('; ')}`,
      'set them in the environment, or pass --env NAME=value',
    ),
  peerCannot: (what: string, capability: string) =>
    new JexoError(
      'peer-cannot',
      `the connected host cannot ${what}`,
      `it did not declare "${capability}"; offer another way, or use a host that does`,
    ),
  questionField: (label: string, field: string) =>
    new JexoError(
      'question-field',
      `${label} asks a person for "${field}", which a form cannot hold`,
      'ask for strings, numbers, booleans, one choice or several choices, without nesting',
    ),
  questionMany: (label: string, field: string, revision: string) =>
    new JexoError(
      'question-many',
      `${label} asks for several choices in "${field}", which hosts of revision ${revision} do not know`,
      'ask for one choice, or for one after the other',
    ),
  modelRequest: (fault: string) =>
    new JexoError('model-request', `the request to the model is malformed: ${fault}`, 'correct its messages'),
  answerUnfit: (what: string, reasons: string) =>
    new JexoError(
      'answer-unfit',
      `the host's answer to ${what} does not fit: ${reasons}`,
      'ask again, or use another host',
    ),
  kitFileMissing: (file: string) =>
    new JexoError('kit-file-missing', 'there is no such file', 'check the path', file),
  kitFileBroken: (file: string, reason: string, cause?: unknown) =>
    new JexoError('kit-file-broken', `it does not load: ${reason}`, 'fix the file and try again', file, cause),
  kitFileWithoutKit: (file: string, given: string) =>
    new JexoError(
      'kit-file-without-kit',
      `its default export is ${given}, not a kit`,
      'end it with: export default defineKit({ … })',
      file,
    ),
  sourceMissing: (file: string) => new JexoError('source-missing', 'there is no such file', 'check the path', file),
  sourceRelative: (given: string) =>
    new JexoError(
      'source-relative',
      `${JSON.stringify(given)} could be anywhere, since hosts start servers from other folders`,
      `write new URL(${JSON.stringify(given.startsWith('.') ? given : `./${given}`)}, import.meta.url)`,
    ),
  sourceUnreadable: (file: string, reason: string) =>
    new JexoError('source-unreadable', `it cannot be read (${reason})`, 'fix it and try again', file),
  sourceNotLoadable: (file: string) =>
    new JexoError(
      'source-not-loadable',
      'this version of Node cannot load TypeScript',
      'serve or pack the kit with jexo, or wrap the compiled JavaScript',
      file,
    ),
  sourceWithoutExports: (file: string) =>
    new JexoError('source-without-exports', 'it exports nothing', 'export the functions to offer as tools', file),
  sourceUnknownKind: (source: string, kinds: readonly string[]) =>
    new JexoError(
      'source-unknown-kind',
      `what ${JSON.stringify(source)} is cannot be told from its name`,
      `set it with --kind: ${kinds.join(', ')}`,
    ),
  wrapNameTaken: (tool: string, first: string, second: string) =>
    new JexoError(
      'wrap-name-taken',
      `${first} and ${second} would both be the tool "${tool}"`,
      'rename one of them, or exclude one with except',
    ),
  wrapNothingLeft: (source: string, leftOut: readonly string[]) =>
    new JexoError(
      'wrap-nothing-left',
      leftOut.length > 0 ? `nothing of it can be a tool: ${leftOut.join('; ')}` : 'it exports no functions',
      'change the functions named above, or export others',
      source,
    ),
  wrapTakesNothing: (source: string, reasons: string) =>
    new JexoError(
      'wrap-takes-nothing',
      `${reasons === '' ? 'it has no operations' : `none of its operations is included: ${reasons}`}`,
      'choose others, or include writes with --writes (writes: true)',
      source,
    ),
  wrapInstanceMissing: (className: string, source: string) =>
    new JexoError(
      'wrap-instance-missing',
      `there is no class ${className} to give an instance of`,
      'name exported classes in instances',
      source,
    ),
  upstreamPrivate: (host: string, address: string) =>
    new JexoError(
      'upstream-private',
      `${host} is ${host === address ? 'an address' : `at ${address}`} within the private network, and the API is not`,
      'if that is intended, set allowsPrivate: true',
    ),
  upstreamTimedOut: (host: string, timeoutMs: number) =>
    new JexoError(
      'upstream-timed-out',
      `${host} did not answer within ${timeoutMs} ms`,
      'try again later; the limit is JEXO_UPSTREAM_TIMEOUT_MS',
    ),
  upstreamRedirect: (from: string, to: string, reason: string) =>
    new JexoError(
      'upstream-redirect',
      `${from} points to ${to}, and ${reason}`,
      'if that is intended, add the host to allowedHosts',
    ),
  upstreamToken: (url: string, status: number, settings: readonly string[]) =>
    new JexoError(
      'upstream-token',
      `${url} returned no token (status ${status}) for the values of ${settings.join(' and ')}`,
      'check both, and the scopes',
    ),
  upstreamBody: (method: string) =>
    new JexoError(
      'upstream-body',
      `a ${method} request with a body is not supported in-process`,
      'use another method',
    ),
  upstreamUrl: (setting: string, given: string) =>
    new JexoError(
      'upstream-url',
      `${setting} is ${given === '' ? 'not set' : `${JSON.stringify(given)}, which is not an http:// or https:// URL`}`,
      'set it to the base URL of the API, such as https://api.example/v1',
    ),
  packageMissing: (name: string, what: string) =>
    new JexoError(
      'package-missing',
      `${what} need the package ${name}, which is not installed`,
      `run: npm install ${name}`,
    ),
  topicUnreadable: (topic: string) =>
    new JexoError(
      'topic-unreadable',
      `${JSON.stringify(topic)} is not a valid topic`,
      'use levels and variables that fill a whole level, such as scales/{hive}/weight',
    ),
  feedAddress: (given: string) =>
    new JexoError(
      'feed-address',
      `${JSON.stringify(given.replace(/\/\/[^@/]*@/, '//'))} is not a known kind of feed`,
      'give mqtt://broker:1883 or mqtts://…, or a source with open or poll',
    ),
  feedUnreachable: (where: string, reason: string) =>
    new JexoError(
      'feed-unreachable',
      `the source cannot be reached (${reason})`,
      'check that it runs, and its address, user and password',
      where,
    ),
  feedSilent: (where: string, filter: string, listenMs: number) =>
    new JexoError(
      'feed-silent',
      `no message arrived on ${filter} within ${listenMs} ms`,
      'check the topic, or listen longer with --listen',
      where,
    ),
  embeddingsFailed: (where: string, reason: string) =>
    new JexoError(
      'embeddings-failed',
      `the endpoint returned no vectors (${reason})`,
      'check the address, the model and the key',
      where,
    ),
  sqlAddress: (given: string) =>
    new JexoError(
      'sql-address',
      `${JSON.stringify(given)} is not a known kind of database`,
      'give a SQLite file, or a URL such as postgres://db.example/ledger, mysql://… or mariadb://…',
    ),
  columnMissing: (column: string, closest: readonly string[]) =>
    new JexoError(
      'column-missing',
      `there is no column ${JSON.stringify(column)} to search`,
      closest.length > 0 ? `the closest are ${listOf(closest)}` : 'name it as table.column',
    ),
  sqlUnreachable: (where: string, reason: string) =>
    new JexoError(
      'sql-unreachable',
      `the database cannot be reached (${reason})`,
      'check that it runs, its address, user and password',
      where,
    ),
  kitFileExists: (file: string) =>
    new JexoError(
      'kit-file-exists',
      'the file exists and was not written by jexo wrap',
      'choose another --out, or remove it first',
      file,
    ),
  kitFileEdited: (file: string) =>
    new JexoError(
      'kit-file-edited',
      'the file was edited after jexo wrap wrote it',
      'list changes of the source with --check and merge them by hand, or overwrite the file with --force',
      file,
    ),
  kitFileUnmarked: (file: string) =>
    new JexoError(
      'kit-file-unmarked',
      'it was not written by jexo wrap, so there is nothing to compare it with',
      'give a file written with --out',
      file,
    ),
  targetUnknown: (target: string) =>
    new JexoError(
      'target-unknown',
      `${JSON.stringify(target)} is not a target`,
      'give a kit file, an http:// URL, exec:<command line>, or <host config file>#<entry>',
    ),
  commandMissing: (command: string) =>
    new JexoError(
      'command-missing',
      `the program ${JSON.stringify(command)} was not found in PATH`,
      'install it, or give its full path',
    ),
  connectFailed: (target: string, reason: string, cause?: unknown) =>
    new JexoError(
      'connect-failed',
      `no connection (${reason})`,
      'check that it runs and that the address is right',
      target,
      cause,
    ),
  childEnded: (command: string, reason: string) =>
    new JexoError('child-ended', `the server ended (${reason})`, 'see its output on stderr', command),
  answersUnreadable: (file: string, reason: string) =>
    new JexoError(
      'answers-unreadable',
      `it is not a valid answers file (${reason})`,
      'give accept, decline, cancel or a file with "version: 1" and "answers"',
      file,
    ),
  sessionEnded: (where: string) =>
    new JexoError(
      'session-ended',
      'the server had ended the session, and a new one was opened; the call was not repeated, since it may change something',
      'check whether the call was executed, and repeat it if not',
      where,
    ),
  requestTimedOut: (method: string, timeoutMs: number) =>
    new JexoError(
      'request-timed-out',
      `no response to ${method} within ${timeoutMs} ms`,
      'raise --timeout (timeoutMs in code), or find out why the other side is busy',
    ),
  closed: (why: string) => new JexoError('closed', `the connection is closed (${why})`, 'reconnect'),
  revisionRefused: (offered: string, known: readonly string[]) =>
    new JexoError(
      'revision-refused',
      `the server speaks revision ${JSON.stringify(offered)}`,
      `this client supports ${known.join(', ')}; use a server that supports one of them`,
    ),
  answerTooLong: (maxBytes: number) =>
    new JexoError(
      'answer-malformed',
      `the server sent more than ${maxBytes} bytes in one message`,
      'check the server',
    ),
  redirected: (url: string, target: string | undefined) =>
    new JexoError(
      'connect-failed',
      `${url} redirects to ${target ?? 'an address that cannot be read'}, which is not followed`,
      'use that address yourself if you trust it',
    ),
  answerMalformed: (method: string, reason: string) =>
    new JexoError(
      'answer-malformed',
      `the server sent an invalid response to ${method} (${reason})`,
      'fix the server',
    ),
  pageNotBuilt: (folder: string) =>
    new JexoError('page-not-built', `the built page is missing at ${folder}`, 'run: npm run build'),
  portTaken: (host: string, port: number) =>
    new JexoError(
      'port-taken',
      `${host}:${port} is in use`,
      'stop the program that uses it, or choose another port',
    ),
  publicWithoutAccess: (host: string) =>
    new JexoError(
      'public-without-access',
      `${host} can be reached from other machines and nothing checks who calls`,
      'set JEXO_TOKEN to a secret that callers must send, or pass --open-to-anyone',
    ),
  publicWithoutName: (host: string) =>
    new JexoError(
      'public-without-name',
      `other machines reach ${host} by host names, and this server refuses unknown host names`,
      'set --public-url (JEXO_PUBLIC_URL) or --allowed-host (JEXO_ALLOWED_HOSTS)',
    ),
  sshFailed: (destination: string, reason: string) =>
    new JexoError(
      'ssh-failed',
      `${destination} cannot be reached by ssh (${reason})`,
      'try ssh with the same destination; configure keys, names and ports in the ssh configuration',
    ),
  releaseFailed: (id: string, reason: string) =>
    new JexoError(
      'release-failed',
      `the release ${id} failed to start (${reason})`,
      'the previous release keeps serving; fix the kit, pack it and ship it again',
    ),
  releaseUnknown: (id: string | undefined, kept: readonly string[]) =>
    new JexoError(
      'release-unknown',
      id === undefined ? 'there is no earlier release' : `there is no release ${id} here`,
      kept.length > 0 ? `these are kept: ${kept.join(', ')}` : 'ship one first',
    ),
  artefactForeign: (platform: string, here: string) =>
    new JexoError(
      'artefact-foreign',
      `it contains native code for ${platform}, but this machine is ${here}`,
      'pack it on a machine of that platform',
    ),
  artefactMissing: (file: string, reason: string) =>
    new JexoError('artefact-missing', `it cannot be read (${reason})`, 'give a file created by jexo pack', file),
  farNodeMissing: (reason: string) =>
    new JexoError(
      'far-node-missing',
      `Node was not found on that machine (${reason})`,
      'install Node 20.19 or later there, or give its path with --node <path>',
    ),
  placeUnusable: (reason: string) =>
    new JexoError('place-unusable', `the folder cannot be used (${reason})`, 'give a folder that you may write to'),
  publicUrlSilent: (url: string, reason: string) =>
    new JexoError(
      'public-url-silent',
      `the release runs, but does not respond at its public URL (${reason})`,
      'check the proxy, the host name and the port',
      url,
    ),
  notPacked: (file: string) =>
    new JexoError(
      'not-packed',
      'not a file created by jexo pack',
      'create one with jexo pack, or give the kit file itself',
      file,
    ),
  placeElsewhere: (address: string) =>
    new JexoError(
      'place-elsewhere',
      `the deployment listens on ${address} while it runs`,
      'stop it with --stop, then ship with the new address',
    ),
  placeBusy: (id: string) =>
    new JexoError('place-busy', `a switch to the release ${id} is in progress`, 'wait until it has finished'),
  placeNotRunning: () => new JexoError('place-not-running', 'nothing is deployed here', 'ship a packed file first'),
  supervisorFailed: (reason: string) =>
    new JexoError('supervisor-failed', `the supervisor does not start (${reason})`, 'fix the cause and ship again'),
  environmentFileUnreadable: (file: string, reason: string) =>
    new JexoError(
      'environment-file-unreadable',
      `it cannot be read (${reason})`,
      'give a file with NAME=value lines',
      file,
    ),
  packForeign: (packages: readonly string[]) =>
    new JexoError(
      'pack-foreign',
      `the kit contains native code for ${process.platform} (${packages.join(', ')}), but images run on Linux`,
      'pack it on Linux',
    ),
  folderUnwritable: (folder: string, reason: string) =>
    new JexoError('folder-unwritable', `the folder is not writable (${reason})`, 'choose another folder', folder),
  packageBroken: (where: string, reason: string) =>
    new JexoError(
      'package-broken',
      `the package does not work (${reason})`,
      'fix the cause; --no-check skips the test',
      where,
    ),
  registryNameMissing: (name: string | undefined) =>
    new JexoError(
      'registry-name-missing',
      name === undefined
        ? 'the registry of servers requires a name'
        : `${JSON.stringify(name)} is not a valid registry name`,
      'give --registry-name <reverse domain>/<name>, such as org.example/apiary, or a websiteUrl in the kit',
    ),
  packNative: (file: string) =>
    new JexoError(
      'pack-native',
      `the kit needs the native module ${file}`,
      'a single file cannot contain it; remove it, or run the kit with its node_modules',
    ),
  packFailed: (file: string, reason: string) =>
    new JexoError('pack-failed', `it cannot be packed: ${reason}`, 'fix the import named above', file),
  configUnreadable: (file: string, reason: string) =>
    new JexoError('config-unreadable', `it is not a valid host configuration (${reason})`, 'fix it by hand', file),
  configUnwritable: (file: string, reason: string) =>
    new JexoError(
      'config-unwritable',
      `it cannot be written (${reason}) and was not changed`,
      'make the file and its folder writable, or copy the entry by hand',
      file,
    ),
  configEntryMissing: (file: string, entry: string, known: readonly string[]) =>
    new JexoError(
      'config-entry-missing',
      `it has no entry "${entry}"`,
      known.length > 0 ? `it has ${listOf(known)}` : 'it has no entries',
      file,
    ),
  configEntryTaken: (file: string, entry: string) =>
    new JexoError(
      'config-entry-taken',
      `the name "${entry}" belongs to another server`,
      'choose another with --as, or replace it with --replace',
      file,
    ),
  toolUnknown: (tool: string, closest: readonly string[], where: string) =>
    new JexoError(
      'tool-unknown',
      `there is no tool "${tool}"`,
      closest.length > 0 ? `the closest are ${listOf(closest)}` : 'jexo show lists all tools',
      where,
    ),
  verbUnknown: (verb: string, closest: readonly string[]) =>
    new JexoError(
      'verb-unknown',
      `there is no command "${verb}" here`,
      closest.length > 0 ? `did you mean ${listOf(closest)}` : 'help lists all commands',
    ),
  argumentUnknown: (given: string, tool: string, known: readonly string[]) =>
    new JexoError(
      'argument-unknown',
      `${tool} takes no "${given}"`,
      known.length > 0 ? `it takes ${listOf(known)}` : 'it takes no arguments',
    ),
  argumentUnreadable: (given: string, wanted: string) =>
    new JexoError('argument-unreadable', `${given} cannot be read`, `give ${wanted}`),
} as const
