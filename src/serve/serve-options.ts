/** An option of a server: declared once for `jexo serve`, packed files, the environment and the guide. */
export interface ServeOption {
  /** Name without dashes, such as `public-url`. */
  readonly name: string
  /** Placeholder of the value, such as `<url>`; `[…]` if the value is optional. Switches have none. */
  readonly value?: string
  readonly isRepeatable?: true
  /** Environment variables for the option. */
  readonly variables?: readonly string[]
  readonly about: string
  /** Not available in packed files: it needs the kit's sources, or development tools. */
  readonly isForSources?: true
}

export const serveOptions = [
  {
    name: 'http',
    value: '[[host:]port]',
    variables: ['JEXO_HOST', 'JEXO_PORT'],
    about: 'serve over HTTP; default: 127.0.0.1:4870',
  },
  { name: 'path', value: '<path>', variables: ['JEXO_PATH'], about: 'path of the endpoint; default: /mcp' },
  {
    name: 'public-url',
    value: '<url>',
    variables: ['JEXO_PUBLIC_URL'],
    about: 'URL by which clients reach the server',
  },
  {
    name: 'allowed-host',
    value: '<name>',
    isRepeatable: true,
    variables: ['JEXO_ALLOWED_HOSTS'],
    about: 'additional host name to accept',
  },
  {
    name: 'open-to-anyone',
    variables: ['JEXO_OPEN_TO_ANYONE'],
    about: 'allow unauthenticated calls from other machines',
  },
  {
    name: 'store',
    value: '<url>',
    variables: ['JEXO_STORE'],
    about: 'share sessions between servers through Redis, such as redis://127.0.0.1:6379',
  },
  {
    name: 'workers',
    value: '<number>',
    variables: ['JEXO_WORKERS'],
    about: 'serve with several processes; auto: one for each processor',
  },
  {
    name: 'issuer',
    value: '<url>',
    variables: ['JEXO_ISSUER'],
    about: 'accept tokens of this authorization server; clients sign in there',
  },
  {
    name: 'audience',
    value: '<uri>',
    variables: ['JEXO_AUDIENCE'],
    about: "audience of the issuer's tokens; default: the public URL",
  },
  {
    name: 'issuer-client',
    value: '<id>',
    variables: ['JEXO_ISSUER_CLIENT_ID'],
    about: 'client id of this server at the issuer, for token exchange; its secret is JEXO_ISSUER_CLIENT_SECRET',
  },
  {
    name: 'scopes',
    value: '<names>',
    variables: ['JEXO_SCOPES'],
    about: 'scopes that every request needs, separated by commas',
  },
  {
    name: 'tokens',
    value: '<file>',
    variables: ['JEXO_TOKENS'],
    about: 'accept the tokens of a file created by jexo token add',
  },
  {
    name: 'as',
    value: '<json>',
    about: 'for local tests: the identity of every caller, such as {"subject":"ada","scopes":["hives.read"]}',
    isForSources: true,
  },
  {
    name: 'require-host',
    variables: ['JEXO_REQUIRE_HOST'],
    about: 'on a non-loopback address, require --public-url or --allowed-host',
  },
  {
    name: 'ssh-tunnel',
    value: '<destination>',
    about: 'make the server reachable on that machine through an ssh reverse tunnel',
    isForSources: true,
  },
  {
    name: 'ssh-tunnel-port',
    value: '<[address:]port>',
    about: 'address on which that machine listens; default: its loopback address and the same port',
    isForSources: true,
  },
  {
    name: 'log',
    value: '<form>',
    variables: ['JEXO_LOG'],
    about: 'text, or json: one object per line for every call',
  },
  {
    name: 'log-level',
    value: '<level>',
    variables: ['JEXO_LOG_LEVEL'],
    about: 'debug, info, warning or error; default: info',
  },
  {
    name: 'metrics',
    value: '[[host:]port]',
    variables: ['JEXO_METRICS'],
    about: 'serve Prometheus metrics at /metrics, or on a separate port',
  },
  {
    name: 'otlp',
    value: '<url>',
    variables: ['OTEL_EXPORTER_OTLP_ENDPOINT'],
    about: 'send traces and metrics to this OpenTelemetry collector, such as http://127.0.0.1:4318',
  },
  {
    name: 'limit',
    value: '<calls/time>',
    variables: ['JEXO_LIMIT'],
    about: 'calls that each caller may make, such as 60/min',
  },
  {
    name: 'time-limit',
    value: '<time>',
    variables: ['JEXO_TIME_LIMIT'],
    about: 'time that a call may take, such as 5s',
  },
  {
    name: 'audit',
    value: '<file>',
    variables: ['JEXO_AUDIT'],
    about: 'write one line of JSON for each call to this file, or to stderr',
  },
  {
    name: 'strict-errors',
    variables: ['JEXO_STRICT_ERRORS'],
    about: 'end the server with exit code 1 on an uncaught error; default: log it and continue',
  },
  {
    name: 'load-timeout',
    value: '<ms>',
    variables: ['JEXO_LOAD_TIMEOUT_MS'],
    about: 'time limit for loading the kit, in milliseconds; default: 30000',
    isForSources: true,
  },
  {
    name: 'env-from',
    value: '<file>',
    isRepeatable: true,
    about: 'load variables from a file; .env beside the kit is always loaded',
  },
] as const satisfies readonly ServeOption[]

/** `--public-url <url>`. */
export const usageOf = ({ name, value }: ServeOption): string =>
  `--${name}${value === undefined ? '' : ` ${value}`}`

/** The description with additional notes: `… (repeatable; JEXO_ALLOWED_HOSTS)`. */
export function describeOption({ about, isRepeatable, variables = [] }: ServeOption): string {
  const notes = [...(isRepeatable ? ['repeatable'] : []), ...(variables.length > 0 ? [variables.join(', ')] : [])]
  return notes.length > 0 ? `${about} (${notes.join('; ')})` : about
}
