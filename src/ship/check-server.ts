import { keptSignIn } from '../access/sign-in/kept-sign-in.js'
import type { Link } from '../link/link.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ToolDefinition } from '../protocol/types.js'
import { connect } from '../transport/connect.js'

export interface ServerCheck {
  server: string
  tools: number
  /** The tool that was called: a read-only one, with the arguments of its example. */
  called?: string
  /** The error of a tool that failed in the kit, not in the connection. */
  failure?: string
  /** A sign-in is required, and there is no token. */
  needsSignIn?: true
  tookMs: number
}

/**
 * Connects to a server by its URL as a host would, and calls one read-only tool. Rejects with a `JexoError` if it does
 * not respond.
 */
export async function checkServer(
  url: string,
  token: string | undefined,
  timeoutMs = 15_000,
): Promise<ServerCheck> {
  const startedAt = performance.now()
  const link = await connect(url, {
    timeoutMs,
    ...(token ? { headers: { authorization: `Bearer ${token}` } } : { signIn: keptSignIn() }),
  })
  try {
    const tools = await link.tools()
    const { name, version } = link.serverInfo
    const called = await callOne(link, tools)
    return {
      server: `${name} ${version}`,
      tools: tools.length,
      ...called,
      tookMs: Math.round(performance.now() - startedAt),
    }
  } finally {
    await link.close()
  }
}

/** Tries a few tools, since one may need something that is missing. */
async function callOne(
  link: Link,
  tools: readonly ToolDefinition[],
): Promise<{ called?: string; failure?: string }> {
  let failed: { called: string; failure: string } | undefined
  const harmless = tools.flatMap(({ name, annotations, inputSchema }) => {
    const args = annotations?.readOnlyHint === true ? argumentsFor(inputSchema) : undefined
    return args ? [{ name, args }] : []
  })
  for (const { name, args } of harmless.slice(0, 3)) {
    const { isError, content } = await link.call(name, args)
    if (!isError) return { called: name }
    const [first] = content
    failed ??= { called: name, failure: first?.type === 'text' ? first.text : 'it failed' }
  }
  return failed ?? {}
}

/** The author's example, or no arguments if none are required. */
function argumentsFor(schema: JsonObject): JsonObject | undefined {
  const [example] = Array.isArray(schema.examples) ? schema.examples : []
  if (isObject(example)) return example
  const required = Array.isArray(schema.required) ? schema.required : []
  return required.length === 0 ? {} : undefined
}
