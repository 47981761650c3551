import { isIdentifier, textLiteral } from '../../escape/typescript.js'
import { snakeCase } from '../naming/effect-words.js'
import type { PlannedTool } from './plan.js'

/** The variable for the module is named after the kit, unless that name is reserved or in use. */
export function moduleName(name: string): string {
  const own = variableName(name) || 'source'
  return taken.has(own) ? `${own}Module` : own
}

/** The variable for a tool. */
export const constName = ({ name }: PlannedTool) => `${variableName(name)}Tool`

/** The variable for the instance of a class. */
export const instanceName = (className: string) => `${variableName(className)}Instance`

/** True for a valid variable name within `run` that does not shadow a used one. */
export const isFree = (name: string, module: string): boolean =>
  isIdentifier(name) && !taken.has(name) && name !== module && !/Instance\d*$/.test(name)

/** The access to a property: `.name`, or with brackets if the name is not an identifier. */
export const accessText = (name: string) => (isIdentifier(name) ? `.${name}` : `[${textLiteral(name)}]`)

/** A variable name from any text; invalid characters are left out. */
const variableName = (text: string) =>
  camelCase(text)
    .replace(/[^\w$]/g, '')
    .replace(/^(\d)/, '_$1')
const camelCase = (text: string) =>
  snakeCase(text).replace(/_(\w)/g, (_all, letter: string) => letter.toUpperCase())

/** Reserved words, and names that written functions use. */
const taken = new Set(
  (
    'await break case catch class const continue debugger default delete do else enum export extends false finally for function if ' +
    'implements import in instanceof interface let new null package private protected public return static super switch this throw ' +
    'true try typeof var void while with yield arguments eval undefined ' +
    'call given result item items error defineKit fromJson toJson tool shared noOutput Refusal Buffer Date URL Set Map Object BigInt String Error'
  ).split(' '),
)
