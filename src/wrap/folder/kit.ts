import type { WrapKit } from '../kit-writer/wrap-kit.js'
import type { FolderPlan } from './plan.js'

/**
 * The kit file of a planned folder. Files change without a new kit, so later only the names of its parts are compared.
 */
export function folderKitOf(
  { name, about, tool }: FolderPlan,
  source: string,
  options: Readonly<Record<string, unknown>>,
): WrapKit {
  return {
    kind: 'folder',
    source,
    options,
    about: `${about}.`,
    settings: [],
    tools: { [`${name}://{+path}`]: '', ...(tool === undefined ? {} : { [tool]: '' }) },
  }
}
