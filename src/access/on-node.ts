/**
 * A module of Node, loaded where it is needed. Its name is no literal, so that bundlers for other runtimes, which never get there, do not look for it.
 */
export const onNode = <Module>(name: `node:${string}`): Promise<Module> => import(name) as Promise<Module>
