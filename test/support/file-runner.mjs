/** Runs a test file for Jest: its modules load as they do in Node, with TypeScript compiled, and sources load once. */
import { createRequire, register } from 'node:module'
import { join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import circus from 'jest-circus/runner'

const require = createRequire(import.meta.url)
/** Where jest-circus keeps the functions that handle its events. */
const handlers = Symbol.for('EVENT_HANDLERS')
let isRegistered = false
let count = 0

export default function run(globalConfig, config, environment, _runtime, testPath, sendMessageToJest) {
  if (!isRegistered) registerHooks(config)
  isRegistered = true
  const inWorker = {
    requireInternalModule: requireAgain,
    requireModule: require,
    setGlobalsForRuntime: () => {},
    enterTestCode: () => {},
    leaveTestCode: () => {},
    unstable_shouldLoadAsEsm: () => true,
    unstable_importModule: (path) => import(`${pathToFileURL(path)}?file=${++count}`),
  }
  return circus.default(globalConfig, config, environment, inWorker, testPath, sendMessageToJest)
}

export const compiledFolder = ({ cacheDirectory }) => join(cacheDirectory, 'compiled')

function registerHooks(config) {
  const { moduleNameMapper, rootDir } = config
  const names = moduleNameMapper
    .filter(([, path]) => resolve(path) === path)
    .map(([pattern, path]) => [pattern.source ?? pattern, path])
  register('./typescript-hooks.mjs', import.meta.url, {
    data: { names, folder: compiledFolder(config), fresh: String(pathToFileURL(join(rootDir, 'test/'))) },
  })
}

/** jest-circus keeps the tests of a file in a state of its module. */
function requireAgain(path) {
  delete require.cache[path]
  delete globalThis[handlers]
  return require(path)
}
