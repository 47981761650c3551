/**
 * Imports a module of Node on demand. Its name is not a literal, so that bundlers for other runtimes, which never reach
 * it, do not include it.
 */
export const onNode = <Module>(name: `node:${string}`): Promise<Module> => import(name) as Promise<Module>
