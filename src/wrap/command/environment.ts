/** Variables of every program: search path, folders and language. */
const always = ['PATH', 'HOME', 'LANG', 'LC_ALL', 'TMPDIR', 'SystemRoot', 'TEMP']

/**
 * The environment of a program: little of this process's environment, so that it receives no secrets by accident, and
 * the variables that are named or given.
 */
export function programEnvironment(
  env: Readonly<Record<string, string>> | readonly string[],
): Record<string, string> {
  const named = Array.isArray(env) ? (env as readonly string[]) : []
  const given = Array.isArray(env) ? {} : (env as Readonly<Record<string, string>>)
  const inherited = [...always, ...named].flatMap((name) => {
    const value = process.env[name]
    return value === undefined ? [] : [[name, value]]
  })
  return { ...Object.fromEntries(inherited), ...given }
}
